import { writeFileSync } from 'node:fs'
import { join } from 'node:path'
import type { Browser, Page } from 'playwright-core'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { folder, movieOf, openYard, over, pixel, saved, shotTools, type } from './application.ts'

// A filmed element: taken in, stood in the set, run at its own speed.
const NAME = 'cards'
let browser: Browser
let page: Page
const faults: string[] = []
const { bench, shot } = shotTools(NAME, () => page)
const light = async (x: number, y: number): Promise<number> => {
  const [r, g, b] = await pixel(page, x, y)
  return r + g + b
}

beforeAll(async () => {
  ;({ browser, page } = await openYard(
    NAME,
    { items: { ground: { kind: 'ground', name: 'Ground', order: 1 } } },
    'Effects',
    faults,
  ))
}, 120_000)
afterAll(() => browser.close())

describe('a clip filmed on black', () => {
  const [x, y] = [0.5, 0.85]
  const frame = (): Promise<string | null> => bench().locator('[data-clip-frame]').getAttribute('data-clip-frame')
  it('that can’t be read is refused by name', async () => {
    await page.getByLabel('Add', { exact: true }).selectOption('preset-card')
    await over(page, [x, y])
    await bench().getByText('No clip yet').waitFor()
    const bad = join(folder, 'puff.mp4')
    writeFileSync(bad, 'no movie')
    await page.getByLabel('Clip files').setInputFiles(bad)
    await page
      .getByText(/puff\.mp4/)
      .first()
      .waitFor()
    expect(faults).toEqual([])
  })
  it('stands in the set, lets through where it is black, and runs as fast as it was filmed', async () => {
    const [middle, corner] = [await light(0.5, 0.5), await light(0.2, 0.82)]
    // A bright disc in its middle, 24 frames.
    const puff = movieOf(
      'disc.mp4',
      "color=black:size=160x90:rate=50,format=rgb24,geq=r='230*lt(hypot(X-80,Y-45),30)':g='200*lt(hypot(X-80,Y-45),30)':b='170*lt(hypot(X-80,Y-45),30)'",
      24,
    )
    await page.getByLabel('Clip files').setInputFiles(puff)
    await bench()
      .getByText(/disc\.mp4, 24 frames at 50/)
      .waitFor({ timeout: 60_000 })
    await type(page, 'Height', '2')
    await saved(page)
    await expect.poll(async () => (await light(0.5, 0.5)) - middle, { timeout: 30_000 }).toBeGreaterThan(120)
    expect(Math.abs((await light(0.2, 0.82)) - corner)).toBeLessThan(6)
    // 50 on 25: two of its frames for one of the plate; filmed at 100 four.
    expect(await frame()).toBe('1')
    await page.keyboard.press('ArrowRight')
    await expect.poll(frame).toBe('3')
    await type(page, 'Shot at', '100')
    await expect.poll(frame).toBe('5')
    await bench()
      .getByText(/delivered 2 × slow/)
      .waitFor()
    await page.keyboard.press('End')
    await expect.poll(frame).toBe('24')
    await saved(page)
    expect(Object.values((await shot()).document.items).find(({ kind }) => kind === 'card')).toMatchObject({
      shotAt: 100,
    })
    await page.keyboard.press('Home')
    await type(page, 'Exposure', '-6')
    await expect.poll(async () => (await light(0.5, 0.5)) - middle, { timeout: 30_000 }).toBeLessThan(60)
    expect(faults).toEqual([])
  })
})

describe('copies of a card', () => {
  it('are spread over an area that is drawn on the set, each where it was', async () => {
    await type(page, 'How many', '6')
    await bench().getByLabel('Spread', { exact: true }).selectOption('in the drawn area')
    await bench().getByText('No area yet').waitFor()
    await bench().getByRole('button', { name: 'Draw the area' }).click()
    for (const at of [
      [0.2, 0.7],
      [0.8, 0.7],
      [0.9, 0.95],
      [0.1, 0.95],
    ] as const)
      await over(page, at)
    await page.keyboard.press('Enter')
    await bench().getByText('4 corners on the set').waitFor()
    await saved(page)
    const card = Object.values((await shot()).document.items).find(({ kind }) => kind === 'card')
    if (card?.kind !== 'card') throw new TypeError('a card')
    expect(card.area).toHaveLength(4)
    for (const [, y] of card.area ?? []) expect(y).toBeCloseTo(0, 6)
    await page.getByRole('button', { name: 'Undo' }).click()
    await bench().getByText('No area yet').waitFor()
    expect(faults).toEqual([])
  })
  it('need no more than one to be read for its light', async () => {
    await type(page, 'How many', '1')
    await bench().getByRole('button', { name: 'Read its light' }).click()
    await bench().getByRole('button', { name: 'Its light’s reading' }).waitFor()
    const area = async () => Object.values((await shot()).document.readings).map((one) => one.area.kind)
    await expect.poll(area).toEqual(['clip'])
    expect(faults).toEqual([])
  })
})
