import { spawn, spawnSync } from 'node:child_process'
import { once } from 'node:events'
import { copyFile, mkdir, readdir, readFile, writeFile } from 'node:fs/promises'
import { basename, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { recipeKey } from '@lantern/core/base'
import { halfTable } from '@lantern/core/data'
import { gasRecipe } from '@lantern/core/effects/gas'
import { readExr, readGasFrame, writeExr } from '@lantern/core/formats'
import { GOLDEN_HASH, goldenHash, readPasses } from '@lantern/core/pipeline'
import { makeItem, makeShot, type ShotDocument } from '@lantern/core/shot'
import * as lantern from '@lantern/store'
import { pino } from 'pino'
import sharp from 'sharp'
import { afterAll, beforeAll, describe, expect, it, vi } from 'vitest'
import { type FreshStore, freshStore } from '../../store/testing/freshStore.ts'
import { full } from '../../store/testing/fullDisk.ts'
import { bakeJob } from './bake/bakeJob.ts'
import { nodeCrew } from './crew/nodeCrew.ts'
import { nodeDeflate } from './io/deflate.ts'
import { probeMovie } from './io/movie.ts'
import { plateLinear } from './io/plateFrames.ts'
import type { JobContext } from './jobs/context.ts'
import { writeHandOff } from './jobs/handOff.ts'
import { pictureJob } from './jobs/picture.ts'
import { plateJob } from './jobs/plate.ts'
import { writeVolumes } from './jobs/volumes.ts'

const TOP = fileURLToPath(new URL('../..', import.meta.url))
const [W, H] = [96, 54]
vi.mock('node:fs/promises', async (original) =>
  (await import('../../store/testing/fullDisk.ts')).overFullDisk(original as never),
)

let store: FreshStore
let folder: string
const crew = nodeCrew(2)

beforeAll(async () => {
  store = await freshStore()
  folder = join(store.data, 'in')
  await mkdir(folder)
})
afterAll(async () => {
  crew.end()
  await store.remove()
})

const context = (over: Partial<JobContext> = {}): JobContext => ({
  store,
  crew,
  machine: 'test',
  log: pino({ level: 'silent' }),
  ending: () => false,
  ...over,
})

/** A still whose red grows to the right and whose green is its number. */
async function still(path: string, n: number, size: readonly [number, number] = [W, H]): Promise<void> {
  const data = Buffer.alloc(size[0] * size[1] * 3)
  for (let i = 0; i < size[0] * size[1]; i++) data.set([(i % size[0]) * 2, n * 10, 40], i * 3)
  await sharp(data, { raw: { width: size[0], height: size[1], channels: 3 } }).toFile(path)
}
async function movie(path: string, frames = 8): Promise<void> {
  const { status } = spawnSync('ffmpeg', [
    '-v',
    'error',
    '-y',
    '-f',
    'lavfi',
    '-i',
    `testsrc2=size=${W}x${H}:rate=24000/1001`,
    '-frames:v',
    String(frames),
    '-pix_fmt',
    'yuv420p',
    path,
  ])
  expect(status).toBe(0)
}
async function takeIn(path: string, kind: 'movie' | 'stills'): Promise<lantern.Asset> {
  const asset = await lantern.createAsset(store, path)
  await plateJob(context(), { asset, path, kind })
  return lantern.getAsset(store, asset)
}

let seed = 40
async function firstShot(
  name: string,
  change: (document: ShotDocument) => void = () => undefined,
): Promise<lantern.Shot> {
  const path = join(folder, `${name}.mp4`)
  await movie(path, 4)
  const asset = await takeIn(path, 'movie')
  const document = makeShot(name, {
    asset: asset.id,
    file: 'yard.mp4',
    width: W,
    height: H,
    first: 1001,
    last: 1004,
    rate: [24, 1],
    encoding: 'srgb',
  })
  Object.assign(document.camera, { kind: 'typed', height: 1.2 })
  document.light.illuminance = 20
  document.sit.fireExposure = -2
  document.items.ground = makeItem('ground', { name: 'Ground', order: 1 })
  document.items.fire = makeItem('gas', {
    name: 'Fire',
    order: 2,
    position: [0, 0, -3],
    diameter: 0.8,
    heat: 300,
    cell: 100,
    runUp: 6,
    reach: 3,
    seed: ++seed,
  })
  change(document)
  return lantern.createShot(store, document)
}

describe('plates', () => {
  it('reads a movie into frames of three sizes, its rate a fraction, its grain measured', async () => {
    await movie(join(folder, 'one.mp4'))
    const asset = await takeIn(join(folder, 'one.mp4'), 'movie')
    expect(asset).toMatchObject({
      state: 'ready',
      done: 8,
      info: { width: W, height: H, first: 1001, last: 1008, rate: [24000, 1001], bits: 8 },
    })
    expect(asset.info.grain?.srgb?.floor).toHaveLength(3)
    const quarter = await sharp(
      await lantern.getBlob(store, await lantern.assetFrame(store, asset.id, 1003, 'quarter')),
    ).metadata()
    expect([quarter.width, quarter.height]).toEqual([24, 14])
  })
  it.each(['png', 'jpg', 'tif'])('reads numbered stills (%s) from any number on, with gaps named', async (ending) => {
    const name = join(folder, `still-${ending}`)
    await mkdir(name)
    for (const n of [7, 8, 11]) await still(join(name, `yard.${String(n).padStart(4, '0')}.${ending}`), n)
    const asset = await takeIn(join(name, `yard.####.${ending}`), 'stills')
    expect(asset).toMatchObject({ state: 'ready', done: 3, info: { first: 7, last: 11, gaps: [9, 10] } })
    const shown = await plateLinear(
      await lantern.getBlob(store, await lantern.assetFrame(store, asset.id, 9, 'full')),
      'linear',
    )
    expect((shown.data[1] ?? 0) * 255).toBeCloseTo(80, ending === 'jpg' ? -1 : 3)
  })
  it('keeps all 16 bits of a deep still', async () => {
    const name = join(folder, 'deep')
    await mkdir(name)
    const codes = Uint16Array.from({ length: W * H * 3 }, (_, n) => (n * 37) % 65536)
    await sharp(codes, { raw: { width: W, height: H, channels: 3 } })
      .toColourspace('rgb16')
      .png()
      .toFile(join(name, 'd.1.png'))
    const asset = await takeIn(join(name, 'd.#.png'), 'stills')
    const back = await plateLinear(
      await lantern.getBlob(store, await lantern.assetFrame(store, asset.id, 1, 'full')),
      'linear',
    )
    expect(asset.info.bits).toBe(16)
    for (let n = 0; n < codes.length; n += 101) expect(Math.round((back.data[n] ?? 0) * 65535)).toBe(codes[n])
  })
  it.each(['half', 'float'] as const)(
    'reads OpenEXR stills (%s) as the light they hold, above white too',
    async (type) => {
      const name = join(folder, `exr-${type}`)
      await mkdir(name)
      const planes = [0, 1, 2].map((c) => Float32Array.from({ length: W * H }, (_, n) => ((n + c * 7) % 64) / 8))
      await writeFile(
        join(name, 'x.0100.exr'),
        writeExr({
          width: W,
          height: H,
          attributes: {},
          channels: ['R', 'G', 'B'].map((channel, c) => ({
            name: channel,
            type,
            data: planes[c] ?? new Float32Array(0),
          })),
        }),
      )
      const asset = await takeIn(join(name, 'x.####.exr'), 'stills')
      expect(asset).toMatchObject({ state: 'ready', info: { first: 100, last: 100, bits: 32 } })
      const back = await plateLinear(
        await lantern.getBlob(store, await lantern.assetFrame(store, asset.id, 100, 'full')),
        'srgb',
      )
      for (let n = 0; n < W * H; n += 13) for (let c = 0; c < 3; c++) expect(back.data[n * 3 + c]).toBe(planes[c]?.[n])
      const half = await plateLinear(
        await lantern.getBlob(store, await lantern.assetFrame(store, asset.id, 100, 'half')),
        'srgb',
      )
      expect([half.width, half.height]).toEqual([W / 2, H / 2])
    },
  )
  it('reads an OpenEXR still that another program compressed by wavelets (PIZ)', async () => {
    const name = join(folder, 'piz')
    await mkdir(name)
    const plane = Float32Array.from({ length: W * H }, (_, n) => (n % 64) / 8)
    await writeFile(
      join(folder, 'flat.exr'),
      writeExr({
        width: W,
        height: H,
        attributes: {},
        channels: ['R', 'G', 'B'].map((channel) => ({ name: channel, type: 'half', data: plane })),
      }),
    )
    const { status, stderr } = spawnSync('exrmaketiled', [
      '-z',
      'piz',
      join(folder, 'flat.exr'),
      join(name, 'x.0001.exr'),
    ])
    expect(stderr.toString() || status).toBe(0)
    const asset = await takeIn(join(name, 'x.####.exr'), 'stills')
    expect(asset.error).toBeNull()
    const back = await plateLinear(
      await lantern.getBlob(store, await lantern.assetFrame(store, asset.id, 1, 'full')),
      'srgb',
    )
    for (let n = 0; n < W * H; n += 13) expect(back.data[n * 3]).toBe(plane[n])
  })
  it('names what it can’t read, and why', async () => {
    const refused = async (path: string, kind: 'movie' | 'stills'): Promise<string> => {
      const { state, error } = await takeIn(path, kind)
      expect(state).toBe('failed')
      return `${error?.message} ${error?.remedy}`
    }
    await writeFile(join(folder, 'no.mp4'), 'this is no movie')
    expect(await refused(join(folder, 'no.mp4'), 'movie')).toMatch(/no\.mp4 is not a movie.*numbered stills/)
    await movie(join(folder, 'whole.mp4'), 40)
    const bytes = await readFile(join(folder, 'whole.mp4'))
    await writeFile(join(folder, 'cut.mp4'), bytes.subarray(0, bytes.length / 2))
    expect(await refused(join(folder, 'cut.mp4'), 'movie')).toMatch(/cut\.mp4/)
    spawnSync('ffmpeg', ['-v', 'error', '-y', '-i', join(folder, 'whole.mp4'), '-c', 'copy', join(folder, 'whole.mkv')])
    const mkv = await readFile(join(folder, 'whole.mkv'))
    await writeFile(join(folder, 'cut.mkv'), mkv.subarray(0, mkv.length * 0.6))
    expect(await refused(join(folder, 'cut.mkv'), 'movie')).toMatch(/cut\.mkv breaks off after frame \d+/)
    for (const [name, make, message] of [
      ['sizes', (path: string) => still(path, 2, [W, H + 2]), /x\.0002\.png is 96 by 56 pixels; the run is 96 by 54/],
      ['text', (path: string) => writeFile(path, 'hello'), /x\.0002\.png is not a picture/],
      [
        'broken',
        async (path: string) => writeFile(path, (await readFile(join(folder, 'sizes/x.0001.png'))).subarray(0, 60)),
        /x\.0002\.png is/,
      ],
    ] as const) {
      await mkdir(join(folder, name))
      await still(join(folder, name, 'x.0001.png'), 1)
      await make(join(folder, name, 'x.0002.png'))
      expect(await refused(join(folder, name, 'x.####.png'), 'stills')).toMatch(message)
    }
    await mkdir(join(folder, 'wide'))
    await sharp({ create: { width: 40000, height: 1, channels: 3, background: '#000' } })
      .png()
      .toFile(join(folder, 'wide/x.0001.png'))
    expect(await refused(join(folder, 'wide/x.####.png'), 'stills')).toMatch(
      /x\.0001\.png is 40000 by 1 pixels; 16384 is the most/,
    )
    expect(await refused(join(folder, 'nowhere/x.####.png'), 'stills')).toMatch(
      /No numbered pictures like x\.####\.png/,
    )
  })
})

describe('a shot, the whole way', () => {
  it('bakes, renders, lays and hands off: fire brighter than the plate, the plate untouched outside, files that others read', async () => {
    const shot = await firstShot('Way')
    const key = await lantern.requestItem(store, shot, 'fire')
    expect(await bakeJob(context(), { key, shot: shot.id, item: 'fire', output: 'gas' })).toBe(true)
    expect((await lantern.keptFrames(store, [key])).map(({ frame }) => frame)).toEqual([1001, 1002, 1003, 1004])
    const [pictureKey] = await lantern.requestPicture(store, shot, 'final', [1004])
    expect(
      await pictureJob(context(), {
        shot: shot.id,
        frames: [{ frame: 1004, key: pictureKey ?? '' }],
        quality: 'final',
      }),
    ).toBe(0)
    const out = join(folder, 'out')
    await writeHandOff(context(), shot, { movie: join(folder, 'out.mp4'), exr: out, quality: 'final', frames: [1004] })

    const info = await probeMovie(join(folder, 'out.mp4'))
    expect(info).toMatchObject({ width: W, height: H, rate: [24, 1], frames: 1 })
    const tags = spawnSync('ffprobe', [
      '-v',
      'error',
      '-show_entries',
      'stream=color_space,color_primaries,color_transfer,color_range',
      '-of',
      'default=nk=1:nw=1',
      join(folder, 'out.mp4'),
    ]).stdout.toString()
    expect(tags.split('\n').filter(Boolean).sort()).toEqual(['bt709', 'bt709', 'iec61966-2-1', 'tv'])
    const [file] = await readdir(out)
    const header = spawnSync('exrheader', [join(out, file ?? '')]).stdout.toString()
    for (const name of [
      'fire.R',
      'smoke.A',
      'light.G',
      'shadow.Y',
      'plate.B',
      'depth.Z, 32-bit',
      'R, 16-bit',
      'zip, multi-scanline',
    ])
      expect(header).toContain(name)
    const exr = readExr(await readFile(join(out, file ?? '')), 'out', nodeDeflate)
    const plane = (name: string): Float32Array =>
      exr.channels.find((channel) => channel.name === name)?.data ?? new Float32Array(0)
    const [result, plate, fire, light, alpha, shadow] = [
      'R',
      'plate.R',
      'fire.R',
      'light.R',
      'smoke.A',
      'shadow.Y',
    ].map(plane) as [Float32Array, Float32Array, Float32Array, Float32Array, Float32Array, Float32Array]
    const hottest = fire.indexOf(Math.max(...fire))
    expect(result[hottest]).toBeGreaterThan((plate[hottest] ?? 0) + 0.1)
    let untouched = 0
    for (let n = 0; n < result.length; n++) {
      if ((fire[n] ?? 0) + (light[n] ?? 0) + (alpha[n] ?? 0) + 1 - (shadow[n] ?? 0) > 0) continue
      // A softened layer reaches a little further than its pass.
      if (Math.floor(n / W) > 6) continue
      expect(result[n]).toBe(plate[n])
      untouched++
    }
    expect(untouched).toBeGreaterThan(100)
    // The values by a reader that we did not write: ffmpeg's, of the main layer.
    const raw = spawnSync(
      'ffmpeg',
      ['-v', 'error', '-i', join(out, file ?? ''), '-f', 'rawvideo', '-pix_fmt', 'gbrapf32le', '-'],
      { maxBuffer: 1 << 26 },
    ).stdout
    const red = new Float32Array(raw.buffer.slice(raw.byteOffset, raw.byteOffset + raw.byteLength)).subarray(
      2 * W * H,
      3 * W * H,
    )
    for (let n = 0; n < red.length; n += 7) expect(red[n]).toBe(result[n])
  })

  it('hands its gas off as OpenVDB files that another program opens', async () => {
    const shot = await firstShot('Volumes')
    const key = await lantern.requestItem(store, shot, 'fire')
    expect(await bakeJob(context(), { key, shot: shot.id, item: 'fire', output: 'gas' })).toBe(true)
    const files = await writeVolumes(context(), shot, join(folder, 'vdb'), [1002, 1004], true)
    expect(files.map((path) => basename(path))).toEqual(['Volumes-Fire.1002.vdb', 'Volumes-Fire.1004.vdb'])
    const told = spawnSync('vdb_print', ['-l', files[1] ?? ''], { encoding: 'utf8' }).stdout
    const kept = readGasFrame(
      await lantern.getBlob(store, (await lantern.keptFrame(store, key, 1004))?.blob ?? ''),
      nodeDeflate,
    )
    const parts = told.split(/^Name: /m).slice(1)
    expect(parts.map((part) => part.split('\n')[0])).toEqual(['density', 'fuel', 'temperature', 'velocity'])
    for (const part of parts) {
      expect(part).toContain(
        `Number of active voxels:       ${new Intl.NumberFormat('en').format(kept.tiles.length * 512)}`,
      )
      expect(part).toContain(`voxel size: ${kept.box.cell}`)
    }
    expect(parts[0]).toContain('class: fog volume')
    const hottest = Number(/Max value: (\S+)/.exec(parts[2] ?? '')?.[1])
    const table = halfTable()
    expect(
      Math.abs(
        hottest /
          (kept.ambient +
            (kept.channels[1] ?? new Uint16Array(0)).reduce((most, half) => Math.max(most, table[half] ?? 0), 0)) -
          1,
      ),
    ).toBeLessThan(1e-3)
    await store.pool.query('delete from result_frame where key = $1 and frame = 1003', [key])
    await expect(writeVolumes(context(), shot, join(folder, 'vdb'), [1003], true)).rejects.toThrow(
      /Frame 1003 of Fire is not kept/,
    )
    expect(await writeVolumes(context(), shot, join(folder, 'vdb'), [1009], true)).toEqual([])
  })

  it('shows a wall before the fire instead of it', async () => {
    const shot = await firstShot('Wall', (document) => {
      document.items.wall = makeItem('box', {
        name: 'Wall',
        order: 3,
        position: [0, 0, -1.6],
        width: 6,
        height: 5,
        depth: 0.1,
      })
    })
    const key = await lantern.requestItem(store, shot, 'fire')
    await bakeJob(context(), { key, shot: shot.id, item: 'fire', output: 'gas' })
    const [pictureKey] = await lantern.requestPicture(store, shot, 'look', [1004])
    await pictureJob(context(), { shot: shot.id, frames: [{ frame: 1004, key: pictureKey ?? '' }], quality: 'look' })
    const kept = await lantern.keptFrame(store, pictureKey ?? '', 1004)
    expect(Math.max(...readPasses(await lantern.getBlob(store, kept?.blob ?? ''), nodeDeflate).fire.data)).toBe(0)
  })

  it('stops when asked, and what is resumed equals what was never stopped, bit for bit', async () => {
    const shot = await firstShot('Stop')
    const key = await lantern.requestItem(store, shot, 'fire')
    let frames = 0
    const stopping = context({
      progress: {
        report: () => void (++frames === 7 && void lantern.stopResults(store, [key])),
        cancelled: () => false,
      },
    })
    while (frames < 7) await bakeJob(stopping, { key, shot: shot.id, item: 'fire', output: 'gas' })
    await expect.poll(() => lantern.resultState(store, key)).toBe('stopped')
    expect(await bakeJob(context(), { key, shot: shot.id, item: 'fire', output: 'gas' })).toBe(false)
    await lantern.requestItem(store, shot, 'fire')
    expect(await bakeJob(context(), { key, shot: shot.id, item: 'fire', output: 'gas' })).toBe(true)
    const resumed = (await lantern.keptFrames(store, [key])).map(({ blob }) => blob)
    await store.pool.query('delete from result_frame where key = $1', [key])
    await store.pool.query('delete from restart where key = $1', [key])
    await store.pool.query("update result set state = 'waiting' where key = $1", [key])
    expect(await bakeJob(context(), { key, shot: shot.id, item: 'fire', output: 'gas' })).toBe(true)
    expect((await lantern.keptFrames(store, [key])).map(({ blob }) => blob)).toEqual(resumed)
  })

  it('stops on a full disk with that message, keeps what was kept, and goes on when there is room', async () => {
    const shot = await firstShot('Full')
    const key = await lantern.requestItem(store, shot, 'fire')
    let frames = 0
    const filling = context({
      progress: { report: () => void (++frames === 8 && (full.now = true)), cancelled: () => false },
    })
    await expect(bakeJob(filling, { key, shot: shot.id, item: 'fire', output: 'gas' })).rejects.toMatchObject({
      code: 'disk-full',
    })
    const row = (await lantern.resultRows(store, [key])).get(key)
    expect(row).toMatchObject({ state: 'failed', error: { message: expect.stringContaining('disk is full') } })
    for (const { blob } of await lantern.keptFrames(store, [key])) await lantern.getBlob(store, blob)
    expect(row?.kept).toBeGreaterThan(0)
    full.now = false
    await lantern.requestItem(store, shot, 'fire')
    expect(await bakeJob(context(), { key, shot: shot.id, item: 'fire', output: 'gas' })).toBe(true)
  })

  it('drops the work of a shot that has moved on', async () => {
    const shot = await firstShot('Moved')
    const key = await lantern.requestItem(store, shot, 'fire')
    await lantern.editShot(store, 'Moved', shot.head, { items: { fire: { heat: 301 } } })
    expect(await bakeJob(context(), { key, shot: shot.id, item: 'fire', output: 'gas' })).toBe(false)
    expect(await lantern.resultState(store, key)).toBe('stopped')
  })
})

it('gives the golden hash with three threads too', () => {
  const more = nodeCrew(3)
  expect(more.threads).toBe(3)
  expect(goldenHash(more)).toBe(GOLDEN_HASH)
  more.end()
})

describe('two farm machines', () => {
  const start = (): ReturnType<typeof spawn> =>
    spawn(process.execPath, ['farm/dist/worker.mjs'], {
      cwd: TOP,
      stdio: ['ignore', 'inherit', 'inherit'],
      env: {
        ...process.env,
        LANTERN_DATABASE_URL: store.url,
        LANTERN_DATA: store.data,
        LANTERN_THREADS: '1',
        LANTERN_LOG: 'error',
      },
    })
  it('share a picture run; when one is killed its frames are taken over, none lost, none doubled', async () => {
    const shot = await firstShot('Farm', (document) => {
      document.plate.last = 1012
      Object.assign(document.items.fire ?? {}, { cell: 60 })
    })
    const machines = [start(), start()]
    try {
      await expect
        .poll(async () => (await lantern.liveMachines(store)).length, { timeout: 30_000 })
        .toBeGreaterThanOrEqual(2)
      await lantern.requestPicture(store, shot, 'look')
      const kept = async (): Promise<number> => (await lantern.shotStatus(store, shot)).look.kept.length
      await expect.poll(kept, { timeout: 60_000 }).toBeGreaterThanOrEqual(2)
      machines[0]?.kill('SIGKILL')
      await expect.poll(kept, { timeout: 90_000, interval: 500 }).toBe(12)
      await expect
        .poll(async () => (await lantern.shotStatus(store, shot)).look.state, { timeout: 10_000 })
        .toBe('done')
      const status = await lantern.shotStatus(store, shot)
      const rows = await store.pool.query<{ count: number }>(
        'select count(*)::int as count from result_frame where key = any($1) group by key, frame',
        [Object.values(status.look.keys)],
      )
      expect(rows.rows).toHaveLength(12)
      expect(rows.rows.every(({ count }) => count === 1)).toBe(true)
      for (const { blob } of await lantern.keptFrames(store, Object.values(status.look.keys)))
        await lantern.getBlob(store, blob)
    } finally {
      for (const machine of machines) {
        if (machine.exitCode !== null || machine.signalCode) continue
        machine.kill('SIGTERM')
        await once(machine, 'exit')
      }
    }
  }, 180_000)
})

describe('the command line', () => {
  const run = (...args: string[]): { code: number | null; text: string } => {
    const { status, stdout, stderr } = spawnSync(process.execPath, ['scripts/lantern.mjs', ...args], {
      cwd: TOP,
      env: { ...process.env, LANTERN_DATABASE_URL: store.url, LANTERN_DATA: store.data },
    })
    return { code: status, text: stdout.toString() + stderr.toString() }
  }
  it('takes a plate the whole way, and says what is wrong on the way', async () => {
    await movie(join(folder, 'cli.mp4'), 3)
    await copyFile(join(TOP, 'demo/exact/yard-walk-camera.gltf'), join(folder, 'yard.gltf'))
    const report = join(folder, 'report.json')
    expect(run('new', 'Command', '--plate', join(folder, 'cli.mp4'), '--rate', '24', '--json', report)).toMatchObject({
      code: 0,
    })
    expect(JSON.parse(await readFile(report, 'utf8'))).toMatchObject({
      shot: 'Command',
      plate: { width: W, height: H, rate: [24, 1] },
    })
    expect(run('new', 'Command', '--plate', join(folder, 'cli.mp4')).text).toMatch(/called “Command” already/)
    expect(run('new', 'a/b', '--plate', join(folder, 'cli.mp4')).text).toMatch(/slash/)
    expect(run('new', 'x'.repeat(300), '--plate', join(folder, 'cli.mp4')).text).toMatch(/80 characters/)
    expect(run('new', 'Text', '--plate', join(folder, 'no.mp4')).text).toMatch(/no\.mp4 is not a movie/)
    expect(run('camera', 'Command', '--from', join(folder, 'yard.gltf'))).toMatchObject({ code: 0 })
    await writeFile(join(folder, 'empty.gltf'), '{"asset":{"version":"2.0"}}')
    expect(run('camera', 'Command', '--from', join(folder, 'empty.gltf')).text).toMatch(
      /empty\.gltf holds no perspective camera/,
    )
    await writeFile(
      join(folder, 'fire.json'),
      JSON.stringify({
        items: {
          fire: makeItem('gas', { name: 'Fire', order: 1, position: [1.7, 0, 1], cell: 120, runUp: 2, reach: 2 }),
        },
      }),
    )
    expect(run('edit', 'Command', '--merge', join(folder, 'fire.json'))).toMatchObject({ code: 0 })
    await writeFile(join(folder, 'bad.json'), '{"items":{"fire":{"heat":-4}}}')
    expect(run('edit', 'Command', '--merge', join(folder, 'bad.json')).text).toMatch(/items\.fire\.heat/)
    await writeFile(join(folder, 'nan.json'), '{"items":{"fire":{"heat":NaN}}}')
    expect(run('edit', 'Command', '--merge', join(folder, 'nan.json')).text).toMatch(/nan\.json is not JSON/)
    expect(run('bake', 'Command')).toMatchObject({ code: 0, text: expect.stringContaining('fire: 3 frames kept') })
    expect(run('picture', 'Command', '--frames', '1002-1003', '--json', report)).toMatchObject({ code: 0 })
    expect(
      run(
        'out',
        'Command',
        '--movie',
        join(folder, 'cli-out.mp4'),
        '--exr',
        join(folder, 'cli-exr'),
        '--camera',
        join(folder, 'cli.gltf'),
        '--quality',
        'look',
      ),
    ).toMatchObject({ code: 0 })
    expect(await probeMovie(join(folder, 'cli-out.mp4'))).toMatchObject({ frames: 3, rate: [24, 1] })
    expect(await readdir(join(folder, 'cli-exr'))).toEqual(['Command.1001.exr', 'Command.1002.exr', 'Command.1003.exr'])
    expect(run('show', 'Command', '--json', report)).toMatchObject({ code: 0 })
    const shown = JSON.parse(await readFile(report, 'utf8')) as { document: ShotDocument; status: lantern.ShotStatus }
    expect(shown.status.look.kept).toEqual([1001, 1002, 1003])
    expect(Object.keys(shown.status.items)).toEqual(['fire'])
    expect(shown.status.items.fire?.key).toBe(recipeKey(gasRecipe(shown.document, 'fire', 'full')))
    expect(run('show', 'Nobody').text).toMatch(/no shot called “Nobody”/)
    expect(run('picture', 'Command', '--frames', '5-9').text).toMatch(/frames 1001 to 1003 only/)
  }, 300_000)
})
