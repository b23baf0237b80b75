import type { Crew } from '../base/index.ts'
import { AHEAD } from './advection.ts'
import { closeWalls, outsideOf } from './faces.ts'
import type { GasFields } from './fields.ts'
import { layersPerChunk } from './multigrid.ts'
import { type SolveReport, solvePressure, sumPartials } from './pressure.ts'

/** The projection stops when the largest |divergence - expansion| x dt is under this. */
const DIVERGENCE_LIMIT = 5e-4

/** What moving walls push into the cells beside them, added to the right-hand side; returns its sum. */
function pushWalls(crew: Crew, { store, moving }: GasFields, rhs: number, diag: number): number {
  if (!moving) return 0
  const values = crew.heap.f32(rhs, store.cells)
  const inside = crew.heap.u8(diag, store.cells)
  let sum = 0
  for (const { elements, lower, closed, speeds } of moving)
    elements.forEach((e, n) => {
      const push = (closed[n] ?? 0) * (speeds[n] ?? 0)
      for (const [at, sign] of [
        [e, 1],
        [lower[n] ?? -1, -1],
      ] as const) {
        if (!inside[at]) continue
        values[at] = (values[at] ?? 0) + sign * push
        sum += sign * push
      }
    })
  return sum
}

/** In what walls shut off nothing has anywhere to go: there the right-hand side keeps only what differs from its mean. */
function keepWithin(crew: Crew, { system, store }: GasFields, rhs: number): void {
  if (system.sealed.length === 0) return
  const values = crew.heap.f32(rhs, store.cells)
  for (const part of system.sealed) {
    const mean = part.reduce((sum, e) => sum + (values[e] ?? 0), 0) / part.length
    for (const e of part) values[e] = (values[e] ?? 0) - mean
  }
}

/** Makes the velocity's divergence equal to the prescribed expansion. The last step's pressure is the first guess; what is left over it is solved, and the sum kept. */
export function projectVelocity(crew: Crew, fields: GasFields, dt: number): { solve: SolveReport; divergence: number } {
  const { pointers, scratch, box, flags, system, spans } = fields
  const [p, r, d, z, q] = scratch as [number, number, number, number, number]
  const [nx, ny, nz] = box.size
  const chunk = layersPerChunk(box.size, crew.threads, fields.active !== undefined)
  const top = system.levels[0]
  if (!top) throw new TypeError('a pressure system needs a level')
  crew.run(
    'project',
    [
      pointers.u,
      pointers.v,
      pointers.w,
      pointers.pressure,
      ((1 - AHEAD) * dt) / box.cell,
      flags,
      spans.faces,
      nx,
      ny,
      nz,
    ],
    nz,
    chunk,
  )
  for (const field of [r, d, z, q]) outsideOf(crew, fields, field, 'cells', 0)
  crew.run('fillGhosts', [r, nx, ny, nz, 0, 0, 0, spans.wide], nz + 2, chunk)
  const flow = [r, pointers.u, pointers.v, pointers.w, fields.expansion, top.diag]
  if (fields.open)
    crew.run('divergenceCut', [...flow, ...fields.open, box.cell, fields.partial, spans.cells, nx, ny, nz], nz, chunk)
  else crew.run('divergence', [...flow, box.cell, fields.partial, spans.cells, nx, ny, nz], nz, chunk)
  const pushed = pushWalls(crew, fields, r, top.diag)
  if (system.enclosed && system.cells > 0)
    crew.run(
      'shiftSystem',
      [r, top.diag, (sumPartials(crew, fields.partial, nz, 2, 0) + pushed) / system.cells, spans.cells, nx, ny, nz],
      nz,
      chunk,
    )
  keepWithin(crew, fields, r)
  fields.outside.set(p, 'cells 0 0')
  const solve = solvePressure(crew, system, p, r, d, z, q, { largest: (DIVERGENCE_LIMIT * box.cell) / dt })
  crew.run('project', [pointers.u, pointers.v, pointers.w, p, 1, flags, spans.faces, nx, ny, nz], nz, chunk)
  closeWalls(crew, fields)
  crew.run('stepDirection', [pointers.pressure, p, box.cell / dt, 1, spans.cells, nx, ny, nz], nz, chunk)
  return { solve, divergence: (solve.largest * dt) / box.cell }
}
