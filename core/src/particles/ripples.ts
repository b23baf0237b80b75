import { diceOf } from './births.ts'
import type { FallSettings, Seen } from './falling.ts'
import { type Landing, landingsAt, type Top } from './splashes.ts'

// Rings on standing water: each drop that meets it sends one out, which widens and dies down.

export interface Ripple {
  centre: readonly [number, number, number]
  /** m. */
  radius: number
  /** 1 as it begins, 0 as it is gone. */
  strength: number
}

/** m/s at which a ring of capillary waves some centimetres long widens, and seconds that one is seen. */
const PACE = 0.28
const LASTS = 0.6
/** Seconds in which a ring stands out of the splash. */
const RISES = 0.12
/** Share of the drops whose ring is seen as one: those of the others are lost in the unrest of the water. */
const SEEN = 0.06

/** The rings at a time, s, where `wet` says that water stands (0 to 1). */
export function ripplesAt(
  settings: FallSettings,
  tops: readonly Top[],
  seen: Seen,
  time: number,
  wet: (x: number, y: number, z: number) => number,
  most: number,
): Ripple[] {
  const rings: Ripple[] = []
  landingsAt(settings, tops, seen, time, LASTS, ({ id, at, since }: Landing) => {
    if (rings.length >= most || diceOf(id, 9) >= SEEN) return
    const share = wet(at[0], at[1], at[2])
    if (share <= 0) return
    rings.push({
      centre: at,
      radius: 0.008 + PACE * since,
      strength: share * Math.min(1, since / RISES) * (1 - since / LASTS),
    })
  })
  return rings
}
