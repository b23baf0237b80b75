import { LanternError } from '@lantern/core/base'
import type { GasFrame } from '@lantern/core/data'
import { readGasFrame, writeGasFrame } from '@lantern/core/formats'
import { finerNeeds, makeFiner } from '@lantern/core/gas'
import { finerSettings, runOf } from '@lantern/core/pipeline'
import {
  findShotById,
  getBlob,
  type JobPayload,
  keptFrame,
  putBlob,
  resultRows,
  setResultState,
  worldOf,
} from '@lantern/store'
import { nodeDeflate } from '../io/deflate.ts'
import type { JobContext } from './context.ts'
import { frameByFrame } from './frames.ts'

/** Frames read last: a frame and the next one need nearly the same. */
const MOST_READ = 12

/** Makes the frames of a kept gas finer, as they land. Returns true when all are. */
export async function finerJob(context: JobContext, payload: JobPayload<'finer'>): Promise<boolean> {
  const { store, crew } = context
  const shot = await findShotById(store, payload.shot)
  const item = shot?.document.items[payload.item]
  const plan = shot && (await worldOf(store, shot.document)).gases.find((one) => one.item === payload.item)
  if (!shot || item?.kind !== 'gas' || plan?.finer !== payload.key || !plan.key) {
    await setResultState(store, payload.key, 'stopped')
    return false
  }
  const coarse = plan.key
  const { first, last } = runOf(shot.document, item)
  const seconds = shot.document.plate.rate[1] / shot.document.plate.rate[0]
  const read = new Map<number, GasFrame>()
  const frameOf = async (frame: number): Promise<GasFrame | undefined> => {
    const known = read.get(frame)
    if (known) return known
    const kept = await keptFrame(store, coarse, frame)
    if (!kept) return undefined
    const made = readGasFrame(await getBlob(store, kept.blob), nodeDeflate)
    read.set(frame, made)
    if (read.size > MOST_READ) read.delete(Math.min(...read.keys()))
    return made
  }
  return frameByFrame(
    context,
    'finer',
    payload,
    Array.from({ length: last - first + 1 }, (_, n) => first + n),
    async (frame) => {
      const frames: GasFrame[] = []
      for (const needed of finerNeeds(frame, first)) {
        const one = await frameOf(needed)
        if (!one) {
          const row = (await resultRows(store, [coarse])).get(coarse)
          if (row?.state === 'running' || row?.state === 'waiting') return 'waiting'
          throw new LanternError(
            'no-gas',
            `Frame ${needed} of ${plan.name} is not kept, so it can’t be made finer.`,
            'Keep the gas first.',
            { frame: needed },
          )
        }
        frames.push(one)
      }
      const fine = makeFiner(crew, frames, finerSettings(item), seconds, frame)
      return {
        blob: await putBlob(store, writeGasFrame(fine, nodeDeflate), 'application/x-lantern-gas'),
        figures: { cells: fine.box.size.reduce((a, b) => a * b, 1) },
      }
    },
  )
}
