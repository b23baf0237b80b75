import { writeGasFrame } from '@lantern/core/formats'
import { findShotById, getBlob, type JobPayload, putBlob, setResultState, worldOf } from '@lantern/store'
import { nodeDeflate } from '../io/deflate.ts'
import { volumeFrame } from '../io/volumes.ts'
import type { JobContext } from './context.ts'
import { frameByFrame } from './frames.ts'

const KELVIN = 273.15

/** Keeps the frames of a gas that was computed elsewhere as this product's own. Returns true when all are. */
export async function takenJob(context: JobContext, payload: JobPayload<'taken'>): Promise<boolean> {
  const { store } = context
  const shot = await findShotById(store, payload.shot)
  const item = shot?.document.items[payload.item]
  const plan = shot && (await worldOf(store, shot.document)).gases.find((one) => one.item === payload.item)
  if (item?.kind !== 'gas' || !item.taken || plan?.key !== payload.key) {
    await setResultState(store, payload.key, 'stopped')
    return false
  }
  const { taken, airTemperature } = item
  return frameByFrame(
    context,
    'taken',
    payload,
    taken.blobs.map((_, n) => taken.at + n),
    async (frame) => {
      const n = frame - taken.at
      const bytes = await getBlob(store, taken.blobs[n] ?? '')
      const made = await volumeFrame(
        bytes,
        `${taken.file}, frame ${taken.first + n},`,
        { density: taken.density, kelvin: taken.kelvin, kelvinAt0: taken.kelvinAt0 },
        airTemperature + KELVIN,
        taken.scale,
      )
      return {
        blob: await putBlob(store, writeGasFrame(made, nodeDeflate), 'application/x-lantern-gas'),
        figures: { cells: made.box.size.reduce((a, b) => a * b, 1), tiles: made.tiles.length },
      }
    },
  )
}
