import type { Crew } from '../base/index.ts'
import type { Vec3 } from '../math/index.ts'
import { closeFaces, closeWalls, openFaces, outsideOf, resetInactiveFaces } from './faces.ts'
import type { GasFields } from './fields.ts'
import { layersPerChunk } from './multigrid.ts'

/**
 * Share of the pressure's push that the air feels where it sets out, by the last step's pressure; the rest where it arrives, by the projection. A half keeps the energy of what is projected away (the trapezoidal
 * rule along the path; Staniforth & Cote 1991); noise dies in the sweeps. The pressure that is kept is of both together.
 */
export const AHEAD = 0.4

/** fillGhosts' bit that leaves the last faces across a side as they are: they are its own, what flows through it. */
const OWN_FACES = [128, 512, 2048] as const

/** Ghost layers of all kept fields: ambient and wind outside open sides, mirrored along closed ones. */
export function fillAllGhosts(crew: Crew, fields: GasFields, wind: Vec3): void {
  const { pointers, box, closed, rows, spans } = fields
  const values = { u: wind[0], v: wind[1], w: wind[2], density: 1, fuel: 0, soot: 0, burnt: 0 }
  for (const name of Object.keys(values) as (keyof typeof values)[])
    crew.run(
      'fillGhosts',
      [
        pointers[name],
        ...box.size,
        closed | (OWN_FACES['uvw'.indexOf(name)] ?? 0),
        values[name],
        name === 'u' || name === 'w' ? rows : 0,
        spans.wide,
      ],
      box.size[2] + 2,
      layersPerChunk(box.size, crew.threads, fields.active !== undefined),
    )
}

/** Advects the velocity by fluxes, component by component, in the densities' order of axes. */
export function advectVelocity(crew: Crew, fields: GasFields, wind: Vec3, share: number, backward: boolean): void {
  const { pointers, scratch, box, closed, flags, spans } = fields
  const [nx, ny, nz] = box.size
  const [other, du, dv, dw, source] = scratch as [number, number, number, number, number]
  const chunk = layersPerChunk(box.size, crew.threads, fields.active !== undefined)
  const faces = [pointers.u, pointers.v, pointers.w]
  const axes = backward ? [2, 1, 0] : [0, 1, 2]
  for (const [comp, target] of [du, dv, dw].entries()) {
    const layers = nz + (comp === 2 ? 1 : 0)
    const outside = [wind[comp] ?? 0, comp === 1 ? 0 : fields.rows] as const
    outsideOf(crew, fields, source, 'faces', ...outside)
    crew.run(
      'reflect',
      [source, faces[comp] ?? 0, pointers.pressure, flags, comp, AHEAD * share, spans.faces, nx, ny, nz],
      nz,
      chunk,
    )
    // Across a closed face the pressure may leap; nothing flows there.
    if (fields.open) closeFaces(crew, fields, source, comp)
    for (const [n, axis] of axes.entries()) {
      const [from, to] = n === 1 ? [other, source] : [source, n === 0 ? other : target]
      crew.run('fillGhosts', [from, nx, ny, nz, closed | (OWN_FACES[comp] ?? 0), ...outside, spans.wide], nz + 2, chunk)
      outsideOf(crew, fields, to, 'faces', ...outside)
      const done = [0, 1].flatMap((m) => {
        const before = axes[m]
        return m >= n || before === undefined ? [0, 0] : [faces[before] ?? 0, before]
      })
      crew.run(
        'advectVelocity',
        [to, from, comp, axis, faces[axis] ?? 0, ...done, share, spans.faces, nx, ny, nz],
        layers,
        chunk,
      )
    }
    if (!(closed & (2 << (2 * comp))))
      crew.run(
        'calmInflow',
        [target, comp, share, wind[comp] ?? 0, comp === 1 ? 0 : fields.rows, spans.wide, nx, ny, nz],
        1,
      )
  }
  fields.scratch = [other, pointers.u, pointers.v, pointers.w, source]
  pointers.u = du
  pointers.v = dv
  pointers.w = dw
  resetInactiveFaces(crew, fields, wind)
  closeWalls(crew, fields)
}

/** Advects the densities by fluxes, axis after axis, in the other order every other step. sharp: soot that is no part of a fire keeps its edges. */
export function advectDensities(crew: Crew, fields: GasFields, share: number, backward: boolean, sharp: boolean): void {
  const { pointers, scratch, box, closed, flags, spans, open } = fields
  const [nx, ny, nz] = box.size
  const chunk = layersPerChunk(box.size, crew.threads, fields.active !== undefined)
  const faces = [pointers.u, pointers.v, pointers.w].map((field, axis) => {
    if (!open) return field
    // Past a cut only what its open share lets through.
    const through = scratch[1 + axis] ?? 0
    fields.outside.delete(through)
    openFaces(crew, fields, through, field, axis)
    return through
  })
  const axes = backward ? [2, 1, 0] : [0, 1, 2]
  for (const [name, ambient] of [
    ['density', 1],
    ['fuel', 0],
    ['soot', 0],
    ['burnt', 0],
  ] as const) {
    crew.run('fillSolid', [pointers[name], flags, spans.cells, nx, ny, nz, ambient], nz, chunk)
    for (const [n, axis] of axes.entries()) {
      crew.run('fillGhosts', [pointers[name], nx, ny, nz, closed, ambient, 0, spans.wide], nz + 2, chunk)
      const before = axes.slice(0, n)
      const done = [0, 1].flatMap((m) =>
        before[m] === undefined ? [0, 0] : [faces[before[m] ?? 0] ?? 0, before[m] ?? 0],
      )
      const target = scratch[0] ?? 0
      outsideOf(crew, fields, target, 'cells', ambient)
      crew.run(
        'advectScalar',
        [
          ...[
            target,
            pointers[name],
            axis,
            faces[axis] ?? 0,
            ...done,
            n === 2 ? 1 : 0,
            sharp && name === 'soot' ? 1 : 0,
          ],
          ...[share, spans.cells, nx, ny, nz],
        ],
        nz,
        chunk,
      )
      scratch[0] = pointers[name]
      pointers[name] = target
    }
  }
}
