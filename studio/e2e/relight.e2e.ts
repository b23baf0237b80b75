import { writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { writeExr } from '@lantern/core/formats'
import type { Browser, Page } from 'playwright-core'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import {
  dropOnPicture,
  folder,
  HEIGHT,
  movieOf,
  openYard,
  pixel,
  saved,
  shotTools,
  station,
  strip,
  type,
  WIDTH,
} from './application.ts'

// Light on what was filmed: clips that are dropped and read, lamps that follow them, a subject that is relit, others' renders.
const NAME = 'relit'
let browser: Browser
let page: Page
const faults: string[] = []
const { bench, shot } = shotTools(NAME, () => page)
const red = async (x: number, y: number): Promise<number> => (await pixel(page, x, y))[0]
const items = async () => Object.values((await shot()).document.items)

/** A round matte in the picture's upper right, 4 m away. */
const [X, Y, R] = [0.7 * WIDTH, 0.4 * HEIGHT, 40]
const points = Array.from({ length: 16 }, (_, n) => {
  const a = (n / 16) * 2 * Math.PI
  return { at: [X + R * Math.cos(a), Y + R * Math.sin(a)], before: [0, 0], after: [0, 0], soft: 0 }
})
const person = {
  kind: 'matte',
  name: 'Person',
  order: 2,
  stands: 'distance',
  distance: 4,
  shapes: { body: { name: 'Body', order: 1, keys: [{ frame: 1001, points }] } },
}

/** A hidden board that stands for a render. */
const standIn = {
  kind: 'box',
  name: 'Stand-in',
  order: 3,
  shown: false,
  position: [-0.2, 0, -3],
  width: 3,
  height: 3,
  depth: 0.2,
}

beforeAll(async () => {
  ;({ browser, page } = await openYard(
    NAME,
    {
      light: { illuminance: 200 },
      items: { ground: { kind: 'ground', name: 'Ground', order: 1 }, person, 'stand-in': standIn },
    },
    'Effects',
    faults,
  ))
}, 120_000)
afterAll(() => browser.close())

describe('a clip with alpha', () => {
  it('stands where it is dropped, and lets through where nothing of it is', async () => {
    const [middle, beside] = [await red(0.25, 0.72), await red(0.12, 0.72)]
    // A bright disc that flares up, frame by frame, with nothing round it.
    const clip = movieOf(
      'flare.webm',
      "color=gray:size=120x120:rate=25,format=rgba,geq=r='30+28*N':g='20+18*N':b=10:a='255*lt(hypot(X-60,Y-60),36)'",
      8,
      ['-c:v', 'libvpx-vp9', '-pix_fmt', 'yuva420p', '-lossless', '1'],
    )
    await dropOnPicture(page, [clip], [0.25, 0.9])
    await bench()
      .getByText(/flare\.webm, 8 frames at 25/)
      .waitFor({ timeout: 60_000 })
    await saved(page)
    expect((await items()).find(({ kind }) => kind === 'card')).toMatchObject({
      there: 'with alpha',
      clip: { alpha: 'straight' },
    })
    await type(page, 'Height', '1.2')
    await page.keyboard.press('End')
    await expect.poll(async () => (await red(0.25, 0.72)) - middle, { timeout: 30_000 }).toBeGreaterThan(60)
    expect(Math.abs((await red(0.12, 0.72)) - beside)).toBeLessThan(6)
    // What it does not say is told.
    await bench().getByLabel('Filmed', { exact: true }).selectOption('on black')
    await bench()
      .getByText(/borders are clean|never clear/)
      .waitFor()
    await bench().getByLabel('Filmed', { exact: true }).selectOption('with alpha')
    await saved(page)
    expect(faults).toEqual([])
  })
  it('is read, and a lamp follows it in brightness and colour', async () => {
    await bench().getByRole('button', { name: 'Read its light' }).click()
    await bench().getByRole('button', { name: 'Its light’s reading' }).waitFor()
    await station(page, 'Light')
    await page.getByRole('button', { name: 'Lamp', exact: true }).click()
    const box = await page.locator('[data-overlay=camera]').boundingBox()
    if (!box) throw new Error('no picture')
    for (const [u, v] of [
      [0.5, 0.85],
      [0.55, 0.92],
    ] as const)
      await page.mouse.click(box.x + u * box.width, box.y + v * box.height)
    await bench().getByRole('heading', { name: 'Lamp 1' }).waitFor()
    // It may be chosen once it is taken.
    await bench().getByLabel('Follows', { exact: true }).selectOption({ label: 'Light of flare' }, { timeout: 30_000 })
    await saved(page)
    const power = async (): Promise<number> => Number((await strip(page, 'Lamp 1: power')).replace(/[^\d.]/g, ''))
    await page.keyboard.press('Home')
    await expect.poll(power, { timeout: 30_000 }).toBeGreaterThan(0)
    const dim = await power()
    await page.keyboard.press('End')
    await expect.poll(power).toBeGreaterThan(4 * dim)
    const lamp = (await items()).find(({ kind }) => kind === 'lamp')
    expect(lamp).toMatchObject({ follows: { lumens: { offset: 0 }, tint: { takes: 'colour' } } })
    const bright = await power()
    await type(page, 'Strength', '2')
    await expect.poll(async () => (await power()) / bright).toBeCloseTo(2, 1)
    expect(faults).toEqual([])
  })
})

describe('who is filmed', () => {
  it('is relit from a side inside its matte, and nothing beyond it', async () => {
    const [left, right, beside] = [await red(0.6, 0.4), await red(0.8, 0.4), await red(0.86, 0.4)]
    await page.getByLabel('Add', { exact: true }).selectOption('preset-relight-side')
    await bench().getByRole('heading', { name: 'Relit from a side' }).waitFor()
    await saved(page)
    expect((await items()).find(({ kind }) => kind === 'relight')).toMatchObject({ matte: 'person' })
    await type(page, 'From a side', '1.5')
    await expect.poll(async () => (await red(0.8, 0.4)) - right, { timeout: 30_000 }).toBeGreaterThan(12)
    expect((await red(0.6, 0.4)) - left).toBeLessThan(6)
    expect(Math.abs((await red(0.86, 0.4)) - beside)).toBeLessThan(3)
    // From the other side it is the other half.
    await type(page, 'Comes from', '-90')
    await expect.poll(async () => (await red(0.6, 0.4)) - left, { timeout: 30_000 }).toBeGreaterThan(12)
    await bench().getByLabel('Shows', { exact: true }).selectOption('its form')
    await expect
      .poll(async () => (await red(0.6, 0.4)) - (await red(0.8, 0.4)), { timeout: 30_000 })
      .toBeGreaterThan(15)
    await bench().getByLabel('Shows', { exact: true }).selectOption('its light')
    await bench().getByLabel('Matte', { exact: true }).selectOption('')
    await bench().getByText('Choose the matte of what is lit.').waitFor()
    await page.getByRole('button', { name: 'Undo' }).click()
    await saved(page)
    expect(faults).toEqual([])
  })
})

describe('what a matte covers', () => {
  it('is lifted out of the plate, and stands where it is told, once more', async () => {
    await station(page, 'Effects')
    await page.keyboard.press('Home')
    const [own, beside, left] = [await red(0.7, 0.4), await red(0.86, 0.4), await red(0.3, 0.4)]
    await page.getByLabel('Add', { exact: true }).selectOption('preset-card-lifted')
    await bench().getByRole('heading', { name: 'Person, lifted out' }).waitFor()
    await bench().getByText('This plate, 8 frames at 25').waitFor()
    expect(await bench().getByLabel('Cut by', { exact: true }).inputValue()).toBe('person')
    // As it was filmed nothing is seen of it: two stops brighter it is.
    await type(page, 'Exposure', '2')
    await expect.poll(async () => (await red(0.7, 0.4)) - own, { timeout: 30_000 }).toBeGreaterThan(25)
    expect(Math.abs((await red(0.86, 0.4)) - beside)).toBeLessThan(4)
    // Moved to the left it leaves its place.
    await type(page, 'Moved by, right', '-1.6')
    await expect.poll(async () => (await red(0.7, 0.4)) - own, { timeout: 30_000 }).toBeLessThan(8)
    expect((await red(0.3, 0.4)) - left).toBeLessThan(60)
    await saved(page)
    const item = (await items()).find((one) => one.kind === 'card' && one.there === 'by a matte')
    expect(item).toMatchObject({ cutBy: 'person', far: 'as filmed', moved: [-1.6, 0, 0], exposure: 2 })
    // Without a matte nothing of it is there, and that is said.
    await bench().getByLabel('Cut by', { exact: true }).selectOption('')
    await bench().getByText('Choose the matte of what is there.').waitFor()
    await page.getByRole('button', { name: 'Undo' }).click()
    // Seen only inside the same matte, it is nowhere: it was moved out of it.
    await bench().getByLabel('Only inside', { exact: true }).selectOption('person')
    await saved(page)
    expect((await items()).find((one) => one.kind === 'card' && one.inside === 'person')).toBeDefined()
    await bench().getByRole('button', { name: 'Remove' }).click()
    await saved(page)
    expect(faults).toEqual([])
  })
})

/** Frames of a render: a grey board 3 m away over the lower middle, one frame missing. */
function renderFiles(): string[] {
  const [w, h] = [WIDTH, HEIGHT]
  return [1001, 1002, 1004, 1005].map((frame) => {
    const inside = (n: number): boolean =>
      Math.abs((n % w) - 0.45 * w) < 12 && Math.abs(Math.floor(n / w) - 0.5 * h) < 14
    const plane = (value: number): Float32Array =>
      Float32Array.from({ length: w * h }, (_, n) => (inside(n) ? value : 0))
    const channels = [
      ['A', 1],
      ['B', 0.02],
      ['G', 0.7],
      ['R', 0.02],
      ['N.X', 0],
      ['N.Y', 0],
      ['N.Z', 1],
      ['Z', 3],
    ].map(([name, value]) => ({ name: name as string, type: 'half' as const, data: plane(value as number) }))
    const path = join(folder, `board.${frame}.exr`)
    writeFileSync(
      path,
      writeExr({ width: w, height: h, channels: channels.sort((a, b) => (a.name < b.name ? -1 : 1)), attributes: {} }),
    )
    return path
  })
}

describe('another program’s render', () => {
  it('is dropped, its passes are guessed, it hides what is behind it, and a missing frame is named', async () => {
    await page.keyboard.press('Home')
    const green = async (): Promise<number> => (await pixel(page, 0.45, 0.5))[1]
    const before = await green()
    await dropOnPicture(page, renderFiles(), [0.5, 0.5])
    await bench()
      .getByText(/board\.####\.exr, 1001–1005, 8 channels/)
      .waitFor({ timeout: 60_000 })
    await saved(page)
    const passes = async (): Promise<object | undefined> => {
      const item = (await items()).find(({ kind }) => kind === 'render')
      return item?.kind === 'render' ? item.passes : undefined
    }
    expect(await passes()).toMatchObject({ colour: ['R', 'G', 'B'], depth: ['Z'], normal: ['N.X', 'N.Y', 'N.Z'] })
    await expect.poll(async () => (await green()) - before, { timeout: 30_000 }).toBeGreaterThan(60)
    await page.keyboard.press('ArrowRight')
    await page.keyboard.press('ArrowRight')
    await bench()
      .getByText(/its frame 1003 is missing/)
      .waitFor()
    await expect.poll(async () => Math.abs((await green()) - before), { timeout: 30_000 }).toBeLessThan(8)
    // Without its depth it stands where it is told.
    await page.keyboard.press('Home')
    await bench().getByLabel('Depth pass').selectOption('')
    await bench()
      .getByText(/It has no depth: all of it stands at 10 m/)
      .waitFor()
    await expect.poll(async () => (await green()) - before, { timeout: 30_000 }).toBeGreaterThan(60)
    await saved(page)
    expect(await passes()).toMatchObject({ depth: [] })
    // Or as far away as a hidden piece of the set that stands for it.
    await bench().getByLabel('Its shape', { exact: true }).selectOption({ label: 'Stand-in' })
    await bench().getByText('It has no depth: it stands and faces as Stand-in does.').waitFor()
    await saved(page)
    await expect.poll(async () => (await green()) - before, { timeout: 30_000 }).toBeGreaterThan(60)
    expect(faults).toEqual([])
  })
})
