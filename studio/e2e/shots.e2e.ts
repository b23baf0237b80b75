import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import type { Shot } from '@lantern/store'
import type { Browser } from 'playwright-core'
import sharp from 'sharp'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { application, drop, folder, makeMovie, openBrowser, openPage, pixel, shotOfMovie } from './application.ts'

// The list of shots: plates on their way in, and what is done with whole shots.
let browser: Browser
const faults: string[] = []
const get = async <T>(path: string): Promise<T> => (await (await fetch(`${application.address}${path}`)).json()) as T

beforeAll(async () => {
  browser = await openBrowser()
})
afterAll(() => browser.close())

describe('a plate', () => {
  it('becomes a shot from numbered stills too, gaps named', async () => {
    const other = await openPage(browser, faults)
    await other.goto(application.address)
    const paths = await Promise.all(
      [3, 4, 6].map(async (n) => {
        const path = join(folder, `frame_${n}.png`)
        await sharp({ create: { width: 64, height: 36, channels: 3, background: { r: 20 * n, g: 40, b: 60 } } })
          .png()
          .toFile(path)
        return path
      }),
    )
    await drop(other, paths)
    const rate = other.getByLabel('Frames a second')
    expect(await rate.inputValue()).toBe('24')
    await rate.fill('fast')
    await other.getByRole('alert').filter({ hasText: 'A rate is a number' }).waitFor()
    await rate.fill('23.976')
    await other.getByRole('button', { name: 'Make the shot' }).click()
    await other.getByRole('link', { name: 'frame' }).click()
    await other.waitForURL('**/shot/frame')
    expect((await get<Shot>('/api/shots/frame')).document.plate.rate).toEqual([24_000, 1001])
    await other.getByText('3–6', { exact: true }).first().waitFor()
    const gaps = other.getByLabel('Bench').getByText('Gaps').locator('..')
    await gaps.getByText('5', { exact: true }).waitFor()
    expect((await pixel(other, 0.5, 0.5))[0]).toBe(60)
    // The rate given last is proposed.
    await other.goto(application.address)
    await drop(other, paths)
    expect(await other.getByLabel('Frames a second').inputValue()).toBe('23.976')
    await other.close()
  })
  it('that was cut off on its way is said to be, and goes on when it is dropped again', async () => {
    const path = makeMovie('cut.mp4')
    const bytes = new Uint8Array(readFileSync(path))
    const headers = { origin: application.address }
    const files = [{ name: 'cut.mp4', bytes: bytes.length }]
    const { asset } = (await (
      await fetch(`${application.address}/api/plates`, {
        method: 'POST',
        headers,
        body: JSON.stringify({ files, makes: 'cut' }),
      })
    ).json()) as { asset: string }
    await fetch(`${application.address}/api/plates/${asset}/cut.mp4`, {
      method: 'PUT',
      headers,
      body: bytes.slice(0, bytes.length / 2),
    })
    const other = await openPage(browser, faults)
    await other.goto(application.address)
    await other
      .getByRole('article', { name: 'cut' })
      .getByText(/Cut off at (49|50) %/)
      .waitFor()
    await drop(other, [path])
    await other.getByRole('link', { name: 'cut' }).waitFor()
    expect((await get<Shot>('/api/shots/cut')).document.plate.asset).toBe(asset)
    await other.close()
  })
})

describe('shots', () => {
  it('are renamed, duplicated, removed after one question, and had back', async () => {
    const other = await openPage(browser, faults)
    await other.goto(application.address)
    const card = (name: string) => other.getByRole('link', { name, exact: true }).locator('..')
    await card('cut').getByRole('button', { name: 'Rename' }).click()
    const name = other.getByLabel('New name of cut')
    await shotOfMovie('list taken', makeMovie('taken.mp4'))
    await name.fill('list taken')
    await name.press('Enter')
    await other.getByRole('alert').filter({ hasText: 'There is a shot called “list taken” already' }).waitFor()
    await card('cut').getByRole('button', { name: 'Rename' }).click()
    await name.fill('scrap')
    await name.press('Enter')
    await card('scrap').getByRole('button', { name: 'Duplicate' }).click()
    await card('scrap 2').waitFor()
    await card('scrap').getByRole('button', { name: 'Remove…' }).click()
    await card('scrap').getByRole('button', { name: 'Remove', exact: true }).click()
    await other.getByText(/“scrap” was removed/).waitFor()
    await expect.poll(() => card('scrap').count()).toBe(0)
    await other.getByRole('button', { name: 'Undo' }).click()
    await card('scrap').waitFor()
    for (const one of ['scrap', 'scrap 2']) {
      await card(one).getByRole('button', { name: 'Remove…' }).click()
      await card(one).getByRole('button', { name: 'Remove', exact: true }).click()
      await expect.poll(() => card(one).count()).toBe(0)
    }
    await other.close()
  })
})

it('has shown no fault on the way', () => {
  expect(faults).toEqual([])
})
