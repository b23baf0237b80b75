import type { Crew } from '../base/index.ts'
import { exp, subtract, type Vec3 } from '../math/index.ts'
import {
  closeFaces,
  closeWalls,
  type GasFields,
  openFaces,
  outsideOf,
  resetInactiveFaces,
  scaleField,
} from './fields.ts'
import { pushAir } from './forces.ts'
import { layersPerChunk, maxPartials, type SolveReport, solvePressure, sumPartials } from './pressure.ts'
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

/**
 * Share of the pressure's push that the air feels where it sets out, by the last step's pressure; the rest where it arrives, by the projection. A half keeps the energy of what is projected away (the trapezoidal
 * rule along the path; Staniforth & Cote 1991); noise dies in the sweeps. The pressure that is kept is of both together.
 */
const AHEAD = 0.4

/** A sweep carries no further than this share of a cell, and from a cell that grows no more than this share of it (what is left of it divides what it holds); a step is divided for it into no more than so many. */
const LONGEST_SWEEP = 1
const LARGEST_GROWTH = 0.5
const MOST_PARTS = 16

/** The projection stops when the largest |divergence - expansion| x dt is under this. */
const DIVERGENCE_LIMIT = 5e-4

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

/** fillGhosts' bit that leaves the last faces across a side as they are: they are its own, what flows through it. */
const OWN_FACES = [128, 512, 2048] as const

/** Ghost layers of all kept fields: ambient and wind outside open sides, mirrored along closed ones. */
function fillAllGhosts(crew: Crew, fields: GasFields, wind: Vec3): void {
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

/** Carries the velocity by fluxes, component by component, in the densities' order of axes. */
function carryVelocity(crew: Crew, fields: GasFields, wind: Vec3, share: number, backward: boolean): void {
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

/** Carries the densities by fluxes, axis after axis, in the other order every other step. */
function carryDensities(crew: Crew, fields: GasFields, share: number, backward: boolean): void {
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
        [target, pointers[name], axis, faces[axis] ?? 0, ...done, n === 2 ? 1 : 0, share, spans.cells, nx, ny, nz],
        nz,
        chunk,
      )
      scratch[0] = pointers[name]
      pointers[name] = target
    }
  }
}

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

function confineVorticity(crew: Crew, fields: GasFields, strength: number, dt: number): void {
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

function largest(crew: Crew, { box, partial, spans, active }: GasFields, a: number, b: number, c: number): number {
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

/** A step from one moment to another. */
export interface Stage {
  before: SceneInputs
  now: SceneInputs
}

/**
 * One step of `dt` seconds ending at `time`: feed, force, project, carry, burn.
 */
export function stepGas(
  crew: Crew,
  fields: GasFields,
  settings: GasSettings,
  { before, now }: Stage,
  feeds: readonly SourceCells[],
  budget: GasBudget,
  dt: number,
  time: number,
): StepReport {
  const { box } = fields
  const [nx, ny, nz] = box.size
  const volume = box.cell ** 3
  const chunk = layersPerChunk(box.size, crew.threads, fields.active !== undefined)
  const energy0 = energyPerTheta(settings)

  settings.sources.forEach(({ perArea }, index) => {
    const [cells, source, was] = [feeds[index], now.sources[index], before.sources[index]]
    if (!cells || !source || !was) return
    const velocity = subtract(source.centre, was.centre).map((d) => d / dt) as [number, number, number]
    const input = feed(crew, fields, settings, source, perArea, cells, velocity, dt, time, index)
    budget.sootMade += input.soot
    budget.pilot += (input.theta + input.growth * dt) * energy0 * volume
  })
  fillAllGhosts(crew, fields, now.wind)
  crew.run(
    'buoyancy',
    [fields.pointers.v, fields.pointers.density, fields.pointers.soot, GRAVITY * dt, fields.spans.faces, nx, ny, nz],
    nz,
    chunk,
  )
  crew.run(
    'baroclinic',
    [
      fields.pointers.u,
      fields.pointers.v,
      fields.pointers.w,
      fields.pointers.pressure,
      fields.pointers.density,
      dt / box.cell,
      fields.spans.faces,
      nx,
      ny,
      nz,
    ],
    nz,
    chunk,
  )
  if (settings.confinement > 0) confineVorticity(crew, fields, settings.confinement, dt)
  pushAir(crew, fields, settings, before, now, dt, time)
  closeWalls(crew, fields)
  const { solve, divergence } = projectVelocity(crew, fields, dt)
  fillAllGhosts(crew, fields, now.wind)

  const out = outflow(crew, fields)
  const share = dt / box.cell
  const backward = budget.steps % 2 === 1
  // What this step itself set going may outrun it, or blow a cell up to several: then what is carried is carried in several.
  const growth = largest(crew, fields, fields.expansion, fields.expansion, fields.expansion) * dt
  const parts = Math.min(
    MOST_PARTS,
    Math.max(
      1,
      Math.ceil(Math.max((fastestSpeed(crew, fields) * share) / LONGEST_SWEEP, growth / LARGEST_GROWTH) - 1e-6),
    ),
  )
  for (let part = 0; part < parts; part++) {
    if (part > 0) fillAllGhosts(crew, fields, now.wind)
    carryDensities(crew, fields, share / parts, backward)
    carryVelocity(crew, fields, now.wind, share / parts, backward)
  }
  budget.steps++
  const { pointers, partial, flags } = fields
  budget.carriedOut += out.theta * share * energy0 * volume
  budget.sootOut += out.soot * share * AIR_DENSITY * volume
  budget.fuelOut += out.fuel * share * AIR_DENSITY * volume

  const mass = AIR_DENSITY * volume
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
      (4 * STEFAN_BOLTZMANN * dt) / energy0,
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
  const sums = Array.from({ length: 8 }, (_, n) => sumPartials(crew, partial, nz, 8, n)) as [
    number,
    number,
    number,
    number,
    number,
    number,
    number,
    number,
  ]
  const burned = sums[0] * HEAT_OF_COMBUSTION * mass
  const radiated = sums[1] * energy0 * volume
  budget.theta = sums[5]
  budget.fuel = sums[6]
  const thinned = settings.fade > 0 ? exp(-dt / settings.fade) : 1
  budget.soot = sums[7] * thinned
  budget.sootOut += sums[7] * (1 - thinned) * AIR_DENSITY * volume
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
