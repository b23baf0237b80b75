import type { Crew } from '../base/index.ts'
import { paddedCells } from '../data/index.ts'
import { exp } from '../math/index.ts'
import type { GasFields } from './fields.ts'
import { layersPerChunk, maxPartials, type SolveReport, solvePressure, sumPartials } from './pressure.ts'
import { AIR_DENSITY, AIR_HEAT_CAPACITY, GAS_ABSORPTION, type GasSettings, GRAVITY, HEAT_OF_COMBUSTION, HOTTEST, IGNITION } from './settings.ts'
import { feed, type SourceCells } from './sources.ts'

/** Running totals of one gas, carried from step to step and kept in restart states. Energies in J, masses in kg. */
export interface GasBudget {
  /** Sums over cells as they stand: theta = 1 - T0/T, fuel kg/m^3, soot kg/m^3, and theta x expansion, 1/s. */
  theta: number
  fuel: number
  soot: number
  growth: number
  /** Since the start. */
  burned: number
  radiated: number
  carriedOut: number
  pilot: number
  sootMade: number
  sootOut: number
  fuelOut: number
}

export const emptyBudget = (): GasBudget => ({ theta: 0, fuel: 0, soot: 0, growth: 0, burned: 0, radiated: 0, carriedOut: 0, pilot: 0, sootMade: 0, sootOut: 0, fuelOut: 0 })

export interface StepReport {
  solve: SolveReport
  /** Of this step: heat set free and radiated, J; centre of the burning, array coordinates weighted by fuel burnt, kg/m^3 summed. */
  burned: number
  radiated: number
  burntSum: number
  burntAt: [number, number, number]
  /** Largest |divergence - prescribed expansion| x dt after the projection. */
  divergence: number
}

/** The projection stops when the largest |divergence - expansion| x dt is under this. */
const DIVERGENCE_LIMIT = 5e-4
/** A mass fixer may change a total by no more than this in one step. */
const FIXER_LIMIT = 0.02

const energyPerTheta = (settings: GasSettings): number => AIR_DENSITY * AIR_HEAT_CAPACITY * settings.ambient

/** Net outflow of theta, fuel and soot through the open sides, summed over faces: value x m/s. Upwind; ambient comes in. */
function outflow(crew: Crew, fields: GasFields, ambient: number): { theta: number; fuel: number; soot: number } {
  const { box, pointers, closed } = fields
  const cells = paddedCells(box.size)
  const [nx, ny, nz] = box.size
  const strides = [1, nx + 2, (nx + 2) * (ny + 2)]
  const velocity = [pointers.u, pointers.v, pointers.w].map((p) => crew.heap.f32(p, cells))
  const t = crew.heap.f32(pointers.t, cells)
  const f = crew.heap.f32(pointers.fuel, cells)
  const s = crew.heap.f32(pointers.soot, cells)
  const sums = { theta: 0, fuel: 0, soot: 0 }
  const sizes = [nx, ny, nz]
  for (let axis = 0; axis < 3; axis++) {
    const [p, q] = [(axis + 1) % 3, (axis + 2) % 3]
    const sp = strides[p] ?? 1
    const sq = strides[q] ?? 1
    const sa = strides[axis] ?? 1
    const speeds = velocity[axis]
    if (!speeds) continue
    for (let end = 0; end < 2; end++) {
      if (closed & (1 << (axis * 2 + end))) continue
      const base = end ? (sizes[axis] ?? 0) * sa : sa
      for (let b = 1; b <= (sizes[q] ?? 0); b++)
        for (let a = 1; a <= (sizes[p] ?? 0); a++) {
          const inner = base + a * sp + b * sq
          const out = end ? (speeds[inner + sa] ?? 0) : -(speeds[inner] ?? 0)
          if (out <= 0) continue
          sums.theta += out * (1 - ambient / (t[inner] ?? ambient))
          sums.fuel += out * (f[inner] ?? 0)
          sums.soot += out * (s[inner] ?? 0)
        }
    }
  }
  return sums
}

const limited = (wanted: number, found: number): number => (found > 1e-12 && wanted > 0 ? Math.min(1 + FIXER_LIMIT, Math.max(1 - FIXER_LIMIT, wanted / found)) : 1)

/** Ghost layers of all kept fields: ambient and wind outside open sides, mirrored along closed ones. */
function fillAllGhosts(crew: Crew, fields: GasFields, settings: GasSettings): void {
  const { pointers, box, closed } = fields
  const values = { u: settings.wind[0], v: settings.wind[1], w: settings.wind[2], t: settings.ambient, fuel: 0, soot: 0 }
  for (const name of Object.keys(values) as (keyof typeof values)[]) crew.run('fillGhosts', [pointers[name], ...box.size, closed, values[name]], 1)
}

function advectVelocity(crew: Crew, fields: GasFields, shift: number): void {
  const { pointers, scratch, box } = fields
  const [nx, ny, nz] = box.size
  const [fwd, du, dv, dw] = scratch as [number, number, number, number]
  const chunk = layersPerChunk(box.size, crew.threads)
  const flow = [pointers.u, pointers.v, pointers.w, fields.centred]
  const velocity = [pointers.u, pointers.v, pointers.w]
  const targets = [du, dv, dw]
  for (let comp = 0; comp < 3; comp++) {
    const source = velocity[comp] ?? 0
    const target = targets[comp] ?? 0
    const layers = nz + (comp === 2 ? 1 : 0)
    // Where fwd is not written (ghosts), it repeats the source, so that the second pass finds the same air outside.
    crew.run('copy', [fwd, source, (nx + 2) * (ny + 2)], nz + 2, chunk)
    crew.run('advectForward', [comp, ...flow, nx, ny, nz, shift, 1, source, fwd, 0, 0, 0, 0], layers, chunk)
    crew.run('copy', [target, source, (nx + 2) * (ny + 2)], nz + 2, chunk)
    crew.run('advectCorrect', [comp, ...flow, nx, ny, nz, shift, 1, source, fwd, target, 0, 0, 0, 0, 0, 0], layers, chunk)
  }
  fields.scratch = [fwd, pointers.u, pointers.v, pointers.w, ...scratch.slice(4)]
  pointers.u = du
  pointers.v = dv
  pointers.w = dw
}

function advectScalars(crew: Crew, fields: GasFields, settings: GasSettings, shift: number): void {
  const { pointers, scratch, box, closed } = fields
  const [nx, ny, nz] = box.size
  const [f0, f1, f2, d0, d1, d2] = scratch as [number, number, number, number, number, number]
  const chunk = layersPerChunk(box.size, crew.threads)
  const flow = [pointers.u, pointers.v, pointers.w, fields.centred]
  for (const [pointer, ambient] of [[pointers.t, settings.ambient], [pointers.fuel, 0], [pointers.soot, 0]] as const)
    crew.run('fillSolid', [pointer, fields.flags, nx, ny, nz, ambient], nz, chunk)
  crew.run('advectForward', [3, ...flow, nx, ny, nz, shift, 3, pointers.t, f0, pointers.fuel, f1, pointers.soot, f2], nz, chunk)
  crew.run('fillGhosts', [f0, nx, ny, nz, closed, settings.ambient], 1)
  crew.run('fillGhosts', [f1, nx, ny, nz, closed, 0], 1)
  crew.run('fillGhosts', [f2, nx, ny, nz, closed, 0], 1)
  crew.run('advectCorrect', [3, ...flow, nx, ny, nz, shift, 3, pointers.t, f0, d0, pointers.fuel, f1, d1, pointers.soot, f2, d2], nz, chunk)
  fields.scratch = [f0, f1, f2, pointers.t, pointers.fuel, pointers.soot]
  pointers.t = d0
  pointers.fuel = d1
  pointers.soot = d2
}

/** Makes the velocity's divergence equal to the prescribed expansion. Pressure is solved afresh each time. */
function projectVelocity(crew: Crew, fields: GasFields, dt: number): { solve: SolveReport; divergence: number } {
  const { pointers, scratch, box, flags, pressure } = fields
  const [p, r, d, z, q] = scratch as [number, number, number, number, number]
  const [nx, ny, nz] = box.size
  const chunk = layersPerChunk(box.size, crew.threads)
  const top = pressure.levels[0]
  if (!top) throw new TypeError('a pressure system needs a level')
  crew.run('project', [pointers.u, pointers.v, pointers.w, zeroed(crew, fields, p), flags, nx, ny, nz], nz, chunk)
  crew.run('fill', [r, 0, (nx + 2) * (ny + 2)], nz + 2, chunk)
  crew.run('divergence', [r, pointers.u, pointers.v, pointers.w, fields.expansion, top.diag, box.cell, fields.partial, nx, ny, nz], nz, chunk)
  if (pressure.enclosed && pressure.cells > 0) crew.run('shiftSystem', [r, top.diag, sumPartials(crew, fields.partial, nz, 2, 0) / pressure.cells, nx, ny, nz], nz, chunk)
  const solve = solvePressure(crew, pressure, p, r, d, z, q, { largest: (DIVERGENCE_LIMIT * box.cell) / dt })
  crew.run('project', [pointers.u, pointers.v, pointers.w, p, flags, nx, ny, nz], nz, chunk)
  return { solve, divergence: (solve.largest * dt) / box.cell }
}

function zeroed(crew: Crew, fields: GasFields, pointer: number): number {
  const [nx, ny, nz] = fields.box.size
  crew.run('fill', [pointer, 0, (nx + 2) * (ny + 2)], nz + 2, layersPerChunk(fields.box.size, crew.threads))
  return pointer
}

function confineVorticity(crew: Crew, fields: GasFields, strength: number, dt: number): void {
  const { pointers, scratch, box } = fields
  const [ox, oy, oz, len] = scratch as [number, number, number, number]
  const [nx, ny, nz] = box.size
  const chunk = layersPerChunk(box.size, crew.threads)
  for (const pointer of [ox, oy, oz, len]) zeroed(crew, fields, pointer)
  crew.run('curl', [ox, oy, oz, len, pointers.u, pointers.v, pointers.w, nx, ny, nz], nz, chunk)
  // curl() leaves omega x cell; force = strength x cell x (N x omega), so the change is strength x dt x that, per cell.
  crew.run('confine', [ox, oy, oz, len, strength * dt, nx, ny, nz], nz, chunk)
  crew.run('addCentred', [pointers.u, pointers.v, pointers.w, ox, oy, oz, nx, ny, nz], nz, chunk)
}

/** Largest face speed, m/s. */
export function fastestSpeed(crew: Crew, fields: GasFields): number {
  const { pointers, box, partial } = fields
  crew.run('fastest', [pointers.u, pointers.v, pointers.w, partial, ...box.size], box.size[2], layersPerChunk(box.size, crew.threads))
  return maxPartials(crew, partial, box.size[2])
}

/**
 * One step of `dt` seconds ending at `time`: feed, force, project, carry, burn.
 * Conservation: after carrying, theta, fuel and soot are scaled to the totals that the boundary fluxes leave (the multiplicative fixer, Rood 1987).
 */
export function stepGas(crew: Crew, fields: GasFields, settings: GasSettings, feeds: readonly SourceCells[], budget: GasBudget, dt: number, time: number): StepReport {
  const { box } = fields
  const [nx, ny, nz] = box.size
  const volume = box.cell ** 3
  const chunk = layersPerChunk(box.size, crew.threads)
  const energy0 = energyPerTheta(settings)

  settings.sources.forEach((source, index) => {
    const cells = feeds[index]
    if (!cells) return
    const input = feed(crew, fields, settings, source, cells, dt, time, index)
    budget.fuel += input.fuel / volume
    budget.soot += input.soot / volume
    budget.sootMade += input.soot
    budget.theta += input.theta
    budget.pilot += input.theta * energy0 * volume
  })
  fillAllGhosts(crew, fields, settings)
  crew.run('buoyancy', [fields.pointers.v, fields.pointers.t, GRAVITY * dt, settings.ambient, nx, ny, nz], nz, chunk)
  if (settings.confinement > 0) confineVorticity(crew, fields, settings.confinement, dt)
  const { solve, divergence } = projectVelocity(crew, fields, dt)
  fillAllGhosts(crew, fields, settings)

  const out = outflow(crew, fields, settings.ambient)
  const share = dt / box.cell
  crew.run('centreVelocity', [fields.centred, fields.pointers.u, fields.pointers.v, fields.pointers.w, nx, ny, nz], nz + 2, chunk)
  advectScalars(crew, fields, settings, share)
  advectVelocity(crew, fields, share)
  const { pointers, partial, flags } = fields
  crew.run('thinAndTotal', [pointers.t, pointers.fuel, pointers.soot, fields.expansion, flags, dt, settings.ambient, partial, nx, ny, nz], nz, chunk)
  const found = [0, 1, 2].map((n) => sumPartials(crew, partial, nz, 4, n)) as [number, number, number]
  const scaleT = limited(budget.theta - out.theta * share + budget.growth * dt, found[0])
  const scaleF = limited(budget.fuel - out.fuel * share, found[1])
  const scaleS = limited(budget.soot - out.soot * share, found[2])
  budget.carriedOut += out.theta * share * energy0 * volume
  budget.sootOut += out.soot * share * volume
  budget.fuelOut += out.fuel * share * volume

  const burnt = 1 - exp(-dt / settings.burnTime)
  crew.run('react', [pointers.t, pointers.fuel, pointers.soot, fields.expansion, flags, dt, settings.ambient, energy0, scaleT, scaleF, scaleS, burnt, IGNITION, HEAT_OF_COMBUSTION, settings.sootYield, GAS_ABSORPTION, HOTTEST, partial, nx, ny, nz], nz, chunk)
  const sums = Array.from({ length: 9 }, (_, n) => sumPartials(crew, partial, nz, 9, n)) as [number, number, number, number, number, number, number, number, number]
  const burned = sums[0] * HEAT_OF_COMBUSTION * volume
  const radiated = sums[1] * energy0 * volume
  budget.theta = sums[5]
  budget.fuel = sums[6]
  budget.soot = sums[7]
  budget.growth = sums[8] / dt
  budget.burned += burned
  budget.radiated += radiated
  budget.sootMade += sums[0] * settings.sootYield * volume
  return { solve, divergence, burned, radiated, burntSum: sums[0], burntAt: [sums[2], sums[3], sums[4]] }
}

/** Sums what the box holds afresh, after it was cut or widened; what is gone counts as carried out. */
export function recount(crew: Crew, fields: GasFields, settings: GasSettings, budget: GasBudget): void {
  const { pointers, partial, flags, box } = fields
  crew.run('thinAndTotal', [pointers.t, pointers.fuel, pointers.soot, fields.expansion, flags, 0, settings.ambient, partial, ...box.size], box.size[2])
  const [theta, fuel, soot] = [0, 1, 2].map((n) => sumPartials(crew, partial, box.size[2], 4, n)) as [number, number, number]
  const volume = box.cell ** 3
  budget.carriedOut += (budget.theta - theta) * energyPerTheta(settings) * volume
  budget.fuelOut += (budget.fuel - fuel) * volume
  budget.sootOut += (budget.soot - soot) * volume
  budget.theta = theta
  budget.fuel = fuel
  budget.soot = soot
}
