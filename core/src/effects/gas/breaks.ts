import type { DustPoints } from '../../data/index.ts'
import { type Deflate, readBrokenFrame } from '../../formats/index.ts'
import type { GasSettings, SceneInputs } from '../../gas/index.ts'
import { cbrt } from '../../math/index.ts'
import { type ItemDocument, itemsInOrder } from '../../settings/index.ts'
import type { EffectContext, InputFrame, RunInput } from '../effect.ts'
import { type GasItem, isSource } from './schema.ts'

// Gas that comes from where something breaks: its kept frames tell where, and how much.

/** Places of a frame at most: the heaviest. */
const MOST_POINTS = 90
/** Radius of a place, m: at least, and for each root of a square metre of face. */
const RADIUS = { least: 0.07, face: 0.5 } as const

/** A source of a gas that comes from a break: its number among the gas's sources, and the run. */
export interface BreakSource {
  source: number
  input: RunInput
}

/** The breaks that a gas's sources come from. */
export function breaksOf(document: ItemDocument, id: string, item: GasItem, { result }: EffectContext): BreakSource[] {
  const others = itemsInOrder(document).flatMap(([, one]) =>
    isSource(one) && one.feeds === id && one.shown ? [one] : [],
  )
  return [item, ...others].flatMap((one, source): BreakSource[] => {
    const run = one.shape === 'break' ? result?.(one.breaks) : undefined
    if (!run) return []
    const { key, name, first, last, frameKeys } = run
    return [{ source, input: { key, name, first, last, frameKeys } }]
  })
}

/** kg/m^3 of dust that a frame gives off into its places at most: they are as much larger. */
const DENSEST = 0.5

/** The places of a frame as points of a source: x y z radius each, and the kg of all. Together they are large enough for what they give off. */
export function pointsOfDust({ count, positions, areas, masses }: DustPoints): { points: number[]; mass: number } {
  const order = Array.from({ length: count }, (_, n) => n)
    .sort((a, b) => (masses[b] as number) - (masses[a] as number) || a - b)
    .slice(0, MOST_POINTS)
  const mass = masses.reduce((sum, one) => sum + one, 0)
  const radii = order.map((n) => RADIUS.least + RADIUS.face * Math.sqrt(areas[n] as number))
  const volume = radii.reduce((sum, radius) => sum + (4 / 3) * Math.PI * radius * radius * radius, 0)
  const larger = volume > 0 ? Math.max(1, cbrt(mass / (DENSEST * volume))) : 1
  const points = order.flatMap((n, k) => [
    positions[3 * n] as number,
    positions[3 * n + 1] as number,
    positions[3 * n + 2] as number,
    larger * (radii[k] as number),
  ])
  return { points, mass }
}

/** A gas's settings whose moments are filled in as the frames of its breaks are read. frames: of the run without its run-up. */
export class BreakInputs {
  readonly settings: GasSettings
  readonly #moments: SceneInputs[]
  readonly #sources: readonly BreakSource[]
  readonly #rate: number
  readonly #first: number

  constructor(settings: GasSettings, sources: readonly BreakSource[], rate: number, first: number, frames: number) {
    const { sceneInputs } = settings
    this.#moments = Array.from(
      { length: frames },
      (_, n) => sceneInputs[Math.min(n, sceneInputs.length - 1)] as SceneInputs,
    )
    this.settings = { ...settings, sceneInputs: this.#moments }
    this.#sources = sources
    this.#rate = rate
    this.#first = first
  }

  /** Takes what frames of breaks give off into the moments that they are of. */
  async take(inputs: readonly InputFrame[], deflate: Deflate): Promise<void> {
    for (const { input, frame, bytes } of inputs) {
      const moment = this.#moments[frame - this.#first]
      const of = this.#sources[input]
      if (!moment || !of) continue
      const { points, mass } = pointsOfDust(readBrokenFrame(await bytes(), deflate).dust)
      if (points.length === 0) continue
      const sources = moment.sources.map((source, n) =>
        n === of.source ? { ...source, points, smoke: mass * this.#rate } : source,
      )
      this.#moments[frame - this.#first] = { ...moment, sources }
    }
  }
}
