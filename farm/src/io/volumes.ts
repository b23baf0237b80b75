import type { GasFrame } from '@lantern/core/data'
import { gasOfGrids, readVdb, type VdbUnits } from '@lantern/core/formats'
import { Blosc } from 'numcodecs'
import { nodeDeflate } from './deflate.ts'

/** Reads one file of OpenVDB as a gas frame, whatever packed its values. scale: metres in a unit of the file. Throws LanternError 'vdb'. */
export async function volumeFrame(
  bytes: Uint8Array,
  file: string,
  units: VdbUnits,
  ambient: number,
  scale = 1,
): Promise<GasFrame> {
  const blosc = Blosc.fromConfig({ id: 'blosc' })
  const { grids } = await readVdb(bytes, file, nodeDeflate, async (packed) => blosc.decode(packed))
  const frame = gasOfGrids(grids, file, units, ambient)
  return scale === 1 ? frame : { ...frame, box: { ...frame.box, cell: frame.box.cell * scale } }
}
