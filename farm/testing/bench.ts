import { spawnSync } from 'node:child_process'
import { mkdir } from 'node:fs/promises'
import { join } from 'node:path'
import { makeItem, makeShot, type ShotDocument } from '@lantern/core/shot'
import * as lantern from '@lantern/store'
import { pino } from 'pino'
import sharp from 'sharp'
import { expect } from 'vitest'
import { type FreshStore, freshStore } from '../../store/testing/freshStore.ts'
import { nodeCrew } from '../src/crew/nodeCrew.ts'
import type { JobContext } from '../src/jobs/context.ts'
import { plateJob } from '../src/jobs/plate.ts'

/** Width and height of the plates that tests make, pixels. */
export const [W, H] = [96, 54]

/** A store, a crew of two threads and a folder for files to take in: what the farm's tests work with. */
export interface Bench {
  store: FreshStore
  folder: string
  context(over?: Partial<JobContext>): JobContext
  takeIn(path: string, kind: 'movie' | 'stills'): Promise<lantern.Asset>
  /** A shot of four frames with ground and a small fire, another one each time. */
  firstShot(name: string, change?: (document: ShotDocument) => void): Promise<lantern.Shot>
  remove(): Promise<void>
}

export async function makeBench(): Promise<Bench> {
  const store = await freshStore()
  const crew = nodeCrew(2)
  const folder = join(store.data, 'in')
  await mkdir(folder)
  let seed = 40
  const context = (over: Partial<JobContext> = {}): JobContext => ({
    store,
    crew,
    machine: 'test',
    log: pino({ level: 'silent' }),
    ending: () => false,
    ...over,
  })
  async function takeIn(path: string, kind: 'movie' | 'stills'): Promise<lantern.Asset> {
    const asset = await lantern.createAsset(store, path)
    await plateJob(context(), { asset, path, kind })
    return lantern.getAsset(store, asset)
  }
  return {
    store,
    folder,
    context,
    takeIn,
    async firstShot(name, change = () => undefined) {
      const path = join(folder, `${name}.mp4`)
      movie(path, 4)
      const asset = await takeIn(path, 'movie')
      const document = smallShot(name, asset.id, ++seed)
      change(document)
      return lantern.createShot(store, document)
    },
    async remove() {
      crew.end()
      await store.remove()
    },
  }
}

function smallShot(name: string, asset: string, seed: number): ShotDocument {
  const document = makeShot(name, {
    asset,
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
    seed,
  })
  return document
}

/** A still whose red grows to the right and whose green is its number. */
export async function still(path: string, n: number, size: readonly [number, number] = [W, H]): Promise<void> {
  const data = Buffer.alloc(size[0] * size[1] * 3)
  for (let i = 0; i < size[0] * size[1]; i++) data.set([(i % size[0]) * 2, n * 10, 40], i * 3)
  await sharp(data, { raw: { width: size[0], height: size[1], channels: 3 } }).toFile(path)
}

export function movie(path: string, frames = 8): void {
  const source = `testsrc2=size=${W}x${H}:rate=24000/1001`
  const shape = ['-frames:v', String(frames), '-pix_fmt', 'yuv420p']
  const { status } = spawnSync('ffmpeg', ['-v', 'error', '-y', '-f', 'lavfi', '-i', source, ...shape, path])
  expect(status).toBe(0)
}
