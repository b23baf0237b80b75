import type { Crew } from '../base/index.ts'
import type { Vec3 } from '../math/index.ts'
import type { GasFields } from './fields.ts'
import { layersPerChunk } from './multigrid.ts'

// What is done to whole fields between the steps of the air: the air outside the work, closed faces, scaling.

/** Before a field is written where there is work: what its kernels see round that. inner: what is written. What stands there already is not written again. */
export function outsideOf(
  crew: Crew,
  { spans, outside, box }: GasFields,
  pointer: number,
  inner: 'cells' | 'faces',
  value: number,
  rows = 0,
): void {
  const held = `${inner} ${value} ${rows}`
  if (!spans.wide || outside.get(pointer) === held) return
  crew.run(
    'fillWide',
    [pointer, value, rows, spans.wide, spans[inner], ...box.size],
    box.size[2] + 2,
    layersPerChunk(box.size, crew.threads, true),
  )
  outside.set(pointer, held)
}

/** Outside what is worked on: air that moves with the wind. */
export function settleOutside(crew: Crew, fields: GasFields, wind: Vec3): void {
  const { pointers, expansion, spans, rows, box } = fields
  if (!spans.cells) return
  fields.outside.clear()
  const settle = (pointer: number, value: number, where: number, byRow = 0): void =>
    crew.run(
      'fillOutside',
      [pointer, value, byRow, where, spans.wide, ...box.size],
      box.size[2] + 2,
      layersPerChunk(box.size, crew.threads),
    )
  ;[pointers.u, pointers.v, pointers.w].forEach((pointer, axis) =>
    settle(pointer, wind[axis] ?? 0, spans.faces, axis === 1 ? 0 : rows),
  )
  settle(pointers.density, 1, spans.cells)
  for (const pointer of [pointers.fuel, pointers.soot, pointers.burnt, pointers.pressure, expansion])
    settle(pointer, 0, spans.cells)
}

/** The faces in open air that are carried along with what is worked on move with the wind again. */
export function resetInactiveFaces(crew: Crew, { pointers, spans, flags, rows, box }: GasFields, wind: Vec3): void {
  if (!spans.faces) return
  const [nx, ny, nz] = box.size
  ;[pointers.u, pointers.v, pointers.w].forEach((pointer, axis) =>
    crew.run(
      'resetFaces',
      [pointer, flags, axis, wind[axis] ?? 0, axis === 1 ? 0 : rows, spans.faces, nx, ny],
      nz + 2,
      layersPerChunk(box.size, crew.threads, true),
    ),
  )
}

/** A field in nz + 2 equal parts, whatever lies in them: for kernels that take one element after the other. */
const partOf = ({ store, box }: Pick<GasFields, 'store' | 'box'>): number => store.cells / (box.size[2] + 2)

/** Stops what flows through walls. */
export function stopAtWalls(crew: Crew, fields: GasFields): void {
  const { pointers, scratch, flags, box, spans } = fields
  crew.run(
    'project',
    [pointers.u, pointers.v, pointers.w, scratch[0] ?? 0, 0, flags, spans.faces, ...box.size],
    box.size[2],
  )
  closeWalls(crew, fields)
}

/** Faces that are wholly closed stand still, or go with their moving wall. */
export function closeWalls(crew: Crew, fields: GasFields): void {
  const { pointers, open, moving, store } = fields
  if (!open) return
  ;[pointers.u, pointers.v, pointers.w].forEach((field, axis) => {
    closeFaces(crew, fields, field, axis)
    const faces = moving?.[axis]
    if (!faces) return
    const values = crew.heap.f32(field, store.cells)
    faces.elements.forEach((e, n) => {
      if ((faces.closed[n] ?? 0) >= 1) values[e] = faces.speeds[n] ?? 0
    })
  })
}

/** Faces across an axis that are wholly closed are 0 in a field. */
export const closeFaces = (crew: Crew, fields: GasFields, field: number, axis: number): void =>
  crew.run(
    'closeFaces',
    [field, fields.open?.[axis] ?? 0, partOf(fields)],
    fields.box.size[2] + 2,
    layersPerChunk(fields.box.size, crew.threads),
  )

/** The faces of an axis times their open shares, into another field. */
export const openFaces = (crew: Crew, fields: GasFields, into: number, field: number, axis: number): void =>
  crew.run(
    'openFaces',
    [into, field, fields.open?.[axis] ?? 0, partOf(fields)],
    fields.box.size[2] + 2,
    layersPerChunk(fields.box.size, crew.threads),
  )

/** A field times a number. */
export const scaleField = (crew: Crew, fields: GasFields, field: number, factor: number): void =>
  crew.run(
    'scale',
    [field, factor, partOf(fields)],
    fields.box.size[2] + 2,
    layersPerChunk(fields.box.size, crew.threads),
  )
