import { type Crew, hash01 } from '../base/index.ts'
import { smooth01 } from '../math/index.ts'
import type { GasFields } from './fields.ts'
import { layersPerChunk } from './multigrid.ts'
import type { ForceInputs, GasForce, GasSettings, SceneInputs } from './settings.ts'
import { WHIRL_NODES, WHIRL_WAVES, whirlTile } from './whirls.ts'

/** The two places of the whirl tile that turbulence is blended from at a time, and their shares; squares of the shares add up to 1, so that its strength stays. */
export function whirlPlaces(
  force: GasForce,
  time: number,
): { places: readonly [readonly number[], readonly number[]]; shares: readonly [number, number] } {
  const turn = time * force.change
  const step = Math.floor(turn)
  const t = smooth01(turn - step)
  const place = (n: number): number[] => [0, 1, 2].map((axis) => WHIRL_NODES * hash01(force.seed * 31 + axis, n))
  return { places: [place(step), place(step + 1)], shares: [Math.sqrt(1 - t), Math.sqrt(t)] }
}

/** Nodes of the whirl tile a metre, for whirls of a size. */
export const whirlPitch = (size: number): number => WHIRL_NODES / WHIRL_WAVES / 2 / size

function apply(crew: Crew, fields: GasFields, force: GasForce, now: ForceInputs, dt: number, time: number): void {
  const { box, pointers, spans } = fields
  const [nx, ny, nz] = box.size
  const chunk = layersPerChunk(box.size, crew.threads)
  const size = [nx, ny, nz]
  const faces = [pointers.u, pointers.v, pointers.w]
  const grid = [...box.origin, box.cell]
  if (now.strength === 0) return
  if (force.way === 'drag') {
    for (const [comp, field] of faces.entries())
      crew.run(
        'dragFaces',
        [field, comp, ...grid, ...now.centre, now.strength, now.radius, force.soft, dt, spans.faces, ...size],
        nz,
        chunk,
      )
    return
  }
  if (force.way === 'turbulence') {
    const { places, shares } = whirlPlaces(force, time)
    const tile = fields.whirls(force.seed)
    for (const [comp, field] of faces.entries())
      crew.run(
        'stirFaces',
        [
          field,
          comp,
          tile,
          WHIRL_NODES,
          ...grid,
          whirlPitch(force.size),
          ...places[0],
          shares[0],
          ...places[1],
          shares[1],
          ...now.centre,
          now.radius,
          force.soft,
          now.strength * dt,
          spans.faces,
          ...size,
        ],
        nz,
        chunk,
      )
    return
  }
  const [along, round, blow] =
    force.way === 'push' ? [now.strength, 0, 0] : force.way === 'swirl' ? [0, now.strength, 0] : [0, 0, now.strength]
  for (const [comp, field] of faces.entries())
    crew.run(
      'pushFaces',
      [
        field,
        comp,
        ...grid,
        ...now.centre,
        ...now.axis,
        along,
        round,
        blow,
        now.radius,
        force.soft,
        dt,
        spans.faces,
        ...size,
      ],
      nz,
      chunk,
    )
}

/** All forces of a moment on the air for `dt` seconds ending at `time`; a wind that differs from the last carries all the air with it. */
export function pushAir(
  crew: Crew,
  fields: GasFields,
  settings: GasSettings,
  before: SceneInputs,
  now: SceneInputs,
  dt: number,
  time: number,
): void {
  const { box, pointers } = fields
  const [nx, ny, nz] = box.size
  settings.forces.forEach((force, n) => {
    const moment = now.forces[n]
    if (moment) apply(crew, fields, force, moment, dt, time)
  })
  for (const [comp, field] of [pointers.u, pointers.v, pointers.w].entries()) {
    const gain = (now.wind[comp] ?? 0) - (before.wind[comp] ?? 0)
    if (gain === 0) continue
    fields.outside.delete(field)
    crew.run(
      'windFaces',
      [field, gain, comp === 1 ? 0 : fields.rows, fields.spans.wide, nx, ny, nz],
      nz,
      layersPerChunk(box.size, crew.threads),
    )
  }
}

/** Lays the whirls of every turbulence on the heap: one tile a seed. */
export function uploadWhirlTile(crew: Crew, settings: Pick<GasSettings, 'forces'>): (seed: number) => number {
  const laid = new Map<number, number>()
  for (const force of settings.forces) {
    if (force.way !== 'turbulence' || laid.has(force.seed)) continue
    const tile = whirlTile(force.seed)
    const at = crew.heap.alloc(tile.byteLength)
    crew.heap.f32(at, tile.length).set(tile)
    laid.set(force.seed, at)
  }
  return (seed) => laid.get(seed) ?? 0
}
