import { plainDeflate, readMatteFrame } from '@lantern/core/formats'
import { coversAt, type FrameNeeds, needRaster, needsAt, pictureFrame } from '@lantern/core/pipeline'
import { effectOf } from '@lantern/core/shot'
import { LRUCache } from 'lru-cache'
import { getBlob } from '../blobs.ts'
import type { Store } from '../open.ts'
import { frameOfChain, keptFrames } from '../queries/results.ts'
import type { Shot } from '../queries/shots.ts'
import { resolveShot, shownRun } from './resolve.ts'

// Where mattes are needed, told from what is kept: nothing is computed for it that takes the farm.

/** Boxes of kept frames, by the blob of each: told once, since a blob never changes. */
const MOST_FRAMES = 4000
const told = new LRUCache<string, readonly number[]>({ max: MOST_FRAMES })
const MOST_MATTES = 400
const mattes = new LRUCache<string, ReturnType<typeof readMatteFrame>>({ max: MOST_MATTES })

/** Lets others have the server between frames. */
const pause = (): Promise<void> => new Promise((go) => setImmediate(go))

/** Where mattes are needed on frames of a shot, and how much of what is added is seen. Frames without a camera are left out. */
export async function shotNeeds(store: Store, shot: Shot, from: number, to: number): Promise<FrameNeeds[]> {
  const resolved = await resolveShot(store, shot)
  const { document } = resolved
  const runs = new Map(
    resolved.items.flatMap((one) => {
      const run = shownRun(one)
      return run ? [[one.item, run] as const] : []
    }),
  )
  const kept = await keptFrames(
    store,
    [...runs.values()].map(({ key }) => key),
  )
  const blobs = new Map(kept.map(({ key, frame, blob }) => [`${key}/${frame}`, blob]))
  const blobOf = async (item: string, frame: number): Promise<string | undefined> => {
    const run = runs.get(item)
    const chain = run?.frameKeys.get(frame)
    return run && (blobs.get(`${run.key}/${frame}`) ?? (chain ? await frameOfChain(store, chain) : undefined))
  }
  const found: FrameNeeds[] = []
  for (let frame = Math.max(from, document.plate.first); frame <= Math.min(to, document.plate.last); frame++) {
    if (!resolved.camera(frame)) continue
    await pause()
    const at = pictureFrame(document, resolved.camera, frame, resolved.inputs)
    const boxes = new Map<string, readonly number[]>()
    const data = new Map<string, unknown>()
    for (const { of, frames } of at.instances)
      for (const one of frames) {
        const blob = await blobOf(of, one.frame)
        const effect = effectOf(document.items[of])
        if (!blob || !effect) continue
        const place = `${of}/${one.frame}`
        if (effect.kind === 'matte') {
          const known = mattes.get(blob) ?? readMatteFrame(await getBlob(store, blob))
          mattes.set(blob, known)
          data.set(place, known)
        } else if (effect.extent) {
          const known = told.get(blob) ?? effect.extent(effect.decode(await getBlob(store, blob), plainDeflate))
          told.set(blob, known)
          boxes.set(place, known)
        }
      }
    const covers = coversAt(document, at, needRaster(at.camera), ({ of }, one) => boxes.get(`${of}/${one}`))
    found.push(needsAt(document, at, covers, (item, one) => data.get(`${item}/${one}`)))
  }
  return found
}
