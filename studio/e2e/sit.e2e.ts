import { execFile } from 'node:child_process'
import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import { promisify } from 'node:util'
import type { Browser, Page } from 'playwright-core'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import {
  application,
  folder,
  movieOf,
  openYard,
  over,
  picture,
  pixel,
  saved,
  shotOfMovie,
  shotTools,
  station,
  strip,
  type,
} from './application.ts'

// Making a thing sit: measured against the plate beside it, matched, graded by a curve, cut and faded.
const NAME = 'sitting'
let browser: Browser
let page: Page
const faults: string[] = []
const { bench, shot, status } = shotTools(NAME, () => page)
const CHEST = {
  kind: 'box',
  name: 'Chest',
  order: 2,
  position: [0, 0, -4],
  width: 1.6,
  height: 1.3,
  depth: 0.8,
  carries: 'surface',
}
const ON: [number, number] = [0.5, 0.55]
const light = async (at = ON): Promise<number> => (await pixel(page, ...at)).reduce((sum, v) => sum + v, 0)
const layer = async () => (await shot()).document.sit.layers.chest
const choose = (): Promise<void> =>
  page
    .getByRole('option', { name: /^Chest/ })
    .first()
    .click()
const line = (name: string) => bench().locator(`[data-line=${name}]`)

beforeAll(async () => {
  const items = { ground: { kind: 'ground', name: 'Ground', order: 1 }, chest: CHEST }
  ;({ browser, page } = await openYard(NAME, { items }, 'Sit', faults))
}, 120_000)
afterAll(() => browser.close())

describe('a layer', () => {
  it('is held against the plate round it, line by line, and a line is matched in one step', async () => {
    await choose()
    await line('white').waitFor({ timeout: 60_000 })
    expect(await line('white').getAttribute('data-within')).toBe('false')
    const before = await light()
    await bench().getByRole('button', { name: 'Match white' }).click()
    await expect.poll(() => line('white').getAttribute('data-within'), { timeout: 60_000 }).toBe('true')
    await page.getByText(/^Matched: /).waitFor()
    await saved(page)
    expect((await layer())?.white).not.toBe(1)
    expect(Math.abs((await light()) - before)).toBeGreaterThan(20)
    await page.getByRole('button', { name: 'Close', exact: true }).click()
    await page.keyboard.press('Control+z')
    await expect.poll(async () => Math.abs((await light()) - before)).toBeLessThan(3)
    expect((await layer())?.white ?? 1).toBe(1)
  })
  it('is nearer to the plate on all lines after match all', async () => {
    const within = async (): Promise<number> =>
      Number(/^(\d+) of/.exec(await bench().locator('[data-score]').innerText())?.[1] ?? -1)
    // As it was before the one line was matched.
    await expect.poll(() => line('white').getAttribute('data-within'), { timeout: 60_000 }).toBe('false')
    const before = await within()
    await bench().getByRole('button', { name: 'Match all' }).click()
    await page.getByText(/^Matched: /).waitFor({ timeout: 60_000 })
    await expect.poll(within, { timeout: 60_000 }).toBeGreaterThan(before)
    await saved(page)
    await page.getByRole('button', { name: 'Close', exact: true }).click()
  })
  it('is held against an area that is drawn once and moved by a drag', async () => {
    const canvas = (await page.locator('canvas[data-picture=main]').boundingBox()) ?? {
      x: 0,
      y: 0,
      width: 1,
      height: 1,
    }
    const at = (x: number, y: number): [number, number] => [canvas.x + x * canvas.width, canvas.y + y * canvas.height]
    const drag = async (from: [number, number], to: [number, number]): Promise<void> => {
      await page.mouse.move(...at(...from))
      await page.mouse.down()
      await page.mouse.move(...at(...to), { steps: 4 })
      await page.mouse.up()
      await saved(page)
    }
    await bench().getByRole('button', { name: 'Draw an area' }).click()
    await drag([0.05, 0.2], [0.2, 0.5])
    await bench().getByText('Against the area beside').waitFor()
    const drawn = (await layer())?.area?.corners ?? []
    expect(drawn).toHaveLength(4)
    await drag([0.1, 0.3], [0.15, 0.4])
    const moved = (await layer())?.area?.corners ?? []
    const { width } = (await shot()).document.plate
    expect((moved[0]?.[0] ?? 0) - (drawn[0]?.[0] ?? 0)).toBeCloseTo(0.05 * width, 0)
    await bench().getByRole('button', { name: 'None', exact: true }).click()
    await saved(page)
    expect((await layer())?.area).toBeUndefined()
  })
})

describe('its grade', () => {
  it('is bent by a curve over the plate’s histogram, and straightened by Delete', async () => {
    const graph = bench().locator('[data-curve=all]')
    await graph.scrollIntoViewIfNeeded()
    await bench().locator('[data-histogram]').waitFor({ state: 'attached' })
    const before = await light()
    const box = (await graph.boundingBox()) ?? { x: 0, y: 0, width: 1, height: 1 }
    await page.mouse.move(box.x + 0.3 * box.width, box.y + 0.7 * box.height)
    await page.mouse.down()
    await page.mouse.move(box.x + 0.3 * box.width, box.y + 0.2 * box.height, { steps: 4 })
    await page.mouse.up()
    await saved(page)
    await expect.poll(light).toBeGreaterThan(before + 40)
    expect((await layer())?.curves.all).toHaveLength(3)
    await graph.press('Delete')
    await saved(page)
    await expect.poll(async () => Math.abs((await light()) - before)).toBeLessThan(3)
    expect((await layer())?.curves.all).toHaveLength(2)
  })
  it('fades while the shot plays', async () => {
    const bare = await light([0.1, 0.55])
    expect(Math.abs((await light()) - bare)).toBeGreaterThan(4)
    await page.getByRole('button', { name: 'Play', exact: true }).click()
    const first = await page.locator('[data-frame]').innerText()
    await expect.poll(() => page.locator('[data-frame]').innerText()).not.toBe(first)
    const there = await light()
    await type(page, 'Amount', '0')
    await expect.poll(async () => Math.abs((await light()) - there), { timeout: 20_000 }).toBeGreaterThan(4)
    await page.getByRole('button', { name: 'Stop', exact: true }).click()
    await type(page, 'Amount', '1')
  })
  it('is laid once more in a group of its own, and both are hidden with it', async () => {
    const once = await light()
    await bench().getByRole('button', { name: 'Lay once more' }).click()
    await page.getByRole('option', { name: /^Chest again/ }).waitFor()
    await bench().getByLabel('Blend', { exact: true }).selectOption('multiply')
    await saved(page)
    await expect.poll(light).toBeLessThan(once - 4)
    await bench().getByLabel('Group of layers').selectOption('new')
    await saved(page)
    await page.getByRole('button', { name: 'Hide Group 1' }).click()
    await expect.poll(async () => Math.abs((await light()) - once)).toBeLessThan(3)
    await bench().getByRole('button', { name: 'Take away' }).click()
    await saved(page)
    expect(Object.keys((await shot()).document.sit.layers)).toEqual(['chest'])
  })
})

describe('the plate', () => {
  it('gets the blur of a longer shutter back, along its own motion', async () => {
    const moving = `color=black:size=640x360:rate=25,format=rgb24,geq=lum='120+50*sin((X-5*N)/7+Y/31)+40*sin((X-5*N)/19-Y/13)':cb=128:cr=128`
    const name = 'moving'
    await shotOfMovie(name, movieOf('moving.mp4', moving, 4))
    await page.goto(`${application.address}/shot/${name}`)
    await picture(page).waitFor()
    await station(page, 'Sit')
    /** How much neighbours across the picture differ: what runs along the motion. */
    const detail = async (): Promise<number> => {
      await page.locator('canvas[data-picture=main][data-laid=yes]').waitFor()
      return picture(page).evaluate((canvas: HTMLCanvasElement) => {
        const copy = document.createElement('canvas')
        copy.width = canvas.width
        copy.height = canvas.height
        const context = copy.getContext('2d')
        context?.drawImage(canvas, 0, 0)
        const wide = Math.floor(canvas.width / 2)
        const { data } = context?.getImageData(wide / 2, canvas.height / 2, wide, 1) ?? { data: [] }
        let sum = 0
        for (let x = 2; x < wide; x++) sum += Math.abs((data[4 * x] ?? 0) - (data[4 * (x - 2)] ?? 0))
        return sum
      })
    }
    const sharp = await detail()
    await type(page, 'Shutter open', '2')
    await expect.poll(detail, { timeout: 20_000 }).toBeLessThan(0.95 * sharp)
    await page.keyboard.press('Control+z')
    await expect.poll(async () => Math.abs((await detail()) / sharp - 1), { timeout: 20_000 }).toBeLessThan(0.01)
    await page.goto(`${application.address}/shot/${NAME}`)
    await picture(page).waitFor()
  })
})

describe('the screen', () => {
  it('gives the picture the whole window by one key, and back', async () => {
    const wide = async (): Promise<number> =>
      (await page.locator('canvas[data-picture=main]').boundingBox())?.width ?? 0
    const before = await wide()
    expect(before).toBeGreaterThanOrEqual(860)
    await page.locator('h1').click()
    await page.keyboard.press('f')
    await expect.poll(wide).toBeGreaterThan(before + 200)
    await page.keyboard.press('f')
    await expect.poll(wide).toBe(before)
  })
})

describe('the whole shot', () => {
  it('is checked by the farm: a score under the lantern, and rows of where it fails', async () => {
    await station(page, 'Picture')
    await bench().getByRole('button', { name: 'Make' }).first().click()
    await expect.poll(async () => (await status()).look.state, { timeout: 120_000 }).toBe('done')
    await station(page, 'Sit')
    await page.keyboard.press('Escape')
    await bench().getByRole('button', { name: 'Check', exact: true }).click()
    await bench()
      .getByText(/^Whole shot: \d+ of \d+ within$/)
      .waitFor({ timeout: 120_000 })
    const { within, all } = (await status()).check.figures as { within: number; all: number }
    expect(all).toBeGreaterThan(0)
    await page.getByRole('navigation', { name: 'Stations' }).getByText(`${within} of ${all}`).waitFor()
    expect(await strip(page, 'Chest')).toMatch(/of/)
    await over(page, [0.02, 0.02])
    expect(faults).toEqual([])
  })
  it('is matched by the command too, as one edit that is shown here and undone here', async () => {
    await choose()
    await type(page, 'White', '2')
    await saved(page)
    const run = promisify(execFile)
    const lantern = (...rest: string[]): Promise<{ stdout: string; stderr: string }> =>
      run(process.execPath, ['farm/dist/lantern.mjs', 'sit', NAME, ...rest], {
        env: { ...process.env, ...application.environment },
      })
    const file = join(folder, 'sit.json')
    await lantern('--json', file)
    const before = JSON.parse(readFileSync(file, 'utf8')) as { within: number; lines: number }
    const head = (await shot()).head
    const { stdout } = await lantern('--match', 'chest', '--json', file)
    const after = JSON.parse(readFileSync(file, 'utf8')) as { within: number; lines: number }
    expect(stdout).toMatch(/^chest: \w+ [-\d.]+ to [-\d.]+/m)
    expect(after.within / after.lines).toBeGreaterThan(before.within / before.lines)
    expect((await shot()).head).toBe(head + 1)
    const white = (await layer())?.white
    await expect.poll(() => page.locator('main').getAttribute('data-head')).toBe(String(head + 1))
    await page.keyboard.press('Control+z')
    await expect.poll(async () => (await layer())?.white).not.toBe(white)
    const wrong = await lantern('--match', 'nobody').catch((error: { stderr: string }) => error)
    expect(wrong.stderr).toContain('There is no layer “nobody”. Choose of')
  }, 180_000)
})
