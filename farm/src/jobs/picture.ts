import { Cancelled, LanternError } from '@lantern/core/base'
import type { GasFrame } from '@lantern/core/data'
import { readGasFrame } from '@lantern/core/formats'
import { cameraAt, neededFrames, pictureFrame, renderPicture, type Showing, writePasses } from '@lantern/core/pipeline'
import {
  findShotById,
  getBlob,
  type JobPayload,
  keepFrame,
  keptFrame,
  pictureKeys,
  putBlob,
  queueJob,
  resultRows,
  resultState,
  setResultState,
  type ShotWorld,
  worldOf,
} from '@lantern/store'
import { nodeDeflate } from '../io/deflate.ts'
import { failureOf, type JobContext } from './context.ts'

const GAS_WAIT_MS = 2000

/** The gas frames that a picture frame needs, by gas and frame; 'waiting' while one of them is on its way. */
async function gasFramesFor(
  { store }: JobContext,
  world: ShotWorld,
  showings: readonly Showing[],
): Promise<Map<string, GasFrame> | 'waiting'> {
  const frames = new Map<string, GasFrame>()
  for (const [gas, wanted] of neededFrames(showings)) {
    const plan = world.gases.find(({ item }) => item === gas)
    const key = plan?.finer ?? plan?.key ?? ''
    for (const frame of wanted) {
      const kept = await keptFrame(store, key, frame)
      if (!kept) {
        const row = (await resultRows(store, [key])).get(key)
        if (row?.state === 'running' || row?.state === 'waiting') return 'waiting'
        throw (
          plan?.error ??
          new LanternError(
            'no-gas',
            `Frame ${frame} of ${plan?.name ?? 'a gas'} is not kept${row?.error ? `: ${row.error.message}` : ''}.`,
            'Keep the gas, then ask for the picture again.',
            { frame },
          )
        )
      }
      frames.set(`${gas}/${frame}`, readGasFrame(await getBlob(store, kept.blob), nodeDeflate))
    }
  }
  return frames
}

/** Renders a few picture frames; those whose gas is still burning are queued again for later. Returns how many were left for later. */
export async function pictureJob(context: JobContext, payload: JobPayload<'picture'>): Promise<number> {
  const { store, crew, log } = context
  const shot = await findShotById(store, payload.shot)
  if (!shot) return 0
  const { document } = shot
  const world = await worldOf(store, document)
  const present = pictureKeys(
    world,
    payload.quality,
    payload.frames.map(({ frame }) => frame),
  )
  const later: typeof payload.frames = []
  for (const { frame, key } of payload.frames) {
    const asked = await resultState(store, key)
    if (asked === 'done') continue
    if (asked === 'stopped') continue
    if (present.get(frame) !== key) {
      // The shot has changed since: this frame would be another picture.
      await setResultState(store, key, 'stopped')
      continue
    }
    if (context.ending()) {
      later.push({ frame, key })
      continue
    }
    try {
      const at = pictureFrame(document, (n) => cameraAt(document, world.path, n), frame, world.inputs)
      const gases = await gasFramesFor(context, world, at.showings)
      if (gases === 'waiting') {
        later.push({ frame, key })
        continue
      }
      await setResultState(store, key, 'running')
      const begun = performance.now()
      const passes = renderPicture(crew, document, at, (gas, n) => gases.get(`${gas}/${n}`), payload.quality, {
        report: () => undefined,
        cancelled: context.ending,
      })
      const bytes = writePasses(passes, { software: 'Coal Lantern', frame: String(frame) }, nodeDeflate)
      const blob = await putBlob(store, bytes, 'image/x-exr')
      const seconds = (performance.now() - begun) / 1000
      await keepFrame(store, { key, frame, blob, figures: { seconds } }, undefined, seconds)
      await setResultState(store, key, 'done')
      log.debug({ frame, quality: payload.quality, seconds }, 'picture frame')
    } catch (error) {
      if (error instanceof Cancelled) {
        later.push({ frame, key })
        continue
      }
      const failure = failureOf(error, log)
      await setResultState(store, key, 'failed', failure.toJSON())
      log.warn({ frame, error: failure.message }, 'picture failed')
      if (context.progress) throw failure
    }
  }
  if (later.length > 0 && !context.progress)
    await queueJob(
      store,
      'picture',
      { ...payload, frames: later },
      {
        jobKey: `picture:${later[0]?.key}`,
        runAt: new Date(Date.now() + GAS_WAIT_MS),
        priority: payload.quality === 'look' ? 1 : 2,
      },
    )
  return later.length
}
