import { type GasFrame, halfTable, TILE, tileCounts } from '../data/index.ts'
import type { Vec3 } from '../math/index.ts'

const CELLS = TILE ** 3
const [HEAT, FUEL, U] = [1, 2, 3] as const
/** From which a cell of a gas counts as hot, K above the air, and as burning, g/m^3 of fuel. */
const LEAST = { heat: 400, fuel: 0.5 } as const

/** A kept gas as particles feel it: its velocity at places, and where in it they may begin. */
export class GasFlow {
  readonly #frame: GasFrame
  /** By tile of the box: its number among those kept, or -1. */
  readonly #at: Int32Array
  readonly #counts: readonly [number, number, number]
  readonly #table = halfTable()

  constructor(frame: GasFrame) {
    this.#frame = frame
    this.#counts = tileCounts(frame.box)
    this.#at = new Int32Array(this.#counts[0] * this.#counts[1] * this.#counts[2]).fill(-1)
    frame.tiles.forEach((tile, n) => {
      this.#at[tile] = n
    })
  }

  #value(channel: number, i: number, j: number, k: number): number {
    const [nx, ny, nz] = this.#counts
    if (i < 0 || j < 0 || k < 0 || i >= nx * TILE || j >= ny * TILE || k >= nz * TILE) return 0
    const tile = this.#at[((k >> 3) * ny + (j >> 3)) * nx + (i >> 3)] as number
    if (tile < 0) return 0
    const cell = tile * CELLS + ((k & 7) * TILE + (j & 7)) * TILE + (i & 7)
    return this.#table[this.#frame.channels[channel]?.[cell] ?? 0] as number
  }

  /** Velocity at a place, m/s, by straight lines between cell middles; nothing beyond the gas. */
  velocityAt(x: number, y: number, z: number, out: [number, number, number]): void {
    const { cell, origin } = this.#frame.box
    const a = x / cell - origin[0] - 0.5
    const b = y / cell - origin[1] - 0.5
    const c = z / cell - origin[2] - 0.5
    const [i, j, k] = [Math.floor(a), Math.floor(b), Math.floor(c)]
    const [fx, fy, fz] = [a - i, b - j, c - k]
    out[0] = out[1] = out[2] = 0
    for (let corner = 0; corner < 8; corner++) {
      const [dx, dy, dz] = [corner & 1, (corner >> 1) & 1, corner >> 2]
      const weight = (dx ? fx : 1 - fx) * (dy ? fy : 1 - fy) * (dz ? fz : 1 - fz)
      if (weight === 0) continue
      for (let axis = 0; axis < 3; axis++)
        out[axis] = (out[axis] as number) + weight * this.#value(U + axis, i + dx, j + dy, k + dz)
    }
  }

  /** Numbers of the cells in which particles may begin: hot ones, or such with fuel. */
  startingCells(by: 'heat' | 'fuel'): Int32Array {
    const { channels, tiles } = this.#frame
    const channel = channels[by === 'heat' ? HEAT : FUEL]
    const found: number[] = []
    for (let n = 0; n < tiles.length * CELLS; n++)
      if ((this.#table[channel?.[n] ?? 0] as number) > LEAST[by]) found.push(n)
    return Int32Array.from(found)
  }

  /** A place in such a cell, m: shares of the cell along each axis. */
  placeIn(cell: number, shares: Vec3): [number, number, number] {
    const { box, tiles } = this.#frame
    const [nx, ny] = this.#counts
    const tile = tiles[Math.floor(cell / CELLS)] as number
    const own = cell % CELLS
    const lattice = [
      (tile % nx) * TILE + (own % TILE),
      (Math.floor(tile / nx) % ny) * TILE + (Math.floor(own / TILE) % TILE),
      Math.floor(tile / (nx * ny)) * TILE + Math.floor(own / (TILE * TILE)),
    ]
    return lattice.map((n, a) => (n + (box.origin[a] as number) + (shares[a] as number)) * box.cell) as [
      number,
      number,
      number,
    ]
  }
}
