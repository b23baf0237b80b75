import type { Crew } from '../base/index.ts'
import { outsideOf } from './faces.ts'
import type { GasFields } from './fields.ts'
import { layersPerChunk } from './multigrid.ts'
import { maxPartials } from './pressure.ts'

/** Makes a field 0 round what is worked on. */
function stillGhosts(crew: Crew, fields: GasFields, pointer: number): void {
  const { box, spans } = fields
  crew.run(
    'fillGhosts',
    [pointer, ...box.size, 0, 0, 0, spans.wide],
    box.size[2] + 2,
    layersPerChunk(box.size, crew.threads, fields.active !== undefined),
  )
  outsideOf(crew, fields, pointer, 'cells', 0)
}

/** Pushes the whirls that the grid wears down (Fedkiw, Stam & Jensen 2001). */
export function confineVorticity(crew: Crew, fields: GasFields, strength: number, dt: number): void {
  const { pointers, scratch, box, spans } = fields
  const [ox, oy, oz, len] = scratch as [number, number, number, number]
  const [nx, ny, nz] = box.size
  const chunk = layersPerChunk(box.size, crew.threads, fields.active !== undefined)
  for (const pointer of [ox, oy, oz, len]) stillGhosts(crew, fields, pointer)
  crew.run('curl', [ox, oy, oz, len, pointers.u, pointers.v, pointers.w, spans.cells, nx, ny, nz], nz, chunk)
  // curl() leaves omega x cell; force = strength x cell x (N x omega), so the change is strength x dt x that, per cell.
  crew.run('confine', [ox, oy, oz, len, strength * dt, spans.cells, nx, ny, nz], nz, chunk)
  crew.run('addCentred', [pointers.u, pointers.v, pointers.w, ox, oy, oz, spans.faces, nx, ny, nz], nz, chunk)
}

/** Largest size of three numbers at faces. */
export function largest(
  crew: Crew,
  { box, partial, spans, active }: GasFields,
  a: number,
  b: number,
  c: number,
): number {
  crew.run(
    'fastest',
    [a, b, c, partial, spans.faces, ...box.size],
    box.size[2],
    layersPerChunk(box.size, crew.threads, active !== undefined),
  )
  return maxPartials(crew, partial, box.size[2])
}

/** Largest face speed, m/s. */
export const fastestSpeed = (crew: Crew, fields: GasFields): number =>
  largest(crew, fields, fields.pointers.u, fields.pointers.v, fields.pointers.w)
