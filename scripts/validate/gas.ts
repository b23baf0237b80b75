import { type Crew, makeCrew } from '../../core/src/base/index.ts'
import { paddedCells, paddedIndex } from '../../core/src/data/index.ts'
import { type GasItem, gasSettings } from '../../core/src/effects/gas/index.ts'
import {
  AIR_DENSITY,
  AIR_HEAT_CAPACITY,
  type GasSettings,
  GasSimulation,
  solvePressure,
} from '../../core/src/gas/index.ts'
import { makeItem, makeShot, type ShotDocument } from '../../core/src/shot/index.ts'
import { flowsWrongOf } from '../../core/testing/flow.ts'
import { noiseRhs, pressureCase } from '../../core/testing/grids.ts'
import { atMost, type Row, within } from './row.ts'

const RATE = 24

/** A yard with a wall across the wind: colliders, open sides, everything by an ordinary document. */
function yard(over: Partial<GasItem>): ShotDocument {
  const document = makeShot('validation', {
    asset: 'none',
    file: 'none',
    width: 64,
    height: 36,
    first: 1,
    last: 48,
    rate: [RATE, 1],
    encoding: 'srgb',
  })
  document.items.ground = makeItem('ground', { name: 'Ground', order: 1 })
  document.items.wall = makeItem('box', {
    name: 'Wall',
    order: 2,
    position: [0.9, 0, 0],
    width: 0.3,
    height: 1.4,
    depth: 1.2,
    turn: 25,
  })
  document.items.fire = makeItem('gas', {
    name: 'Fire',
    order: 3,
    position: [0, 0, 0],
    diameter: 0.9,
    heat: 300,
    cell: 75,
    reach: 3,
    wind: 1,
    ...over,
  })
  return document
}

function fire(crew: Crew): Row[] {
  const settings = gasSettings(yard({}), 'fire', 'full')
  const simulation = new GasSimulation(crew, settings, RATE)
  let divergence = 0
  for (let n = 0; n < 48; n++) divergence = Math.max(divergence, simulation.advance().divergence)
  const { burned, radiated, carriedOut, pilot, theta } = simulation.budget
  const stored = AIR_DENSITY * AIR_HEAT_CAPACITY * settings.ambient * settings.cell ** 3 * theta
  const flows = flowsWrongOf(crew, simulation.fields, 1 / RATE)
  return [
    atMost('projection, wall and open sides', 'mass conservation: largest |div - expansion| x step', 1e-3, divergence),
    atMost(
      'the same by what flows through the faces, after the last frame',
      'mass conservation: largest |div - expansion| x step',
      1e-3,
      flows,
    ),
    within(
      'heat budget, 2 s of a 300 kW fire, kJ',
      'energy: burned + pilot = stored + radiated + carried out',
      (burned + pilot) / 1e3,
      (stored + radiated + carriedOut) / 1e3,
      0.05,
    ),
  ]
}

function soot(crew: Crew): Row[] {
  const wall = (point: [number, number, number], normal: [number, number, number]) => ({
    kind: 'halfspace' as const,
    point,
    normal,
  })
  const document = yard({
    position: [0.8, 0.8, 0.8],
    shape: 'sphere',
    diameter: 0.6,
    heat: 0,
    smoke: 10,
    stir: 0.8,
    cell: 100,
    wind: 0,
  })
  delete document.items.wall
  const open = gasSettings(document, 'fire', 'full')
  const settings: GasSettings = {
    ...open,
    bounds: { low: [0, 0, 0], high: [1.6, 1.6, 1.6] },
    sceneInputs: open.sceneInputs.map((moment) => ({
      ...moment,
      solids: [
        wall([0, 0, 0], [1, 0, 0]),
        wall([1.6, 0, 0], [-1, 0, 0]),
        wall([0, 0, 0], [0, 1, 0]),
        wall([0, 1.6, 0], [0, -1, 0]),
        wall([0, 0, 0], [0, 0, 1]),
        wall([0, 0, 1.6], [0, 0, -1]),
      ],
    })),
  }
  const simulation = new GasSimulation(crew, settings, RATE)
  for (let n = 0; n < 48; n++) simulation.advance()
  return [
    within(
      'soot in a closed box, g',
      'mass conservation',
      simulation.budget.sootMade * 1e3,
      simulation.budget.soot * AIR_DENSITY * settings.cell ** 3 * 1e3,
      0.02,
    ),
  ]
}

function pressure(): Row[] {
  const ball =
    (n: number) =>
    (i: number, j: number, k: number): boolean =>
      (i + 0.5 - n / 2) ** 2 + (j + 0.5 - n / 2) ** 2 + (k + 0.5 - n / 2) ** 2 < (n / 6) ** 2
  // A ball, a slanting wall with a gap, and a step: nothing that lines up with the coarser grids.
  const irregular =
    (n: number) =>
    (i: number, j: number, k: number): boolean =>
      ball(n)(i, j, k) ||
      (Math.abs(i + 0.37 * k - n * 0.9) < n * 0.03 && j < n * 0.71 && Math.abs(k - n * 0.3) > n * 0.06) ||
      (j < n * 0.13 && k > n * 0.61)
  const iterations = (n: number, solid: (i: number, j: number, k: number) => boolean): number => {
    const made = pressureCase([n, n, n], solid, makeCrew(1))
    noiseRhs(made)
    return solvePressure(made.crew, made.system, ...made.fields, { relative: 1e-4 }).iterations
  }
  return (
    [
      ['box with a ball', ball],
      ['irregular collider', irregular],
    ] as const
  ).map(([name, solid]) => {
    const [small, large] = [iterations(64, solid(64)), iterations(192, solid(192))]
    return {
      case: `pressure, ${name}, iterations at 192^3`,
      reference: `multigrid theory: no more than a third above 64^3 (${small})`,
      expected: `<= ${Math.ceil((small * 4) / 3)}`,
      measured: large,
      tolerance: 'zero guess, seeded noise of mean 0, 2-norm to 1e-4',
      pass: large <= Math.ceil((small * 4) / 3),
    }
  })
}

type Scheme = 'semi-Lagrangian' | 'MacCormack' | 'fluxes'

/** A blob carried once round by solid-body rotation, a way of advection at a time. */
function turnedOnce(crew: Crew): (scheme: Scheme) => { peak: number; least: number; wrong: number } {
  const size = [64, 8, 64] as const
  const cells = paddedCells(size)
  const field = (): number => {
    const at = crew.heap.alloc(cells * 4)
    crew.heap.f32(at, cells).fill(0)
    return at
  }
  const [u, v, w, a, b, c] = [field(), field(), field(), field(), field(), field()]
  const centred = crew.heap.alloc(cells * 16)
  const view = (at: number): Float32Array => crew.heap.f32(at, cells)
  for (let k = -1; k <= size[2]; k++)
    for (let j = -1; j <= size[1]; j++)
      for (let i = -1; i <= size[0]; i++) {
        view(u)[paddedIndex(size, i, j, k)] = -(k + 0.5 - size[2] / 2)
        view(w)[paddedIndex(size, i, j, k)] = i + 0.5 - size[0] / 2
      }
  const exact = new Float32Array(cells)
  for (let k = 0; k < size[2]; k++)
    for (let j = 0; j < size[1]; j++)
      for (let i = 0; i < size[0]; i++)
        exact[paddedIndex(size, i, j, k)] = Math.exp(-((i - 46) ** 2 + (k - 32) ** 2) / 32)
  const steps = 160
  const shift = (2 * Math.PI) / steps
  crew.run('centreVelocity', [centred, u, v, w, ...size], size[2] + 2)
  return (scheme) => {
    view(a).set(exact)
    let [from, to] = [a, c]
    // Fluxes go less than a cell a step, in the corners too.
    const halves = scheme === 'fluxes' ? 2 : 1
    for (let n = 0; n < steps * halves; n++) {
      if (scheme === 'fluxes') {
        // The other way round every other step, as the gas does it.
        const order = n % 2 ? [w, u] : [u, w]
        for (const [m, along] of order.entries()) {
          crew.run('fillGhosts', [from, ...size, 0, 0, 0, 0], size[2] + 2)
          crew.run(
            'advectScalar',
            [
              to,
              from,
              along === u ? 0 : 2,
              along,
              ...(m === 0 ? [0, 0] : [order[0] ?? 0, order[0] === u ? 0 : 2]),
              0,
              0,
              m,
              shift / halves,
              0,
              ...size,
            ],
            size[2],
          )
          ;[from, to] = [to, from]
        }
        continue
      }
      crew.run('advectForward', [centred, ...size, shift, from, b], size[2])
      crew.run('fillGhosts', [b, ...size, 0, 0, 0, 0], size[2] + 2)
      crew.run('advectCorrect', [centred, ...size, shift, from, b, to], size[2])
      if (scheme === 'semi-Lagrangian') view(to).set(view(b))
      ;[from, to] = [to, from]
    }
    const end = view(from)
    let [peak, least, wrong, all] = [0, 1, 0, 0]
    for (let k = 0; k < size[2]; k++)
      for (let i = 0; i < size[0]; i++) {
        const e = paddedIndex(size, i, 4, k)
        peak = Math.max(peak, end[e] ?? 0)
        least = Math.min(least, end[e] ?? 0)
        wrong += Math.abs((end[e] ?? 0) - (exact[e] ?? 0))
        all += exact[e] ?? 0
      }
    return { peak, least, wrong: wrong / all }
  }
}

function advection(crew: Crew): Row[] {
  const mark = crew.heap.mark()
  const round = turnedOnce(crew)
  const [plain, corrected, flux] = [round('semi-Lagrangian'), round('MacCormack'), round('fluxes')]
  crew.heap.release(mark)
  return [
    {
      case: 'advection, MacCormack, peak after one turn',
      reference: 'solid-body rotation, blob of 4 cells',
      expected: 1,
      measured: corrected.peak,
      tolerance: 'kept, and no new extreme outside 2 %',
      pass: corrected.peak <= 1.02 && corrected.least >= -0.02 && corrected.peak > 0.85,
    },
    {
      case: 'advection, MacCormack, L1 error',
      reference: `semi-Lagrangian in the same run: ${plain.wrong.toFixed(3)}, its peak ${plain.peak.toFixed(3)}`,
      expected: 0,
      measured: corrected.wrong,
      tolerance: 'under half of it',
      pass: corrected.wrong < plain.wrong / 2,
    },
    {
      case: 'advection, limited fluxes, peak after one turn',
      reference: 'solid-body rotation, blob of 4 cells',
      expected: 1,
      measured: flux.peak,
      tolerance: 'kept, and no new extreme outside 2 %',
      pass: flux.peak <= 1.02 && flux.least >= -0.02 && flux.peak > 0.8,
    },
    {
      case: 'advection, limited fluxes, L1 error',
      reference: 'semi-Lagrangian in the same run',
      expected: 0,
      measured: flux.wrong,
      tolerance: 'under half of it',
      pass: flux.wrong < plain.wrong / 2,
    },
  ]
}

export const gasRows = (crew: Crew): Row[] => [...fire(crew), ...soot(crew), ...pressure(), ...advection(crew)]
