import { rm } from 'node:fs/promises'
import { basename, dirname, join } from 'node:path'
import { LanternError } from '@lantern/core/base'
import { codeWidth } from '@lantern/core/pipeline'
import type { PlateInfo } from '@lantern/core/shot'
import { measureGrain } from '@lantern/core/sit'
import { type JobPayload, type PlateAssetInfo, putAssetFrame, putBlob, updateAsset } from '@lantern/store'
import { decodeMovie, probeMovie } from '../io/movie.ts'
import { plateFiles, plateLinear } from '../io/plateFrames.ts'
import { findStills, readStill, type Still, type StillPixels } from '../io/stills.ts'
import { failureOf, type JobContext } from './context.ts'

const FIRST_OF_MOVIES = 1001
const NOTIFY_EVERY = 4
const MOST_FRAMES = 1_000_000
const MOST_FRAME = 2 ** 31 - 1

/** The grain of one frame, in the light that each encoding makes of its codes. */
async function grainOf(full: Uint8Array, bits: number): Promise<PlateAssetInfo['grain']> {
  const measured = async (encoding: PlateInfo['encoding']) =>
    measureGrain(await plateLinear(full, encoding), bits === 8 ? codeWidth(encoding) : undefined)
  return { srgb: await measured('srgb'), rec709: await measured('rec709'), linear: await measured('linear') }
}

type Plan = {
  info: PlateAssetInfo
  total: number
  read: (take: (frame: number, pixels: StillPixels) => Promise<void>) => Promise<void>
}

async function planMovie(path: string, name: string): Promise<Plan> {
  const movie = await probeMovie(path, name)
  const total = movie.frames ?? 0
  const info: PlateAssetInfo = {
    width: movie.width,
    height: movie.height,
    first: FIRST_OF_MOVIES,
    last: FIRST_OF_MOVIES + Math.max(1, total) - 1,
    rate: movie.rate,
    gaps: [],
    bits: movie.bits,
  }
  return {
    info,
    total,
    async read(take) {
      const bits = movie.bits === 16 ? 16 : 8
      const count = await decodeMovie(path, movie, name, (n, data) =>
        take(FIRST_OF_MOVIES + n, { width: movie.width, height: movie.height, bits, data }),
      )
      info.last = FIRST_OF_MOVIES + count - 1
    },
  }
}

/** Refuses numbers that are no frames of one plate. */
function checkNumbers(first: Still, last: Still): void {
  if (last.frame > MOST_FRAME)
    throw new LanternError(
      'still-number',
      `The number of ${last.name} is too long for a frame.`,
      `Number the stills by up to ${MOST_FRAME}.`,
      { file: last.name },
    )
  if (last.frame - first.frame >= MOST_FRAMES)
    throw new LanternError(
      'still-number',
      `From ${first.name} to ${last.name} are ${last.frame - first.frame + 1} frames; ${MOST_FRAMES} is the most.`,
      'Drop the stills of one run alone, or number them one after another.',
      { file: last.name },
    )
}

async function planStills(pattern: string, rate: [number, number]): Promise<Plan> {
  const stills = await findStills(pattern)
  const first = stills[0]
  const last = stills[stills.length - 1]
  if (!first || !last) throw new LanternError('stills', 'There are no stills.', 'Choose numbered pictures.')
  checkNumbers(first, last)
  const start = await readStill(first)
  const numbers = new Set(stills.map(({ frame }) => frame))
  const gaps = Array.from({ length: last.frame - first.frame + 1 }, (_, n) => first.frame + n).filter(
    (frame) => !numbers.has(frame),
  )
  return {
    info: {
      width: start.width,
      height: start.height,
      first: first.frame,
      last: last.frame,
      rate,
      gaps,
      bits: start.bits,
    },
    total: stills.length,
    async read(take) {
      for (const still of stills) {
        const pixels = still === first ? start : await readStill(still)
        if (pixels.width !== start.width || pixels.height !== start.height)
          throw new LanternError(
            'still-size',
            `${still.name} is ${pixels.width} by ${pixels.height} pixels; the run is ${start.width} by ${start.height}.`,
            'Replace that still with one of the run’s size.',
            { file: still.name, frame: still.frame },
          )
        await take(still.frame, pixels)
      }
    },
  }
}

/** Decodes a plate once into frames with half and quarter sizes, measures its grain, tells its progress. The uploaded file is removed afterwards. */
export async function plateJob(context: JobContext, payload: JobPayload<'plate'>): Promise<void> {
  const { store, log } = context
  const { asset } = payload
  try {
    const name = basename(payload.path)
    const plan =
      payload.kind === 'movie'
        ? await planMovie(payload.path, name)
        : await planStills(payload.path, payload.rate ?? [24, 1])
    if (payload.rate) plan.info.rate = payload.rate
    await updateAsset(store, asset, { state: 'reading', info: plan.info, total: plan.total, done: 0, error: null })
    let done = 0
    await plan.read(async (frame, pixels) => {
      const files = await plateFiles(pixels)
      for (const variant of ['full', 'half', 'quarter'] as const)
        await putAssetFrame(store, asset, frame, variant, await putBlob(store, files[variant], files.mediaType))
      plan.info.grain ??= await grainOf(files.full, pixels.bits)
      done++
      context.progress?.report(plan.total > 0 ? done / plan.total : 0, `frame ${frame}`)
      if (done % NOTIFY_EVERY === 0 || done === 1)
        await updateAsset(store, asset, { state: 'reading', info: plan.info, done, total: Math.max(plan.total, done) })
    })
    await updateAsset(store, asset, { state: 'ready', info: plan.info, done, total: done })
    log.info({ asset, frames: done }, 'plate read')
  } catch (error) {
    const failure = failureOf(error, log)
    await updateAsset(store, asset, { state: 'failed', error: failure.toJSON() })
    log.warn({ asset, error: failure.message }, 'plate refused')
    if (context.progress) throw failure
  } finally {
    if (payload.path.startsWith(join(store.data, 'uploads')))
      await rm(payload.kind === 'movie' ? dirname(payload.path) : payload.path.replace(/\/[^/]*#[^/]*$/, ''), {
        recursive: true,
        force: true,
      })
  }
}
