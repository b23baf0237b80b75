import type { Crew } from '../base/index.ts'
import { type GasFrame, halfTable, paddedCells, TILE, tileCounts } from '../data/index.ts'

/** Fine cells per cell of the coarse light grid. */
export const LIGHT_FACTOR = 4
const BLOCK_BYTES = 80

/** A gas frame laid out for the light and march kernels; `block` is the table in kernels/assembly/gaslight.ts. */
export interface GasBlock {
  block: number
  coarse: readonly [number, number, number]
}

/** Lays a kept gas frame on the crew's heap: extinction and temperature dense, tiles that hold something marked, the coarse extinction summed. extinctionPerSoot: m^2/kg. */
export function layGas(crew: Crew, frame: GasFrame, extinctionPerSoot: number): GasBlock {
  const { heap } = crew
  const { box, tiles, channels } = frame
  const [soot, heat] = channels
  const cells = paddedCells(box.size)
  const [nx, ny, nz] = box.size
  const [tx, ty, tz] = tileCounts(box)
  const extinction = heap.alloc(cells * 4)
  const temperature = heap.alloc(cells * 4)
  const marks = heap.alloc(tx * ty * tz)
  const ext = heap.f32(extinction, cells).fill(0)
  const kelvin = heap.f32(temperature, cells).fill(frame.ambient)
  const held = heap.u8(marks, tx * ty * tz).fill(0)
  const values = halfTable()
  const sx = nx + 2
  const sxy = sx * (ny + 2)
  const scale = extinctionPerSoot / 1000
  tiles.forEach((tile, n) => {
    const ti = tile % tx
    const tj = Math.floor(tile / tx) % ty
    const tk = Math.floor(tile / (tx * ty))
    // Interpolation reaches half a cell into the neighbours, so they are marked too.
    for (let c = Math.max(0, tk - 1); c <= Math.min(tz - 1, tk + 1); c++)
      for (let b = Math.max(0, tj - 1); b <= Math.min(ty - 1, tj + 1); b++) for (let a = Math.max(0, ti - 1); a <= Math.min(tx - 1, ti + 1); a++) held[(c * ty + b) * tx + a] = 1
    for (let k = 0; k < TILE; k++)
      for (let j = 0; j < TILE; j++) {
        const row = (tk * TILE + k + 1) * sxy + (tj * TILE + j + 1) * sx + ti * TILE + 1
        const o = n * TILE ** 3 + (k * TILE + j) * TILE
        if (tk * TILE + k >= nz || tj * TILE + j >= ny) continue
        for (let i = 0; i < Math.min(TILE, nx - ti * TILE); i++) {
          ext[row + i] = (values[soot?.[o + i] ?? 0] ?? 0) * scale
          kelvin[row + i] = frame.ambient + (values[heat?.[o + i] ?? 0] ?? 0)
        }
      }
  })
  const coarse: [number, number, number] = [Math.ceil(nx / LIGHT_FACTOR), Math.ceil(ny / LIGHT_FACTOR), Math.ceil(nz / LIGHT_FACTOR)]
  const coarseCells = paddedCells(coarse)
  const coarseExtinction = heap.alloc(coarseCells * 4)
  heap.f32(coarseExtinction, coarseCells).fill(0)
  const light = heap.alloc(coarseCells * 32)
  heap.f32(light, coarseCells * 8).fill(0)
  const block = heap.alloc(BLOCK_BYTES)
  const floats = heap.f32(block, BLOCK_BYTES / 4)
  const words = heap.i32(block, BLOCK_BYTES / 4)
  floats.set([box.origin[0] * box.cell, box.origin[1] * box.cell, box.origin[2] * box.cell, box.cell])
  words.set([nx, ny, nz, extinction, temperature, marks, tx, ty, tz], 4)
  floats[13] = box.cell * LIGHT_FACTOR
  words.set([...coarse, coarseExtinction, light], 14)
  crew.run('coarsenExtinction', [block, LIGHT_FACTOR], coarse[2])
  return { block, coarse }
}
