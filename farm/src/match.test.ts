import { mkdir } from 'node:fs/promises'
import { join } from 'node:path'
import type { Solve } from '@lantern/core/data'
import { writeSolve } from '@lantern/core/formats'
import { keepOutAt, within } from '@lantern/core/pipeline'
import { makeShot } from '@lantern/core/shot'
import { askMatch, cameraPathOf, createAsset, createShot, editShot, getAsset, getShot, keptSolveOf, keptTracks, matchKeys, resultRows, type Shot, shotStatus, stopResults } from '@lantern/store'
import { pino } from 'pino'
import sharp from 'sharp'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { type FreshStore, freshStore } from '../../store/testing/freshStore.ts'
import { nodeCrew } from './crew/nodeCrew.ts'
import type { JobContext } from './jobs/context.ts'
import { matchJob, solveShot, trackShot } from './jobs/match.ts'
import { matchShot } from './matchReport.ts'
import { plateJob } from './jobs/plate.ts'

// A plate of far things through a camera that turns: each pixel's light is a function of its direction.
const [W, H, FOCAL, FRAMES] = [320, 180, 290, 10]
const TURN = 0.022
const waves = Array.from({ length: 70 }, (_, n) => ({ pace: 8 * 1.045 ** n, way: (n * 2.399) % 6.283, phase: (n * 1.7) % 6.283 }))
function light(a: number, b: number): number {
  let sum = 0
  for (const { pace, way, phase } of waves) sum += Math.sin(pace * (Math.cos(way) * a + Math.sin(way) * b) + phase)
  return Math.max(4, Math.min(250, 120 + 16 * sum))
}

let store: FreshStore
beforeAll(async () => {
  store = await freshStore()
})
afterAll(async () => store.remove())
const context = (threads: number, over: Partial<JobContext> = {}): JobContext & { end: () => void } => {
  const crew = nodeCrew(threads)
  return { store, crew, machine: 'test', log: pino({ level: 'silent' }), ending: () => false, end: () => crew.end(), ...over }
}

async function plateShot(name: string, picture: (frame: number, x: number, y: number) => number): Promise<Shot> {
  const folder = join(store.data, name)
  await mkdir(folder)
  for (let n = 0; n < FRAMES; n++) {
    const data = Buffer.alloc(W * H * 3)
    for (let y = 0; y < H; y++) for (let x = 0; x < W; x++) data.fill(Math.round(picture(n, x + 0.5, y + 0.5)), (y * W + x) * 3, (y * W + x) * 3 + 3)
    await sharp(data, { raw: { width: W, height: H, channels: 3 } }).toFile(join(folder, `plate.${1001 + n}.png`))
  }
  const asset = await createAsset(store, name)
  const one = context(1)
  await plateJob(one, { asset, path: join(folder, 'plate.####.png'), kind: 'stills' }).finally(one.end)
  const { info } = await getAsset(store, asset)
  return createShot(store, makeShot(name, { asset, file: name, width: W, height: H, first: info.first ?? 1, last: info.last ?? 1, rate: [24, 1], encoding: 'srgb' }))
}

const known = { match: { lens: 'all known', focal: FOCAL / W } }

describe('matching a shot', () => {
  it('follows and solves a turn of a plate read from stills, frames as numbered, and takes it as the camera of a shot that has none', async () => {
    await plateShot('turn', (n, x, y) => {
      const a = Math.atan2((x - W / 2) / FOCAL, 1) + TURN * n
      return light(a, (y - H / 2) / FOCAL / Math.hypot(1, (x - W / 2) / FOCAL))
    })
    await editShot(store, 'turn', 1, known)
    const one = context(1, { progress: { report: () => undefined, cancelled: () => false } })
    const found = await matchShot(one, 'turn', {}).finally(one.end)
    expect(found).toMatchObject({ kind: 'turning', doubts: [], taken: true })
    expect(found.medianPx).toBeLessThan(0.2)
    expect(found.cameras.map(({ frame }) => frame)).toEqual(Array.from({ length: FRAMES }, (_, n) => 1001 + n))
    // To the right: about -Y in a right-handed world with Y up.
    const last = found.cameras[FRAMES - 1]?.rotation ?? [0, 0, 0, 0]
    expect(last[1]).toBeCloseTo(-Math.sin((TURN * (FRAMES - 1)) / 2), 3)
    const { document } = await getShot(store, 'turn')
    expect(document.camera).toMatchObject({ kind: 'solved', solve: { medianPx: found.medianPx } })
    expect((await cameraPathOf(store, document))?.frames[FRAMES - 1]?.camera).toMatchObject({ focalPx: FOCAL, rotation: last })
  }, 120_000)
  it('comes out the same on three threads, and is not computed twice', async () => {
    const shot = await getShot(store, 'turn')
    const keys = matchKeys(shot.document)
    const said: number[] = []
    const three = context(3)
    const tracks = await trackShot(three, shot, { report: (share) => void said.push(share), cancelled: () => false })
    expect(tracks).toEqual(await keptTracks(store, keys.tracks))
    expect(writeSolve(await solveShot(three, shot, tracks, keys.tracks, {}, { report: () => undefined, cancelled: () => false }).finally(three.end))).toEqual(writeSolve((await keptSolveOf(store, keys.solve)) as Solve))
    expect([...said].sort((a, b) => a - b)).toEqual(said)
    // A second match is told from what is kept: it reports the same seconds, and nothing is followed.
    const steps: string[] = []
    const [one, two] = [context(1), context(1, { progress: { report: (_, what) => void steps.push(what), cancelled: () => false } })]
    const { seconds } = await matchShot(one, 'turn', {}).finally(one.end)
    expect((await matchShot(two, 'turn', {}).finally(two.end)).seconds).toBe(seconds)
    expect(steps).toEqual([])
  }, 120_000)
  it('follows nothing within a keep-out shape, on any frame of its keys', async () => {
    const shot = await getShot(store, 'turn')
    const square = (x: number): [number, number][] => [[x, 20], [x + 120, 20], [x + 120, 160], [x, 160]]
    const keepOuts = { man: { name: 'Man', keys: [{ frame: 1001, points: square(20) }, { frame: 1010, points: square(155) }] } }
    const kept = await editShot(store, 'turn', shot.head, { match: { keepOuts } })
    expect(matchKeys(kept.document).tracks).not.toBe(matchKeys(shot.document).tracks)
    const one = context(1)
    const tracks = await trackShot(one, kept, { report: () => undefined, cancelled: () => false }).finally(one.end)
    expect(tracks.length).toBeGreaterThan(20)
    const shape = kept.document.match.keepOuts.man
    if (!shape) throw new Error('the shape is there')
    const inside = tracks.flatMap((track) => Array.from({ length: track.places.length / 2 }, (_, n) => within(keepOutAt(shape, 1001 + track.first + n), track.places[2 * n] ?? 0, track.places[2 * n + 1] ?? 0)))
    expect(inside.filter(Boolean)).toEqual([])
  }, 120_000)
  it('says why a plate without anything to follow has no camera, and stops when asked, leaving it to be gone on with', async () => {
    const shot = await plateShot('fog', () => 120)
    const quiet = { report: (): void => undefined, cancelled: () => false }
    const two = context(1, { progress: { ...quiet, cancelled: () => true } })
    await expect(matchShot(two, 'fog', {}).finally(two.end)).rejects.toThrow(/Stopped/)
    expect((await shotStatus(store, shot)).match.tracks.state).toBe('stopped')
    const one = context(1, { progress: quiet })
    await expect(matchShot(one, 'fog', {}).finally(one.end)).rejects.toThrow(/features could be followed/)
    expect((await shotStatus(store, shot)).match.solve).toMatchObject({ state: 'failed', error: { remedy: expect.stringContaining('by hand') } })
  }, 60_000)
  it('puts a job down whose shot has moved on, and stops one that a person stops', async () => {
    const shot = await getShot(store, 'turn')
    const moved = await editShot(store, 'turn', shot.head, { match: { count: 77 } })
    await askMatch(store, moved, 'solve')
    const keys = matchKeys(moved.document)
    const again = await editShot(store, 'turn', moved.head, { match: { count: 78 } })
    const one = context(1)
    expect(await matchJob(one, { shot: shot.id, ...keys })).toBe(false)
    expect((await resultRows(store, [keys.solve])).get(keys.solve)?.state).toBe('stopped')
    await askMatch(store, again, 'solve')
    const now = matchKeys(again.document)
    await stopResults(store, [now.tracks, now.solve])
    expect(await matchJob(one, { shot: shot.id, ...now }).finally(one.end)).toBe(false)
    expect((await shotStatus(store, again)).match).toMatchObject({ tracks: { state: 'stopped' }, solve: { state: 'stopped' } })
  })
})
