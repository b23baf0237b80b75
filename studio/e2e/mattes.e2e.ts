import { isMatte, type MatteItem } from '@lantern/core/mattes'
import type { Browser, Page } from 'playwright-core'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import {
  application,
  makeMovie,
  openBrowser,
  openPage,
  over,
  picture,
  pixel,
  saved,
  shotOfMovie,
  shotTools,
  station,
  type,
} from './application.ts'

// A person in the plate is cut out by hand, and then stands before what was added.
const NAME = 'mattes'
let browser: Browser
let page: Page
const faults: string[] = []
const { bench, shot } = shotTools(NAME, () => page)
const matte = async (): Promise<MatteItem | undefined> => Object.values((await shot()).document.items).find(isMatte)
const shape = async (): Promise<MatteItem['shapes'][string] | undefined> =>
  Object.values((await matte())?.shapes ?? {})[0]
const red = async (x: number, y: number): Promise<number> => {
  const [r, g] = await pixel(page, x, y)
  return r - g
}
/** Drags over the picture between two places in shares of it. */
async function drag(from: readonly [number, number], to: readonly [number, number]): Promise<void> {
  const box = await picture(page).boundingBox()
  if (!box) throw new Error('there is a picture')
  const at = ([u, v]: readonly [number, number]) => [box.x + u * box.width, box.y + v * box.height] as const
  await page.mouse.move(...at(from))
  await page.mouse.down()
  await page.mouse.move(...at(to), { steps: 4 })
  await page.mouse.up()
}

beforeAll(async () => {
  const head = await shotOfMovie(NAME, makeMovie('mattes.mp4'))
  const wall = {
    kind: 'box',
    name: 'Red wall',
    order: 2,
    position: [0, 0, -8],
    width: 12,
    height: 4,
    depth: 0.2,
    carries: 'surface',
    surfaceColour: [0.8, 0.03, 0.03],
  }
  const answer = await fetch(`${application.address}/api/shots/${NAME}`, {
    method: 'PATCH',
    headers: { origin: application.address },
    body: JSON.stringify({
      base: head,
      patch: {
        camera: { kind: 'typed', tilt: -8, height: 1.6 },
        items: { ground: { kind: 'ground', name: 'Ground', order: 1 }, wall },
      },
    }),
  })
  if (!answer.ok) throw new Error(await answer.text())
  browser = await openBrowser()
  page = await openPage(browser, faults)
  await page.goto(`${application.address}/shot/${NAME}`)
  await picture(page).waitFor()
}, 120_000)
afterAll(() => browser.close())

describe('a matte', () => {
  it('is drawn by clicks round a person, and holds out what stands behind', async () => {
    await station(page, 'Mattes')
    await page.getByText('No matte yet.').waitFor()
    await expect.poll(() => red(0.5, 0.5), { timeout: 30_000 }).toBeGreaterThan(60)
    await page.getByRole('button', { name: 'Matte', exact: true }).click()
    for (const place of [
      [0.42, 0.3],
      [0.58, 0.3],
      [0.58, 0.8],
      [0.42, 0.8],
    ] as const)
      await over(page, place)
    await over(page, [0.42, 0.3])
    await bench().getByRole('heading', { name: 'Matte 1' }).waitFor()
    await saved(page)
    expect((await shape())?.keys).toHaveLength(1)
    expect((await shape())?.keys[0]?.points).toHaveLength(4)
    await expect(bench().locator('[data-stands]').innerText()).resolves.toMatch(/stands \d+\.\d\d m away/)
    await expect.poll(() => red(0.5, 0.5), { timeout: 30_000 }).toBeLessThan(15)
    expect(await red(0.3, 0.5)).toBeGreaterThan(60)
  })
  it('stands before or behind, by the distance that is said', async () => {
    await bench().getByLabel('Stands').selectOption('distance')
    await type(page, 'Distance', '20')
    await expect.poll(() => red(0.5, 0.5), { timeout: 30_000 }).toBeGreaterThan(60)
    await type(page, 'Distance', '3')
    await expect.poll(() => red(0.5, 0.5), { timeout: 30_000 }).toBeLessThan(15)
  })
  it('takes a point more, a soft edge, a key on another frame, and gives each back by undo', async () => {
    const box = await picture(page).boundingBox()
    if (!box) throw new Error('there is a picture')
    await page.mouse.dblclick(box.x + 0.42 * box.width, box.y + 0.55 * box.height)
    await saved(page)
    expect((await shape())?.keys[0]?.points).toHaveLength(5)
    // The new point is chosen: its ring is dragged outward, to the left.
    const ring = await page.locator('[data-soft] circle').boundingBox()
    if (!ring) throw new Error('a chosen point has a ring')
    const [x, y] = [ring.x + ring.width / 2, ring.y + ring.height / 2]
    await page.mouse.move(x, y)
    await page.mouse.down()
    await page.mouse.move(x - 40, y, { steps: 4 })
    await page.mouse.up()
    await saved(page)
    expect(Math.max(...((await shape())?.keys[0]?.points.map(({ soft }) => soft) ?? []))).toBeGreaterThan(8)
    const first = (await shape())?.keys[0]
    await page.keyboard.press('End')
    await drag([0.5, 0.55], [0.6, 0.55])
    await saved(page)
    const keys = (await shape())?.keys ?? []
    expect(keys).toHaveLength(2)
    expect(keys[0]).toEqual(first)
    expect((keys[1]?.points[0]?.at[0] ?? 0) - (first?.points[0]?.at[0] ?? 0)).toBeCloseTo(32, 0)
    await page.keyboard.press('Control+z')
    await expect.poll(async () => (await shape())?.keys.length).toBe(1)
  })
  it('is changed on all keys at once, and made of several shapes', async () => {
    await bench().getByRole('button', { name: 'on all keys' }).click()
    await drag([0.5, 0.55], [0.4, 0.55])
    await saved(page)
    expect((await shape())?.keys).toHaveLength(1)
    await bench().getByRole('button', { name: 'Another shape' }).click()
    for (const place of [
      [0.36, 0.4],
      [0.44, 0.4],
      [0.4, 0.6],
    ] as const)
      await over(page, place)
    await page.keyboard.press('Enter')
    await bench().getByText('Shape 2').waitFor()
    await saved(page)
    await bench().getByLabel('Shape 2 does').selectOption('subtract')
    await expect.poll(() => red(0.4, 0.45), { timeout: 30_000 }).toBeGreaterThan(60)
    expect(await red(0.4, 0.7)).toBeLessThan(15)
    expect(faults).toEqual([])
  })
})

describe('a matte by strokes', () => {
  const helped = async () => Object.values((await shot()).document.items).find((item) => isMatte(item) && item.helped)
  const overlay = () => page.locator('canvas[data-matte=cut]')
  it('is cut from two strokes, carried, corrected and accepted', async () => {
    await page.getByRole('button', { name: 'Matte by strokes' }).click()
    await drag([0.42, 0.4], [0.46, 0.6])
    await expect.poll(helped).toBeDefined()
    await saved(page)
    expect(await bench().getByRole('button', { name: 'Carry', exact: true }).isEnabled()).toBe(false)
    await bench().getByRole('button', { name: 'Stroke outside' }).click()
    const box = await picture(page).boundingBox()
    if (!box) throw new Error('there is a picture')
    const corners = [
      [0.3, 0.25],
      [0.6, 0.25],
      [0.6, 0.78],
      [0.3, 0.78],
      [0.3, 0.25],
    ] as const
    for (const [n, [u, v]] of corners.entries()) {
      await page.mouse.move(box.x + u * box.width, box.y + v * box.height, { steps: n === 0 ? 1 : 6 })
      if (n === 0) await page.mouse.down()
    }
    await page.mouse.up()
    await overlay().waitFor({ timeout: 60_000 })
    expect(await page.locator('[data-stroke=inside]').count()).toBe(1)
    expect(await page.locator('[data-stroke=outside]').count()).toBe(1)
    await bench().getByRole('button', { name: 'Carry', exact: true }).click()
    await bench()
      .getByText(/(\d+) of \1 frames carried/)
      .waitFor({ timeout: 120_000 })
    await page.locator('canvas[data-matte=carried]').waitFor({ timeout: 30_000 })
    await bench()
      .getByText(/of its rim is uncertain/)
      .waitFor()
    // A correction shows what it changes before it is carried.
    await drag([0.5, 0.35], [0.5, 0.65])
    await overlay().waitFor({ timeout: 60_000 })
    await bench()
      .getByText(/what changed is grained/)
      .waitFor()
    await bench().getByRole('button', { name: 'Carry the correction' }).click()
    await page.locator('canvas[data-matte=carried]').waitFor({ timeout: 120_000 })
    await bench().getByRole('button', { name: 'Accept this frame' }).click()
    await bench()
      .getByText(/is accepted: it stays as it is/)
      .waitFor()
    await saved(page)
    const item = await helped()
    expect(isMatte(item) && [item.helped?.carried, Object.keys(item.helped?.accepted ?? {}).length]).toEqual([2, 1])
    await bench().getByRole('button', { name: 'Open it again' }).click()
    await bench().getByRole('button', { name: 'Accept this frame' }).waitFor()
  })
})
