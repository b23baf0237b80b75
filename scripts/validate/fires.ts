import { type Crew, silent } from '../../core/src/base/index.ts'
import {
  GAS_PRESETS,
  type GasItem,
  type GasQuality,
  gasSchema,
  gasSettings,
  resized,
} from '../../core/src/effects/gas/index.ts'
import { elementOf, GasSimulation, pulseRate } from '../../core/src/gas/index.ts'
import { makeItem, makeShot } from '../../core/src/shot/index.ts'
import { type Row, within } from './row.ts'

// Fires and a plume as shot documents on open ground, against the laws of their size.
const RATE = 24
/** Diameter, m, and heat, kW. */
export const POOLS = [
  [0.3, 71],
  [1, 785],
  [3, 7070],
] as const
const PERIODS = 30
/** A mean over a third of this still swings by a third in the slope of its speed. */
const PLUME_SECONDS = 24
/** The box goes up so many flame heights, so that the flame ends well within it. */
const ABOVE = 2.5
/** Periods before which a fire is not looked at. */
const BEGIN = 4

function started(crew: Crew, over: Partial<GasItem>, quality: GasQuality = 'full'): GasSimulation {
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
  document.items.fire = makeItem('gas', { name: 'Fire', order: 2, position: [0, 0, 0], ...over })
  return new GasSimulation(crew, gasSettings(document, 'fire', quality), RATE)
}

const mean = (values: readonly number[]): number => values.reduce((sum, v) => sum + v, 0) / values.length

/** The pool fire that an artist starts from, made so large as they make it. */
function pool(diameter: number): Partial<GasItem> {
  const item = gasSchema.parse({
    kind: 'gas',
    name: 'Fire',
    order: 2,
    ...GAS_PRESETS.find(({ id }) => id === 'pool')?.settings,
  })
  return { ...item, ...resized(item, diameter) }
}

/** Pulse and height of a pool fire with so many cells across, and how near the draft run of the same document comes to them. */
export function poolRows(crew: Crew, [diameter, heat]: (typeof POOLS)[number], across: number): Row[] {
  const pulse = 1.5 / Math.sqrt(diameter)
  const tall = 0.235 * heat ** 0.4 - 1.02 * diameter
  const begin = Math.ceil((BEGIN / pulse) * RATE)
  const measured = (quality: GasQuality): { cell: number; pulse: number; height: number } => {
    const simulation = started(
      crew,
      {
        ...pool(diameter),
        runUp: 0,
        heat,
        per: 'in all',
        cell: (1000 * diameter) / across,
        reach: Math.max(0.5, 1.6 * diameter),
        rise: ABOVE * tall,
      },
      quality,
    )
    const figures = Array.from({ length: begin + Math.ceil((PERIODS / pulse) * RATE) }, () =>
      simulation.advance(silent),
    ).slice(begin)
    return {
      cell: simulation.box.cell,
      pulse:
        pulseRate(
          figures.map(({ baseBuoyancy }) => baseBuoyancy),
          RATE,
        ) ?? Number.NaN,
      height: mean(figures.map(({ axialFlameLength }) => axialFlameLength)),
    }
  }
  const [full, draft] = [measured('full'), measured('draft')]
  return [
    within(
      `pool fire of ${diameter} m, ${across} cells across, pulse, Hz`,
      'Cetegen & Ahmed 1993: 1.5 D^-1/2; of the hot gas a quarter of D over it',
      pulse,
      full.pulse,
      0.25,
    ),
    within(
      `pool fire of ${diameter} m, ${across} cells across, flame height, m`,
      'Heskestad 1983: 0.235 Q^2/5 - 1.02 D; flame half of the time where the middle of what is hot is, 500 K over the air',
      tall,
      full.height,
      0.25,
    ),
    // Where the full one is no finer they are the same run.
    ...(draft.cell <= full.cell
      ? []
      : [
          within(
            `pool fire of ${diameter} m, draft, pulse, Hz`,
            `the same with ${across} cells across`,
            full.pulse,
            draft.pulse,
            0.25,
          ),
          within(
            `pool fire of ${diameter} m, draft, flame height, m`,
            `the same with ${across} cells across`,
            full.height,
            draft.height,
            0.25,
          ),
        ]),
  ]
}

/** Slope and fit (R^2) of y over x. */
function line(x: readonly number[], y: readonly number[]): { slope: number; fit: number; at0: number } {
  const n = x.length
  const [mx, my] = [x.reduce((a, b) => a + b, 0) / n, y.reduce((a, b) => a + b, 0) / n]
  const [sxx, sxy, syy] = x.reduce(
    ([a, b, c], v, i) => [a + (v - mx) ** 2, b + (v - mx) * ((y[i] ?? 0) - my), c + ((y[i] ?? 0) - my) ** 2],
    [0, 0, 0],
  )
  return { slope: sxy / sxx, fit: (sxy * sxy) / (sxx * syy), at0: my - (sxy / sxx) * mx }
}

/** A weak plume over a small source, its mean over a good many of its slow swings: how it widens and slows with height. */
export function plumeRows(crew: Crew): Row[] {
  const cell = 0.05
  const simulation = started(crew, {
    diameter: 0.4,
    heat: 12,
    radiant: 0,
    soot: 0,
    stir: 0.1,
    confinement: 0,
    cell: 1000 * cell,
    reach: 1.6,
    rise: 5,
  })
  const [begin, frames] = [4 * RATE, PLUME_SECONDS * RATE]
  // Mean upward speed by height and distance from the axis, world cells, since the box may move.
  const rings = 32
  const sums = new Map<number, Float64Array>()
  const counts = new Map<number, Float64Array>()
  for (let n = 0; n < begin + frames; n++) {
    simulation.advance(silent)
    if (n < begin) continue
    // What isn't stored is still air.
    const { box, pointers, store } = simulation.fields
    const v = crew.heap.f32(pointers.v, store.cells)
    for (let j = 0; j < box.size[1]; j++) {
      const sum = sums.get(j + box.origin[1]) ?? new Float64Array(rings)
      const count = counts.get(j + box.origin[1]) ?? new Float64Array(rings)
      sums.set(j + box.origin[1], sum)
      counts.set(j + box.origin[1], count)
      for (let k = 0; k < box.size[2]; k++)
        for (let i = 0; i < box.size[0]; i++) {
          const ring = Math.floor(Math.hypot(box.origin[0] + i + 0.5, box.origin[2] + k + 0.5))
          if (ring >= rings) continue
          sum[ring] = (sum[ring] ?? 0) + (v[elementOf(store, i, j, k)] ?? 0)
          count[ring] = (count[ring] ?? 0) + 1
        }
    }
  }
  const heights: number[] = []
  const radii: number[] = []
  const speeds: number[] = []
  for (let j = Math.round(1.2 / cell); j < Math.round(4 / cell); j++) {
    const profile = Array.from(sums.get(j) ?? [], (sum, ring) => sum / Math.max(1, counts.get(j)?.[ring] ?? 1))
    const top = profile[0] ?? 0
    const ring = profile.findIndex((speed) => speed < top / Math.E)
    if (!(top > 0) || ring < 1) continue
    const [before, after] = [profile[ring - 1] ?? 0, profile[ring] ?? 0]
    heights.push(j * cell)
    radii.push((ring - 0.5 + (before - top / Math.E) / (before - after)) * cell)
    speeds.push(top)
  }
  const widening = line(heights, radii)
  // Heights from the virtual origin, where the plume has no breadth.
  const origin = -widening.at0 / widening.slope
  const slowing = line(
    heights.map((z) => Math.log(z - origin)),
    speeds.map(Math.log),
  )
  const reference = `Morton, Taylor & Turner 1956; Rouse, Yih & Humphreys 1952; ${PLUME_SECONDS} s of a 12 kW plume`
  return [
    {
      case: 'plume, its 1/e radius grows with height by',
      reference,
      expected: '0.08 to 0.16',
      measured: widening.slope,
      tolerance: 'range',
      pass: widening.slope >= 0.08 && widening.slope <= 0.16,
    },
    {
      case: 'plume, how straight that growth is, R^2',
      reference,
      expected: '> 0.95',
      measured: widening.fit,
      tolerance: 'least',
      pass: widening.fit > 0.95,
    },
    {
      case: 'plume, speed on the axis falls with height to the power',
      reference,
      expected: -1 / 3,
      measured: slowing.slope,
      tolerance: '0.1',
      pass: Math.abs(slowing.slope + 1 / 3) <= 0.1,
    },
  ]
}
