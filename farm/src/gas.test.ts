import { mkdir, readFile, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { makeItem, type ShotDocument } from '@lantern/core/shot'
import * as lantern from '@lantern/store'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { FreshStore } from '../../store/testing/freshStore.ts'
import { type GasBench, makeGasBench } from '../testing/gasBench.ts'
import { bakeJob } from './bake/bakeJob.ts'
import { estimateJob } from './bake/estimateJob.ts'
import { takeVolumes } from './io/takeVolumes.ts'
import { pictureJob } from './jobs/picture.ts'
import { writeVolumes } from './jobs/volumes.ts'

let bench: GasBench
let store: FreshStore
beforeAll(async () => {
  bench = await makeGasBench()
  store = bench.store
})
afterAll(() => bench.remove())

describe('a part that is kept alone', () => {
  it('has its frames only, and no gas outside its region', async () => {
    const shot = await bench.shotOf('Part', (document) => {
      document.items.fire = makeItem('gas', {
        ...document.items.fire,
        name: 'Fire',
        order: 2,
        part: { frames: [1003, 1004], low: [-5, 0, -3], high: [5, 1, 5] },
      })
    })
    const frames = await bench.kept(shot)
    expect(frames.map(({ frame }) => frame)).toEqual([1003, 1004])
    const { box } = await bench.frameOf(frames[1])
    expect(box.origin[2] * box.cell).toBeGreaterThanOrEqual(-3.01)
    expect((await lantern.shotStatus(store, shot)).items.fire).toMatchObject({ state: 'done', first: 1003, last: 1004 })
  })
})

describe('a gas that cannot be', () => {
  it('is refused before it starts where it is larger than memory, and says what would fit', async () => {
    const shot = await bench.shotOf('Large', (document) => {
      document.items.fire = makeItem('gas', { ...document.items.fire, name: 'Fire', order: 2, cell: 8, reach: 8 })
    })
    await expect(lantern.requestItem(store, shot, 'fire')).rejects.toThrow(/million cells of 8 mm.*more than fits/)
    expect(
      await lantern.resultRows(
        store,
        (await lantern.resolveShot(store, shot)).items.flatMap(({ runs }) => runs.map(({ key }) => key)),
      ),
    ).toEqual(new Map())
  })
  it('says on its row what it lacks, and the rest of the shot goes on', async () => {
    const shot = await bench.shotOf('Lacking', (document) => {
      document.items.line = makeItem('gas', { name: 'Ground fire', order: 3, shape: 'line' })
    })
    const status = await lantern.shotStatus(store, shot)
    expect(status.items.line?.error).toMatchObject({ message: expect.stringContaining('none is drawn') })
    expect(status.items.fire?.error).toBeNull()
    await expect(lantern.requestPicture(store, shot, 'look')).rejects.toThrow(/none is drawn/)
    await expect(lantern.requestItem(store, shot, 'line')).rejects.toThrow(/none is drawn/)
  })
  it('that runs away is caught, told with its frame and cause, and keeps what it had', async () => {
    const shot = await bench.shotOf('Wild', (document) => {
      document.signals.gale = {
        name: 'Gale',
        shown: true,
        source: {
          kind: 'keys',
          curve: 'hold',
          keys: [
            { frame: 1001, value: 0 },
            { frame: 1005, value: 500 },
          ],
        },
      }
      for (let n = 0; n < 16; n++)
        document.items[`push-${n}`] = makeItem('force', {
          name: `Push ${n}`,
          order: 4 + n,
          way: 'blow',
          axis: [1, 0, 0],
          position: [0, 0.5, -3],
          radius: 0,
          strength: 0,
          follows: { strength: { signal: 'gale', gain: 1 } },
        })
    })
    const key = await lantern.requestItem(store, shot, 'fire')
    expect(await bakeJob(bench.context(), { key, shot: shot.id, item: 'fire', output: 'gas' }).catch(() => false)).toBe(
      false,
    )
    const row = (await lantern.resultRows(store, [key])).get(key)
    expect(row?.state).toBe('failed')
    expect(row?.error?.message).toMatch(/ran away: a speed of .* at frame .* with a force of/)
    // It runs away with larger cells too: what it will be can't be told, and that is no fault of the machine's.
    await lantern.setResultState(store, key, 'waiting')
    await estimateJob(bench.context(), { key, shot: shot.id, item: 'fire', output: 'gas' })
    expect((await lantern.resultRows(store, [key])).get(key)).toMatchObject({
      state: 'waiting',
      ahead: [],
      error: null,
    })
    const before = await lantern.keptFrames(store, [key])
    expect(before.length).toBeGreaterThanOrEqual(4)
    for (const { blob } of before) await lantern.getBlob(store, blob)
  })
})

describe('a kept run', () => {
  it('is made finer, frame by frame, and its pictures are of the finer one', async () => {
    const shot = await bench.shotOf('Finer', (document) => {
      document.items.fire = makeItem('gas', { ...document.items.fire, name: 'Fire', order: 2, detail: 2 })
    })
    const coarse = await bench.kept(shot)
    const finer = (await lantern.resolveShot(store, shot)).items[0]?.runs[1]?.key ?? ''
    expect(await bakeJob(bench.context(), { key: finer, shot: shot.id, item: 'fire', output: 'finer' })).toBe(true)
    const fine = await lantern.keptFrames(store, [finer])
    expect(fine.map(({ frame }) => frame)).toEqual(coarse.map(({ frame }) => frame))
    expect((await bench.frameOf(fine[5])).box.cell).toBeCloseTo((await bench.frameOf(coarse[5])).box.cell / 2, 9)
    expect((await lantern.shotStatus(store, shot)).items.fire?.derived).toMatchObject([
      {
        state: 'done',
        kept: coarse.map(({ frame }) => frame),
      },
    ])
    const [pictureKey] = await lantern.requestPicture(store, shot, 'look', [1006])
    expect(
      await pictureJob(bench.context(), {
        shot: shot.id,
        frames: [{ frame: 1006, key: pictureKey ?? '' }],
        quality: 'look',
      }),
    ).toBe(0)
    // The same gas without its finer form is another picture.
    const plain = await lantern.editShot(store, 'Finer', undefined, { items: { fire: { detail: 1 } } })
    expect((await lantern.resolveShot(store, plain)).pictureKeys('look').get(1006)).not.toBe(pictureKey)
  })
  it('waits for the coarse frames, and is stopped by another recipe', async () => {
    const shot = await bench.shotOf('Waits', (document) => {
      document.items.fire = makeItem('gas', { ...document.items.fire, name: 'Fire', order: 2, detail: 2, seed: 77 })
    })
    await lantern.requestItem(store, shot, 'fire')
    const finer = (await lantern.resolveShot(store, shot)).items[0]?.runs[1]?.key ?? ''
    expect(await bakeJob(bench.context(), { key: finer, shot: shot.id, item: 'fire', output: 'finer' })).toBe(false)
    await lantern.editShot(store, 'Waits', undefined, { items: { fire: { detail: 3 } } })
    expect(await bakeJob(bench.context(), { key: finer, shot: shot.id, item: 'fire', output: 'finer' })).toBe(false)
    expect(await lantern.resultState(store, finer)).toBe('stopped')
  })
  it('is shown again without being computed again', async () => {
    const shot = await bench.shotOf('Again', (document) => {
      document.items.again = makeItem('reuse', {
        name: 'Again',
        order: 3,
        of: 'fire',
        position: [0.5, 0, -4],
        turn: 60,
        scale: 0.7,
        loop: true,
        loopLength: 4,
        loopBlend: 2,
      })
      document.items.fire = { ...document.items.fire, shown: false } as ShotDocument['items'][string]
    })
    await bench.kept(shot)
    const before = (await store.pool.query("select count(*)::int as n from result where kind = 'gas'")).rows[0] as {
      n: number
    }
    const [pictureKey] = await lantern.requestPicture(store, shot, 'look', [1007])
    expect(
      await pictureJob(bench.context(), {
        shot: shot.id,
        frames: [{ frame: 1007, key: pictureKey ?? '' }],
        quality: 'look',
      }),
    ).toBe(0)
    expect(await lantern.resultState(store, pictureKey ?? '')).toBe('done')
    expect((await store.pool.query("select count(*)::int as n from result where kind = 'gas'")).rows[0]).toEqual(before)
  })
})

describe('a gas from elsewhere', () => {
  it('comes back from OpenVDB as it went out, and is a gas like any other', async () => {
    const shot = await bench.shotOf('Out')
    const frames = await bench.kept(shot)
    const files = await writeVolumes(bench.context(), shot, join(bench.folder, 'vdb'), [1003, 1004, 1005], false)
    const taken = await takeVolumes(store, join(bench.folder, 'vdb', 'Out-Fire.####.vdb'), 1002)
    expect(taken).toMatchObject({ first: 1003, at: 1002 })
    expect(taken.blobs).toHaveLength(3)
    const other = await bench.shotOf('In', (document) => {
      delete document.items.fire
      document.items.smoke = makeItem('gas', { name: 'Smoke', order: 2, taken })
      document.items.again = makeItem('reuse', { name: 'Again', order: 3, of: 'smoke', position: [1, 0, -5] })
    })
    const back = await bench.kept(other, 'smoke')
    expect(back.map(({ frame }) => frame)).toEqual([1002, 1003, 1004])
    const [a, b] = [await bench.frameOf(frames[2]), await bench.frameOf(back[0])]
    const total = (frame: typeof a, c: number): number =>
      (frame.channels[c] ?? new Uint16Array(0)).reduce((sum, half) => sum + half, 0)
    expect(b.box.cell).toBeCloseTo(a.box.cell, 6)
    expect(b.ambient).toBeCloseTo(a.ambient, 2)
    for (const channel of [0, 2]) expect(total(b, channel)).toBe(total(a, channel))
    const [pictureKey] = await lantern.requestPicture(store, other, 'look', [1003])
    expect(
      await pictureJob(bench.context(), {
        shot: other.id,
        frames: [{ frame: 1003, key: pictureKey ?? '' }],
        quality: 'look',
      }),
    ).toBe(0)
    expect(await lantern.resultState(store, pictureKey ?? '')).toBe('done')
    // Another unit is another gas.
    const denser = await lantern.editShot(store, 'In', undefined, { items: { smoke: { taken: { density: 2 } } } })
    expect((await lantern.resolveShot(store, denser)).items[0]?.runs[0]?.key).not.toBe(
      (await lantern.resolveShot(store, other)).items[0]?.runs[0]?.key,
    )
    expect(files).toHaveLength(3)
  })
  it('is refused by name: a gap, no such file, a broken file', async () => {
    const bytes = await readFile(join(bench.folder, 'vdb', 'Out-Fire.1003.vdb'))
    await mkdir(join(bench.folder, 'gap'))
    for (const n of [1, 2, 4]) await writeFile(join(bench.folder, 'gap', `x.${n}.vdb`), bytes)
    await expect(takeVolumes(store, join(bench.folder, 'gap', 'x.#.vdb'), 1)).rejects.toThrow(
      /Frame 3 of x\.#\.vdb is missing/,
    )
    await expect(takeVolumes(store, join(bench.folder, 'none', 'x.#.vdb'), 1)).rejects.toThrow(/no file like/)
    await mkdir(join(bench.folder, 'bad'))
    await writeFile(join(bench.folder, 'bad', 'y.1.vdb'), bytes.subarray(0, bytes.length >> 1))
    await expect(takeVolumes(store, join(bench.folder, 'bad', 'y.#.vdb'), 1)).rejects.toThrow(/y\.1\.vdb/)
  })
})
