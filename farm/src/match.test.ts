import { mkdir } from 'node:fs/promises'
import { join } from 'node:path'
import type { Solve } from '@lantern/core/data'
import { readReading, writeSolve } from '@lantern/core/formats'
import { insidePolygon } from '@lantern/core/math'
import { exclusionMaskAt } from '@lantern/core/pipeline'
import { makeShot } from '@lantern/core/shot'
import {
  cameraPathOf,
  createAsset,
  createShot,
  editShot,
  getAsset,
  getBlob,
  getShot,
  keptFrame,
  keptManualTracks,
  keptSolveOf,
  keptTracks,
  matchKeys,
  movingObjectKeys,
  requestManualTrack,
  requestMatch,
  requestMovingObject,
  requestReading,
  requestReport,
  resultRows,
  type Shot,
  shotStatus,
  stopResults,
} from '@lantern/store'
import { pino } from 'pino'
import sharp from 'sharp'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { type FreshStore, freshStore } from '../../store/testing/freshStore.ts'
import { nodeCrew } from './crew/nodeCrew.ts'
import type { JobContext } from './jobs/context.ts'
import { manualTrackJob, matchJob, movingObjectJob, solveShot, trackShot } from './jobs/match.ts'
import { plateJob } from './jobs/plate.ts'
import { readingJob, reportJob } from './jobs/readings.ts'
import { matchShot } from './matchReport.ts'

// A plate of far things through a camera that turns: each pixel's light is a function of its direction.
const [W, H, FOCAL, FRAMES] = [320, 180, 290, 10]
const TURN = 0.022
const waves = Array.from({ length: 70 }, (_, n) => ({
  pace: 8 * 1.045 ** n,
  way: (n * 2.399) % 6.283,
  phase: (n * 1.7) % 6.283,
}))
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
  return {
    store,
    crew,
    machine: 'test',
    log: pino({ level: 'silent' }),
    ending: () => false,
    end: () => crew.end(),
    ...over,
  }
}

async function plateShot(name: string, picture: (frame: number, x: number, y: number) => number): Promise<Shot> {
  const folder = join(store.data, name)
  await mkdir(folder)
  for (let n = 0; n < FRAMES; n++) {
    const data = Buffer.alloc(W * H * 3)
    for (let y = 0; y < H; y++)
      for (let x = 0; x < W; x++)
        data.fill(Math.round(picture(n, x + 0.5, y + 0.5)), (y * W + x) * 3, (y * W + x) * 3 + 3)
    await sharp(data, { raw: { width: W, height: H, channels: 3 } }).toFile(join(folder, `plate.${1001 + n}.png`))
  }
  const asset = await createAsset(store, name)
  const one = context(1)
  await plateJob(one, { asset, path: join(folder, 'plate.####.png'), kind: 'stills' }).finally(one.end)
  const { info } = await getAsset(store, asset)
  return createShot(
    store,
    makeShot(name, {
      asset,
      file: name,
      width: W,
      height: H,
      first: info.first ?? 1,
      last: info.last ?? 1,
      rate: [24, 1],
      encoding: 'srgb',
    }),
  )
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
    expect((await cameraPathOf(store, document))?.frames[FRAMES - 1]?.camera).toMatchObject({
      focalPx: FOCAL,
      rotation: last,
    })
  }, 120_000)
  it('comes out the same on three threads, and is not computed twice', async () => {
    const shot = await getShot(store, 'turn')
    const keys = matchKeys(shot.document)
    const said: number[] = []
    const three = context(3)
    const tracks = await trackShot(three, shot, { report: (share) => void said.push(share), cancelled: () => false })
    expect(tracks).toEqual(await keptTracks(store, keys.tracks))
    expect(
      writeSolve(
        await solveShot(
          three,
          shot,
          tracks,
          keys.tracks,
          {},
          { report: () => undefined, cancelled: () => false },
        ).finally(three.end),
      ),
    ).toEqual(writeSolve((await keptSolveOf(store, keys.solve)) as Solve))
    expect([...said].sort((a, b) => a - b)).toEqual(said)
    // A second match is told from what is kept: it reports the same seconds, and nothing is followed.
    const steps: string[] = []
    const [one, two] = [
      context(1),
      context(1, { progress: { report: (_, what) => void steps.push(what), cancelled: () => false } }),
    ]
    const { seconds } = await matchShot(one, 'turn', {}).finally(one.end)
    expect((await matchShot(two, 'turn', {}).finally(two.end)).seconds).toBe(seconds)
    expect(steps).toEqual([])
  }, 120_000)
  it('follows nothing within a keep-out shape, on any frame of its keys', async () => {
    const shot = await getShot(store, 'turn')
    const square = (x: number): [number, number][] => [
      [x, 20],
      [x + 120, 20],
      [x + 120, 160],
      [x, 160],
    ]
    const keepOuts = {
      man: {
        name: 'Man',
        keys: [
          { frame: 1001, points: square(20) },
          { frame: 1010, points: square(155) },
        ],
      },
    }
    const kept = await editShot(store, 'turn', shot.head, { match: { keepOuts } })
    expect(matchKeys(kept.document).tracks).not.toBe(matchKeys(shot.document).tracks)
    const one = context(1)
    const tracks = await trackShot(one, kept, { report: () => undefined, cancelled: () => false }).finally(one.end)
    expect(tracks.length).toBeGreaterThan(20)
    const shape = kept.document.match.keepOuts.man
    if (!shape) throw new Error('the shape is there')
    const inside = tracks.flatMap((track) =>
      Array.from({ length: track.places.length / 2 }, (_, n) =>
        insidePolygon(
          exclusionMaskAt(shape, 1001 + track.first + n),
          track.places[2 * n] ?? 0,
          track.places[2 * n + 1] ?? 0,
        ),
      ),
    )
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
    expect((await shotStatus(store, shot)).match.solve).toMatchObject({
      state: 'failed',
      error: { remedy: expect.stringContaining('by hand') },
    })
  }, 60_000)
  it('puts a job down whose shot has moved on, and stops one that a person stops', async () => {
    const shot = await getShot(store, 'turn')
    const moved = await editShot(store, 'turn', shot.head, { match: { count: 77 } })
    await requestMatch(store, moved, 'solve')
    const keys = matchKeys(moved.document)
    const again = await editShot(store, 'turn', moved.head, { match: { count: 78 } })
    const one = context(1)
    expect(await matchJob(one, { shot: shot.id, ...keys })).toBe(false)
    expect((await resultRows(store, [keys.solve])).get(keys.solve)?.state).toBe('stopped')
    await requestMatch(store, again, 'solve')
    const now = matchKeys(again.document)
    await stopResults(store, [now.tracks, now.solve])
    expect(await matchJob(one, { shot: shot.id, ...now }).finally(one.end)).toBe(false)
    expect((await shotStatus(store, again)).match).toMatchObject({
      tracks: { state: 'stopped' },
      solve: { state: 'stopped' },
    })
  })
})

describe('what a person waits for', () => {
  const quiet = { report: (): void => undefined, cancelled: () => false }
  it('a track set by hand is followed and kept with its likeness, and put down when the shot has moved on', async () => {
    const shot = await getShot(store, 'turn')
    const hand = { name: 'Post', keys: [{ frame: 1003, places: [[160, 90]] }] }
    const edited = await editShot(store, 'turn', shot.head, { match: { hands: { post: hand } } })
    const key = await requestManualTrack(store, edited, 'post')
    const one = context(1, { progress: quiet })
    expect(await manualTrackJob(one, { shot: shot.id, hand: 'post', key })).toBe(true)
    const { post } = await keptManualTracks(store, edited.document)
    expect(post?.[0]?.places.length).toBeGreaterThan(10)
    // To the right: what was in the middle goes left.
    expect((post?.[0]?.places.at(-2) ?? 0) - (post?.[0]?.places[0] ?? 0)).toBeLessThan(-20)
    const runSingleOutput = (await shotStatus(store, edited)).match.hands.post
    expect(runSingleOutput).toMatchObject({ state: 'done', key, figures: { first: 1001 } })
    expect(runSingleOutput?.figures.likeness).toHaveProperty('2', 1)
    const moved = await editShot(store, 'turn', edited.head, {
      match: { hands: { post: { ...hand, keys: [{ frame: 1003, places: [[150, 90]] }] } } },
    })
    const other = await requestManualTrack(store, moved, 'post')
    await editShot(store, 'turn', moved.head, { match: { hands: { post: null } } })
    expect(await manualTrackJob(one, { shot: shot.id, hand: 'post', key: other }).finally(one.end)).toBe(false)
    await expect(requestManualTrack(store, await getShot(store, 'turn'), 'post')).rejects.toMatchObject({
      code: 'no-hand',
    })
  }, 60_000)
  it('a reading and a report are taken from the frames at full size, and named by what they read', async () => {
    const shot = await getShot(store, 'turn')
    const edited = await editShot(store, 'turn', shot.head, {
      readings: {
        sky: {
          name: 'Sky',
          area: {
            kind: 'shape',
            points: [
              [10, 10],
              [60, 10],
              [60, 40],
              [10, 40],
            ],
          },
        },
      },
    })
    const one = context(1, { progress: quiet })
    const key = await requestReading(store, edited, 'sky')
    expect(await readingJob(one, { shot: shot.id, reading: 'sky', key })).toBe(true)
    const kept = readReading(await getBlob(store, (await keptFrame(store, key, 0))?.blob ?? ''))
    expect(kept).toMatchObject({ first: 1001 })
    expect(kept.frames).toHaveLength(FRAMES)
    // The plate is grey: all channels alike, between the darkest and the brightest it was drawn with.
    for (const frame of kept.frames) expect(frame?.mean[0]).toBeCloseTo(frame?.mean[2] ?? 0, 6)
    const over = await requestReport(store, edited, 'sky')
    const tracks = matchKeys(edited.document).tracks
    const state = (await resultRows(store, [tracks])).get(tracks)?.state
    expect(
      await reportJob(one, {
        shot: shot.id,
        reading: 'sky',
        key: over,
        ...(state === 'done' ? { tracks } : {}),
      }).finally(one.end),
    ).toBe(true)
    const { readings } = await shotStatus(store, edited)
    expect(readings.areas.sky).toMatchObject({ reading: { state: 'done' }, report: { state: 'done', key: over } })
    expect(readings.report.state).toBe('missing')
    await expect(requestReport(store, edited, 'nothing')).rejects.toMatchObject({ code: 'no-shape' })
  }, 60_000)
  it('a thing needs the shot’s camera, and says so', async () => {
    const shot = await getShot(store, 'turn')
    const thing = {
      name: 'Barrow',
      keys: [
        {
          frame: 1001,
          points: [
            [10, 10],
            [90, 10],
            [90, 90],
          ],
        },
      ],
    }
    const edited = await editShot(store, 'turn', shot.head, {
      camera: { kind: 'none' },
      match: { things: { barrow: thing } },
    })
    await expect(requestMovingObject(store, edited, 'barrow')).rejects.toMatchObject({ code: 'no-camera' })
    const again = await editShot(store, 'turn', edited.head, { camera: { kind: 'solved' } })
    const key = await requestMovingObject(store, again, 'barrow')
    expect((await resultRows(store, [key])).get(key)).toMatchObject({ kind: 'thing', state: 'waiting' })
    // Another region: the work that was asked for is put down.
    await editShot(store, 'turn', again.head, { match: { things: { barrow: null } } })
    const one = context(1)
    expect(
      await movingObjectJob(one, {
        shot: shot.id,
        thing: 'barrow',
        ...movingObjectKeys(again.document, 'barrow'),
      }).finally(one.end),
    ).toBe(false)
    expect((await resultRows(store, [key])).get(key)?.state).toBe('stopped')
  })
})
