import { readFileSync } from 'node:fs'
import { type Camera, placeAt, projectPoint } from '@lantern/core/data'
import { readCameraFile, readCameraGltf, readExr, readTracks } from '@lantern/core/formats'
import { manualPlaces } from '@lantern/core/pipeline'
import type { Shot } from '@lantern/store'
import type { Browser, Page } from 'playwright-core'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import {
  application,
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

// Tracks that a person sets, tidies and trusts, the files that a match goes out and comes in by; on the demo's walk at half size.
const NAME = 'by hand'
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
const { landmarks } = JSON.parse(readFileSync('demo/exact/yard-walk.json', 'utf8')) as {
  landmarks: [number, number, number][]
}
let browser: Browser
let page: Page
const faults: string[] = []
const { bench, get, kept, part, shot, status, step } = shotTools(NAME, () => page)
const hand = async (
  kind: 1 | 4,
): Promise<{
  id: string
  places: number
  keys: Shot['document']['match']['hands'][string]['keys']
  state: string
  key: string
}> => {
  const [id, one] = Object.entries((await shot()).document.match.hands).find(
    ([, { keys }]) => keys[0]?.places.length === kind,
  ) ?? ['', undefined]
  const stage = (await status()).match.hands[id]
  return { id, places: kind, keys: one?.keys ?? [], state: stage?.state ?? '', key: stage?.key ?? '' }
}
const seen = (n: number, point: [number, number, number]): { x: number; y: number } =>
  projectPoint(exact[n] as Camera, point) ?? { x: -1, y: -1 }
/** A corner of the kiln that stays well in the picture. */
const landmark = landmarks.find(
  (p) =>
    p[1] > 0.5 &&
    [0, FRAMES - 1].every((n) => {
      const { x, y } = seen(n, p)
      return x > 150 && x < 480 && y > 90 && y < 250
    }),
) ?? [0, 0, 0]

beforeAll(async () => {
  await shotOfMovie(NAME, walkMovie(FRAMES))
  browser = await openBrowser()
  page = await openPage(browser, faults)
  await page.goto(`${application.address}/shot/${encodeURIComponent(NAME)}`)
  await picture(page).waitFor()
}, 120_000)
afterAll(() => browser.close())

describe('a point set by hand', () => {
  it('is followed through the plate to where it really goes, with its likeness on the strip', async () => {
    await station(page, 'Match')
    await part('By hand').getByRole('button', { name: 'Point' }).click()
    const { x, y } = seen(0, landmark)
    await over(page, [x / W, y / H])
    await part('Point 1').getByText('Followed', { exact: true }).waitFor({ timeout: 60_000 })
    const { key, keys } = await hand(1)
    const [px, py] = keys[0]?.places[0] ?? [0, 0]
    const [track] = readTracks(await kept(key))
    for (const n of [4, 8, FRAMES - 1]) {
      const at = track && placeAt(track, n)
      const [there, start] = [seen(n, landmark), seen(0, landmark)]
      expect(
        Math.hypot((at?.[0] ?? 0) - px - (there.x - start.x), (at?.[1] ?? 0) - py - (there.y - start.y)),
      ).toBeLessThan(0.4)
    }
    await page.locator('[data-row="Point 1, likeness"]').waitFor()
    await page.locator('[data-inset="1001"]').waitFor()
  }, 90_000)
  it('is nudged by a tenth of a pixel with the keyboard and the buttons, and by dragging the inset', async () => {
    const before = (await hand(1)).keys[0]?.places[0] ?? [0, 0]
    await page.locator('[data-hands]').waitFor()
    await page.keyboard.press('Alt+ArrowRight')
    await saved(page)
    await bench().getByRole('button', { name: 'Nudge ↓ by a tenth of a pixel' }).click()
    await saved(page)
    await expect
      .poll(async () => (await hand(1)).keys[0]?.places[0]?.map((v, c) => Number((v - (before[c] ?? 0)).toFixed(2))))
      .toEqual([0.1, 0.1])
    const inset = await page.locator('[data-inset]').boundingBox()
    const middle = [(inset?.x ?? 0) + (inset?.width ?? 0) / 2, (inset?.y ?? 0) + (inset?.height ?? 0) / 2] as const
    await page.mouse.move(...middle)
    await page.mouse.down()
    await page.mouse.move(middle[0] - 16, middle[1], { steps: 3 })
    await page.mouse.up()
    await saved(page)
    const moved = ((await hand(1)).keys[0]?.places[0]?.[0] ?? 0) - before[0] - 0.1
    expect(moved).toBeCloseTo((16 * 250) / (inset?.width ?? 250) / 8, 1)
    await page.keyboard.press('Control+z')
    await expect
      .poll(async () => Number((((await hand(1)).keys[0]?.places[0]?.[0] ?? 0) - before[0]).toFixed(2)))
      .toBe(0.1)
  }, 60_000)
  it('is corrected on a later frame by a key, which can be removed', async () => {
    await page.keyboard.press('End')
    // Work that the quick nudges left behind is put down; what undo came back to is asked for again.
    const follow = part('Point 1').getByRole('button', { name: 'Follow' })
    await expect
      .poll(
        async () => {
          if ((await follow.isVisible()) && (await follow.isEnabled())) await follow.click()
          return (await hand(1)).state
        },
        { timeout: 30_000 },
      )
      .toBe('done')
    await bench().getByRole('button', { name: 'Set here' }).click()
    await saved(page)
    await expect.poll(async () => (await hand(1)).keys.map(({ frame }) => frame)).toEqual([1001, 1000 + FRAMES])
    await bench().getByRole('button', { name: 'Remove key' }).click()
    await expect.poll(async () => (await hand(1)).keys.length).toBe(1)
    await page.keyboard.press('Home')
  })
  it('counts in the solve as much as it is trusted, beside found tracks that were trimmed and joined', async () => {
    await bench().getByRole('button', { name: 'Trust this' }).click()
    await saved(page)
    await part('Tracks').getByRole('button', { name: 'Track' }).click()
    await part('Tracks').getByText('Followed', { exact: true }).waitFor({ timeout: 120_000 })
    // A found track, clicked in the picture, is trimmed, then joined with another.
    const tracks = readTracks(await kept((await status()).match.tracks.key)).filter(
      (track) => track.first === 0 && track.places.length === 2 * FRAMES,
    )
    const [a, b] = [tracks[3], tracks[40]]
    const at = (n: number, track = a): readonly [number, number] => {
      const p = track && placeAt(track, n)
      return [(p?.[0] ?? 0) / W, (p?.[1] ?? 0) / H]
    }
    for (let n = 0; n < 5; n++) await page.keyboard.press('ArrowRight')
    await over(page, at(5))
    await part(`Track ${a?.id}`).getByRole('button', { name: 'Trim after' }).click()
    await saved(page)
    await part(`Track ${a?.id}`).getByText(`1001–1006`).waitFor()
    await part(`Track ${a?.id}`).getByRole('button', { name: 'Join' }).click()
    await over(page, at(5, b))
    await saved(page)
    await part(`Track ${a?.id}`).getByText(`with ${b?.id}`).waitFor()
    expect((await shot()).document.match.tidied).toMatchObject({ spans: [[a?.id, 0, 5]], joins: [[a?.id, b?.id]] })
    await part(`Track ${a?.id}`).getByRole('button', { name: 'As it was' }).click()
    await saved(page)
    await expect.poll(async () => (await shot()).document.match.tidied?.joins).toEqual([])
    await step('Solve')
    await part('Solve').getByRole('button', { name: 'Solve' }).click()
    // So short a walk leaves the focal length open: the solve is in doubt, and waits to be taken.
    await part('New solve').getByRole('button', { name: 'Make it the camera' }).click({ timeout: 120_000 })
    await expect.poll(async () => (await shot()).document.camera.kind).toBe('solved')
    const solved = JSON.parse(new TextDecoder().decode(await kept((await status()).match.solve.key))) as {
      points: { track: number; px: number }[]
    }
    expect(solved.points.filter(({ track }) => track >= 1 << 29)).toHaveLength(1)
  }, 180_000)
})

describe('a flat patch', () => {
  it('is dragged over the picture, followed in perspective, and has a tile stuck to it', async () => {
    await step('Track')
    await page.keyboard.press('Home')
    await part('By hand').getByRole('button', { name: 'Flat patch' }).click()
    await over(page, [0.3, 0.35], [0.42, 0.55])
    await expect.poll(async () => (await hand(4)).state, { timeout: 60_000 }).toBe('done')
    const tracks = readTracks(await kept((await hand(4)).key))
    expect(manualPlaces(tracks, FRAMES - 1)).toHaveLength(4)
    await step('Proof')
    const tile = page.locator('[data-stuck]')
    const before = await tile.getAttribute('d')
    await page.keyboard.press('End')
    await expect.poll(() => tile.getAttribute('d')).not.toBe(before)
    await page.keyboard.press('Home')
  }, 90_000)
  it('is proposed where there is contrast that stays, and taken away by undo', async () => {
    await step('Track')
    await part('By hand').getByRole('button', { name: 'Propose a patch' }).click()
    await page.getByText(/A patch that is \d+ % the same 10 frames later/).waitFor({ timeout: 30_000 })
    await saved(page)
    const hands = Object.entries((await shot()).document.match.hands)
    const [id] = hands.find(([, { name }]) => name === 'Patch 2') ?? ['']
    expect(id).not.toBe('')
    await page.keyboard.press('Control+z')
    await expect.poll(async () => Object.keys((await shot()).document.match.hands)).not.toContain(id)
  }, 60_000)
  it('moves a lined-up or typed camera that trembles', async () => {
    await step('Track')
    await bench().getByRole('button', { name: 'Type one' }).click()
    await saved(page)
    await page.getByRole('option', { name: /Patch 1/ }).click()
    await part('Patch 1').getByRole('button', { name: 'The camera trembles with it' }).click()
    await saved(page)
    const { cameras } = await get<{ cameras: Camera[] }>('/cameras')
    const tracks = readTracks(await kept((await hand(4)).key))
    const middle = (n: number): number => manualPlaces(tracks, n).reduce((sum, p) => sum + p[0] / 4, 0)
    expect((cameras[FRAMES - 1]?.centre[0] ?? 0) - (cameras[0]?.centre[0] ?? 0)).toBeCloseTo(
      middle(FRAMES - 1) - middle(0),
      -1,
    )
    expect(cameras[0]?.centre[0]).toBeCloseTo(W / 2, 6)
    await bench().getByRole('button', { name: 'Back to the solve' }).click()
    await saved(page)
  })
})

describe('files of a match', () => {
  const download = async (form: string): Promise<Uint8Array> => {
    await part('Hand out').getByLabel('What to hand out').selectOption(form)
    const waits = page.waitForEvent('download')
    await part('Hand out').getByRole('button', { name: 'Download' }).click()
    return new Uint8Array(readFileSync(await (await waits).path()))
  }
  it('go out as glTF, USD, tables and a lens map, with axes, unit and first frame as chosen, and the camera comes in again', async () => {
    await step('Solve')
    const { cameras } = await get<{ cameras: Camera[] }>('/cameras')
    const plate = { width: W, height: H, first: 1001, last: 1000 + FRAMES, rate: 24 }
    const gltf = JSON.parse(new TextDecoder().decode(await download('gltf'))) as {
      nodes: { name: string }[]
      scenes: { extras: { tracks: unknown[] } }[]
    }
    expect(gltf.nodes.map(({ name }) => name)).toContain('points')
    expect(gltf.scenes[0]?.extras.tracks.length).toBeGreaterThan(100)
    await part('Hand out').getByLabel('What to hand out').selectOption('usda')
    await part('Hand out').getByRole('button', { name: 'Z', exact: true }).click()
    await part('Hand out').getByRole('button', { name: 'cm', exact: true }).click()
    await type(page, 'Number of the first frame', '1')
    const usd = await download('usda')
    expect(new TextDecoder().decode(usd)).toMatch(/upAxis = "Z"[\s\S]*startTimeCode = 1\n/)
    const back = readCameraFile(usd, 'a.usda', plate)
    for (const n of [0, FRAMES - 1])
      for (const c of [0, 1, 2] as const)
        expect(back.frames[n]?.camera.position[c]).toBeCloseTo(cameras[n]?.position[c] ?? 0, 5)
    expect(new TextDecoder().decode(await download('tracks-csv')).split('\n')[0]).toBe('track,frame,x,y,error_px')
    expect(readExr(await download('lens-exr')).channels.map(({ name }) => name)).toEqual([
      'bend.x',
      'bend.y',
      'straighten.x',
      'straighten.y',
    ])
    // The table comes in by the file button, its own number one put on the plate's first frame, and that is said.
    const table = await download('camera-csv')
    await page
      .getByLabel('Camera file')
      .setInputFiles({ name: 'moved.csv', mimeType: 'text/csv', buffer: Buffer.from(table) })
    await page.getByText(/moved\.csv is numbered from 1, outside the plate’s frames/).waitFor()
    expect((await shot()).document.camera.path?.file).toBe('moved.csv')
    await type(page, 'Scale', '2')
    await expect
      .poll(async () =>
        Number(((await get<{ cameras: Camera[] }>('/cameras')).cameras[FRAMES - 1]?.position[0] ?? 0).toFixed(4)),
      )
      .toBe(Number((2 * (cameras[FRAMES - 1]?.position[0] ?? 0)).toFixed(4)))
    await bench().getByRole('button', { name: 'Back to the solve' }).click()
    await saved(page)
  }, 90_000)
})

it('has shown no fault on the way', () => expect(faults).toEqual([]))
