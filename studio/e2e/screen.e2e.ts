import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import { GOLDEN_BREAK, GOLDEN_HASH } from '@lantern/core/pipeline'
import type { Browser, Page } from 'playwright-core'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import {
  application,
  makeMovie,
  openBrowser,
  openPage,
  picture,
  shotByRoutes,
  shotOfMovie,
  shotTools,
  station,
  type,
} from './application.ts'

// What holds of the screen at every station.
const NAME = 'screen'
let browser: Browser
let page: Page
const faults: string[] = []
const { shot } = shotTools(NAME, () => page)

beforeAll(async () => {
  await shotByRoutes(NAME)
  browser = await openBrowser()
  page = await openPage(browser, faults)
  await page.goto(`${application.address}/shot/${NAME}`)
  await picture(page).waitFor()
}, 120_000)
afterAll(() => browser.close())

describe('the screen', () => {
  it('lists its keys, and goes to every station by number; an empty one says what to do first', async () => {
    await page.keyboard.press('?')
    await page.getByRole('dialog').getByText('one frame; with Shift ten').waitFor()
    await page.keyboard.press('Escape')
    await page.getByRole('dialog').waitFor({ state: 'hidden' })
    for (const [n, name] of [
      'Plate',
      'Match',
      'Set',
      'Mattes',
      'Effects',
      'Light',
      'Picture',
      'Sit',
      'Hand-off',
    ].entries()) {
      await page.keyboard.press(String(n + 1))
      expect(await page.locator('nav[aria-label=Stations] [aria-current=step]').getAttribute('aria-label')).toMatch(
        new RegExp(`^${name}`),
      )
    }
    await station(page, 'Mattes')
    await page.getByText('No matte yet. Press Matte').waitFor()
  })
  it('never scrolls at 1280 by 800, and shows the set from outside and three frames at once', async () => {
    expect(
      await page.evaluate(() => [document.documentElement.scrollHeight, document.documentElement.scrollWidth]),
    ).toEqual([800, 1280])
    await page.keyboard.press('t')
    await page.locator('canvas[data-picture=last]').waitFor()
    await page.keyboard.press('t')
    await page.keyboard.press('o')
    await page.locator('[data-overlay=outside]').waitFor()
    await page.keyboard.press('o')
    await picture(page).waitFor()
  })
  it.each([1, 3])('computes the same bits in the browser with %d threads as in Node with one', async (threads) => {
    expect(await page.evaluate((count) => window.lantern?.hash(count), threads)).toEqual({
      threads,
      hash: GOLDEN_HASH,
      breaks: GOLDEN_BREAK,
    })
  })
  it('opens a shot whatever signs are in its name', async () => {
    const name = '50% smoke a%41b?#+&'
    await shotOfMovie(name, makeMovie('signs.mp4'))
    const own = await openPage(browser, faults)
    await own.goto(`${application.address}/shot/${encodeURIComponent(name)}`)
    await own.getByRole('heading', { name }).waitFor()
    await station(own, 'Effects')
    await own.close()
    for (const address of ['/api/shots/%', '/api/shots/%E0%A4%A/status', '/shot/%'])
      expect((await fetch(`${application.address}${address}`)).status).toBeLessThan(500)
  })
  it('says when the database is away, and recovers by itself', async () => {
    const pid = Number(readFileSync(join(application.data, 'database/postmaster.pid'), 'utf8').split('\n')[0])
    process.kill(pid, 'SIGQUIT')
    await page.getByRole('alert').filter({ hasText: 'tried again by itself' }).waitFor()
    await page
      .getByRole('alert')
      .filter({ hasText: 'tried again by itself' })
      .waitFor({ state: 'hidden', timeout: 60_000 })
    await station(page, 'Effects')
    await page.getByRole('option', { name: /^Door fire/ }).click()
    await type(page, 'Wind', '2')
    expect(Object.values((await shot()).document.items).find((item) => item.kind === 'gas')).toMatchObject({
      wind: 2,
    })
  })
  it('has shown no fault on the way', () => {
    expect(faults).toEqual([])
  })
})
