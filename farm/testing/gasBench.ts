import type { GasFrame } from '@lantern/core/data'
import { readGasFrame } from '@lantern/core/formats'
import { makeItem, makeShot, type ShotDocument } from '@lantern/core/shot'
import * as lantern from '@lantern/store'
import { expect } from 'vitest'
import { bakeJob } from '../src/bake/bakeJob.ts'
import { nodeDeflate } from '../src/io/deflate.ts'
import { type Bench, H, makeBench, W } from './bench.ts'

export const LAST = 1008

/** A bench with shots of eight frames that hold one small, coarse fire. */
export interface GasBench extends Bench {
  shotOf(name: string, change?: (document: ShotDocument) => void): Promise<lantern.Shot>
  /** Bakes an item whole, and returns what is kept of it. */
  kept(shot: lantern.Shot, item?: string): Promise<lantern.KeptFrame[]>
  frameOf(frame: lantern.KeptFrame | undefined): Promise<GasFrame>
}

export async function makeGasBench(): Promise<GasBench> {
  const bench = await makeBench()
  const { store } = bench
  return {
    ...bench,
    async shotOf(name, change = () => undefined) {
      const document = shotWithFire(name, await lantern.createAsset(store, `${name}.mp4`))
      change(document)
      return lantern.createShot(store, document)
    },
    async kept(shot, item = 'fire') {
      const key = await lantern.requestItem(store, shot, item)
      expect(await bakeJob(bench.context(), { key, shot: shot.id, item, output: 'gas' })).toBe(true)
      return lantern.keptFrames(store, [key])
    },
    frameOf: async (frame) => readGasFrame(await lantern.getBlob(store, frame?.blob ?? ''), nodeDeflate),
  }
}

function shotWithFire(name: string, asset: string): ShotDocument {
  const document = makeShot(name, {
    asset,
    file: 'f.mp4',
    width: W,
    height: H,
    first: 1001,
    last: LAST,
    rate: [24, 1],
    encoding: 'srgb',
  })
  Object.assign(document.camera, { kind: 'typed', height: 1.2 })
  document.items.ground = makeItem('ground', { name: 'Ground', order: 1 })
  document.items.fire = makeItem('gas', {
    name: 'Fire',
    order: 2,
    position: [0, 0, -3],
    diameter: 0.8,
    heat: 300,
    cell: 100,
    runUp: 3,
    reach: 2,
  })
  return document
}

/** Another recipe than the others'. */
export const hot =
  (heat: number) =>
  (document: ShotDocument): void => {
    document.items.fire = makeItem('gas', { ...document.items.fire, name: 'Fire', order: 2, heat })
  }
