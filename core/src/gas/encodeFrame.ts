import type { Crew } from '../base/index.ts'
import { GAS_CHANNELS, type GasFrame, TILE, tileCounts, toHalf } from '../data/index.ts'
import type { GasFields } from './fields.ts'
import { AIR_DENSITY, type GasSettings } from './settings.ts'
import { baseOf, rowOf, startOf, stopOf } from './sparseRows.ts'

/** Below these a cell holds nothing worth keeping: K above the air, fuel and soot over the air's density. */
export const KEEP_HEAT = 4
export const KEEP_FUEL = 2e-6
export const KEEP_SOOT = 1e-6

/** The frame as it is kept: occupied tiles, half floats. */
export function encodeFrame(crew: Crew, fields: GasFields, settings: GasSettings): GasFrame {
  const { box, pointers, store } = fields
  const view = (pointer: number): Float32Array => crew.heap.f32(pointer, store.cells)
  const [u, v, w, density, fuel, soot, burnt] = [
    pointers.u,
    pointers.v,
    pointers.w,
    pointers.density,
    pointers.fuel,
    pointers.soot,
    pointers.burnt,
  ].map(view) as [Float32Array, Float32Array, Float32Array, Float32Array, Float32Array, Float32Array, Float32Array]
  const [nx, ny, nz] = box.size
  const [tx, ty, tz] = tileCounts(box)
  const hot = settings.ambient / (settings.ambient + KEEP_HEAT)
  const grams = 1000 * AIR_DENSITY
  // What isn't stored is air.
  const eachCell = (
    tile: number,
    visit: (element: number, at: number, above: number, behind: number) => void,
  ): void => {
    const i0 = (tile % tx) * TILE
    const j0 = (Math.floor(tile / tx) % ty) * TILE
    const k0 = Math.floor(tile / (tx * ty)) * TILE
    for (let k = k0; k < Math.min(nz, k0 + TILE); k++)
      for (let j = j0; j < Math.min(ny, j0 + TILE); j++) {
        const row = rowOf(store, j, k)
        const [here, above, behind] = [baseOf(store, row), baseOf(store, row + 1), baseOf(store, row + ny + 2)]
        for (
          let i = Math.max(i0, startOf(store, row) - 1), stop = Math.min(nx, i0 + TILE, stopOf(store, row) - 1);
          i < stop;
          i++
        )
          visit(here + i + 1, ((k - k0) * TILE + (j - j0)) * TILE + i - i0, above + i + 1, behind + i + 1)
      }
  }
  const tiles: number[] = []
  for (let tile = 0; tile < tx * ty * tz; tile++) {
    let holds = false
    eachCell(tile, (e) => {
      if ((density[e] ?? 1) < hot || (soot[e] ?? 0) > KEEP_SOOT || (fuel[e] ?? 0) > KEEP_FUEL) holds = true
    })
    if (holds) tiles.push(tile)
  }
  const channels = GAS_CHANNELS.map(() => new Uint16Array(tiles.length * TILE ** 3))
  const [cs, ch, cf, cu, cv, cw, cb] = channels as [
    Uint16Array,
    Uint16Array,
    Uint16Array,
    Uint16Array,
    Uint16Array,
    Uint16Array,
    Uint16Array,
  ]
  tiles.forEach((tile, n) =>
    eachCell(tile, (e, at, above, behind) => {
      const o = n * TILE ** 3 + at
      cs[o] = toHalf((soot[e] ?? 0) * grams)
      ch[o] = toHalf(Math.max(0, settings.ambient / (density[e] ?? 1) - settings.ambient))
      cf[o] = toHalf((fuel[e] ?? 0) * grams)
      cb[o] = toHalf((burnt[e] ?? 0) * grams)
      cu[o] = toHalf(0.5 * ((u[e] ?? 0) + (u[e + 1] ?? 0)))
      cv[o] = toHalf(0.5 * ((v[e] ?? 0) + (v[above] ?? 0)))
      cw[o] = toHalf(0.5 * ((w[e] ?? 0) + (w[behind] ?? 0)))
    }),
  )
  return { box, ambient: settings.ambient, tiles: Int32Array.from(tiles), channels }
}
