import type { Crew } from '../base/index.ts'
import { type CellBox, distanceTo, type Solid } from '../data/index.ts'
import { pow } from '../math/index.ts'
import { tilesIn } from './activeTiles.ts'
import { stopAtWalls } from './faces.ts'
import { uploadWhirlTile } from './forces.ts'
import {
  buildPressure,
  type ClosedSides,
  flagGhosts,
  levelSizes,
  type PartOfBox,
  type PressureSystem,
  type RowSpans,
  WHOLE,
} from './multigrid.ts'
import { allocateTable, spansOf, type TileSpans, tilesOf, WORK_TILE } from './rowTables.ts'
import type { GasSettings, SceneInputs } from './settings.ts'
import { baseOf, eachRow, type RowStore, startOf, stopOf, storeOf, wholeStore } from './sparseRows.ts'
import {
  cutCells,
  type MovingFaces,
  markCells,
  movingFaces,
  type OpenShares,
  putFlags,
  putShares,
  type Walls,
  wallsOf,
} from './walls.ts'

/** What a gas keeps from step to step. u, v, w in m/s on faces; the gas's density, fuel, soot and the fuel that was burnt over the ambient air's density; pressure / density in m^2/s^2. */
export const KEPT_FIELDS = ['u', 'v', 'w', 'density', 'fuel', 'soot', 'burnt', 'pressure'] as const
export type KeptField = (typeof KEPT_FIELDS)[number]

/**
 * The gas's memory on the crew's heap, padded fields of one box, whole or of what is near the work (sparseRows.ts):
 *   8 kept fields, expansion (1/s), 5 scratch fields: 56 bytes a cell; flags and the finest level's two byte fields 3; coarser levels about 2; open shares 3 where walls cut cells.
 */
export interface GasFields {
  box: CellBox
  store: RowStore
  closed: ClosedSides
  pointers: Record<KeptField, number>
  expansion: number
  scratch: number[]
  flags: number
  system: PressureSystem
  partial: number
  /** The wind's factor in each of the ny + 2 rows; 0 where it is the same everywhere. */
  rows: number
  /** Open shares of the faces, where walls cut through cells. */
  open?: OpenShares
  /** What moving walls push, through this step. */
  moving?: readonly MovingFaces[]
  /** The whirl tile of a seed. */
  whirls(seed: number): number
  /** Where of the box there is work, the tiles that hold it (undefined: all), and eight floats a tile for finding them. */
  spans: RowSpans
  active?: Uint8Array
  marks: number
  /** Where a part of the box is stored: its spans of cells, and where walls are in the whole of it. */
  cells?: Int32Array
  walls?: Walls
  /** What stands round the work in a field, by its pointer. Whoever writes there otherwise takes it out. */
  outside: Map<number, string>
  /** The heap where the fields begin, and where the pressure system does: that is laid anew when walls move. */
  mark: number
  systemMark: number
  /** The solids that the walls are of. */
  solids: readonly Solid[]
}

export type GasSurroundings = Pick<GasSettings, 'ambient' | 'shear' | 'forces' | 'cut'>
type Surrounded = Pick<SceneInputs, 'wind' | 'solids'>

export const SCRATCH_FIELDS = 5

/** A side of the box whose whole outside layer lies in solids is closed. */
function closedSides(box: CellBox, solids: readonly Solid[]): ClosedSides {
  let closed = 0
  for (let axis = 0; axis < 3; axis++)
    for (let end = 0; end < 2; end++) {
      const edge = (box.origin[axis] ?? 0) + (end ? (box.size[axis] ?? 0) + 0.5 : -0.5)
      const [p, q] = [(axis + 1) % 3, (axis + 2) % 3] as const
      const inSolid = (a: number, b: number): boolean => {
        const at: [number, number, number] = [0, 0, 0]
        at[axis] = edge * box.cell
        at[p] = a * box.cell
        at[q] = b * box.cell
        return solids.some((solid) => distanceTo(solid, at) < 0)
      }
      const samples = [0.02, 0.25, 0.5, 0.75, 0.98]
      const all = samples.every((s) =>
        samples.every((t) =>
          inSolid((box.origin[p] ?? 0) + s * (box.size[p] ?? 0), (box.origin[q] ?? 0) + t * (box.size[q] ?? 0)),
        ),
      )
      if (all) closed |= 1 << (axis * 2 + end)
    }
  return closed
}

/** Factors of the wind by row, ny + 2 of them; none without shear. */
function windRows(box: CellBox, { exponent, at, ground }: GasSettings['shear']): Float32Array | undefined {
  if (exponent <= 0) return undefined
  // The power law of the wind near the ground; its foot is held at a tenth of a metre.
  return Float32Array.from({ length: box.size[1] + 2 }, (_, j) =>
    pow(Math.max(0.1, (box.origin[1] + j - 0.5) * box.cell - ground) / at, exponent),
  )
}

/** Lays the walls and what the pressure needs of them. */
function uploadWalls(
  crew: Crew,
  {
    box,
    store,
    flags,
    open,
    closed,
    active,
    cells,
    spans,
    walls,
  }: Pick<GasFields, 'box' | 'store' | 'flags' | 'open' | 'closed' | 'active' | 'cells' | 'spans' | 'walls'>,
  solids: readonly Solid[],
): PressureSystem {
  const kinds = crew.heap.u8(flags, store.cells)
  const shares = open?.map((pointer) => crew.heap.u8(pointer, store.cells)) as
    | [Uint8Array, Uint8Array, Uint8Array]
    | undefined
  if (!active || !cells || !walls) {
    if (shares) cutCells(box, solids, closed, kinds, shares)
    else markCells(kinds, box, solids)
    flagGhosts(kinds, box.size, closed)
    return buildPressure(crew, box.size, flags, closed, open)
  }
  const { tiles } = tilesOf(box.size)
  const [wide, tall] = tiles
  putFlags(
    kinds,
    store,
    walls.solid[0] ?? new Uint8Array(),
    closed,
    (_, i, j, k) =>
      active[(Math.floor(k / WORK_TILE) * tall + Math.floor(j / WORK_TILE)) * wide + Math.floor(i / WORK_TILE)] === 1,
  )
  if (shares) putShares(shares, store, walls)
  const part: PartOfBox = { store, spans, cells, walls }
  return buildPressure(crew, box.size, flags, closed, open, part)
}

/** Puts the work where the tiles say it is (undefined: everywhere); elsewhere is air that moves with the wind. The heap past the fields' mark is lost. */
export function workIn(
  crew: Crew,
  fields: GasFields,
  surroundings: GasSurroundings,
  moment: Surrounded,
  active: Uint8Array | undefined,
): void {
  const next = lay(crew, fields.mark, fields.box, surroundings, moment, fields.closed, active, fields)
  for (const key of ['active', 'cells', 'walls'] as const) delete fields[key]
  Object.assign(fields, next)
}

/** Puts the walls where a moment has them; before: where they were dt ago. The heap past the pressure system is lost. */
export function moveWalls(crew: Crew, fields: GasFields, before: SceneInputs, now: SceneInputs, dt: number): void {
  crew.heap.release(fields.systemMark)
  delete fields.walls
  if (fields.active)
    fields.walls = wallsOf(
      fields.box,
      now.solids,
      fields.closed,
      fields.open !== undefined,
      levelSizes(fields.box.size),
    )
  fields.solids = now.solids
  fields.system = uploadWalls(crew, fields, now.solids)
  fields.moving = fields.open && movingFaces(crew, fields.box, fields.store, before.solids, now.solids, fields.open, dt)
}

/** Lays the fields out from the heap's mark on: ambient air, at rest or moving with the wind, stopped inside walls. Anything that was on the heap past the mark is lost. active: the tiles to be worked on; none: all. */
export function allocateFields(
  crew: Crew,
  mark: number,
  box: CellBox,
  surroundings: GasSurroundings,
  moment: Surrounded,
  sides?: ClosedSides,
  active?: Uint8Array,
): GasFields {
  const fields = lay(crew, mark, box, surroundings, moment, sides ?? closedSides(box, moment.solids), active)
  stopAtWalls(crew, fields)
  return fields
}

/** Names of what a run is made of, in the order of a restart state. */
const LIVE = [...KEPT_FIELDS, 'expansion'] as const
const AMBIENT = { density: 1, fuel: 0, soot: 0, burnt: 0, pressure: 0, expansion: 0 } as const

/**
 * Lays the fields, with what those of `before` hold where both are stored: of another box the cells they share and their faces, of the same one whatever is stored. Those lie at the same mark, and are moved one
 * after the other, so that no second set of them is needed.
 */
function lay(
  crew: Crew,
  mark: number,
  box: CellBox,
  surroundings: GasSurroundings,
  moment: Surrounded,
  closed: ClosedSides,
  active: Uint8Array | undefined,
  before?: GasFields,
): GasFields {
  const { heap } = crew
  const parts: TileSpans | undefined = active && spansOf(box.size, active)
  const store = parts ? storeOf(box.size, parts.wide) : wholeStore(box.size)
  const old = before && [
    ...LIVE.map((name) => (name === 'expansion' ? before.expansion : before.pointers[name])),
    ...before.scratch,
  ]
  const order = old ? [...old].sort((a, b) => a - b) : []
  heap.release(mark)
  const slots = Array.from({ length: LIVE.length + SCRATCH_FIELDS }, () => heap.alloc(store.cells * 4))
  const own = slots.map((_, n) => slots[old ? order.indexOf(old[n] ?? 0) : n] ?? 0)
  const shear = windRows(box, surroundings.shear)
  // From the end where fields grow, from the start where they shrink: none is written over before it was moved.
  const turns = own
    .map((pointer, n) => ({ pointer, n }))
    .sort((a, b) => (before && before.store.cells < store.cells ? b.pointer - a.pointer : a.pointer - b.pointer))
  for (const { pointer, n } of turns) {
    const name = LIVE[n]
    const from = before && name && old ? heap.f32(old[n] ?? 0, before.store.cells).slice() : undefined
    const field = heap.f32(pointer, store.cells)
    if (!name) {
      field.fill(0)
      continue
    }
    const axis = 'uvw'.indexOf(name)
    if (axis >= 0) fillWind(field, store, moment.wind[axis] ?? 0, axis === 1 ? undefined : shear)
    else field.fill(AMBIENT[name as keyof typeof AMBIENT])
    if (from && before) copyShared(field, store, box, from, before, axis)
  }
  const pointers = Object.fromEntries(KEPT_FIELDS.map((name, n) => [name, own[n]])) as Record<KeptField, number>
  const flags = heap.alloc(store.cells)
  const open: OpenShares | undefined = surroundings.cut
    ? [heap.alloc(store.cells), heap.alloc(store.cells), heap.alloc(store.cells)]
    : undefined
  const partial = heap.alloc(box.size[2] * 80)
  const rows = shear ? heap.alloc(shear.byteLength) : 0
  if (shear) heap.f32(rows, shear.length).set(shear)
  const whirls = uploadWhirlTile(crew, surroundings)
  const marks = heap.alloc(32 * tilesOf(box.size).count)
  const spans: RowSpans = parts
    ? {
        cells: allocateTable(crew, parts.cells, store),
        faces: allocateTable(crew, parts.faces, store),
        wide: allocateTable(crew, parts.wide, store, parts.layers),
      }
    : WHOLE
  const same = before?.walls && before.box === box && before.solids === moment.solids ? before.walls : undefined
  const walls = same ?? (active && wallsOf(box, moment.solids, closed, surroundings.cut, levelSizes(box.size)))
  const systemMark = heap.mark()
  const laid = {
    box,
    store,
    closed,
    flags,
    spans,
    ...(open ? { open } : {}),
    ...(active && parts ? { active, cells: parts.cells } : {}),
    ...(walls ? { walls } : {}),
  }
  const system = uploadWalls(crew, laid, moment.solids)
  return {
    ...laid,
    mark,
    pointers,
    expansion: own[KEPT_FIELDS.length] ?? 0,
    scratch: own.slice(LIVE.length),
    system,
    partial,
    rows,
    whirls,
    marks,
    outside: new Map(),
    solids: moment.solids,
    systemMark,
  }
}

/** A field of one component of the wind. factors: of its rows. */
function fillWind(field: Float32Array, store: RowStore, wind: number, factors?: Float32Array): void {
  field.fill(wind)
  if (factors)
    eachRow(store, (row, start, stop, base) =>
      field.fill(wind * (factors[row % (store.size[1] + 2)] ?? 1), base + start, base + stop),
    )
}

/** Copies what both stores hold of a field. axis: across which its faces lie; -1: of cells. */
function copyShared(
  field: Float32Array,
  store: RowStore,
  box: CellBox,
  from: Float32Array,
  before: GasFields,
  axis: number,
): void {
  const was = before.box
  const [tall, high] = [box.size[1] + 2, was.size[1] + 2]
  const shift = box.origin.map((o, n) => o - (was.origin[n] ?? 0)) as [number, number, number]
  // Array columns, rows and layers of this box: of the same one all; of another what they share, a layer of faces past it too, so that u, v and w lose nothing.
  const range = (n: 0 | 1 | 2): readonly [number, number] => {
    if (was === box) return [0, box.size[n] + 2]
    return [Math.max(0, -shift[n]) + 1, Math.min(box.size[n], was.size[n] - shift[n]) + 1 + (n === axis ? 1 : 0)]
  }
  const [x, y, z] = [range(0), range(1), range(2)]
  for (let k = z[0]; k < z[1]; k++)
    for (let j = y[0]; j < y[1]; j++) {
      const [row, other] = [k * tall + j, (k + shift[2]) * high + j + shift[1]]
      const start = Math.max(x[0], startOf(store, row), startOf(before.store, other) - shift[0])
      const stop = Math.min(x[1], stopOf(store, row), stopOf(before.store, other) - shift[0])
      const source = baseOf(before.store, other) + shift[0]
      if (start < stop) field.set(from.subarray(source + start, source + stop), baseOf(store, row) + start)
    }
}

/** The kept fields and the expansion as floats of their own, as they are stored, in KEPT_FIELDS' order: what a restart state holds. */
export function takeFields(crew: Crew, fields: GasFields): Float32Array[] {
  return LIVE.map((name) =>
    crew.heap.f32(name === 'expansion' ? fields.expansion : fields.pointers[name], fields.store.cells).slice(),
  )
}

/** Moves what two boxes share into another box on the same lattice; the rest of the new box is ambient air. The fields before are lost. */
export function moveFields(
  crew: Crew,
  mark: number,
  fields: GasFields,
  box: CellBox,
  surroundings: GasSurroundings,
  moment: Surrounded,
): GasFields {
  const next = lay(crew, mark, box, surroundings, moment, closedSides(box, moment.solids), tilesIn(fields, box), fields)
  stopAtWalls(crew, next)
  return next
}
