import { seenAt, type Track } from '../data/index.ts'
import { pow, reduceRows } from '../math/index.ts'
import { median } from './median.ts'

// Whether a plate's camera moves at all: what the tracks have in common, against what their own noise explains.

export interface CommonMotion {
  /** True where no frame shows a motion of the whole picture beyond noise. */
  locked: boolean
  /** Largest common motion of any frame, root mean square over the tracks, px. */
  mostPx: number
  /** The tracks' own noise, px in each direction. */
  noisePx: number
}

/** Chance that a locked-off plate is taken for one that moves. */
export const SIGNIFICANCE = 0.001
/** Common motion of a 1280-px picture that no test is asked about, px: compression alone can make as much. */
const NOTHING_PX = 0.05
const LEAST_SEEN = 8
const LEAST_TRACKS = 12
/** An affine motion: shift, turn, size and shear. */
const TERMS = 6
/** Robust standard deviations from which a track moves by itself. */
const OWN_WAY = 4

/** Chance of a value of F or more, with an even number of degrees of freedom above and any below (Abramowitz & Stegun 1964, 26.6.4). */
export function chanceOfF(f: number, above: number, below: number): number {
  const x = below / (below + above * f)
  let term = 1
  let sum = 1
  for (let j = 1; j < above / 2; j++) {
    term *= ((below / 2 + j - 1) / j) * (1 - x)
    sum += term
  }
  return Math.min(1, pow(x, below / 2) * sum)
}

/** The median with no leaning to either side: one way for all tracks would look like a motion. */
const middle = (values: readonly number[]): number => (median(values) - median(values.map((v) => -v))) / 2

/** How far each track is from its own usual place, frame by frame: x, y of the place and dx, dy. Tracks that go about far more than the others are left out. */
function departures(tracks: readonly Track[]): { track: Track; usual: [number, number] }[] {
  const long = tracks.flatMap((track) => {
    const axis = (c: 0 | 1): number[] => Array.from(track.places).filter((v, k) => k % 2 === c && !Number.isNaN(v))
    const [xs, ys] = [axis(0), axis(1)]
    if (xs.length < LEAST_SEEN) return []
    const usual: [number, number] = [middle(xs), middle(ys)]
    const spread = median(xs.map((x) => Math.abs(x - usual[0]))) + median(ys.map((y) => Math.abs(y - usual[1])))
    return [{ track, usual, spread }]
  })
  const most = OWN_WAY * median(long.map(({ spread }) => spread)) + 0.1
  return long.filter(({ spread }) => spread <= most)
}

/** The affine motion (two by three numbers) of places x, y, dx, dy, four each, by least squares; undefined where they lie in a line. */
function affineOf(rows: readonly (readonly number[])[]): ((x: number, y: number) => [number, number]) | undefined {
  const solve = (c: 2 | 3): Float64Array | undefined => {
    const a = new Float64Array(12)
    for (const row of rows) {
      const terms = [1, row[0] as number, row[1] as number]
      for (let i = 0; i < 3; i++) {
        for (let j = 0; j < 3; j++)
          a[i * 4 + j] = (a[i * 4 + j] as number) + (terms[i] as number) * (terms[j] as number)
        a[i * 4 + 3] = (a[i * 4 + 3] as number) + (terms[i] as number) * (row[c] as number)
      }
    }
    return reduceRows(a, 3, 4) ? Float64Array.of(a[3] as number, a[7] as number, a[11] as number) : undefined
  }
  const [p, q] = [solve(2), solve(3)]
  if (!p || !q) return undefined
  const of = (t: Float64Array, x: number, y: number): number =>
    (t[0] as number) + (t[1] as number) * x + (t[2] as number) * y
  return (x, y) => [of(p, x, y), of(q, x, y)]
}

/** What the tracks of one frame have in common: its size in px, what is left of each, and the chance that noise made it. */
function commonAt(all: readonly (readonly number[])[]): { px: number; noise: number; chance: number } | undefined {
  let rows = all
  for (let round = 0; rows.length >= LEAST_TRACKS; round++) {
    const motion = affineOf(rows)
    if (!motion) return undefined
    const rest = (row: readonly number[]): number => {
      const [dx, dy] = motion(row[0] as number, row[1] as number)
      const [ex, ey] = [(row[2] as number) - dx, (row[3] as number) - dy]
      return Math.sqrt(ex * ex + ey * ey)
    }
    // The median length of two normal errors is 1.18 of their deviation.
    const deviation = median(rows.map(rest)) / 1.1774
    const near = rows.filter((row) => rest(row) <= OWN_WAY * deviation)
    if (round < 3 && near.length < rows.length) {
      rows = near
      continue
    }
    const square = (of: (row: readonly number[]) => number): number => rows.reduce((sum, row) => sum + of(row), 0)
    const left = square((row) => rest(row) * rest(row))
    const without = square((row) => (row[2] as number) * (row[2] as number) + (row[3] as number) * (row[3] as number))
    const below = 2 * rows.length - TERMS
    const px = Math.sqrt(
      square((row) => {
        const [dx, dy] = motion(row[0] as number, row[1] as number)
        return dx * dx + dy * dy
      }) / rows.length,
    )
    const f = (without - left) / TERMS / Math.max(left / below, 1e-12)
    return { px, noise: Math.sqrt(left / below), chance: chanceOfF(Math.max(0, f), TERMS, below) }
  }
  return undefined
}

/**
 * Whether a plate's camera is locked off: in no frame do the tracks share an affine motion, away from their own usual places, that an F test of significance 0.001
 * over all frames would not put down to their noise. Tracks that move by themselves (people who cross) are left out by robust scale.
 * Undefined where fewer than 12 tracks are long enough to tell.
 */
export function commonMotion(
  tracks: readonly Track[],
  frames: number,
  width: number,
  height: number,
): CommonMotion | undefined {
  const still = departures(tracks)
  const nothing = (NOTHING_PX * width) / 1280
  const found = Array.from({ length: frames }, (_, frame) =>
    commonAt(
      still.flatMap(({ track, usual: [x, y] }) => {
        if (!seenAt(track, frame)) return []
        const k = (frame - track.first) * 2
        return [
          [
            (2 * x) / width - 1,
            (2 * y) / height - 1,
            (track.places[k] as number) - x,
            (track.places[k + 1] as number) - y,
          ],
        ]
      }),
    ),
  ).filter((one) => one !== undefined)
  if (found.length < frames / 2) return undefined
  const moves = found.filter(({ px, chance }) => px > nothing && chance < SIGNIFICANCE / found.length)
  return {
    locked: moves.length === 0,
    mostPx: Math.max(...found.map(({ px }) => px)),
    noisePx: median(found.map(({ noise }) => noise)),
  }
}
