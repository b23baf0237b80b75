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
