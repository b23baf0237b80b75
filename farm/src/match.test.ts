import { mkdir } from 'node:fs/promises'
import { join } from 'node:path'
import { makeShot } from '@lantern/core/shot'
import { createAsset, createShot, getAsset, type Shot } from '@lantern/store'
import { pino } from 'pino'
import sharp from 'sharp'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { type FreshStore, freshStore } from '../../store/testing/freshStore.ts'
import { nodeCrew } from './crew/nodeCrew.ts'
import type { JobContext } from './jobs/context.ts'
import { matchShot } from './jobs/match.ts'
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

describe('matching a shot', () => {
  it('follows and solves a turn of a plate read from stills: frames as numbered, the same on one thread and on three', async () => {
    const shot = await plateShot('turn', (n, x, y) => {
      const a = Math.atan2((x - W / 2) / FOCAL, 1) + TURN * n
      return light(a, (y - H / 2) / FOCAL / Math.hypot(1, (x - W / 2) / FOCAL))
    })
    const said: number[] = []
    const one = context(1, { progress: { report: (share) => void said.push(share), cancelled: () => false } })
    const found = await matchShot(one, shot, { focalPx: FOCAL, k1: 0, k2: 0 }).finally(one.end)
    expect(found.kind).toBe('turning')
    expect(found.medianPx).toBeLessThan(0.2)
    expect(found.doubts).toEqual([])
    expect(found.cameras.map(({ frame }) => frame)).toEqual(Array.from({ length: FRAMES }, (_, n) => 1001 + n))
    // To the right: about -Y in a right-handed world with Y up.
    const last = found.cameras[FRAMES - 1]?.rotation ?? [0, 0, 0, 0]
    expect(last[1]).toBeCloseTo(-Math.sin((TURN * (FRAMES - 1)) / 2), 3)
    expect(Math.max(...said)).toBeGreaterThan(0.9)
    expect([...said].sort((a, b) => a - b)).toEqual(said)
    const three = context(3)
    const again = await matchShot(three, shot, { focalPx: FOCAL, k1: 0, k2: 0 }).finally(three.end)
    expect({ ...again, seconds: 0 }).toEqual({ ...found, seconds: 0 })
  }, 120_000)
  it('says why a plate without anything to follow has no camera, and stops when asked', async () => {
    const shot = await plateShot('fog', () => 120)
    const one = context(1)
    await expect(matchShot(one, shot, {}).finally(one.end)).rejects.toThrow(/features could be followed/)
    const two = context(1, { ending: () => true })
    await expect(matchShot(two, shot, {}).finally(two.end)).rejects.toThrow(/Stopped/)
  }, 60_000)
})
