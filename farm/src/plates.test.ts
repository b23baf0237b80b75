import { spawnSync } from 'node:child_process'
import { mkdir, readFile, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { writeExr } from '@lantern/core/formats'
import * as lantern from '@lantern/store'
import sharp from 'sharp'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { FreshStore } from '../../store/testing/freshStore.ts'
import { type Bench, H, makeBench, movie, still, W } from '../testing/bench.ts'
import { plateLinear } from './io/plateFrames.ts'
import { plateJob } from './jobs/plate.ts'

let bench: Bench
let store: FreshStore
let folder: string
beforeAll(async () => {
  bench = await makeBench()
  ;({ store, folder } = bench)
})
afterAll(() => bench.remove())

describe('plates', () => {
  it('reads a movie into frames of three sizes, its rate a fraction, its grain measured', async () => {
    movie(join(folder, 'one.mp4'))
    const asset = await bench.takeIn(join(folder, 'one.mp4'), 'movie')
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
    const asset = await bench.takeIn(join(name, `yard.####.${ending}`), 'stills')
    expect(asset).toMatchObject({ state: 'ready', done: 3, info: { first: 7, last: 11, gaps: [[9, 10]] } })
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
    const asset = await bench.takeIn(join(name, 'd.#.png'), 'stills')
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
      const asset = await bench.takeIn(join(name, 'x.####.exr'), 'stills')
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
    const asset = await bench.takeIn(join(name, 'x.####.exr'), 'stills')
    expect(asset.error).toBeNull()
    const back = await plateLinear(
      await lantern.getBlob(store, await lantern.assetFrame(store, asset.id, 1, 'full')),
      'srgb',
    )
    for (let n = 0; n < W * H; n += 13) expect(back.data[n * 3]).toBe(plane[n])
  })
  it.each([
    [
      'a playlist',
      (other: string) => `#EXTM3U\n#EXT-X-TARGETDURATION:1\n#EXTINF:1,\nfile://${other}\n#EXT-X-ENDLIST\n`,
    ],
    ['a script', (other: string) => `ffconcat version 1.0\nfile '${other}'\n`],
    [
      'a drawing',
      (other: string) => `<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9"><image href="${other}"/></svg>`,
    ],
  ])('reads no other file of the machine for %s that is called a movie', async (what, text) => {
    const other = join(folder, 'secret.mp4')
    movie(other, 3)
    const path = join(folder, `${what.replaceAll(' ', '-')}.mp4`)
    await writeFile(path, text(other))
    const { state, error } = await bench.takeIn(path, 'movie')
    expect([state, error?.message]).toEqual(['failed', expect.stringContaining('is not a movie that can be read here')])
  })
  it.each([
    ['far apart', [1, 3_000_000_000 % 2 ** 31], /are \d+ frames; 1000000 is the most/],
    ['by the second', [20240101120000, 20240101120001], /too long for a frame/],
  ] as const)('refuses stills numbered %s in a moment', async (what, numbers, message) => {
    const name = join(folder, what)
    await mkdir(name)
    for (const n of numbers) await still(join(name, `a.${n}.png`), 1)
    const { state, error } = await bench.takeIn(join(name, 'a.####.png'), 'stills')
    expect([state, error?.message]).toEqual(['failed', expect.stringMatching(message)])
  })
  it('takes no drawing for a picture, whatever it is called', async () => {
    await mkdir(join(folder, 'drawn'))
    const drawing = `<svg xmlns="http://www.w3.org/2000/svg" width="${W}" height="${H}"><rect width="9" height="9"/></svg>`
    await writeFile(join(folder, 'drawn/x.0001.png'), drawing)
    const { state, error } = await bench.takeIn(join(folder, 'drawn/x.####.png'), 'stills')
    expect([state, error?.message]).toEqual(['failed', 'x.0001.png is not a picture.'])
  })
  it('takes a movie that breaks off as far as it goes, and says so', async () => {
    movie(join(folder, 'long.mp4'), 24)
    spawnSync('ffmpeg', ['-v', 'error', '-y', '-i', join(folder, 'long.mp4'), '-c', 'copy', join(folder, 'long.mkv')])
    const mkv = await readFile(join(folder, 'long.mkv'))
    await writeFile(join(folder, 'cut.mkv'), mkv.subarray(0, mkv.length * 0.6))
    const { state, done, info } = await bench.takeIn(join(folder, 'cut.mkv'), 'movie')
    expect(state).toBe('ready')
    expect(done).toBeGreaterThan(1)
    expect(done).toBeLessThan(24)
    expect(info).toMatchObject({
      last: 1000 + done,
      notes: [`cut.mkv breaks off after frame ${1000 + done}; copy it again from its source for the rest.`],
    })
  })
  it.each([
    ['sizes', (path: string) => still(path, 2, [W, H + 2]), /x\.0002\.png was left out: 96 by 56 pixels, .* 96 by 54/],
    ['text', (path: string) => writeFile(path, 'hello'), /x\.0002\.png was left out: it can’t be read/],
    [
      'broken',
      async (path: string) => {
        await still(path, 2)
        await writeFile(path, (await readFile(path)).subarray(0, 60))
      },
      /x\.0002\.png was left out: it can’t be read/,
    ],
  ])('leaves a still out that does not fit (%s), names it, and takes the rest', async (name, make, note) => {
    await mkdir(join(folder, name))
    for (const n of [1, 2, 3, 5]) await still(join(folder, name, `x.000${n}.png`), n)
    await make(join(folder, name, 'x.0002.png'))
    const { state, done, info } = await bench.takeIn(join(folder, name, 'x.####.png'), 'stills')
    expect({ state, done }).toEqual({ state: 'ready', done: 3 })
    expect(info).toMatchObject({
      first: 1,
      last: 5,
      gaps: [
        [2, 2],
        [4, 4],
      ],
      notes: [expect.stringMatching(note)],
    })
  })
  it('takes one still by itself, numbered or not, in the depth that it has', async () => {
    const plane = Float32Array.from({ length: W * H }, (_, n) => n / 100)
    await writeFile(
      join(folder, 'alone.exr'),
      writeExr({
        width: W,
        height: H,
        attributes: {},
        channels: ['R', 'G', 'B'].map((channel) => ({ name: channel, type: 'half', data: plane })),
      }),
    )
    const exr = await bench.takeIn(join(folder, 'alone.exr'), 'stills')
    expect(exr).toMatchObject({ state: 'ready', info: { first: 1001, last: 1001, bits: 32 } })
    for (const [name, frame] of [
      ['one.0042.png', 42],
      ['IMG_20240101120000.png', 1001],
    ] as const) {
      await still(join(folder, name), 1)
      expect((await bench.takeIn(join(folder, name), 'stills')).info).toMatchObject({ first: frame, last: frame })
    }
  })
  it('reads a very large still by strips, in the memory of a few', async () => {
    await sharp({ create: { width: 4800, height: 3400, channels: 3, background: '#345678' } })
      .png()
      .toFile(join(folder, 'large.png'))
    const asset = await bench.takeIn(join(folder, 'large.png'), 'stills')
    expect(asset).toMatchObject({ state: 'ready', info: { width: 4800, height: 3400 } })
    const quarter = await sharp(
      await lantern.getBlob(store, await lantern.assetFrame(store, asset.id, 1001, 'quarter')),
    ).stats()
    expect(quarter.channels.map(({ mean }) => Math.round(mean))).toEqual([0x34, 0x56, 0x78])
  })
  it('names what it can’t read, and why', async () => {
    const refused = async (path: string, kind: 'movie' | 'stills'): Promise<string> => {
      const { state, error } = await bench.takeIn(path, kind)
      expect(state).toBe('failed')
      return `${error?.message} ${error?.remedy}`
    }
    await writeFile(join(folder, 'no.mp4'), 'this is no movie')
    expect(await refused(join(folder, 'no.mp4'), 'movie')).toMatch(/no\.mp4 is not a movie.*numbered stills/)
    movie(join(folder, 'whole.mp4'), 40)
    const bytes = await readFile(join(folder, 'whole.mp4'))
    await writeFile(join(folder, 'cut.mp4'), bytes.subarray(0, bytes.length / 2))
    expect(await refused(join(folder, 'cut.mp4'), 'movie')).toMatch(/cut\.mp4/)
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

describe('a dropped plate', () => {
  const announced = async (name: string, frames: number): Promise<{ asset: string; path: string }> => {
    const path = join(folder, `${name}.mp4`)
    movie(path, frames)
    const bytes = await readFile(path)
    const { asset } = await lantern.announceFiles(store, {
      files: [{ name: `${name}.mp4`, bytes: bytes.length }],
      makes: name,
    })
    await mkdir(lantern.arrivalFolder(store, asset), { recursive: true })
    const there = join(lantern.arrivalFolder(store, asset), `${name}.mp4`)
    await writeFile(there, bytes)
    return { asset, path: there }
  }
  it('becomes a shot with its first frame, named on where the name is taken, once', async () => {
    const { asset, path } = await announced('Dropped', 12)
    const names: string[][] = []
    await plateJob(
      bench.context({
        progress: {
          report: () => void lantern.listShots(store).then((shots) => names.push(shots.map(({ name }) => name))),
          cancelled: () => false,
        },
      }),
      { asset, path, kind: 'movie' },
    )
    expect(names.some((list, n) => n < 8 && list.includes('Dropped'))).toBe(true)
    const { document } = await lantern.getShot(store, 'Dropped')
    expect(document.plate).toMatchObject({ asset, first: 1001, last: 1012 })
    expect((await lantern.listArrivals(store)).filter(({ id }) => id === asset)).toEqual([])
    await expect(readFile(path)).rejects.toThrow()
    const two = await announced('Dropped', 4)
    await plateJob(bench.context(), { ...two, kind: 'movie' })
    expect((await lantern.getShot(store, 'Dropped 2')).document.plate.asset).toBe(two.asset)
  })
  it('is put back whole where the machine leaves, and goes on without making its frames again', async () => {
    const { asset, path } = await announced('Left', 24)
    let ending = false
    const job = plateJob(bench.context({ ending: () => ending }), { asset, path, kind: 'movie' })
    await expect.poll(async () => (await lantern.readFrames(store, asset)).size).toBeGreaterThan(3)
    ending = true
    await job
    expect((await lantern.getAsset(store, asset)).state).toBe('waiting')
    const { rows } = await store.pool.query('select key from graphile_worker.jobs where key like $1', [`%${asset}%`])
    expect(rows).toHaveLength(1)
    const kept = [...(await lantern.readFrames(store, asset))]
    await plateJob(bench.context(), { asset, path, kind: 'movie' })
    expect(await lantern.getAsset(store, asset)).toMatchObject({ state: 'ready', done: 24 })
    expect((await lantern.readFrames(store, asset)).size).toBe(24)
    expect(kept.length).toBeLessThan(24)
  })
  it('that is removed while it is read ends there, and leaves nothing', async () => {
    const { asset, path } = await announced('Undone', 24)
    const job = plateJob(bench.context(), { asset, path, kind: 'movie' })
    await expect.poll(async () => (await lantern.listShots(store)).map(({ name }) => name)).toContainEqual('Undone')
    await lantern.removeShot(store, 'Undone')
    await lantern.purgeRemoved(store, 0)
    await job
    expect((await lantern.readFrames(store, asset)).size).toBe(0)
    await expect(lantern.getAsset(store, asset)).rejects.toMatchObject({ code: 'no-asset' })
  })
  it('stops where that is asked, keeps what was read, and goes on', async () => {
    const { asset, path } = await announced('Halted', 24)
    const job = plateJob(bench.context(), { asset, path, kind: 'movie' })
    await expect.poll(async () => (await lantern.readFrames(store, asset)).size).toBeGreaterThan(3)
    await lantern.stopReading(store, asset)
    await job
    const { state } = await lantern.getAsset(store, asset)
    const { size } = await lantern.readFrames(store, asset)
    expect(state).toBe('stopped')
    expect(size).toBeLessThan(24)
    expect((await lantern.getShot(store, 'Halted')).document.plate.asset).toBe(asset)
    expect(await lantern.readArrived(store, asset, true)).toBe(true)
    await plateJob(bench.context(), { asset, path, kind: 'movie' })
    expect(await lantern.getAsset(store, asset)).toMatchObject({ state: 'ready', done: 24 })
  })
})
