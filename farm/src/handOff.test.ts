import { spawnSync } from 'node:child_process'
import { readdir, readFile } from 'node:fs/promises'
import { basename, join } from 'node:path'
import { halfTable } from '@lantern/core/data'
import { readExr, readGasFrame, readPicture } from '@lantern/core/formats'
import { makeItem } from '@lantern/core/shot'
import * as lantern from '@lantern/store'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { FreshStore } from '../../store/testing/freshStore.ts'
import { type Bench, H, makeBench, W } from '../testing/bench.ts'
import { bakeJob } from './bake/bakeJob.ts'
import { nodeDeflate } from './io/deflate.ts'
import { probeMovie } from './io/movie.ts'
import { writeHandOff } from './jobs/handOff.ts'
import { pictureJob } from './jobs/picture.ts'
import { writeVolumes } from './jobs/volumes.ts'

let bench: Bench
let store: FreshStore
let folder: string
beforeAll(async () => {
  bench = await makeBench()
  ;({ store, folder } = bench)
})
afterAll(() => bench.remove())

describe('a shot, the whole way', () => {
  it('bakes, renders, lays and hands off: fire brighter than the plate, the plate untouched outside, files that others read', async () => {
    const shot = await bench.firstShot('Way')
    const key = await lantern.requestItem(store, shot, 'fire')
    expect(await bakeJob(bench.context(), { key, shot: shot.id, item: 'fire', output: 'gas' })).toBe(true)
    expect((await lantern.keptFrames(store, [key])).map(({ frame }) => frame)).toEqual([1001, 1002, 1003, 1004])
    const [pictureKey] = await lantern.requestPicture(store, shot, 'final', [1004])
    expect(
      await pictureJob(bench.context(), {
        shot: shot.id,
        frames: [{ frame: 1004, key: pictureKey ?? '' }],
        quality: 'final',
      }),
    ).toBe(0)
    const out = join(folder, 'out')
    await writeHandOff(bench.context(), shot, {
      movie: join(folder, 'out.mp4'),
      exr: out,
      quality: 'final',
      frames: [1004],
    })

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
      'Fire.emission.R',
      'Fire.A',
      'Fire.setlight.G',
      'Fire.sunshadow.Y',
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
      'Fire.emission.R',
      'Fire.setlight.R',
      'Fire.A',
      'Fire.sunshadow.Y',
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
    const shot = await bench.firstShot('Volumes')
    const key = await lantern.requestItem(store, shot, 'fire')
    expect(await bakeJob(bench.context(), { key, shot: shot.id, item: 'fire', output: 'gas' })).toBe(true)
    const files = await writeVolumes(bench.context(), shot, join(folder, 'vdb'), [1002, 1004], true)
    expect(files.map((path) => basename(path))).toEqual(['Volumes-Fire.1002.vdb', 'Volumes-Fire.1004.vdb'])
    const told = spawnSync('vdb_print', ['-l', files[1] ?? ''], { encoding: 'utf8' }).stdout
    const kept = readGasFrame(
      await lantern.getBlob(store, (await lantern.keptFrame(store, key, 1004))?.blob ?? ''),
      nodeDeflate,
    )
    const parts = told.split(/^Name: /m).slice(1)
    expect(parts.map((part) => part.split('\n')[0])).toEqual(['burnt', 'density', 'fuel', 'temperature', 'velocity'])
    for (const part of parts) {
      expect(part).toContain(
        `Number of active voxels:       ${new Intl.NumberFormat('en').format(kept.tiles.length * 512)}`,
      )
      expect(part).toContain(`voxel size: ${kept.box.cell}`)
    }
    expect(parts[0]).toContain('class: fog volume')
    const hottest = Number(/Max value: (\S+)/.exec(parts[3] ?? '')?.[1])
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
    await expect(writeVolumes(bench.context(), shot, join(folder, 'vdb'), [1003], true)).rejects.toThrow(
      /Frame 1003 of Fire is not kept/,
    )
    expect(await writeVolumes(bench.context(), shot, join(folder, 'vdb'), [1009], true)).toEqual([])
  })

  it('shows a wall before the fire instead of it', async () => {
    const shot = await bench.firstShot('Wall', (document) => {
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
    await bakeJob(bench.context(), { key, shot: shot.id, item: 'fire', output: 'gas' })
    const [pictureKey] = await lantern.requestPicture(store, shot, 'look', [1004])
    await pictureJob(bench.context(), {
      shot: shot.id,
      frames: [{ frame: 1004, key: pictureKey ?? '' }],
      quality: 'look',
    })
    const kept = await lantern.keptFrame(store, pictureKey ?? '', 1004)
    const picture = readPicture(await lantern.getBlob(store, kept?.blob ?? ''), nodeDeflate)
    expect(picture.layers.filter(({ emission }) => emission)).toEqual([])
  })
})
