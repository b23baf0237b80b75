import type { Crew } from '../base/index.ts'
import { exp, subtract, type Vec3 } from '../math/index.ts'
import { advectDensities, advectVelocity, fillAllGhosts } from './advection.ts'
import { closeWalls, scaleField } from './faces.ts'
import type { GasFields } from './fields.ts'
import { pushAir } from './forces.ts'
import { layersPerChunk } from './multigrid.ts'
import { type SolveReport, sumPartials } from './pressure.ts'
import { projectVelocity } from './projection.ts'
import {
  AIR_DENSITY,
  AIR_HEAT_CAPACITY,
  AIR_NEED,
  GAS_ABSORPTION,
  type GasSettings,
  GRAVITY,
  HEAT_OF_COMBUSTION,
  HOTTEST,
  MIXING,
  type SceneInputs,
  SOOT_ABSORPTION,
  STEFAN_BOLTZMANN,
} from './settings.ts'
import { feed, type SourceCells } from './sources.ts'
import { confineVorticity, fastestSpeed, largest } from './velocity.ts'

/** Running totals of one gas, carried from step to step and kept in restart states. Energies in J, masses in kg. */
export interface GasBudget {
  /** Sums over cells as they stand: theta = 1 - density, fuel and soot over the air's density. */
  theta: number
  fuel: number
  soot: number
  /** Taken so far: every other one carries axis by axis in the other order. */
  steps: number
  /** Since the start. */
  burned: number
  radiated: number
  carriedOut: number
  pilot: number
  sootMade: number
  sootOut: number
  fuelOut: number
}

export const emptyBudget = (): GasBudget => ({
  theta: 0,
  fuel: 0,
  soot: 0,
  steps: 0,
  burned: 0,
  radiated: 0,
  carriedOut: 0,
  pilot: 0,
  sootMade: 0,
  sootOut: 0,
  fuelOut: 0,
})

export interface StepReport {
  solve: SolveReport
  /** Of this step: heat set free and radiated, J; centre of the burning, array coordinates weighted by fuel burnt, which is over the air's density and summed over cells. */
  burned: number
  radiated: number
  burntSum: number
  burntAt: [number, number, number]
  /** Largest |divergence - prescribed expansion| x dt after the projection. */
  divergence: number
}

/** A sweep carries no further than this share of a cell, and from a cell that grows no more than this share of it (what is left of it divides what it holds); a step is divided for it into no more than so many. */
const LONGEST_SWEEP = 1
const LARGEST_GROWTH = 0.5
const MOST_PARTS = 16

const energyPerTheta = (settings: GasSettings): number => AIR_DENSITY * AIR_HEAT_CAPACITY * settings.ambient

/** Net outflow of theta, fuel and soot through the open sides, summed over faces: value x m/s. Upwind; ambient comes in. */
function outflow(
  crew: Crew,
  { pointers, spans, closed, partial, box }: GasFields,
): { theta: number; fuel: number; soot: number } {
  crew.run(
    'outflow',
    [
      pointers.u,
      pointers.v,
      pointers.w,
      pointers.density,
      pointers.fuel,
      pointers.soot,
      spans.cells,
      closed,
      partial,
      ...box.size,
    ],
    1,
  )
  const [theta = 0, fuel = 0, soot = 0] = crew.heap.f64(partial, 3)
  return { theta, fuel, soot }
}

/** A step from one moment to another. */
export interface Stage {
  before: SceneInputs
  now: SceneInputs
}

/** Feeds what the sources give in this step, and counts it. */
function feedSources(
  crew: Crew,
  fields: GasFields,
  settings: GasSettings,
  { before, now }: Stage,
  feeds: readonly SourceCells[],
  budget: GasBudget,
  dt: number,
  time: number,
): void {
  const energy0 = energyPerTheta(settings)
  settings.sources.forEach(({ perArea }, index) => {
    const [cells, source, was] = [feeds[index], now.sources[index], before.sources[index]]
    if (!cells || !source || !was) return
    const velocity = subtract(source.centre, was.centre).map((d) => d / dt) as [number, number, number]
    const input = feed(crew, fields, settings, source, perArea, cells, velocity, dt, time, index)
    budget.sootMade += input.soot
    budget.pilot += (input.theta + input.growth * dt) * energy0 * fields.box.cell ** 3
  })
}

/** What pushes the air: buoyancy, the pressure across density, whirls, the set forces. */
function pushAll(
  crew: Crew,
  fields: GasFields,
  settings: GasSettings,
  { before, now }: Stage,
  dt: number,
  time: number,
): void {
  const { box, pointers, spans } = fields
  const [nx, ny, nz] = box.size
  const chunk = layersPerChunk(box.size, crew.threads, fields.active !== undefined)
  fillAllGhosts(crew, fields, now.wind)
  crew.run('buoyancy', [pointers.v, pointers.density, pointers.soot, GRAVITY * dt, spans.faces, nx, ny, nz], nz, chunk)
  const { u, v, w, pressure, density } = pointers
  crew.run('baroclinic', [u, v, w, pressure, density, dt / box.cell, spans.faces, nx, ny, nz], nz, chunk)
  if (settings.confinement > 0) confineVorticity(crew, fields, settings.confinement, dt)
  pushAir(crew, fields, settings, before, now, dt, time)
  closeWalls(crew, fields)
}

/** Advects all, in several parts where this step itself set going what may outrun it, or blows a cell up to several. */
function advectAll(
  crew: Crew,
  fields: GasFields,
  wind: Vec3,
  share: number,
  dt: number,
  backward: boolean,
  sharp: boolean,
): void {
  const growth = largest(crew, fields, fields.expansion, fields.expansion, fields.expansion) * dt
  const fastest = Math.max((fastestSpeed(crew, fields) * share) / LONGEST_SWEEP, growth / LARGEST_GROWTH)
  const parts = Math.min(MOST_PARTS, Math.max(1, Math.ceil(fastest - 1e-6)))
  for (let part = 0; part < parts; part++) {
    if (part > 0) fillAllGhosts(crew, fields, wind)
    advectDensities(crew, fields, share / parts, backward, sharp)
    advectVelocity(crew, fields, wind, share / parts, backward)
  }
}

type Sums = [number, number, number, number, number, number, number, number]

/** Burns and radiates. Sums over cells: fuel burnt, theta radiated, the burning's place (three), theta, fuel, soot. */
function react(crew: Crew, fields: GasFields, settings: GasSettings, dt: number): Sums {
  const { box, pointers, partial, flags } = fields
  const [nx, ny, nz] = box.size
  const chunk = layersPerChunk(box.size, crew.threads, fields.active !== undefined)
  const heat = HEAT_OF_COMBUSTION / (AIR_HEAT_CAPACITY * settings.ambient)
  // Stirred by the velocity that carried the fuel, which still stands.
  const [, u, v, w] = fields.scratch as [number, number, number, number]
  crew.run(
    'react',
    [
      pointers.density,
      pointers.fuel,
      pointers.soot,
      pointers.burnt,
      fields.expansion,
      flags,
      u,
      v,
      w,
      0.5 / box.cell,
      dt,
      settings.ambient,
      1 / settings.burnTime,
      MIXING,
      AIR_NEED,
      heat,
      settings.radiant,
      settings.sootYield,
      settings.black ? SOOT_ABSORPTION : 0,
      GAS_ABSORPTION,
      (4 * STEFAN_BOLTZMANN * dt) / energyPerTheta(settings),
      HOTTEST,
      partial,
      fields.spans.cells,
      nx,
      ny,
      nz,
    ],
    nz,
    chunk,
  )
  if (settings.fade > 0) scaleField(crew, fields, pointers.soot, exp(-dt / settings.fade))
  return Array.from({ length: 8 }, (_, n) => sumPartials(crew, partial, nz, 8, n)) as Sums
}

/** Lets what floats fall by a share of a cell; how much of it reached the ground, over the air's density and summed over cells. */
function settleFloating(crew: Crew, fields: GasFields, share: number): number {
  if (!(share > 0)) return 0
  const { box, pointers, partial, flags, spans } = fields
  const [nx, ny, nz] = box.size
  const chunk = layersPerChunk(box.size, crew.threads, fields.active !== undefined)
  crew.run('settle', [pointers.soot, flags, Math.min(1, share), partial, spans.cells, nx, ny, nz], nz, chunk)
  return sumPartials(crew, partial, nz, 1, 0)
}

/** One step of `dt` seconds ending at `time`: feed, push, project, advect, burn. */
export function stepGas(
  crew: Crew,
  fields: GasFields,
  settings: GasSettings,
  stage: Stage,
  feeds: readonly SourceCells[],
  budget: GasBudget,
  dt: number,
  time: number,
): StepReport {
  const { wind } = stage.now
  const volume = fields.box.cell ** 3
  const energy0 = energyPerTheta(settings)
  const mass = AIR_DENSITY * volume

  feedSources(crew, fields, settings, stage, feeds, budget, dt, time)
  pushAll(crew, fields, settings, stage, dt, time)
  const { solve, divergence } = projectVelocity(crew, fields, dt)
  fillAllGhosts(crew, fields, wind)

  const out = outflow(crew, fields)
  const share = dt / fields.box.cell
  // Smoke, dust or steam: nothing has burnt in it, nor can.
  const sharp = budget.burned === 0 && budget.fuel === 0
  advectAll(crew, fields, wind, share, dt, budget.steps % 2 === 1, sharp)
  budget.steps++
  budget.carriedOut += out.theta * share * energy0 * volume
  budget.sootOut += out.soot * share * AIR_DENSITY * volume
  budget.fuelOut += out.fuel * share * AIR_DENSITY * volume

  const sums = react(crew, fields, settings, dt)
  const burned = sums[0] * HEAT_OF_COMBUSTION * mass
  const radiated = sums[1] * energy0 * volume
  budget.theta = sums[5]
  budget.fuel = sums[6]
  const thinned = settings.fade > 0 ? exp(-dt / settings.fade) : 1
  budget.soot = sums[7] * thinned
  budget.sootOut += sums[7] * (1 - thinned) * AIR_DENSITY * volume
  const fallen = settleFloating(crew, fields, settings.settle * share)
  budget.soot -= fallen
  budget.sootOut += fallen * mass
  budget.burned += burned
  budget.radiated += radiated
  budget.sootMade += sums[0] * settings.sootYield * mass
  return { solve, divergence, burned, radiated, burntSum: sums[0], burntAt: [sums[2], sums[3], sums[4]] }
}

/** Sums what the box holds afresh, after it was cut or widened; what is gone counts as carried out. */
export function recount(crew: Crew, fields: GasFields, settings: GasSettings, budget: GasBudget): void {
  const { pointers, partial, flags, box, spans } = fields
  crew.run(
    'total',
    [pointers.density, pointers.fuel, pointers.soot, flags, partial, spans.cells, ...box.size],
    box.size[2],
  )
  const [theta, fuel, soot] = [0, 1, 2].map((n) => sumPartials(crew, partial, box.size[2], 4, n)) as [
    number,
    number,
    number,
  ]
  const volume = box.cell ** 3
  budget.carriedOut += (budget.theta - theta) * energyPerTheta(settings) * volume
  budget.fuelOut += (budget.fuel - fuel) * AIR_DENSITY * volume
  budget.sootOut += (budget.soot - soot) * AIR_DENSITY * volume
  budget.theta = theta
  budget.fuel = fuel
  budget.soot = soot
}
