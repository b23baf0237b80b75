import type { Crew } from '../base/index.ts'
import { type CellBox, distanceTo, paddedCells, paddedIndex, type Solid } from '../data/index.ts'
import { pow, type Vec3 } from '../math/index.ts'
import { layWhirls } from './forces.ts'
import { buildPressure, type ClosedSides, flagGhosts, layersPerChunk, type PressureSystem, type RowSpans, WHOLE } from './pressure.ts'
import type { GasMoment, GasSettings } from './settings.ts'
import { openOutside, spanRoom, tilesOf, writeSpans } from './spans.ts'
import { cutCells, markCells, type MovingFaces, movingFaces, type OpenShares } from './walls.ts'

/** What a gas keeps from step to step. u, v, w in m/s on faces; the gas's density, fuel, soot and the fuel that was burnt over the ambient air's density; pressure / density in m^2/s^2. */
export const KEPT_FIELDS = ['u', 'v', 'w', 'density', 'fuel', 'soot', 'burnt', 'pressure'] as const
export type KeptField = (typeof KEPT_FIELDS)[number]

/**
 * The gas's memory on the crew's heap, all padded fields of one box:
 *   8 kept fields, expansion (1/s), 5 scratch fields: 56 bytes a cell; flags and the finest level's two byte fields 3; coarser levels about 2; open shares 3 where walls cut cells.
 */
export interface GasFields {
  box: CellBox
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
  /** Where of the box there is work, the tiles that hold it (undefined: all) and the memory for both: three tables of spans and eight floats a tile. */
  spans: RowSpans
  active?: Uint8Array
  room: RowSpans & { tiles: number }
  /** What stands round the work in a field, by its pointer. Whoever writes there otherwise takes it out. */
  outside: Map<number, string>
  /** The heap where the pressure system begins: it is laid anew when walls move. */
  systemMark: number
}

export type GasSurroundings = Pick<GasSettings, 'ambient' | 'shear' | 'forces' | 'cut'>

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
      const all = samples.every((s) => samples.every((t) => inSolid((box.origin[p] ?? 0) + s * (box.size[p] ?? 0), (box.origin[q] ?? 0) + t * (box.size[q] ?? 0))))
      if (all) closed |= 1 << (axis * 2 + end)
    }
  return closed
}

/** Factors of the wind by row. 0: no shear. */
function layRows(crew: Crew, box: CellBox, { exponent, at, ground }: GasSettings['shear']): number {
  if (exponent <= 0) return 0
  const rows = crew.heap.alloc((box.size[1] + 2) * 4)
  const view = crew.heap.f32(rows, box.size[1] + 2)
  // The power law of the wind near the ground; its foot is held at a tenth of a metre.
  for (let j = 0; j < view.length; j++) view[j] = pow(Math.max(0.1, (box.origin[1] + j - 0.5) * box.cell - ground) / at, exponent)
  return rows
}

function layWalls(crew: Crew, box: CellBox, solids: readonly Solid[], flags: number, open: OpenShares | undefined, closed: ClosedSides, active?: Uint8Array, spans: RowSpans = WHOLE): PressureSystem {
  const cells = paddedCells(box.size)
  if (open) cutCells(crew, box, solids, flags, open)
  else markCells(crew.heap.u8(flags, cells), box, solids)
  flagGhosts(crew.heap.u8(flags, cells), box.size, closed)
  if (active) openOutside(crew.heap.u8(flags, cells), box.size, active)
  return buildPressure(crew, box.size, flags, closed, open, spans)
}

/** Puts the work where the tiles say it is (undefined: everywhere). What stands outside is not touched: settleOutside() makes still air of it. The heap past the pressure system is lost. */
export function workIn(crew: Crew, fields: GasFields, active: Uint8Array | undefined): void {
  const { box, flags, closed, open } = fields
  fields.active = active
  fields.outside.clear()
  fields.spans = active ? { cells: fields.room.cells, faces: fields.room.faces, wide: fields.room.wide } : WHOLE
  openOutside(crew.heap.u8(flags, paddedCells(box.size)), box.size, active)
  if (active) writeSpans(crew, box.size, active, fields.room)
  crew.heap.release(fields.systemMark)
  fields.system = buildPressure(crew, box.size, flags, closed, open, fields.spans)
}

/** Before a field is written where there is work: what its kernels see round that. inner: what is written. What stands there already is not written again. */
export function outsideOf(crew: Crew, { spans, outside, box }: GasFields, pointer: number, inner: 'cells' | 'faces', value: number, rows = 0): void {
  const held = `${inner} ${value} ${rows}`
  if (!spans.wide || outside.get(pointer) === held) return
  crew.run('fillWide', [pointer, value, rows, spans.wide, spans[inner], ...box.size], box.size[2] + 2, layersPerChunk(box.size, crew.threads, true))
  outside.set(pointer, held)
}

/** Outside what is worked on: air that moves with the wind. */
export function settleOutside(crew: Crew, fields: GasFields, wind: Vec3): void {
  const { pointers, expansion, spans, rows, box } = fields
  if (!spans.cells) return
  fields.outside.clear()
  const settle = (pointer: number, value: number, where: number, byRow = 0): void => crew.run('fillOutside', [pointer, value, byRow, where, ...box.size], box.size[2] + 2, layersPerChunk(box.size, crew.threads))
  ;[pointers.u, pointers.v, pointers.w].forEach((pointer, axis) => settle(pointer, wind[axis] ?? 0, spans.faces, axis === 1 ? 0 : rows))
  settle(pointers.density, 1, spans.cells)
  for (const pointer of [pointers.fuel, pointers.soot, pointers.burnt, pointers.pressure, expansion]) settle(pointer, 0, spans.cells)
}

/** The faces in open air that are carried along with what is worked on move with the wind again. */
export function calmStrays(crew: Crew, { pointers, spans, flags, rows, box }: GasFields, wind: Vec3): void {
  if (!spans.faces) return
  const [nx, ny, nz] = box.size
  ;[pointers.u, pointers.v, pointers.w].forEach((pointer, axis) => crew.run('calmFaces', [pointer, flags, axis, wind[axis] ?? 0, axis === 1 ? 0 : rows, spans.faces, nx, ny], nz + 2, layersPerChunk(box.size, crew.threads, true)))
}

/** Stops what flows through walls. */
function stopAtWalls(crew: Crew, fields: GasFields): void {
  const { pointers, scratch, flags, box } = fields
  crew.run('project', [pointers.u, pointers.v, pointers.w, scratch[0] ?? 0, 0, flags, 0, ...box.size], box.size[2])
  closeWalls(crew, fields)
}

/** Faces that are wholly closed stand still, or go with their moving wall. */
export function closeWalls(crew: Crew, { pointers, open, moving, box }: GasFields): void {
  if (!open) return
  const layer = (box.size[0] + 2) * (box.size[1] + 2)
  ;[pointers.u, pointers.v, pointers.w].forEach((field, axis) => {
    crew.run('closeFaces', [field, open[axis] ?? 0, layer], box.size[2] + 2, layersPerChunk(box.size, crew.threads))
    const faces = moving?.[axis]
    if (!faces) return
    const values = crew.heap.f32(field, paddedCells(box.size))
    faces.elements.forEach((e, n) => {
      if ((faces.closed[n] ?? 0) >= 1) values[e] = faces.speeds[n] ?? 0
    })
  })
}

/** Puts the walls where a moment has them; before: where they were dt ago. The heap past the pressure system is lost. */
export function moveWalls(crew: Crew, fields: GasFields, before: GasMoment, now: GasMoment, dt: number): void {
  crew.heap.release(fields.systemMark)
  fields.system = layWalls(crew, fields.box, now.solids, fields.flags, fields.open, fields.closed, fields.active, fields.spans)
  fields.moving = fields.open && movingFaces(crew, fields.box, before.solids, now.solids, fields.open, dt)
}

/** Lays the fields out from the heap's mark on: ambient air, at rest or moving with the wind. Anything that was on the heap past the mark is lost. */
export function layFields(crew: Crew, mark: number, box: CellBox, surroundings: GasSurroundings, moment: Pick<GasMoment, 'wind' | 'solids'>, sides?: ClosedSides): GasFields {
  const { heap } = crew
  heap.release(mark)
  const cells = paddedCells(box.size)
  const field = (value: number): number => {
    const pointer = heap.alloc(cells * 4)
    heap.f32(pointer, cells).fill(value)
    return pointer
  }
  const closed = sides ?? closedSides(box, moment.solids)
  const [wx, wy, wz] = moment.wind
  const pointers = { u: field(wx), v: field(wy), w: field(wz), density: field(1), fuel: field(0), soot: field(0), burnt: field(0), pressure: field(0) }
  const expansion = field(0)
  const scratch = Array.from({ length: SCRATCH_FIELDS }, () => field(0))
  const flags = heap.alloc(cells)
  const open: OpenShares | undefined = surroundings.cut ? [heap.alloc(cells), heap.alloc(cells), heap.alloc(cells)] : undefined
  const partial = heap.alloc(box.size[2] * 80)
  const rows = layRows(crew, box, surroundings.shear)
  if (rows) for (const [pointer, wind] of [[pointers.u, wx], [pointers.w, wz]] as const) sheared(heap.f32(pointer, cells), box, heap.f32(rows, box.size[1] + 2), wind)
  const whirls = layWhirls(crew, surroundings)
  const rowsInAll = (box.size[1] + 2) * (box.size[2] + 2)
  const room = { ...spanRoom(crew, rowsInAll, box.size[2] + 2), tiles: heap.alloc(32 * tilesOf(box.size).count) }
  const systemMark = heap.mark()
  const system = layWalls(crew, box, moment.solids, flags, open, closed)
  const fields: GasFields = { box, closed, pointers, expansion, scratch, flags, system, partial, rows, whirls, spans: WHOLE, room, outside: new Map(), systemMark, ...(open ? { open } : {}) }
  stopAtWalls(crew, fields)
  return fields
}

function sheared(field: Float32Array, { size }: CellBox, rows: Float32Array, wind: number): void {
  const [nx, ny, nz] = size
  for (let k = 0; k < nz + 2; k++) for (let j = 0; j < ny + 2; j++) field.fill(wind * (rows[j] ?? 1), (k * (ny + 2) + j) * (nx + 2), (k * (ny + 2) + j + 1) * (nx + 2))
}

/** The kept fields and the expansion as floats of their own, in KEPT_FIELDS' order: what a restart state holds. */
export function takeFields(crew: Crew, fields: GasFields): Float32Array[] {
  const cells = paddedCells(fields.box.size)
  return [...KEPT_FIELDS.map((name) => fields.pointers[name]), fields.expansion].map((pointer) => crew.heap.f32(pointer, cells).slice())
}

/** Moves what two boxes share into another box on the same lattice; the rest of the new box is ambient air. */
export function moveFields(crew: Crew, mark: number, fields: GasFields, box: CellBox, surroundings: GasSurroundings, moment: Pick<GasMoment, 'wind' | 'solids'>): GasFields {
  const before = takeFields(crew, fields)
  const next = layFields(crew, mark, box, surroundings, moment)
  const targets = [...KEPT_FIELDS.map((name) => next.pointers[name]), next.expansion]
  const cells = paddedCells(box.size)
  const from = fields.box
  const shift = box.origin.map((o, axis) => o - (from.origin[axis] ?? 0))
  const low = box.origin.map((o, axis) => Math.max(o, from.origin[axis] ?? 0))
  // One face layer past the last shared cell is carried too where both boxes have it, so that u, v and w lose nothing.
  const high = box.origin.map((o, axis) => Math.min(o + (box.size[axis] ?? 0), (from.origin[axis] ?? 0) + (from.size[axis] ?? 0)) + 1)
  const local = (corner: number[], axis: number, origin: readonly number[]): number => (corner[axis] ?? 0) - (origin[axis] ?? 0)
  const length = (high[0] ?? 0) - (low[0] ?? 0)
  if (shift.length === 3 && length > 0)
    targets.forEach((pointer, n) => {
      const target = crew.heap.f32(pointer, cells)
      const source = before[n]
      if (!source) return
      const face = n < 3 ? 1 : 0
      for (let k = low[2] ?? 0; k < (high[2] ?? 0) - 1 + (n === 2 ? face : 0); k++)
        for (let j = low[1] ?? 0; j < (high[1] ?? 0) - 1 + (n === 1 ? face : 0); j++) {
          const i = local(low, 0, from.origin)
          const row = paddedIndex(from.size, i, j - from.origin[1], k - from.origin[2])
          const to = paddedIndex(box.size, local(low, 0, box.origin), j - box.origin[1], k - box.origin[2])
          target.set(source.subarray(row, row + length - 1 + (n === 0 ? 1 : 0)), to)
        }
    })
  stopAtWalls(crew, next)
  return next
}
