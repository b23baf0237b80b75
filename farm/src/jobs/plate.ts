import { rm } from 'node:fs/promises'
import { basename, dirname, join } from 'node:path'
import { codeWidth } from '@lantern/core/pipeline'
import type { PlateInfo } from '@lantern/core/shot'
import { measureGrain } from '@lantern/core/sit'
import {
  type JobPayload,
  makeArrivedShot,
  type PlateAssetInfo,
  putAssetFrame,
  putBlob,
  queueJob,
  readFrames,
  settlePlate,
  updateAsset,
} from '@lantern/store'
import sharp from 'sharp'
import { type Plan, planMovie, planStills } from '../io/plan.ts'
import { alphaFile, plateFiles, plateLinear } from '../io/plateFrames.ts'
import type { StillPixels } from '../io/stills.ts'
import { failureOf, type JobContext } from './context.ts'

const NOTIFY_EVERY = 4
/** Frames that are packed at once, and pixels from which one is enough. */
const AT_ONCE = 3
const LARGE = 9e6
/** Edge of the part that the grain of a large picture is measured in, px. */
const GRAIN_EDGE = 2000

/** The middle of a large picture; a small one, or one of floats, as it is. */
async function middleOf(full: Uint8Array, { width, height }: StillPixels): Promise<Uint8Array> {
  if (full[0] !== 0x89 || width * height <= LARGE) return full
  const [w, h] = [Math.min(width, GRAIN_EDGE), Math.min(height, GRAIN_EDGE)]
  return sharp(full, { limitInputPixels: false })
    .extract({ left: (width - w) >> 1, top: (height - h) >> 1, width: w, height: h })
    .png()
    .toBuffer()
}

/** The grain of one frame, in the light that each encoding makes of its codes. */
async function grainOf(full: Uint8Array, pixels: StillPixels): Promise<PlateAssetInfo['grain']> {
  const { bits } = pixels
  const part = await middleOf(full, pixels)
  const measured = async (encoding: PlateInfo['encoding']) =>
    measureGrain(await plateLinear(part, encoding), bits === 8 ? codeWidth(encoding) : undefined)
  return { srgb: await measured('srgb'), rec709: await measured('rec709'), linear: await measured('linear') }
}

/** Whether an error says that the plate is not in the store any more: a frame without it is a broken foreign key. */
const wasRemoved = (error: unknown): boolean =>
  error instanceof Error && 'code' in error && (error.code === '23503' || error.code === 'no-asset')

/** Packs and keeps frames, a few at once, and tells of them; what an earlier try kept is not made again. */
class Keeper {
  readonly #context: JobContext
  readonly #asset: string
  readonly #plan: Plan
  readonly #here: Set<number>
  readonly #atOnce: number
  #busy = new Set<Promise<void>>()
  #failed: unknown
  #told = false
  stopped = false
  done = 0

  constructor(context: JobContext, asset: string, plan: Plan, here: Set<number>) {
    this.#context = context
    this.#asset = asset
    this.#plan = plan
    this.#here = here
    this.#atOnce = plan.info.width * plan.info.height > LARGE ? 1 : AT_ONCE
  }

  async #keep(frame: number, pixels: StillPixels): Promise<void> {
    const { store } = this.#context
    const { info } = this.#plan
    if (!this.#here.has(frame) || !info.grain) {
      const files = await plateFiles(pixels)
      const alpha = info.alpha ? await alphaFile(pixels) : undefined
      if (alpha) await putAssetFrame(store, this.#asset, frame, 'alpha', await putBlob(store, alpha, files.mediaType))
      if (info.channels && 'passes' in pixels && pixels.passes) {
        const own = await putBlob(store, pixels.passes.bytes, 'image/x-exr')
        await putAssetFrame(store, this.#asset, frame, 'passes', own)
      }
      for (const variant of ['full', 'half', 'quarter'] as const)
        await putAssetFrame(store, this.#asset, frame, variant, await putBlob(store, files[variant], files.mediaType))
      info.grain ??= await grainOf(files.full, pixels)
    }
    this.done++
    await this.#tell(frame)
  }

  async #tell(frame: number): Promise<void> {
    const { store, progress } = this.#context
    const { info, total } = this.#plan
    progress?.report(total > 0 ? this.done / total : 0, `frame ${frame}`)
    if (this.#told && this.done % NOTIFY_EVERY !== 0) return
    const first = !this.#told
    this.#told = true
    const going = await updateAsset(
      store,
      this.#asset,
      { state: 'reading', info, done: this.done, total: Math.max(total, this.done) },
      true,
    )
    if (!going) this.stopped = true
    else if (first) await makeArrivedShot(store, this.#asset)
  }

  /** Takes a frame; waits while enough are under way. False where the reading is to end. */
  async take(frame: number, pixels: StillPixels): Promise<boolean> {
    const work = this.#keep(frame, pixels)
      .catch((error: unknown) => {
        // A plate that was removed meanwhile has no frames.
        if (wasRemoved(error)) this.stopped = true
        else this.#failed ??= error
      })
      .finally(() => this.#busy.delete(work))
    this.#busy.add(work)
    // The first one alone: with it the shot is made.
    if (!this.#told || this.#busy.size >= this.#atOnce) await Promise.race(this.#busy)
    return !this.stopped && !this.#failed && !this.#context.ending()
  }

  /** Waits for what is under way. Throws what went wrong. */
  async end(): Promise<void> {
    await Promise.all(this.#busy)
    if (this.#failed) throw this.#failed
  }
}

/** Reads a plate's frames. Returns how it ended. */
async function readPlate(context: JobContext, payload: JobPayload<'plate'>): Promise<'whole' | 'stopped' | 'put back'> {
  const { store, log } = context
  const { asset } = payload
  const plan =
    payload.kind === 'movie'
      ? await planMovie(payload.path, basename(payload.path))
      : await planStills(payload.path, payload.rate ?? [24, 1])
  if (payload.rate) plan.info.rate = payload.rate
  const state = { state: 'reading' as const, info: plan.info, total: plan.total, done: 0, error: null }
  if (!(await updateAsset(store, asset, state, true))) return 'stopped'
  const keeper = new Keeper(context, asset, plan, await readFrames(store, asset))
  await plan.read((frame, pixels) => keeper.take(frame, pixels)).finally(() => keeper.end())
  if (keeper.stopped) return 'stopped'
  if (context.ending()) return 'put back'
  const { done } = keeper
  await updateAsset(store, asset, { state: 'ready', info: plan.info, done, total: done })
  await makeArrivedShot(store, asset)
  await settlePlate(store, asset)
  log.info({ asset, frames: done }, 'plate read')
  return 'whole'
}

/** Decodes a plate once into frames with half and quarter sizes, measures its grain, tells its progress, and makes the shot that it was dropped for with its first frame. What was sent for it is removed once all is read. */
export async function plateJob(context: JobContext, payload: JobPayload<'plate'>): Promise<void> {
  const { store, log } = context
  const { asset } = payload
  try {
    const ended = await readPlate(context, payload)
    if (ended === 'put back') {
      await updateAsset(store, asset, { state: 'waiting' }, true)
      if (!context.progress) await queueJob(store, 'plate', payload, { jobKey: `plate:${asset}:back`, priority: -1 })
    } else if (ended === 'whole' && payload.path.startsWith(join(store.data, 'uploads')))
      await rm(dirname(payload.path), { recursive: true, force: true })
  } catch (error) {
    const failure = failureOf(error, log)
    await updateAsset(store, asset, { state: 'failed', error: failure.toJSON() })
    log.warn({ asset, error: failure.message }, 'plate refused')
    if (context.progress) throw failure
  }
}
