import { readMatteFrame } from '@lantern/core/formats'
import type { HelpedMatte } from '@lantern/core/mattes'
import { makeItem } from '@lantern/core/shot'
import * as lantern from '@lantern/store'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { type Bench, H, makeBench, W } from '../testing/bench.ts'
import { bakeJob } from './bake/bakeJob.ts'
import { nodeDeflate } from './io/deflate.ts'
import { strokeJob } from './jobs/stroke.ts'

// A helped matte through the farm: cut where it is stroked, carried, corrected, accepted.
let bench: Bench
beforeAll(async () => {
  bench = await makeBench()
})
afterAll(() => bench.remove())

const ID = 'matte-a'
const stroke = (order: number, frame: number, inside: boolean, round = 0): HelpedMatte['strokes'][string] => ({
  order,
  frame,
  inside,
  width: 3,
  round,
  points: inside
    ? [
        [40, 22],
        [46, 30],
      ]
    : [
        [25, 10],
        [65, 10],
        [65, 44],
        [25, 44],
        [25, 10],
      ],
})
const helpedShot = (name: string): Promise<lantern.Shot> =>
  bench.firstShot(name, (document) => {
    const strokes = { a: stroke(1, 1001, true), b: stroke(2, 1001, false) }
    document.items[ID] = makeItem('matte', {
      name: 'Worker',
      order: 9,
      helped: { from: 1001, to: 1004, strokes },
    } as never)
  })
const put = async (shot: lantern.Shot, helped: object): Promise<lantern.Shot> => {
  const { head } = await lantern.getShot(bench.store, shot.name)
  return lantern.editShot(bench.store, shot.name, head, { items: { [ID]: { helped } } })
}
const carry = async (shot: lantern.Shot): Promise<lantern.KeptFrame[]> => {
  const key = await lantern.requestItem(bench.store, shot, ID)
  expect(await bakeJob(bench.context(), { key, shot: shot.id, item: ID, output: 'helped' })).toBe(true)
  return lantern.keptFrames(bench.store, [key])
}

describe('a helped matte', () => {
  it('is cut on the stroked frame alone, and not asked for where there are no new strokes', async () => {
    const shot = await helpedShot('Cut')
    const key = await lantern.requestStroke(bench.store, shot, ID, 1001)
    expect((await lantern.shotStatus(bench.store, shot)).mattes[ID]?.[1001]).toMatchObject({ key, state: 'waiting' })
    expect(await strokeJob(bench.context(), { shot: shot.id, item: ID, frame: 1001, key })).toBe(true)
    const kept = await lantern.keptFrame(bench.store, key, 0)
    const frame = readMatteFrame(await lantern.getBlob(bench.store, kept?.blob ?? ''), nodeDeflate)
    expect([frame.width, frame.height]).toEqual([W, H])
    expect(frame.inside[(26 - frame.y) * frame.wide + 43 - frame.x]).toBe(1)
    await expect(lantern.requestStroke(bench.store, shot, ID, 1002)).rejects.toThrow(/no new strokes/)
    await expect(lantern.requestStroke(bench.store, shot, 'fire', 1001)).rejects.toThrow(/not a matte/)
    await expect(lantern.keptMatteFile(bench.store, shot, ID, 1001)).rejects.toThrow()
  })

  it('is carried, tells its foot and its rim, and is an input of the pictures', async () => {
    const before = await helpedShot('Carry')
    const old = (await lantern.resolveShot(bench.store, before)).pictureKeys('look')
    expect((await lantern.resolveShot(bench.store, before)).items.some(({ item }) => item === ID)).toBe(false)
    const shot = await put(before, { carried: 1 })
    const frames = await carry(shot)
    expect(frames.map(({ frame }) => frame)).toEqual([1001, 1002, 1003, 1004])
    for (const { figures } of frames) {
      expect(figures.uncertain).toBeGreaterThanOrEqual(0)
      expect(figures.footY).toBeLessThanOrEqual(1)
    }
    const status = await lantern.shotStatus(bench.store, shot)
    expect(status.items[ID]).toMatchObject({ state: 'done', kept: [1001, 1002, 1003, 1004] })
    const now = (await lantern.resolveShot(bench.store, shot)).pictureKeys('look')
    expect([...now.values()].some((key) => [...old.values()].includes(key))).toBe(false)
    // The motion that it was carried by is kept, a pair a file.
    const { rows } = await bench.store.pool.query(
      "select frame from result_frame join result using (key) where kind = 'motion' and shot_id = $1 order by frame",
      [shot.id],
    )
    expect(rows.map(({ frame }) => frame)).toEqual([1001, 1002, 1003])
  })

  it('changes by a correction up to the next keyed frame, and not where a frame was accepted', async () => {
    const shot = await put(await helpedShot('Correct'), { carried: 1 })
    const first = await carry(shot)
    const blobOf = (frames: readonly lantern.KeptFrame[], frame: number): string =>
      frames.find((one) => one.frame === frame)?.blob ?? ''
    const blob = await lantern.keptMatteFile(bench.store, shot, ID, 1003)
    expect(blob).toBe(blobOf(first, 1003))
    const resolved = await lantern.resolveShot(bench.store, shot)
    const key = lantern.shownRun(lantern.itemIn(resolved, ID))?.frameKeys.get(1003) ?? ''
    const accepted = await put(shot, { accepted: { 1003: { round: 1, blob, key } } })
    // Accepted as it is: nothing is to be made anew.
    expect(lantern.itemIn(await lantern.resolveShot(bench.store, accepted), ID).runs[0]?.key).toBe(
      lantern.itemIn(resolved, ID).runs[0]?.key,
    )
    const open = await put(accepted, {
      strokes: {
        c: {
          ...stroke(3, 1002, false, 1),
          points: [
            [43, 20],
            [43, 34],
          ],
        },
      },
    })
    const cut = await lantern.requestStroke(bench.store, open, ID, 1002)
    expect(await strokeJob(bench.context(), { shot: open.id, item: ID, frame: 1002, key: cut })).toBe(true)
    const second = await carry(await put(open, { carried: 2 }))
    expect(second.map(({ frame }) => frame)).toEqual([1001, 1002, 1003, 1004])
    for (const frame of [1001, 1003, 1004]) expect(blobOf(second, frame), String(frame)).toBe(blobOf(first, frame))
    expect(blobOf(second, 1002)).not.toBe(blobOf(first, 1002))
    const now = readMatteFrame(await lantern.getBlob(bench.store, blobOf(second, 1002)), nodeDeflate)
    expect(now.inside[(26 - now.y) * now.wide + 43 - now.x] ?? 0).toBe(0)
  })

  it('makes the same bits again where its frames were lost', async () => {
    const shot = await put(await helpedShot('Again'), { carried: 1 })
    const first = await carry(shot)
    await bench.store.pool.query('delete from result_frame where key = $1', [first[0]?.key])
    await bench.store.pool.query("update result set state = 'waiting' where key = $1", [first[0]?.key])
    expect((await carry(shot)).map(({ blob }) => blob)).toEqual(first.map(({ blob }) => blob))
  })
})
