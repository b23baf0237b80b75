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
} from './application.ts'

// Mattes made of others, going with the set, painted on it; and where they are needed.
const NAME = 'matte-parts'
let browser: Browser
let page: Page
const faults: string[] = []
const { bench, shot } = shotTools(NAME, () => page)
const item = async (id: string): Promise<MatteItem> => {
  const one = (await shot()).document.items[id]
  if (!isMatte(one)) throw new Error(`${id} is a matte`)
  return one
}
const red = async (x: number, y: number): Promise<number> => {
  const [r, g] = await pixel(page, x, y)
  return r - g
}
const choose = (name: string): Promise<void> =>
  page
    .getByLabel('In the shot')
    .getByRole('option', { name: new RegExp(`^${name}`) })
    .click()
/** A shape between shares of the picture (320 x 180). */
const box = (x0: number, y0: number, x1: number, y1: number) => ({
  name: 'Shape 1',
  order: 1,
  keys: [
    {
      frame: 1001,
      points: [
        [x0, y0],
        [x1, y0],
        [x1, y1],
        [x0, y1],
      ].map(([x = 0, y = 0]) => ({ at: [x * 320, y * 180] })),
    },
  ],
})
async function drag(from: readonly [number, number], to: readonly [number, number], shift = false): Promise<void> {
  const place = await picture(page).boundingBox()
  if (!place) throw new Error('there is a picture')
  const at = ([u, v]: readonly [number, number]) => [place.x + u * place.width, place.y + v * place.height] as const
  if (shift) await page.keyboard.down('Shift')
  await page.mouse.move(...at(from))
  await page.mouse.down()
  await page.mouse.move(...at(to), { steps: 6 })
  await page.mouse.up()
  if (shift) await page.keyboard.up('Shift')
}

beforeAll(async () => {
  const head = await shotOfMovie(NAME, makeMovie('matte-parts.mp4'))
  const places = [
    [1001, -2],
    [1008, 4],
  ] as const
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
  const cart = {
    kind: 'box',
    name: 'Cart',
    order: 3,
    width: 1,
    height: 1,
    depth: 1,
    position: [-2, 0.6, -5],
    motion: {
      curve: 'straight',
      keys: places.map(([frame, x]) => ({ frame, position: [x, 0.6, -5], turn: 0, tilt: 0, roll: 0 })),
    },
  }
  const held = { kind: 'matte', stands: 'distance', distance: 3 }
  const answer = await fetch(`${application.address}/api/shots/${NAME}`, {
    method: 'PATCH',
    headers: { origin: application.address },
    body: JSON.stringify({
      base: head,
      patch: {
        camera: { kind: 'typed', tilt: -8, height: 1.6 },
        items: {
          ground: { kind: 'ground', name: 'Ground', order: 1 },
          wall,
          cart,
          whole: { ...held, name: 'Whole', order: 4, shapes: { a: box(0.4, 0.3, 0.7, 0.7) } },
          part: { ...held, name: 'Part', order: 5, shown: false, shapes: { a: box(0.55, 0.3, 0.7, 0.7) } },
        },
      },
    }),
  })
  if (!answer.ok) throw new Error(await answer.text())
  browser = await openBrowser()
  page = await openPage(browser, faults)
  await page.goto(`${application.address}/shot/${NAME}`)
  await picture(page).waitFor()
  await station(page, 'Mattes')
}, 120_000)
afterAll(() => browser.close())

describe('a matte’s parts', () => {
  it('takes another matte, and does with it what is said', async () => {
    await choose('Whole')
    await expect.poll(() => red(0.62, 0.5), { timeout: 30_000 }).toBeLessThan(15)
    await bench().getByLabel('Take another matte').selectOption({ label: 'Part' })
    await bench().getByLabel('Part does').selectOption('subtract')
    await expect.poll(() => red(0.62, 0.5), { timeout: 30_000 }).toBeGreaterThan(60)
    expect(await red(0.47, 0.5)).toBeLessThan(15)
    await bench().getByLabel('Part does').selectOption('intersect')
    await expect.poll(() => red(0.47, 0.5), { timeout: 30_000 }).toBeGreaterThan(60)
    expect(await red(0.62, 0.5)).toBeLessThan(15)
    await bench().getByLabel('Take Part out').click()
    await expect.poll(() => red(0.47, 0.5), { timeout: 30_000 }).toBeLessThan(15)
  })
  it('goes with a piece of the set that moves, and stays where it is when it is let go', async () => {
    await bench()
      .locator('[data-shape-row=a]')
      .click({ position: { x: 8, y: 8 } })
    await bench().getByLabel('Shape 1 goes with').selectOption({ label: 'Cart' })
    await saved(page)
    expect((await item('whole')).shapes.a?.rides).toEqual({ on: 'cart', frame: 1001 })
    await page.keyboard.press('End')
    // The cart went 6 m to the right at 5 m: far beyond the picture's edge.
    await expect.poll(() => red(0.47, 0.5), { timeout: 30_000 }).toBeGreaterThan(60)
    await page.keyboard.press('Home')
    await expect.poll(() => red(0.47, 0.5), { timeout: 30_000 }).toBeLessThan(15)
    await bench().getByLabel('Shape 1 goes with').selectOption('')
    await saved(page)
    const { shapes } = await item('whole')
    expect(shapes.a?.rides).toBeUndefined()
    expect(shapes.a?.keys[0]?.points[0]?.at[0]).toBeCloseTo(128, 1)
  })
  it('stands with a piece of the set, and cuts only what is chosen', async () => {
    await bench().getByLabel('Stands', { exact: true }).selectOption('item')
    await bench().getByText('Choose what it stands with.').waitFor()
    await bench().getByLabel('Stands with').selectOption({ label: 'Cart' })
    await bench()
      .getByText(/stands [45]\.\d\d m away/)
      .waitFor()
    await bench().getByLabel('Cuts').selectOption('chosen')
    await expect.poll(() => red(0.47, 0.5), { timeout: 30_000 }).toBeGreaterThan(60)
    await bench().locator('[data-cuts]').getByRole('button', { name: 'Red wall' }).click()
    await expect.poll(() => red(0.47, 0.5), { timeout: 30_000 }).toBeLessThan(15)
    await page.keyboard.press('Control+z')
    await expect.poll(() => red(0.47, 0.5), { timeout: 30_000 }).toBeGreaterThan(60)
  })
  it('says where it is needed, and shows it over the picture and in the strip', async () => {
    await bench().getByLabel('Cuts').selectOption('all')
    await bench()
      .getByText(/needed 1001–1008 before Red wall/)
      .waitFor({ timeout: 30_000 })
    await page.locator('path[data-need]').waitFor({ state: 'attached' })
    expect(await page.locator('[data-row="Whole, needed"] span').innerText()).toBe('1001–1008')
    await bench().getByLabel('Stands', { exact: true }).selectOption('distance')
    const field = bench().getByLabel('Distance', { exact: true })
    await field.click()
    await field.fill('20')
    await field.press('Enter')
    await bench().getByText('Not needed').waitFor({ timeout: 30_000 })
  })
})

describe('a matte that is painted', () => {
  it('is painted through the camera, in a straight line with Shift, and erased; undo gives it back', async () => {
    await page.getByRole('button', { name: 'Paint', exact: true }).first().click()
    await drag([0.3, 0.2], [0.7, 0.2], true)
    await bench().locator('[data-painted="1"]').waitFor()
    await bench().getByText('1 stroke on Red wall').waitFor()
    await saved(page)
    const all = Object.entries((await shot()).document.items)
    const painted = (): [string, MatteItem] | undefined =>
      all.find((one): one is [string, MatteItem] => isMatte(one[1]) && Object.keys(one[1].painted).length > 0)
    const [id, made] = painted() ?? ['', undefined]
    expect(made?.stands).toBe('surface')
    const [stroke] = Object.values(made?.painted ?? {})
    // The line lies on the wall's front side, whose own space begins in the middle of its foot.
    expect(stroke?.points.every(([, , z]) => Math.abs(z - 0.1) < 1e-3)).toBe(true)
    await bench().getByRole('button', { name: 'Erase', exact: true }).click()
    await drag([0.5, 0.12], [0.5, 0.26])
    await bench().locator('[data-painted="2"]').waitFor()
    await saved(page)
    expect(Object.values((await item(id)).painted).filter(({ erase }) => erase)).toHaveLength(1)
    await page.keyboard.press('Control+z')
    await bench().locator('[data-painted="1"]').waitFor()
    await saved(page)
    await station(page, 'Effects')
    await page.getByLabel('Add', { exact: true }).selectOption({ label: 'Smouldering' })
    await over(page, [0.8, 0.9])
    await bench().getByLabel('Shape', { exact: true }).selectOption('painted')
    await bench().getByRole('alert').getByText('none is chosen').waitFor()
    await bench()
      .getByLabel('Matte', { exact: true })
      .selectOption({ label: made?.name ?? '' })
    await saved(page)
    await expect.poll(() => bench().getByRole('alert').count()).toBe(0)
    expect(faults).toEqual([])
  })
})
