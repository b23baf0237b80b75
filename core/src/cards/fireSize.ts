import type { FloatImage, Motion } from '../data/index.ts'
import { pow } from '../math/index.ts'

// How large a filmed fire is, told by how it pulses and rises.

/** What a cut-out frame shows of a fire, as shares: of its frame's height, but `wide` of its width. */
export interface FireShape {
  /** From the frame's foot to where it begins, and from there to its top. */
  foot: number
  tall: number
  /** Across, near its base. */
  wide: number
}

/** Share of a row that is seen from which something is there. */
const THERE = 0.01
/** Of its own height: the part that counts as its base. */
const BASE = 0.35

/** Where a fire is in a frame of which what is there is cut out; undefined where nothing is. */
export function fireShape({ width, height, data }: FloatImage): FireShape | undefined {
  const rows = Array.from({ length: height }, (_, y) => {
    let sum = 0
    for (let x = 0; x < width; x++) sum += data[4 * (y * width + x) + 3] as number
    return sum / width
  })
  const most = Math.max(...rows)
  if (most < THERE) return undefined
  const there = rows.map((share) => share > 0.1 * most)
  const [top, low] = [there.indexOf(true), there.lastIndexOf(true)]
  const tall = low + 1 - top
  const base = rows.slice(Math.floor(low + 1 - BASE * tall), low + 1)
  return {
    foot: (height - low - 1) / height,
    tall: tall / height,
    wide: base.reduce((sum, share) => sum + share, 0) / base.length,
  }
}

/** Of what is seen near the base so much goes up slower than the stream in its middle, which laws are of: its rim is held back by the air round it. */
const STREAM = 0.67
/** Differences of brightness (its root, over 4 px, squared) below which nothing tells a motion. */
const TOLD = 1e-4
/** How fast the stream near its base goes up, shares of the frame's height a frame, and how high over its foot that is taken, of the frame's height: where there is something that tells it. */
export function baseRise(
  { width, height, data }: FloatImage,
  { foot, tall }: FireShape,
  motion: Motion,
): { rise: number; over: number } {
  const [from, to] = [height * (1 - foot - BASE * tall), height * (1 - foot)]
  const [sx, sy] = [width / motion.width, height / motion.height]
  const seen = (x: number, y: number): number => {
    const n = 4 * (Math.min(height - 1, Math.max(0, y)) * width + Math.min(width - 1, Math.max(0, x)))
    return Math.sqrt(Math.max(0, (data[n + 1] as number) * (data[n + 3] as number)))
  }
  const rises: number[] = []
  let over = 0
  for (let j = 0; j < motion.height; j++) {
    const y = Math.floor((j + 0.5) * sy)
    if (y < from || y > to) continue
    for (let i = 0; i < motion.width; i++) {
      const x = Math.floor((i + 0.5) * sx)
      if ((data[4 * (y * width + x) + 3] as number) < 0.05) continue
      const [dx, dy] = [seen(x + 2, y) - seen(x - 2, y), seen(x, y + 2) - seen(x, y - 2)]
      if (dx * dx + dy * dy < TOLD) continue
      rises.push(-(motion.v[j * motion.width + i] as number))
      over += to - y
    }
  }
  if (rises.length === 0) return { rise: 0, over: 0 }
  const stream = rises.sort((a, b) => a - b)[Math.floor(STREAM * rises.length)] as number
  return { rise: stream / height, over: over / rises.length / height }
}

/** How wide a fire is that pulses so often a second, m: f = 1.5 D^-1/2 (Cetegen & Ahmed 1993). */
export const widthOfPulse = (hertz: number): number => (1.5 / hertz) * (1.5 / hertz)

/** How fast hot gas goes up so high over a fire's foot, m/s: v = 6.84 z^1/2 in the flame that always stands (McCaffrey 1979). */
export const riseOverFoot = (z: number): number => 6.84 * pow(Math.max(0, z), 0.5)

/** The height of a frame, m, at which its fire goes up as fast as the law has it. rise: frame heights a second; over: share of the frame's height at which it was taken. */
export const heightOfRise = (rise: number, over: number): number | undefined =>
  rise > 0 && over > 0 ? (6.84 * 6.84 * over) / (rise * rise) : undefined
