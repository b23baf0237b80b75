import { mkdtemp, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { deflateParts, inflateParts, nodeDeflate } from './deflate.ts'
import { checkSize, decodeMovie, movieWriter, probeMovie } from './movie.ts'
import { plateFiles, plateLinear } from './plateFrames.ts'
import { findStills, readStill } from './stills.ts'

let folder: string
beforeAll(async () => {
  folder = await mkdtemp(join(tmpdir(), 'lantern-io-'))
})
afterAll(() => rm(folder, { recursive: true, force: true }))

const [W, H] = [32, 18]
const frameOf = (n: number): Uint8Array =>
  Uint8Array.from({ length: W * H * 4 }, (_, i) => (i % 4 === 3 ? 255 : 40 + n * 20))

it('unpacks what holds nothing', () => {
  expect(nodeDeflate.inflate(nodeDeflate.deflate(new Uint8Array()), 0)).toHaveLength(0)
})

describe('what is packed in parts', () => {
  // More than is handed over at a time, and one part of nothing.
  const parts = [5 << 20, 0, 3, 70_000].map((length, part) =>
    Uint8Array.from({ length }, (_, n) => (n * n * (part + 3)) >> 9),
  )
  const blank = (): Uint8Array[] => parts.map(({ length }) => new Uint8Array(length))
  it('is one stream, and comes back part for part', async () => {
    const packed = await deflateParts(parts)
    expect(Buffer.compare(nodeDeflate.inflate(packed), Buffer.concat(parts))).toBe(0)
    const back = blank()
    await inflateParts(packed, back)
    expect(Buffer.compare(Buffer.concat(back), Buffer.concat(parts))).toBe(0)
  })
  it('is refused where it holds more or less than is asked for, or is cut short', async () => {
    const packed = await deflateParts(parts)
    await expect(inflateParts(packed, blank().slice(0, 3))).rejects.toThrow(/holds more than 5242883 bytes/)
    await expect(inflateParts(packed, [...blank(), new Uint8Array(9)])).rejects.toThrow(
      /holds 5312883 bytes, not 5312892/,
    )
    await expect(inflateParts(packed.subarray(0, packed.length >> 1), blank())).rejects.toThrow(/unexpected end/)
  })
})

describe('a movie', () => {
  it('comes back frame for frame, within what its encoder loses', async () => {
    const path = join(folder, 'ramp.mp4')
    const writer = movieWriter(path, W, H, [30000, 1001])
    for (let n = 0; n < 9; n++) await writer.frame(frameOf(n))
    await writer.end()
    const info = await probeMovie(path)
    expect(info).toMatchObject({ width: W, height: H, rate: [30000, 1001], frames: 9, bits: 8 })
    const seen: number[] = []
    expect(
      await decodeMovie(path, info, 'ramp.mp4', async (_, bytes) => seen.push(bytes[W * 9 * 3 + 30] ?? 0) > 0),
    ).toEqual({ count: 9, stopped: false, broken: false })
    seen.forEach((value, n) => expect(Math.abs(value - (40 + n * 20))).toBeLessThan(4))
  })
  it('of an odd size loses its last row and column rather than fail', async () => {
    const path = join(folder, 'odd.mp4')
    const writer = movieWriter(path, 33, 19, [24, 1])
    await writer.frame(new Uint8Array(33 * 19 * 4).fill(90))
    await writer.end()
    expect(await probeMovie(path)).toMatchObject({ width: 32, height: 18, frames: 1 })
  })
  it('that can’t be written says why', async () => {
    const writer = movieWriter(join(folder, 'nowhere/x.mp4'), W, H, [24, 1])
    await writer.frame(frameOf(1))
    await expect(writer.end()).rejects.toMatchObject({ code: 'movie-write', place: { file: 'x.mp4' } })
  })
  it('ends where its taker has had enough', async () => {
    const path = join(folder, 'ramp.mp4')
    expect(await decodeMovie(path, await probeMovie(path), 'ramp.mp4', async (n) => n < 2)).toMatchObject({
      count: 3,
      stopped: true,
    })
  })
  it('stops being decoded when its taker fails', async () => {
    await expect(
      decodeMovie(join(folder, 'ramp.mp4'), await probeMovie(join(folder, 'ramp.mp4')), 'ramp.mp4', async () =>
        Promise.reject(new Error('no room')),
      ),
    ).rejects.toThrow('no room')
  })
})

describe('numbered stills', () => {
  it('are found by pattern or folder, sorted by number, others left out', async () => {
    for (const name of ['a_10.png', 'a_9.png', 'b_1.png', 'a_11.txt', 'a_x.png', 'A_12.png'])
      await writeFile(join(folder, name), '')
    expect((await findStills(join(folder, 'a_##.png'))).map(({ frame }) => frame)).toEqual([9, 10])
    await expect(findStills(join(folder, 'none.####.png'))).rejects.toMatchObject({ code: 'stills' })
    await expect(findStills(join(folder, 'missing/x.#.png'))).rejects.toMatchObject({ code: 'stills' })
  })
  it('name themselves and their frame when they can’t be read', async () => {
    for (const name of ['bad_4.exr', 'bad_4.tif', 'bad_4.jpg']) {
      await writeFile(join(folder, name), 'no picture')
      await expect(readStill({ frame: 4, name, path: join(folder, name) })).rejects.toMatchObject({
        code: 'still',
        place: { file: name, frame: 4 },
      })
    }
  })
  it('are held to a size that can be kept', () => {
    expect(() => checkSize(16000, 12000, 'x.png')).not.toThrow()
    expect(() => checkSize(16000, 13000, 'x.png')).toThrow(/208 million pixels; 200 million/)
    expect(() => checkSize(10, 16385, 'x.png', 7)).toThrow(/x\.png is 10 by 16385 pixels/)
  })
})

describe('a plate’s kept frame', () => {
  it('of 8 bits is kept code for code, its smaller sizes by means', async () => {
    const data = Buffer.from(Uint8Array.from({ length: W * H * 3 }, (_, n) => (n * 31) % 256))
    const files = await plateFiles({ width: W, height: H, bits: 8, data })
    const back = await plateLinear(files.full, 'linear')
    for (let n = 0; n < data.length; n++) expect(Math.round((back.data[n] ?? 0) * 255)).toBe(data[n])
    const quarter = await plateLinear(files.quarter, 'linear')
    expect([quarter.width, quarter.height]).toEqual([8, 5])
  })
  it('of one pixel is kept too', async () => {
    const files = await plateFiles({ width: 1, height: 1, bits: 8, data: Buffer.from([10, 20, 30]) })
    expect([...(await plateLinear(files.half, 'linear')).data].map((v) => Math.round(v * 255))).toEqual([10, 20, 30])
  })
  it('that is damaged says so', async () => {
    await expect(plateLinear(new Uint8Array([1, 2, 3, 4]), 'srgb')).rejects.toMatchObject({ code: 'plate-frame' })
  })
})
