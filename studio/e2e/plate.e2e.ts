import { spawnSync } from 'node:child_process'
import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import { type Camera, pixelRay, projectPoint } from '@lantern/core/data'
import { readCameraGltf, readTracks } from '@lantern/core/formats'
import type { Browser, Page } from 'playwright-core'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import {
  application,
  folder,
  openBrowser,
  openPage,
  over,
  picture,
  saved,
  shotOfMovie,
  shotTools,
  station,
  type,
  walkMovie,
} from './application.ts'

// What the plate itself is measured to be, things that move by themselves, far things and mattes; on the demo's walk at half size.
const NAME = 'plate'
const FRAMES = 16
const [W, H] = [640, 360]
const FILE = 'demo/exact/yard-walk-camera.gltf'
const exact = readCameraGltf(readFileSync(FILE), FILE, {
  width: W,
  height: H,
  first: 1001,
  last: 1000 + FRAMES,
  rate: 24,
}).frames.map(({ camera }) => camera)
let browser: Browser
let page: Page
const faults: string[] = []
const { bench, kept, part, shot, status, step } = shotTools(NAME, () => page)
const seen = (n: number, point: [number, number, number]): { x: number; y: number } =>
  projectPoint(exact[n] as Camera, point) ?? { x: -1, y: -1 }

beforeAll(async () => {
  await shotOfMovie(NAME, walkMovie(FRAMES))
  browser = await openBrowser()
  page = await openPage(browser, faults)
  await page.goto(`${application.address}/shot/${encodeURIComponent(NAME)}`)
  await picture(page).waitFor()
}, 120_000)
afterAll(() => browser.close())

describe('the plate', () => {
  it('is measured: noise, sharpness, black and white, drift, with its chart and its row on the strip', async () => {
    await station(page, 'Plate')
    await part('Report').getByRole('button', { name: 'Measure' }).click()
    await part('Report').getByText('Sharp edges rise in').waitFor({ timeout: 90_000 })
    await page.locator('[data-chart=noise] path.recharts-line-curve').first().waitFor()
    await page.locator('[data-row="Exposure drift"]').waitFor()
    await part('Report').getByText('too little moves').or(part('Report').getByText(/\d+°/)).waitFor()
  }, 120_000)
  it('is read over a dragged box, a point and a drawn shape, each a signal on the strip', async () => {
    await part('Readings').getByRole('button', { name: 'Box' }).click()
    await over(page, [0.1, 0.02], [0.2, 0.1])
    await page.locator('[data-row="Reading 1"]').waitFor({ timeout: 60_000 })
    const sky = Number(await page.locator('[data-row="Reading 1"] span').innerText())
    await part('Readings').getByRole('button', { name: 'Point' }).click()
    await over(page, [0.42, 0.72])
    await page.locator('[data-row="Reading 2"]').waitFor({ timeout: 60_000 })
    const dark = Number(await page.locator('[data-row="Reading 2"] span').innerText())
    expect(sky).toBeGreaterThan(dark + 0.1)
    await part('Readings').getByRole('button', { name: 'Shape' }).click()
    for (const at of [
      [0.5, 0.5],
      [0.6, 0.5],
      [0.55, 0.6],
    ] as const)
      await over(page, at)
    await page.keyboard.press('Enter')
    await page.locator('[data-row="Reading 3"]').waitFor({ timeout: 60_000 })
    await bench().getByLabel('Shows', { exact: true }).selectOption('peak')
    await saved(page)
    const [peak, mean] = await Promise.all(
      ['Peak, r g b', 'Mean, r g b'].map((label) =>
        bench().getByText(label).locator('xpath=..').locator('.num').innerText(),
      ),
    )
    expect(Number(peak?.split(' ')[0])).toBeGreaterThan(Number(mean?.split(' ')[0]))
    await part('Reading 3').getByRole('button', { name: 'Measure this area' }).click()
    await expect
      .poll(async () => Object.values((await status()).readings.areas).some(({ report }) => report?.state === 'done'), {
        timeout: 60_000,
      })
      .toBe(true)
  }, 150_000)
  it('drags an area to another place and reads it anew, and takes one away', async () => {
    await over(page, [0.15, 0.06], [0.15, 0.56])
    await saved(page)
    await expect
      .poll(
        async () =>
          Number(
            await page
              .locator('[data-row="Reading 1"] span')
              .innerText()
              .catch(() => '9'),
          ),
        { timeout: 60_000 },
      )
      .toBeLessThan(0.3)
    await page.keyboard.press('Delete')
    await saved(page)
    expect(
      Object.values((await shot()).document.readings)
        .map(({ name }) => name)
        .sort(),
    ).toEqual(['Reading 2', 'Reading 3'])
    expect(faults).toEqual([])
  }, 90_000)
})

describe('a thing in a region of its own', () => {
  it('is followed there and told against the camera, by a box that stands over it, which rides on it', async () => {
    await station(page, 'Match')
    // The crates stand still in the yard: what is told of them must be, but for the camera's own motion, nothing.
    await exactCamera()
    const response = await fetch(`${application.address}/api/shots/${encodeURIComponent(NAME)}`, {
      method: 'PATCH',
      headers: { origin: application.address },
      body: JSON.stringify({
        base: (await shot()).head,
        patch: {
          items: {
            crate: {
              kind: 'box',
              name: 'Crate',
              order: 1,
              position: [0.1, 0, 3.7],
              width: 0.9,
              height: 1.3,
              depth: 0.7,
              turn: (0.24 * 180) / Math.PI,
            },
          },
        },
      }),
    })
    expect(response.ok).toBe(true)
    await expect.poll(async () => (await shot()).document.items.crate?.name).toBe('Crate')
    await page.reload()
    await picture(page).waitFor()
    await station(page, 'Match')
    await step('Things')
    await page.keyboard.press('Home')
    await bench().getByRole('button', { name: 'Draw its region' }).click()
    const [top, foot] = [seen(0, [0.1, 1.3, 4]), seen(0, [0.1, 0, 4])]
    const half = 0.6 * (foot.y - top.y)
    for (const [x, y] of [
      [-half, top.y],
      [half, top.y],
      [half, foot.y],
      [-half, foot.y],
    ] as const)
      await over(page, [(top.x + x) / W, y / H])
    await page.keyboard.press('Enter')
    await saved(page)
    await bench().getByLabel('Rough geometry').selectOption('crate')
    await saved(page)
    await bench().getByRole('button', { name: 'Follow and solve' }).click()
    await part('Object 1').getByText('Frames it is known on').waitFor({ timeout: 90_000 })
    await page.keyboard.press('End')
    await page.locator('[data-thing-box]').waitFor()
    const moved = await part('Object 1')
      .getByText('Moved and turned by now')
      .locator('xpath=..')
      .locator('.num')
      .innerText()
    const [metres, degrees] = moved.split('·').map((text) => Number.parseFloat(text))
    expect(metres).toBeLessThan(0.25)
    expect(degrees).toBeLessThan(2.5)
    expect(faults).toEqual([])
  }, 150_000)
})

describe('far things', () => {
  it('stand in their direction and turn with the camera only', async () => {
    await step('Proof')
    await page.keyboard.press('Home')
    await part('Test objects').getByRole('button', { name: 'Set one' }).click()
    await over(page, [0.3, 0.1])
    await saved(page)
    await part('Cone 1').getByRole('button', { name: 'Far away' }).click()
    await saved(page)
    await type(page, 'Degrees', '0.5')
    const foot = async (): Promise<number[]> => {
      const d = (await page.locator('[data-proof] path').first().getAttribute('d')) ?? ''
      return d
        .split(/[MLZ ]/)
        .filter(Boolean)
        .map(Number)
    }
    const middle = (list: readonly number[], c: 0 | 1): number => {
      const one = list.filter((_, n) => n % 2 === c)
      return (Math.min(...one) + Math.max(...one)) / 2
    }
    const before = await foot()
    expect(middle(before, 0)).toBeCloseTo(Object.values((await shot()).document.match.proofs)[0]?.at.x ?? 0, 0)
    await page.keyboard.press('End')
    await expect.poll(async () => middle(await foot(), 0)).not.toBeCloseTo(middle(before, 0), 3)
    // Where the exact camera, turned as on the last frame but not moved, sees the same direction.
    const [start, end] = [exact[0] as Camera, exact[FRAMES - 1] as Camera]
    const ray = pixelRay(start, middle(before, 0), middle(before, 1))
    const there = projectPoint({ ...end, position: [0, 0, 0] }, [ray.along[0], ray.along[1], ray.along[2]])
    expect(
      Math.hypot(middle(await foot(), 0) - (there?.x ?? 0), middle(await foot(), 1) - (there?.y ?? 0)),
    ).toBeLessThan(0.6)
  }, 60_000)
})

describe('a matte from elsewhere', () => {
  it('keeps out what is white in it, or what is black when turned round', async () => {
    await step('Track')
    const file = join(folder, 'matte.mp4')
    const { status: made } = spawnSync('ffmpeg', [
      '-v',
      'error',
      '-y',
      '-f',
      'lavfi',
      '-i',
      `color=black:size=${W}x${H}:rate=24,drawbox=x=0:y=0:w=${W / 2}:h=${H}:color=white:t=fill`,
      '-frames:v',
      String(FRAMES),
      '-c:v',
      'libx264',
      '-qp',
      '2',
      '-pix_fmt',
      'yuv420p',
      file,
    ])
    expect(made).toBe(0)
    await page.getByLabel('Matte files').setInputFiles(file)
    await bench()
      .getByText(/matte\.mp4 1001/)
      .waitFor({ timeout: 60_000 })
    await saved(page)
    await page.locator('[data-matte]').waitFor()
    const sides = async (): Promise<[number, number]> => {
      await part('Tracks')
        .getByRole('button', { name: /^Track/ })
        .click()
      await expect.poll(async () => (await status()).match.tracks.state, { timeout: 90_000 }).toBe('done')
      const tracks = readTracks(await kept((await status()).match.tracks.key))
      const x = tracks.map((track) => track.places[0] ?? 0)
      return [x.filter((v) => v < W / 2 - 2).length, x.filter((v) => v > W / 2 + 2).length]
    }
    expect((await sides())[0]).toBe(0)
    await bench().getByRole('button', { name: 'White keeps out' }).click()
    await saved(page)
    const [left, right] = await sides()
    expect(right).toBe(0)
    expect(left).toBeGreaterThan(20)
    expect(faults).toEqual([])
  }, 150_000)
})

/** Makes the exact camera's file the shot's. */
async function exactCamera(): Promise<void> {
  const response = await fetch(
    `${application.address}/api/shots/${encodeURIComponent(NAME)}/camera?file=exact.gltf&base=${(await shot()).head}`,
    { method: 'POST', headers: { origin: application.address }, body: new Uint8Array(readFileSync(FILE)) },
  )
  expect(response.ok).toBe(true)
}
