import { writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { writeExr } from '@lantern/core/formats'
import type { BoxItem, FormItem, LampItem } from '@lantern/core/set'
import type { Browser, Page } from 'playwright-core'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { folder, openYard, pixel, saved, shotTools, station, type } from './application.ts'

// Lamps and surroundings, drawn forms, what holds what, the plate on a piece, and the view from outside.
const NAME = 'lit'
let browser: Browser
let page: Page
const faults: string[] = []
const { bench, shot } = shotTools(NAME, () => page)
const ofKind = async <T>(kind: string): Promise<T[]> =>
  Object.values((await shot()).document.items).filter((item) => item.kind === kind) as T[]
const red = async (x: number, y: number): Promise<number> => (await pixel(page, x, y))[0]

/** Clicks the picture at places in shares of it. */
async function clickAt(...places: readonly (readonly [number, number])[]): Promise<void> {
  const box = await page.locator('[data-overlay=camera]').boundingBox()
  if (!box) throw new Error('no picture')
  for (const [u, v] of places) await page.mouse.click(box.x + u * box.width, box.y + v * box.height)
}
/** A surroundings picture: grey, bright in one place. */
function writeRound(file: string, width: number, height: number): string {
  const data = new Float32Array(width * height).fill(0.3)
  data.fill(50, 8 * width + 40, 8 * width + 44)
  const channels = ['R', 'G', 'B'].map((name) => ({ name, type: 'half' as const, data }))
  const path = join(folder, file)
  writeFileSync(path, writeExr({ width, height, channels, attributes: {} }))
  return path
}

beforeAll(async () => {
  ;({ browser, page } = await openYard(
    NAME,
    {
      camera: { tilt: -12 },
      light: { illuminance: 200, sunShare: 0.3, sunFrom: 90, sunHeight: 40 },
      items: {
        ground: { kind: 'ground', name: 'Ground', order: 1 },
        crate: { kind: 'box', name: 'Crate', order: 2, position: [0, 0, 3], width: 0.8, height: 0.8, depth: 0.8 },
      },
    },
    'Light',
    faults,
  ))
}, 120_000)
afterAll(() => browser.close())

describe('a lamp', () => {
  it('is set up by two clicks, and lights the ground where it shines', async () => {
    const before = await red(0.3, 0.85)
    await page.getByRole('button', { name: 'Lamp', exact: true }).click()
    await clickAt([0.2, 0.8], [0.3, 0.85])
    await bench().getByRole('heading', { name: 'Lamp 1' }).waitFor()
    await saved(page)
    const [lamp] = await ofKind<LampItem>('lamp')
    expect(lamp?.position[1]).toBeGreaterThan(2)
    expect(await bench().locator('[data-lux]').innerText()).toMatch(/lx, .* m away/)
    await expect.poll(async () => (await red(0.3, 0.85)) - before, { timeout: 30_000 }).toBeGreaterThan(25)
  }, 90_000)

  it('is shown alone: dark where it does not shine, and all again afterwards', async () => {
    const whole = await red(0.9, 0.3)
    await bench().getByRole('button', { name: 'Show alone' }).click()
    await page.getByText('Lamp 1 alone').waitFor()
    await expect.poll(() => red(0.9, 0.3), { timeout: 30_000 }).toBeLessThan(6)
    expect(await red(0.3, 0.85)).toBeGreaterThan(20)
    await bench().getByRole('button', { name: 'Show alone' }).click()
    await expect.poll(async () => Math.abs((await red(0.9, 0.3)) - whole), { timeout: 30_000 }).toBeLessThan(4)
  }, 90_000)

  it('gives more light by its power, and none once it is undone', async () => {
    const before = await red(0.3, 0.85)
    await type(page, 'Power', '200')
    await saved(page)
    await expect.poll(async () => before - (await red(0.3, 0.85)), { timeout: 30_000 }).toBeGreaterThan(15)
    await page.keyboard.press('Control+z')
    await expect.poll(async () => Math.abs((await red(0.3, 0.85)) - before), { timeout: 30_000 }).toBeLessThan(4)
  }, 90_000)
})

describe('the surroundings', () => {
  it('are refused by name where they are no whole round, and else turned to the sun', async () => {
    await page.getByRole('option', { name: /^Plate light/ }).click()
    const input = page.getByLabel('Picture of the surroundings')
    await input.setInputFiles(writeRound('half.exr', 64, 48))
    await page.getByText('half.exr is 64 × 48 px, and not twice as wide as high.').waitFor()
    expect((await shot()).document.light.surroundings).toBeUndefined()
    await input.setInputFiles(writeRound('yard.exr', 64, 32))
    await expect.poll(async () => (await shot()).document.light.sky).toBe('picture')
    const { light } = (await shot()).document
    // Column 42 of 64 lies 56 degrees to the right of behind the set.
    expect(light.surroundings?.from).toBeCloseTo(56, -1)
    expect(light.skyTurn).toBeCloseTo(90 - (light.surroundings?.from ?? 0), -0.5)
  }, 60_000)
})

describe('the set', () => {
  it('takes a ramp where it is clicked, and an outline that is drawn round its foot', async () => {
    await station(page, 'Set')
    await page.getByLabel('Add', { exact: true }).selectOption('form-ramp')
    await clickAt([0.8, 0.85])
    await bench().getByRole('heading', { name: 'Ramp 1' }).waitFor()
    await page.getByLabel('Add', { exact: true }).selectOption('form-outline')
    await clickAt([0.1, 0.7], [0.3, 0.7], [0.3, 0.8], [0.1, 0.8])
    await page.keyboard.press('Enter')
    await bench().getByRole('heading', { name: 'Raised outline 1' }).waitFor()
    await saved(page)
    const forms = await ofKind<FormItem>('form')
    const corners = Object.fromEntries(forms.map((form) => [form.shape, form.corners?.length]))
    expect(corners).toEqual({ ramp: undefined, outline: 4 })
  }, 60_000)

  it('is seen from outside in bodies', async () => {
    await page.getByRole('button', { name: 'Outside', exact: true }).click()
    const canvas = page.locator('[data-outside-scene] canvas')
    await canvas.waitFor()
    await page.locator('[data-item=crate]').click()
    const brightest = (): Promise<number> =>
      canvas.evaluate((element: HTMLCanvasElement) => {
        const copy = document.createElement('canvas')
        copy.width = element.width
        copy.height = element.height
        const context = copy.getContext('2d')
        context?.drawImage(element, 0, 0)
        const { data } = context?.getImageData(0, 0, copy.width, copy.height) ?? { data: [0] }
        let most = 0
        for (let n = 0; n < data.length; n += 4) most = Math.max(most, data[n] ?? 0)
        return most
      })
    await expect.poll(brightest).toBeGreaterThan(100)
    await page.getByRole('button', { name: 'Camera', exact: true }).click()
  }, 60_000)

  it('holds the ramp on the crate over some frames', async () => {
    await page.getByRole('option', { name: /^Ramp 1/ }).click()
    await bench().getByRole('button', { name: 'Hold from here' }).click()
    await bench().getByLabel('Held by').selectOption({ label: 'Crate' })
    await bench().getByLabel('Afterwards').selectOption('flight')
    await saved(page)
    const ramp = (await ofKind<FormItem>('form')).find(({ shape }) => shape === 'ramp')
    expect(ramp?.rides?.[0]).toMatchObject({ on: 'crate', ends: 'flight' })
  }, 60_000)

  it('has the plate on the crate, which takes it along', async () => {
    await page.locator('[data-item=crate]').click()
    await bench().getByRole('button', { name: 'This frame' }).click()
    await bench().locator('[data-frozen]').waitFor()
    await saved(page)
    const [crate] = await ofKind<BoxItem>('box')
    expect(crate?.carries).toBe('frozen')
    expect(faults).toEqual([])
  }, 60_000)
})

describe('a part of the picture', () => {
  it('is made where a box is dragged, until the whole is wanted', async () => {
    await station(page, 'Picture')
    await bench().getByRole('button', { name: 'Drag a box' }).click()
    const box = await page.locator('[data-overlay=camera]').boundingBox()
    if (!box) throw new Error('no picture')
    await page.mouse.move(box.x + 0.2 * box.width, box.y + 0.7 * box.height)
    await page.mouse.down()
    await page.mouse.move(box.x + 0.5 * box.width, box.y + 0.95 * box.height, { steps: 3 })
    await page.mouse.up()
    await page.locator('[data-region]').waitFor()
    await page.locator('canvas[data-picture=main][data-laid=yes]').waitFor()
    await bench().getByRole('button', { name: 'Whole picture' }).click()
    expect(await page.locator('[data-region]').count()).toBe(0)
    expect(faults).toEqual([])
  }, 60_000)
})
