import { solidsMoved, solidTravel, travelOf } from './sceneInputs.ts'
import type { GasSettings, SceneInputs } from './settings.ts'

const MOST_STEPS_PER_FRAME = 64
/** A flying source goes no further than this in a step, cells. */
const SWEPT_CELLS = 3

/** How fast sources and walls go from one moment to another, m/s. */
export interface Paces {
  flight: number
  walls: number
}

/** How fast sources and walls go that take `span` seconds from one moment to another. */
export function pacesOf(last: SceneInputs, next: SceneInputs, span: number): Paces {
  const moving = last !== next
  // A source that flies is followed in steps of a few cells; within them it is swept.
  const flight = moving
    ? Math.max(0, ...next.sources.map((source, n) => travelOf(last.sources[n] ?? source, source))) / span
    : 0
  // Walls push the air before them: they go no faster than the air may.
  const walls =
    moving && solidsMoved(last, next)
      ? Math.max(0, ...next.solids.map((solid, n) => solidTravel(last.solids[n] ?? solid, solid))) / span
      : 0
  return { flight, walls }
}

/** Equal steps in which `span` seconds are gone through while the fastest air goes `fastest` m/s; a speed of 1 m/s is granted for what a step sets going. */
export function stepsFor(
  { courant, cell }: Pick<GasSettings, 'courant' | 'cell'>,
  span: number,
  fastest: number,
  { flight, walls }: Paces,
): number {
  const wanted = Math.min((courant * cell) / Math.max(fastest, walls, 1), (SWEPT_CELLS * cell) / Math.max(flight, 1e-6))
  return Math.min(MOST_STEPS_PER_FRAME, Math.max(1, Math.ceil(span / wanted - 1e-6)))
}
