import { spawnSync } from 'node:child_process'
import { readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { makeCrew } from '@lantern/core/base'
import type { FloatImage } from '@lantern/core/data'
import { readPicture, writeCameraGltf } from '@lantern/core/formats'
import { panTiltRoll } from '@lantern/core/math'
import { cameraAt, composeFrame, lightOfPlate, stackExtras, stackSettings } from '@lantern/core/pipeline'
import type { Shot, ShotStatus } from '@lantern/store'
import type { Browser, Page } from 'playwright-core'
import sharp from 'sharp'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { plateLinear } from '../../farm/src/io/plateFrames.ts'
import {
  application,
  drop,
  FRAMES,
  folder,
  HEIGHT,
  makeMovie,
  openBrowser,
  openPage,
  over,
  pixel,
  saved,
  station,
  strip,
  type,
  WIDTH,
} from './application.ts'

// The walk of an artist through a shot, in order, each step on what the one before left.
let browser: Browser
let page: Page
const faults: string[] = []
const [FIRE_X, FIRE_Y] = [0.5, 0.82]
const PLACE = [FIRE_X, FIRE_Y - 0.07] as const
const CORNER = [0.03, 0.05] as const
const bright = ([r, g, b]: readonly number[]): number => (r ?? 0) + (g ?? 0) + (b ?? 0)
const get = async <T>(path: string): Promise<T> => (await (await fetch(`${application.address}${path}`)).json()) as T
const shotNow = (): Promise<Shot> => get('/api/shots/yard')
const statusNow = (): Promise<ShotStatus> => get('/api/shots/yard/status')

beforeAll(async () => {
  browser = await openBrowser()
  page = await openPage(browser, faults)
  await page.goto(application.address)
})
afterAll(() => browser.close())

describe('a plate', () => {
  it('is asked for where there is no shot yet', async () => {
    // The first page of all: the server warms up for it.
    await page.getByText('No shot yet. Drop a movie').waitFor({ timeout: 60_000 })
  })
  it('that is none is refused by name, with what to do', async () => {
    const path = join(folder, 'letter.0001.png')
    writeFileSync(path, 'this is a text')
    await drop(page, [path])
    await page.getByRole('button', { name: 'Make the shot' }).click()
    await page.getByRole('alert').filter({ hasText: 'letter.0001.png is not a picture' }).waitFor()
  })
  it('that was refused goes when it is removed', async () => {
    await page.getByRole('article', { name: 'letter' }).getByRole('button', { name: 'Remove' }).click()
    await page.getByText('No shot yet. Drop a movie').waitFor()
  })
  it('refuses a name with a slash before anything else is done', async () => {
    const path = join(folder, 'one.png')
    await sharp({ create: { width: 64, height: 36, channels: 3, background: '#123456' } })
      .png()
      .toFile(path)
    await drop(page, [path])
    await page.getByLabel('Name').fill('a/b')
    await page.getByRole('button', { name: 'Make the shot' }).click()
    await page.getByRole('alert').filter({ hasText: 'no slashes' }).waitFor()
  })
  it('becomes a shot when a movie is dropped on the page', async () => {
    await drop(page, [makeMovie('yard.mp4')])
    await page.getByRole('link', { name: 'yard' }).click()
    await page.waitForURL('**/shot/yard')
    await page.getByRole('heading', { name: 'yard' }).waitFor()
    expect((await shotNow()).document.plate).toMatchObject({
      width: WIDTH,
      height: HEIGHT,
      first: 1001,
      last: 1000 + FRAMES,
      rate: [25, 1],
    })
    const off = async (y: number, wanted: number): Promise<number> => Math.abs((await pixel(page, 0.5, y))[0] - wanted)
    await expect.poll(() => off(0.02, 0x40)).toBeLessThan(6)
    await expect.poll(() => off(0.98, 0x30)).toBeLessThan(6)
  })
  it('plays in a loop, and steps by the keys', async () => {
    await page.keyboard.press('Space')
    const frame = page.locator('[data-frame]')
    const seen = new Set<string>()
    await expect
      .poll(async () => seen.add(await frame.innerText()).size, { timeout: 30_000, interval: 20 })
      .toBe(FRAMES)
    await page.keyboard.press('k')
    await page.keyboard.press('Home')
    await page.keyboard.press('ArrowRight')
    expect(await frame.innerText()).toBe('1002')
    await page.keyboard.press('End')
    expect(await frame.innerText()).toBe(String(1000 + FRAMES))
  })
})

describe('a camera', () => {
  it('is taken in from a file, or refused by the file’s name', async () => {
    await station(page, 'Match')
    writeFileSync(join(folder, 'none.gltf'), '{"asset":{"version":"2.0"}}')
    await page.getByLabel('Camera file').setInputFiles(join(folder, 'none.gltf'))
    await page.getByRole('alert').filter({ hasText: 'none.gltf holds no perspective camera' }).waitFor()
    const path = Array.from({ length: FRAMES }, (_, n) => ({
      frame: 1001 + n,
      camera: {
        position: [0.05 * n, 1.5, 0] as const,
        rotation: panTiltRoll(0, -0.1, 0),
        focalPx: 280,
        centre: [160, 90] as const,
        k1: -0.03,
        k2: 0,
        width: WIDTH,
        height: HEIGHT,
      },
    }))
    writeFileSync(join(folder, 'yard.gltf'), writeCameraGltf('yard', path, 25))
    await page.getByLabel('Camera file').setInputFiles(join(folder, 'yard.gltf'))
    await page.getByRole('alert').filter({ hasText: 'Camera taken in from yard.gltf' }).waitFor()
    const { cameras } = await get<{ cameras: { position: number[]; k1: number }[] }>('/api/shots/yard/cameras')
    expect(cameras[FRAMES - 1]?.position[0]).toBeCloseTo(0.05 * (FRAMES - 1), 5)
    expect(cameras[0]?.k1).toBeCloseTo(-0.03, 6)
  })
  it('is typed for a locked-off plate, the grid following as it is dragged', async () => {
    await page.getByRole('button', { name: 'Type one' }).click()
    await saved(page)
    const grid = page.locator('[data-overlay=camera] > path').first()
    const before = await grid.getAttribute('d')
    const field = page.getByLabel('Bench').getByLabel('Tilt', { exact: true })
    const box = await field.boundingBox()
    await page.mouse.move((box?.x ?? 0) + 30, (box?.y ?? 0) + 8)
    await page.mouse.down()
    await page.mouse.move((box?.x ?? 0) - 20, (box?.y ?? 0) + 8, { steps: 5 })
    expect(await grid.getAttribute('d')).not.toBe(before)
    const { head } = await shotNow()
    await page.mouse.up()
    await saved(page)
    expect((await shotNow()).head).toBe(head + 1)
    await type(page, 'Tilt', '-4-2')
    await type(page, 'Height', '150cm')
    expect((await shotNow()).document.camera).toMatchObject({ kind: 'typed', tilt: -6, height: 1.5 })
  })
})

describe('the set', () => {
  it('takes a ground, and a wall drawn on the plate where its foot is dragged', async () => {
    await station(page, 'Set')
    await page.getByRole('button', { name: 'Ground' }).click()
    await saved(page)
    await page.getByRole('button', { name: 'Wall or box' }).click()
    await over(page, [0.3, 0.7], [0.7, 0.7])
    await saved(page)
    const wall = Object.values((await shotNow()).document.items).find((item) => item.kind === 'box')
    expect(wall).toMatchObject({ name: 'Wall 1', roles: { stops: true, holdsOut: true, receives: true } })
    expect(wall?.position[0]).toBeCloseTo(0, 1)
    expect(wall?.position[2]).toBeLessThan(-3)
  })
  it('moves a wall by its handles and by numbers, and gives it roles', async () => {
    const wall = async () => Object.values((await shotNow()).document.items).find((item) => item.kind === 'box')
    const before = await wall()
    const handle = page.locator('rect[data-handle=height]')
    const box = await handle.boundingBox()
    await page.mouse.move((box?.x ?? 0) + 4, (box?.y ?? 0) + 4)
    await page.mouse.down()
    await page.mouse.move((box?.x ?? 0) + 4, (box?.y ?? 0) + 34, { steps: 3 })
    await page.mouse.up()
    await saved(page)
    expect((await wall())?.height).toBeLessThan(before?.height ?? 0)
    await type(page, 'Height', '2')
    await page.getByLabel('stops gas').uncheck()
    await saved(page)
    expect(await wall()).toMatchObject({ height: 2, roles: { stops: false } })
    await page.getByLabel('stops gas').check()
    await saved(page)
  })
})

describe('a fire', () => {
  it('burns draft in the plate within seconds of a click, and follows its settings', async () => {
    await station(page, 'Effects')
    await page.keyboard.press('End')
    const before = await pixel(page, ...PLACE)
    await page.getByRole('button', { name: 'Fire', exact: true }).click()
    await over(page, [FIRE_X, FIRE_Y])
    await page.locator('[data-source]', { hasText: 'draft, burning here' }).waitFor()
    await saved(page)
    await expect
      .poll(async () => bright(await pixel(page, ...PLACE)), { timeout: 30_000 })
      .toBeGreaterThan(bright(before) + 60)
    await page.getByText(/(draft|finer): \d+ of 8/).waitFor()
    await type(page, 'Cell', '110')
    await type(page, 'Diameter', '0.8')
    await type(page, 'Run-up', '8')
    await type(page, 'Reach', '3')
    await type(page, 'Heat', '0')
    await type(page, 'Smoke', '2')
    // Smoke alone is grey, however the light falls on it; fire is not.
    await expect
      .poll(
        async () => {
          const [r, , b] = await pixel(page, ...PLACE)
          return r - b
        },
        { timeout: 30_000 },
      )
      .toBeLessThan(15)
    await type(page, 'Smoke', '0')
    await type(page, 'Heat', '0.35MW')
    await expect
      .poll(async () => bright(await pixel(page, ...PLACE)), { timeout: 30_000 })
      .toBeGreaterThan(bright(before) + 60)
    expect(Object.values((await shotNow()).document.items).find((item) => item.kind === 'gas')).toMatchObject({
      heat: 350,
      diameter: 0.8,
    })
  })
  it('is kept by the farm frame by frame, stops, and goes on after the browser was closed', async () => {
    await type(page, 'Cell', '80')
    // Long enough that it still runs when it is stopped, however busy the machine.
    await type(page, 'Run-up', '24')
    await page.getByRole('button', { name: 'Keep' }).click()
    await page.getByRole('button', { name: 'Stop' }).last().click()
    await page.getByText('stopped').waitFor()
    await page.getByRole('button', { name: /Keep|Go on/ }).click()
    await page.close()
    page = await openPage(browser, faults)
    await page.goto(`${application.address}/shot/yard`)
    await expect.poll(() => strip(page, 'Fire 1'), { timeout: 120_000 }).toBe('8 of 8')
    expect(
      await page
        .getByRole('navigation', { name: 'Stations' })
        .getByRole('button', { name: /^Effects, lit, 1 of 1/ })
        .count(),
    ).toBe(1)
  })
})

describe('the picture', () => {
  it('lands on the strip: fire brighter than the plate inside, the plate untouched outside', async () => {
    await station(page, 'Plate')
    await page.keyboard.press('End')
    await station(page, 'Picture')
    const first = page.getByLabel('Bench').getByRole('button', { name: 'Make' }).first()
    await first.click()
    await expect.poll(() => strip(page, 'First look'), { timeout: 120_000 }).toBe('8 of 8')
    await page.locator('[data-source]', { hasText: 'first look' }).waitFor()
    const fire = await pixel(page, ...PLACE)
    const corner = await pixel(page, ...CORNER)
    await page.keyboard.press('b')
    await page.getByRole('slider', { name: 'Wipe' }).focus()
    for (let n = 0; n < 25; n++) await page.keyboard.press('ArrowRight')
    const plate = await pixel(page, ...PLACE)
    expect(bright(fire)).toBeGreaterThan(bright(plate) + 60)
    expect(await pixel(page, ...CORNER)).toEqual(corner)
    await page.keyboard.press('b')
  })
  it('is the farm’s, to 1e-6, at proxy size', async () => {
    const frame = 1000 + FRAMES
    const shot = await shotNow()
    const status = await statusNow()
    const bytes = async (path: string): Promise<Uint8Array> =>
      new Uint8Array(await (await fetch(`${application.address}${path}`)).arrayBuffer())
    await page.locator('canvas[data-picture=main][data-laid=yes]').waitFor()
    const shown = await page.evaluate(async () => {
      const image = (await window.lantern?.linear()) as FloatImage
      return { width: image.width, height: image.height, data: [...image.data] }
    })
    const plate = await plateLinear(await bytes(`/api/assets/${shot.document.plate.asset}/${frame}?size=half`), 'srgb')
    const picture = readPicture(await bytes(`/api/results/${status.look.keys[frame]}/${frame}`))
    const crew = makeCrew(1)
    const grain = status.asset.info.grain?.srgb ?? { floor: [0, 0, 0], slope: [0, 0, 0], spread: 0 }
    const light = lightOfPlate(crew, plate, shot.document.sit, 'srgb')
    const beside = stackExtras(shot.document, frame, cameraAt(shot.document, undefined, frame), undefined)
    const settings = stackSettings(shot.document, grain, frame, beside)
    const expected = composeFrame(crew, light, picture, settings, WIDTH, frame)
    expect([shown.width, shown.height]).toEqual([expected.width, expected.height])
    let worst = 0
    for (let n = 0; n < expected.data.length; n++)
      worst = Math.max(
        worst,
        Math.abs((shown.data[n] ?? 9) - (expected.data[n] ?? 0)) / Math.max(1, expected.data[n] ?? 0),
      )
    expect(worst).toBeLessThan(1e-6)
  })
  it('hides the fire behind a wall that stands before it, and shows it again by undo', async () => {
    const plate = await (async () => {
      await page.keyboard.press('b')
      const read = await pixel(page, FIRE_X - 0.06, PLACE[1])
      await page.keyboard.press('b')
      return read
    })()
    await station(page, 'Set')
    await page.getByRole('button', { name: 'Wall or box' }).click()
    await over(page, [0.2, 0.95], [0.8, 0.95])
    await saved(page)
    await expect.poll(() => strip(page, 'First look')).toBe('stale')
    await station(page, 'Picture')
    await page.getByLabel('Bench').getByRole('button', { name: 'This frame alone' }).first().click()
    await expect.poll(() => strip(page, 'First look'), { timeout: 120_000 }).toBe('1 of 8')
    const hidden = await pixel(page, FIRE_X - 0.06, PLACE[1])
    expect(Math.abs(bright(hidden) - bright(plate))).toBeLessThan(12)
    await page.keyboard.press('Control+z')
    await expect.poll(() => strip(page, 'First look')).toBe('8 of 8')
    expect(bright(await pixel(page, ...PLACE))).toBeGreaterThan(bright(plate) + 60)
    await page.keyboard.press('Control+Shift+Z')
    await expect.poll(() => strip(page, 'First look')).toBe('1 of 8')
    await page.keyboard.press('Control+z')
    await expect.poll(() => strip(page, 'First look')).toBe('8 of 8')
  })
})

describe('sitting it', () => {
  it('exposes fire and its light together, grades the layer, and leaves the bare plate alone', async () => {
    await station(page, 'Sit')
    const [at, corner] = [await pixel(page, ...PLACE), await pixel(page, ...CORNER)]
    await type(page, 'Fire exposure', '-9')
    await expect.poll(async () => bright(await pixel(page, ...PLACE))).toBeLessThan(bright(at) - 40)
    expect(await pixel(page, ...CORNER)).toEqual(corner)
    await page.keyboard.press('Control+z')
    await expect.poll(async () => await pixel(page, ...PLACE)).toEqual(at)
    expect(await page.getByText('grain, measured').count()).toBe(1)
    const row = (name: string) => page.getByRole('option', { name: new RegExp(`^${name}`) })
    await row('Fire').first().click()
    await type(page, 'Black', '0.3')
    await type(page, 'Softness', '1.5')
    await saved(page)
    const { sit, items } = (await shotNow()).document
    const fire = Object.keys(items).find((id) => items[id]?.kind === 'gas') ?? ''
    expect(sit.layers[fire]).toMatchObject({ black: 0.3, softness: 1.5, amount: 1 })
    expect(await strip(page, 'First look')).toBe('8 of 8')
  })
})

describe('handing off', () => {
  it('writes a movie that another program plays, at the plate’s rate and size', async () => {
    await station(page, 'Hand-off')
    const row = page.getByLabel('Bench').getByText('Movie, H.264, first look').locator('../..')
    await row.getByRole('button', { name: 'Make' }).click()
    const link = row.getByRole('link', { name: 'Download' })
    await link.waitFor({ timeout: 120_000 })
    const [download] = await Promise.all([page.waitForEvent('download'), link.click()])
    const path = join(folder, 'out.mp4')
    await download.saveAs(path)
    const asked = '-v error -count_frames -show_entries stream=width,height,r_frame_rate,nb_read_frames -of csv=p=0'
    const told = spawnSync('ffprobe', [...asked.split(' '), path])
      .stdout.toString()
      .trim()
    expect(told).toBe(`${WIDTH},${HEIGHT},25/1,${FRAMES}`)
  })
  it('writes the OpenEXR sequence as an archive', async () => {
    const row = page.getByLabel('Bench').getByText('OpenEXR sequence, first look').locator('../..')
    await row.getByRole('button', { name: 'Make' }).click()
    const link = row.getByRole('link', { name: 'Download' })
    await link.waitFor({ timeout: 120_000 })
    const [download] = await Promise.all([page.waitForEvent('download'), link.click()])
    const path = join(folder, 'out.zip')
    await download.saveAs(path)
    const bytes = readFileSync(path)
    expect(bytes.subarray(0, 2).toString()).toBe('PK')
    expect(bytes.toString('latin1').match(/yard\.100\d\.exr/g)?.length).toBe(FRAMES * 2)
  })
})

it('has shown no fault on the way', () => {
  expect(faults).toEqual([])
})
