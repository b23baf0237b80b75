import type { Crew } from '../base/index.ts'
import { paddedCells } from '../data/index.ts'
import { enclosedRegions } from './enclosed.ts'
import { allocateTable, coarserSpans, storeRound } from './rowTables.ts'
import { baseOf, type RowStore, startOf, stopOf, wholeStore } from './sparseRows.ts'
import { putFlags, type Walls } from './walls.ts'

type Size = readonly [number, number, number]

/** Which of the box's sides are closed by a wall: bits x- 1, x+ 2, y- 4, y+ 8, z- 16, z+ 32. Open sides have pressure 0 outside. */
export type ClosedSides = number

/**
 * Where of a box there is work, as pointers for the kernels (kernels/assembly/grid.ts): the cells of each row; those with the faces round them; and, in array columns, with two more on every side, which hold the
 * air outside. 0: everywhere.
 */
export interface RowSpans {
  cells: number
  faces: number
  wide: number
}
export const WHOLE: RowSpans = { cells: 0, faces: 0, wide: 0 }

export interface Level {
  size: Size
  store: RowStore
  /** Cells of each row that are worked on (kernels/assembly/grid.ts); 0: all. */
  spans: number
  flags: number
  diag: number
  /** Transfer weights to the next coarser level; all 1 on the coarsest. */
  norm: number
  /** Solution, right-hand side and residual; on the finest level these are the caller's. */
  x: number
  b: number
  t: number
}

export interface PressureSystem {
  readonly levels: readonly Level[]
  readonly partial: number
  readonly spans: RowSpans
  readonly store: RowStore
  /** Cells in the system, and whether no side is open, so that only the pressure's slope is known. */
  readonly cells: number
  readonly enclosed: boolean
  /** Parts of it that walls shut off from the open air: the elements of their cells. None where the whole is one of them. */
  readonly sealed: readonly Int32Array[]
  /** Cells that walls cut through, where there are any: pointers to the list, its offsets by layer and the weights (kernels/assembly/cut.ts). */
  readonly cut?: { list: number; offsets: number; weights: number }
}

/** What of a box is worked on, where that is a part of it: its fields' tables of spans, the spans of cells as they were written there, and the walls. */
export interface PartOfBox {
  store: RowStore
  spans: RowSpans
  cells: Int32Array
  walls: Walls
}

/** Lists the cells whose open shares differ from their whole neighbours'. open: pointers to the shares of the faces of each axis. */
function listCut(
  crew: Crew,
  store: RowStore,
  flagsAt: number,
  open: readonly [number, number, number],
): PressureSystem['cut'] {
  const { heap } = crew
  const [nx, ny, nz] = store.size
  const flags = heap.u8(flagsAt, store.cells)
  const [fu, fv, fw] = open.map((pointer) => heap.u8(pointer, store.cells)) as [Uint8Array, Uint8Array, Uint8Array]
  const elements: number[] = []
  const weights: number[] = []
  const offsets = [0]
  const whole = (e: number, share: number): boolean => share === (flags[e] === SOLID ? 0 : SHARES)
  for (let k = 1; k <= nz; k++) {
    for (let j = 1; j <= ny; j++) {
      const row = k * (ny + 2) + j
      const base = baseOf(store, row)
      const [yb, ya, zb, za] = [row - 1, row + 1, row - ny - 2, row + ny + 2].map(
        (other) => baseOf(store, other) - base,
      ) as [number, number, number, number]
      for (let i = Math.max(1, startOf(store, row)), stop = Math.min(nx + 1, stopOf(store, row)); i < stop; i++) {
        const e = base + i
        if (flags[e] !== FLUID) continue
        const [a, b, c, d, f, g] = [
          fu[e] ?? 0,
          fu[e + 1] ?? 0,
          fv[e] ?? 0,
          fv[e + ya] ?? 0,
          fw[e] ?? 0,
          fw[e + za] ?? 0,
        ]
        if (
          whole(e - 1, a) &&
          whole(e + 1, b) &&
          whole(e + yb, c) &&
          whole(e + ya, d) &&
          whole(e + zb, f) &&
          whole(e + za, g)
        )
          continue
        elements.push(e, e + yb, e + ya, e + zb, e + za)
        weights.push(
          a / SHARES,
          b / SHARES,
          c / SHARES,
          d / SHARES,
          f / SHARES,
          g / SHARES,
          SHARES / (a + b + c + d + f + g),
          (i + j + k) & 1,
        )
      }
    }
    offsets.push(elements.length / 5)
  }
  if (elements.length === 0) return undefined
  const place = (values: readonly number[], floats: boolean): number => {
    const at = heap.alloc(values.length * 4)
    if (floats) heap.f32(at, values.length).set(values)
    else heap.i32(at, values.length).set(values)
    return at
  }
  return { list: place(elements, false), offsets: place(offsets, false), weights: place(weights, true) }
}

/** Slabs under this many cells are not worth a barrier. */
const CELLS_PER_CHUNK = 24 * 24 * 12
/** Fewer layers than two have no seam of their own on either side (kernels/assembly/fusedSmoother.ts). */
const LEAST_LAYERS = 2
const COARSEST_EDGE = 4
const SOLID = 0
const FLUID = 1
const AIR = 2
/** A face that is open. */
const SHARES = 255

const ghostOf = (closed: ClosedSides, bit: number): number => (closed & bit ? SOLID : AIR)

/** Writes the ghost layer of a flag field: solid beyond closed sides, air beyond open ones. */
export function flagGhosts(flags: Uint8Array, [nx, ny, nz]: Size, closed: ClosedSides): void {
  const sx = nx + 2
  const sxy = sx * (ny + 2)
  for (let k = 0; k < nz + 2; k++)
    for (let j = 0; j < ny + 2; j++)
      for (let i = 0; i < nx + 2; i++) {
        const inside = i > 0 && i <= nx && j > 0 && j <= ny && k > 0 && k <= nz
        if (inside) {
          i = nx
          continue
        }
        const bit = i === 0 ? 1 : i === nx + 1 ? 2 : j === 0 ? 4 : j === ny + 1 ? 8 : k === 0 ? 16 : 32
        flags[k * sxy + j * sx + i] = ghostOf(closed, bit)
      }
}

/** Chunk of z layers so that a chunk is worth handing to a thread, and all threads have as many of them. tiled: only a part of the layers holds work. */
export function layersPerChunk(size: Size, threads: number, tiled = false): number {
  const layer = size[0] * size[1]
  if (layer * size[2] < CELLS_PER_CHUNK * 2) return size[2] + 1
  const wanted = Math.max(
    LEAST_LAYERS,
    Math.ceil(CELLS_PER_CHUNK / 8 / layer),
    Math.ceil(size[2] / (threads * (tiled ? 24 : 6))),
  )
  // Layers of the thread that has most, by how thick the chunks are.
  const most = (chunk: number): number => chunk * Math.ceil(Math.ceil(size[2] / chunk) / threads)
  let best = wanted
  for (let chunk = wanted + (wanted >> 2); chunk >= wanted - (wanted >> 2); chunk--)
    if (most(chunk) < most(best)) best = chunk
  return best
}

/** Sizes of the multigrid's levels, the box first. */
export function levelSizes(size: Size): Size[] {
  const sizes = [size]
  for (let [nx, ny, nz] = size; Math.max(nx, ny, nz) > COARSEST_EDGE && Math.min(nx, ny, nz) > 2; ) {
    ;[nx, ny, nz] = [Math.ceil(nx / 2), Math.ceil(ny / 2), Math.ceil(nz / 2)]
    sizes.push([nx, ny, nz])
  }
  return sizes
}

/** A coarser level of a part of a box: gas where any of the cells it is made of is, wall where all are. */
function coarserPart(
  crew: Crew,
  part: { store: RowStore; cells: Int32Array; flags: number },
  size: Size,
  solid: Uint8Array,
  closed: ClosedSides,
): { store: RowStore; cells: Int32Array; flags: number; spans: number } {
  const { heap } = crew
  const cells = coarserSpans(part.cells, part.store.size, size)
  const store = storeRound(size, cells)
  const fine = heap.u8(part.flags, part.store.cells)
  const flags = heap.alloc(store.cells)
  const [, ny] = part.store.size
  putFlags(heap.u8(flags, store.cells), store, solid, closed, (_, i, j, k) => {
    for (let n = 0; n < 4; n++) {
      const row = (2 * k + 1 + (n >> 1)) * (ny + 2) + 2 * j + 1 + (n & 1)
      const [start, stop, base] = [startOf(part.store, row), stopOf(part.store, row), baseOf(part.store, row)]
      for (let c = 2 * i + 1; c <= 2 * i + 2; c++) if (c >= start && c < stop && fine[base + c] === FLUID) return true
    }
    return false
  })
  return { store, cells, flags, spans: allocateTable(crew, cells, store) }
}

/**
 * Builds the multigrid levels over a padded flag field (0 solid, 1 fluid, 2 air), on the crew's heap.
 * size: interior cells; flags: pointer to the bytes, ghosts written; open: shares of the faces, where walls cut cells; part: where only a part of the box is worked on, which then is all that is stored.
 */
export function buildPressure(
  crew: Crew,
  size: Size,
  flags: number,
  closed: ClosedSides,
  open?: readonly [number, number, number],
  part?: PartOfBox,
): PressureSystem {
  const { heap } = crew
  const levels: Level[] = []
  const sizes = levelSizes(size)
  let [store, spans, levelFlags] = [part?.store ?? wholeStore(size), part?.spans.cells ?? 0, flags]
  let cells = part?.cells
  sizes.forEach((own, depth) => {
    const [nx, ny, nz] = own
    const level: Level = {
      size: own,
      store,
      spans,
      flags: levelFlags,
      diag: heap.alloc(store.cells),
      norm: heap.alloc(store.cells),
      x: 0,
      b: 0,
      t: 0,
    }
    heap.u8(level.diag, store.cells).fill(0)
    heap.u8(level.norm, store.cells).fill(0)
    if (depth > 0)
      for (const key of ['x', 'b', 't'] as const) {
        level[key] = heap.alloc(store.cells * 4)
        heap.f32(level[key], store.cells).fill(0)
      }
    crew.run('countNeighbours', [level.diag, levelFlags, spans, nx, ny, nz], nz, layersPerChunk(own, crew.threads))
    levels.push(level)
    const coarse = sizes[depth + 1]
    if (!coarse) {
      heap.u8(level.norm, store.cells).fill(1)
      return
    }
    const solid = part?.walls.solid[depth + 1]
    let next: { store: RowStore; flags: number; spans: number }
    if (cells && solid) {
      const made = coarserPart(crew, { store, cells, flags: levelFlags }, coarse, solid, closed)
      cells = made.cells
      next = made
    } else {
      next = { store: wholeStore(coarse), flags: heap.alloc(paddedCells(coarse)), spans: 0 }
      crew.run(
        'coarsenFlags',
        [next.flags, levelFlags, nx, ny, nz, ...coarse],
        coarse[2],
        layersPerChunk(coarse, crew.threads),
      )
      flagGhosts(heap.u8(next.flags, paddedCells(coarse)), coarse, closed)
    }
    crew.run(
      'transferNorm',
      [level.norm, next.flags, spans, next.spans, nx, ny, nz, coarse[0], coarse[1]],
      nz,
      layersPerChunk(own, crew.threads),
    )
    ;({ store, spans, flags: levelFlags } = next)
  })
  return finishSystem(crew, { levels, flags, closed, open, part })
}

/** The system over its levels: what of it walls shut off, which cells they cut, how many there are. */
function finishSystem(
  crew: Crew,
  {
    levels,
    flags,
    closed,
    open,
    part,
  }: {
    levels: Level[]
    flags: number
    closed: ClosedSides
    open?: readonly [number, number, number]
    part?: PartOfBox
  },
): PressureSystem {
  const { heap } = crew
  const top = levels[0]
  if (!top) throw new TypeError('a pressure system needs a level')
  const partial = heap.alloc(top.size[2] * 80)
  let count = 0
  const diag = heap.u8(top.diag, top.store.cells)
  for (let i = 0; i < diag.length; i++) if (diag[i]) count++
  const cut = open && listCut(crew, top.store, flags, open)
  const sealed = enclosedRegions(
    top.store,
    heap.u8(flags, top.store.cells),
    open?.map((pointer) => heap.u8(pointer, top.store.cells)),
  )
  const enclosed = closed === 63 && !part && sealed.length === 1
  return {
    levels,
    partial,
    spans: part?.spans ?? WHOLE,
    store: top.store,
    cells: count,
    enclosed,
    sealed: enclosed ? [] : sealed,
    ...(cut ? { cut } : {}),
  }
}
