import { randomUUID } from 'node:crypto'
import { mkdir, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { LanternError, stopIfCancelled } from '@lantern/core/base'
import { isGas } from '@lantern/core/effects/gas'
import { gasGrids, readGasFrame, writeVdb } from '@lantern/core/formats'
import { getBlob, keptFrame, resolveShot, type Shot, shownRun } from '@lantern/store'
import { nodeDeflate } from '../io/deflate.ts'
import type { JobContext } from './context.ts'

const plain = (name: string): string => name.replace(/[^A-Za-z0-9_-]+/g, '-')

/** Writes every gas of a shot as OpenVDB files, one a frame: folder/SHOT-GAS.####.vdb. half: half floats. The gas must be kept. Throws LanternError 'no-gas' naming the frame. */
export async function writeVolumes(
  { store, progress }: JobContext,
  shot: Shot,
  folder: string,
  frames: readonly number[],
  half: boolean,
): Promise<string[]> {
  await mkdir(folder, { recursive: true })
  const written: string[] = []
  const { items } = await resolveShot(store, shot)
  const runs = items.flatMap((one) => (isGas(shot.document.items[one.item]) ? (shownRun(one) ?? []) : []))
  for (const { key, name, first, last } of runs)
    for (const frame of frames.filter((one) => one >= first && one <= last)) {
      if (progress) stopIfCancelled(progress)
      const kept = await keptFrame(store, key, frame)
      if (!kept)
        throw new LanternError('no-gas', `Frame ${frame} of ${name} is not kept.`, 'Keep the gas, then hand off.', {
          frame,
        })
      const grids = gasGrids(readGasFrame(await getBlob(store, kept.blob), nodeDeflate), half)
      const path = join(folder, `${plain(shot.name)}-${plain(name)}.${String(frame).padStart(4, '0')}.vdb`)
      await writeFile(path, writeVdb(grids, randomUUID(), nodeDeflate))
      written.push(path)
      progress?.report(written.length / (runs.length * frames.length), `${name}, frame ${frame}`)
    }
  return written
}
