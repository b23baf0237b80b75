import { readFileSync } from 'node:fs'
import { type Camera, placeAt, projectPoint } from '@lantern/core/data'
import { readCameraGltf, readTracks } from '@lantern/core/formats'
import { insidePolygon, panTiltRoll, type Vec3 } from '@lantern/core/math'
import { exclusionMaskAt, pickLevel } from '@lantern/core/pipeline'
import type { Shot, ShotStatus } from '@lantern/store'
import type { Browser, Locator, Page } from 'playwright-core'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import {
  application,
  makeMovie,
  openBrowser,
  openPage,
  over,
  picture,
  saved,
  shotOfMovie,
  station,
  type,
  walkMovie,
} from './application.ts'

// The Match station as an artist goes through it, on the first second of the demo's walk at half size.
const NAME = 'walk'
const FRAMES = 30
const [W, H] = [640, 360]
const FILE = 'demo/exact/yard-walk-camera.gltf'
const exact = readCameraGltf(readFileSync(FILE), FILE, {
  width: 2 * W,
  height: 2 * H,
  first: 1001,
  last: 1000 + FRAMES,
  rate: 24,
}).frames.map(({ camera }) => camera)
let browser: Browser
let page: Page
const faults: string[] = []
const get = async <T>(path: string): Promise<T> =>
  (await (await fetch(`${application.address}/api/shots/${NAME}${path}`)).json()) as T
const shot = (): Promise<Shot> => get('')
const status = (): Promise<ShotStatus> => get('/status')
const bench = (): Locator => page.getByLabel('Bench')
const step = (name: string): Promise<void> =>
  bench()
    .getByRole('navigation', { name: 'Steps of the match' })
    .getByRole('button', { name: new RegExp(name) })
    .click()
const part = (name: string): Locator => bench().getByRole('region', { name, exact: true })

beforeAll(async () => {
  await shotOfMovie(NAME, walkMovie(FRAMES))
  browser = await openBrowser()
  page = await openPage(browser, faults)
  await page.goto(`${application.address}/shot/${NAME}`)
  await picture(page).waitFor()
  await station(page, 'Match')
}, 120_000)
afterAll(() => browser.close())

describe('tracking', () => {
  it('takes a keep-out shape drawn over what moves, with a key where it is moved', async () => {
    await bench().getByRole('button', { name: 'Draw a shape' }).click()
    for (const at of [
      [0.86, 0.4],
      [0.99, 0.4],
      [0.99, 0.85],
      [0.86, 0.85],
    ] as const)
      await over(page, at)
    await page.keyboard.press('Enter')
    await saved(page)
    await page.getByRole('option', { name: /Keep out 1/ }).waitFor()
    await page.keyboard.press('End')
    await over(page, [0.92, 0.5], [0.82, 0.5])
    await saved(page)
    const [shape] = Object.values((await shot()).document.match.keepOuts)
    expect(shape?.keys.map(({ frame }) => frame)).toEqual([1001, 1000 + FRAMES])
    expect((shape?.keys[0]?.points[0]?.[0] ?? 0) - (shape?.keys[1]?.points[0]?.[0] ?? 0)).toBeCloseTo(0.1 * W, 0)
    await bench()
      .getByText(`keys at 1001, ${1000 + FRAMES}`)
      .waitFor()
  })
  it('turns and scales a shape by its grip, and undo takes that back', async () => {
    const corners = async (): Promise<string | null> => page.locator('[data-keepout]').getAttribute('d')
    const before = await corners()
    const box = await page.locator('[data-grip] circle').boundingBox()
    await page.mouse.move((box?.x ?? 0) + 4, (box?.y ?? 0) + 4)
    await page.mouse.down()
    await page.mouse.move((box?.x ?? 0) - 30, (box?.y ?? 0) + 40, { steps: 4 })
    await page.mouse.up()
    await saved(page)
    expect(await corners()).not.toBe(before)
    await page.keyboard.press('Control+z')
    await expect.poll(corners).toBe(before)
  })
  it('follows the plate with its progress shown, nothing inside the shape', async () => {
    await part('Tracks').getByRole('button', { name: 'Track' }).click()
    await part('Tracks').getByText('Followed').waitFor({ timeout: 120_000 })
    await page.locator('[data-tracks]').waitFor()
    expect(Number(await page.locator('[data-tracks]').getAttribute('data-tracks'))).toBeGreaterThan(100)
    const { match } = await status()
    const tracks = readTracks(
      new Uint8Array(await (await fetch(`${application.address}/api/results/${match.tracks.key}/0`)).arrayBuffer()),
    )
    const [shape] = Object.values((await shot()).document.match.keepOuts)
    if (!shape) throw new Error('the shape is there')
    for (const track of tracks)
      for (let n = 0; n < FRAMES; n++) {
        const at = placeAt(track, n)
        if (at) expect(insidePolygon(exclusionMaskAt(shape, 1001 + n), at[0], at[1])).toBe(false)
      }
    await page.getByLabel('Strip').getByText('Tracks').waitFor()
  }, 150_000)
})

describe('solving', () => {
  it('finds the camera, makes it the shot’s, and says how good it is', async () => {
    await step('Solve')
    await part('Solve').getByRole('button', { name: 'Solve' }).click()
    await part('A camera that moves').waitFor({ timeout: 120_000 })
    await expect.poll(async () => (await shot()).document.camera.kind, { timeout: 20_000 }).toBe('solved')
    const { match } = await status()
    expect(match.solve.figures.medianPx).toBeLessThan(0.35)
    expect(Math.abs(Number(match.solve.figures.focalPx) / ((exact[0]?.focalPx ?? 1) / 2) - 1)).toBeLessThan(0.03)
    await page
      .getByRole('navigation', { name: 'Stations' })
      .getByRole('button', { name: /^Match, lit, 0\.\d\d px/ })
      .waitFor()
    expect(Number(await page.locator('[data-errors]').getAttribute('data-errors'))).toBeGreaterThan(5)
  }, 150_000)
  it('drops a bad track, is stale then, and keeps the new solve against the old when asked', async () => {
    const old = (await shot()).document.camera.solve?.key
    await part('Worst tracks').getByRole('button').first().click()
    await bench().getByRole('button', { name: 'Drop', exact: true }).click()
    await saved(page)
    await page
      .getByRole('navigation', { name: 'Stations' })
      .getByRole('button', { name: /^Match, glowing, stale/ })
      .waitFor()
    await part('Solve').getByRole('button', { name: 'Solve' }).click()
    await part('New solve').waitFor({ timeout: 120_000 })
    expect((await shot()).document.camera.solve?.key).toBe(old)
    await part('New solve').getByRole('button', { name: 'Keep the new' }).click()
    await expect.poll(async () => (await shot()).document.camera.solve?.key).toBe((await status()).match.solve.key)
    await page
      .getByRole('navigation', { name: 'Stations' })
      .getByRole('button', { name: /^Match, lit/ })
      .waitFor()
  }, 150_000)
})

describe('the ground', () => {
  it('is said by points on it and the camera’s height, and the shot is set on it', async () => {
    await step('Ground')
    await page.keyboard.press('Home')
    await bench()
      .getByRole('button', { name: /^Points/ })
      .click()
    for (const at of [
      [0.35, 0.93],
      [0.5, 0.9],
      [0.6, 0.95],
      [0.75, 0.92],
      [0.55, 0.84],
      [0.2, 0.95],
    ] as const)
      await over(page, at)
    await saved(page)
    expect((await shot()).document.match.ground.points).toHaveLength(6)
    await type(page, 'Camera height', '1.6')
    await part('Fit').getByRole('button', { name: 'Set the shot on it' }).click()
    await part('Fit').getByText('The shot stands on it.').waitFor()
    await saved(page)
    const { cameras } = await get<{ cameras: { position: number[] }[] }>('/cameras')
    expect(cameras[0]?.position[1]).toBeCloseTo(1.6, 3)
    expect(Math.hypot(cameras[0]?.position[0] ?? 9, cameras[0]?.position[2] ?? 9)).toBeLessThan(1e-6)
  })
  it('is level: a plumb line through it stands as upright as through the exact camera', async () => {
    const { cameras } = await get<{ cameras: Parameters<typeof projectPoint>[0][] }>('/cameras')
    const up = (camera: Parameters<typeof projectPoint>[0], foot: readonly [number, number, number]): number => {
      const [a, b] = [projectPoint(camera, foot), projectPoint(camera, [foot[0], foot[1] + 1, foot[2]])]
      return a && b ? Math.atan2(b.x - a.x, a.y - b.y) : Number.NaN
    }
    const before = exact[0]
    if (!cameras[0] || !before) throw new Error('both cameras are there')
    expect(
      Math.abs(up(cameras[0], [0, 0, -7]) - up(before, [before.position[0], 0, before.position[2] - 7])),
    ).toBeLessThan(0.015)
  })
})

describe('the proof', () => {
  it('is a test object that stays on the plate as it was set, on every frame', async () => {
    await step('Proof')
    await bench().getByRole('button', { name: 'Set one' }).click()
    await over(page, [0.55, 0.9])
    await saved(page)
    await page.locator('[data-proof]').waitFor()
    await part('Slide').waitFor()
    const slide = await part('Slide').getByText(/px/).nth(1).innerText()
    expect(Number.parseFloat(slide)).toBeLessThan(0.5)
    // Where its foot is drawn on the last frame, against where the exact camera sees the same place of the ground.
    const place = Object.values((await shot()).document.match.proofs)[0]?.at
    const first = exact[0]
    const last = exact[FRAMES - 1]
    if (!place || !first || !last) throw new Error('it is set somewhere')
    await page.keyboard.press('End')
    const box = await page.locator('[data-proof] path').first().boundingBox()
    const frame = await picture(page).boundingBox()
    if (!box || !frame) throw new Error('it is drawn')
    const drawn = [
      ((box.x + box.width / 2 - frame.x) / frame.width) * 2 * W,
      ((box.y + box.height / 2 - frame.y) / frame.height) * 2 * H,
    ] as const
    // The exact ground is about level 0: the place's ray meets it there.
    const world = pickLevel(first, place.x * 2, place.y * 2, 0)
    const seen = world && projectPoint(last, world)
    expect(Math.hypot(drawn[0] - (seen?.x ?? 0), drawn[1] - (seen?.y ?? 0))).toBeLessThan(8)
  })
  it('is seen on three frames at once, and from outside with the camera’s path', async () => {
    await page.keyboard.press('t')
    await expect.poll(() => page.locator('[data-proof]').count()).toBe(3)
    await page.keyboard.press('o')
    await page.locator('[data-overlay=outside] [data-points]').waitFor()
    expect(Number(await page.locator('[data-points]').getAttribute('data-points'))).toBeGreaterThan(60)
    await page.keyboard.press('o')
  })
  it('becomes another shape in the bench, and goes with Delete', async () => {
    await bench().getByRole('button', { name: 'Figure' }).click()
    await saved(page)
    expect(Object.values((await shot()).document.match.proofs)[0]).toMatchObject({ shape: 'figure' })
    // From the button back to the page, so that the key is the shot's.
    await page.evaluate(() => (document.activeElement as HTMLElement | null)?.blur())
    await page.keyboard.press('Delete')
    await saved(page)
    expect((await shot()).document.match.proofs).toEqual({})
  })
})

describe('lining up', () => {
  const camera: Camera = {
    position: [-2.4, 1.7, 6],
    rotation: panTiltRoll(-0.45, -0.06, 0.02),
    focalPx: 290,
    centre: [160, 90],
    k1: 0,
    k2: 0,
    width: 320,
    height: 180,
  }
  const at = (p: Vec3): [number, number] => {
    const seen = projectPoint(camera, p)
    return [(seen?.x ?? 0) / 320, (seen?.y ?? 0) / 180]
  }
  const tool = (name: RegExp): Promise<void> => bench().getByRole('button', { name }).click()
  const found = async (): Promise<Camera | undefined> =>
    ((await (await fetch(`${application.address}/api/shots/lined/cameras`)).json()) as { cameras: Camera[] }).cameras[0]
  beforeAll(async () => {
    await shotOfMovie('lined', makeMovie('lined.mp4'))
    await page.goto(`${application.address}/shot/lined`)
    await picture(page).waitFor()
    await station(page, 'Match')
    await step('Line up')
  }, 60_000)
  it('says what is missing, step by step', async () => {
    await part('Camera').getByText('No line is drawn yet.').waitFor()
    await tool(/^Right/)
    await over(page, at([-1, 0, 0]), at([1.2, 0, 0]))
    await saved(page)
    await part('Camera').getByText('The origin is not set.').waitFor()
    expect(await page.locator('[data-line=x]').count()).toBe(1)
  })
  it('gives the camera that was lined up, with its grid on the ground', async () => {
    await over(page, at([-1, 1.8, 0]), at([1.2, 1.8, 0]))
    await tool(/^Near/)
    await over(page, at([-1, 0, 0]), at([-1, 0, 1.2]))
    await over(page, at([1, 0, 0]), at([1, 0, 2]))
    await tool(/^Up/)
    await over(page, at([-1, 0, 0]), at([-1, 1.8, 0]))
    await over(page, at([1.2, 0, 0]), at([1.2, 1.8, 0]))
    await tool(/^Origin/)
    await over(page, at([-1, 0, 0]))
    await tool(/^Length/)
    await over(page, at([-1, 1.8, 0]))
    await saved(page)
    await type(page, 'Known length', '1.8')
    await page.locator('[data-grid]').waitFor()
    await part('Camera').getByRole('button', { name: 'Make it the camera' }).click()
    await saved(page)
    const one = await found()
    expect(Math.abs((one?.focalPx ?? 0) / 290 - 1)).toBeLessThan(0.05)
    expect(Math.abs((one?.position[1] ?? 0) - 1.7)).toBeLessThan(0.1)
    expect(Math.abs((one?.position[0] ?? 0) - (-2.4 + 1))).toBeLessThan(0.25)
    await page
      .getByRole('navigation', { name: 'Stations' })
      .getByRole('button', { name: /^Match, lit, lined up/ })
      .waitFor()
  })
  it('follows an end that is dragged, and drops a line dragged out of the picture', async () => {
    const before = await found()
    const box = await page.locator('[data-end="0.1"]').boundingBox()
    const frame = await picture(page).boundingBox()
    if (!box || !frame) throw new Error('the line has an end')
    const drag = async (to: readonly [number, number]): Promise<void> => {
      const end = await page.locator('[data-end="0.1"]').boundingBox()
      await page.mouse.move((end?.x ?? 0) + 3, (end?.y ?? 0) + 3)
      await page.mouse.down()
      await page.mouse.move(...to, { steps: 4 })
      await page.mouse.up()
      await saved(page)
    }
    await drag([box.x + 3, box.y + 25])
    await expect.poll(async () => (await found())?.focalPx).not.toBe(before?.focalPx)
    await drag([box.x, frame.y - 20])
    await expect.poll(() => page.locator('[data-line]').count()).toBe(5)
  })
  it('leaves no fault behind', () => {
    expect(faults).toEqual([])
  })
})
