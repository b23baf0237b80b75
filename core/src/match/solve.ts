import { type Crew, LanternError } from '../base/index.ts'
import { placeAt, seenAt, type Track } from '../data/index.ts'
import { relativePose } from './epipolar.ts'
import { keyFrames, parallaxBetween, sharedTracks } from './keys.ts'
import { DISTORTIONS, FOCAL_SHARES, straightPlace } from './lens.ts'
import {
  adjust,
  copyStructure,
  dropWorst,
  hasPoint,
  newStructure,
  residualsOf,
  type Structure,
  setPose,
  triangulate,
} from './structure.ts'

/** What is known of the lens beforehand; what is missing is found. */
export interface KnownLens {
  focalPx?: number
  k1?: number
  k2?: number
}

export interface SolveInput {
  tracks: readonly Track[]
  /** Frames of the plate. */
  frames: number
  width: number
  height: number
  known: KnownLens
  /** Focal length in px and k1 to begin at, where an earlier solve found them; several are tried without. */
  start?: readonly [number, number]
  /** Focal length to keep where the tracks can't fix one. */
  proposedFocalPx?: number
  seed: number
  /** Does the heavy sums; without one they are done plainly, with other last bits. */
  crew?: Crew
  /** Told the share done and what is being done, and waited for; may throw to stop. */
  say?: (share: number, what: string) => void | Promise<void>
}

const RANSAC_PX = 2
/** Cosines of the least angles at which points are made: about 1 and 0.6 degrees. */
const BEGIN_ANGLE = 0.99985
const LEAST_ANGLE = 0.999945
const LOOSE_PX = 6

const FREE = (known: KnownLens, all: boolean): readonly [boolean, boolean, boolean] => [
  known.focalPx === undefined,
  known.k1 === undefined,
  all && known.k2 === undefined,
]

/** Two frames' pose under the structure's lens, and points for the pairs that agree; false where none is found. */
function begin(s: Structure, a: number, b: number, seed: number): boolean {
  const indices = s.tracks.flatMap((track, n) => (seenAt(track, a) && seenAt(track, b) ? [n] : []))
  const pairs = Float64Array.from(
    indices.flatMap((n) => {
      const track = s.tracks[n] as Track
      return [a, b].flatMap((frame) => {
        const [x, y] = placeAt(track, frame) ?? [0, 0]
        return straightPlace(s.lens, x - s.width / 2, y - s.height / 2)
      })
    }),
  )
  const pose = relativePose(pairs, RANSAC_PX / (s.lens[0] as number), seed, 120)
  if (!pose || pose.count < 0.4 * indices.length) return false
  setPose(s, a, [1, 0, 0, 0, 1, 0, 0, 0, 1], [0, 0, 0])
  setPose(s, b, pose.rotation, pose.translation)
  let made = 0
  for (const [k, n] of indices.entries())
    if (pose.inliers[k] && triangulate(s, n, { frames: () => true, leastAngle: BEGIN_ANGLE, limit: LOOSE_PX })) made++
  return made >= 12
}

/** Finds a frame's pose from the points it sees, starting at a neighbour's; the share of them that then lie within LOOSE_PX. */
export function resect(s: Structure, frame: number, from: number): number {
  s.poses.copyWithin(frame * 12, from * 12, from * 12 + 12)
  s.solved[frame] = 1
  adjust(s, {
    frames: (f) => f === frame,
    freePose: () => true,
    freeLens: [false, false, false],
    freePoints: false,
    huber: 4,
    steps: 20,
  })
  let seen = 0
  let good = 0
  for (const [n, track] of s.tracks.entries()) {
    if (s.dropped[n] || !hasPoint(s, n) || !seenAt(track, frame)) continue
    seen++
    const near = residualsAt(s, n, frame)
    if (near < LOOSE_PX) good++
  }
  if (seen < 8) s.solved[frame] = 0
  return seen < 8 ? 0 : good / seen
}
const residualsAt = (s: Structure, index: number, frame: number): number => {
  const one = residualsOf({ ...s, solved: Uint8Array.from(s.solved, (_, f) => (f === frame ? 1 : 0)) }, index)
  return one[0] ?? Infinity
}

/** Makes points for tracks that have none yet. */
export function makePoints(s: Structure, frames: (frame: number) => boolean, limit: number): void {
  for (const [n, track] of s.tracks.entries())
    if (!hasPoint(s, n) && track.places.length >= 4) triangulate(s, n, { frames, leastAngle: LEAST_ANGLE, limit })
}

/** A first structure over a few key frames for one guess of the lens; its loss a shared place, or undefined. */
function tryLens(
  input: SolveInput,
  pair: readonly [number, number],
  between: readonly number[],
  lens: readonly [number, number, number],
): { s: Structure; loss: number } | undefined {
  const s = newStructure(input.tracks, input.frames, input.width, input.height, lens, input.crew)
  if (!begin(s, pair[0], pair[1], input.seed)) return undefined
  const frames = new Set<number>(pair)
  const within = (frame: number): boolean => frames.has(frame)
  const settle = (steps: number, free: boolean): { cost: number; count: number } =>
    adjust(s, {
      frames: within,
      freePose: (f) => f !== pair[0],
      freeLens: free ? FREE(input.known, false) : [false, false, false],
      freePoints: true,
      huber: 2,
      steps,
    })
  for (const frame of between) {
    let near = pair[0]
    for (const f of frames) if (Math.abs(f - frame) < Math.abs(near - frame)) near = f
    if (resect(s, frame, near) < 0.4) {
      s.solved[frame] = 0
      continue
    }
    frames.add(frame)
  }
  settle(12, false)
  const { cost, count } = settle(25, true)
  if (
    !((s.lens[0] as number) > 0.3 * input.width && (s.lens[0] as number) < 12 * input.width) ||
    Math.abs(s.lens[1] as number) > 0.6
  )
    return undefined
  // Tracks of these frames that got no point count as badly off.
  let all = 0
  for (const track of input.tracks) for (const f of frames) if (seenAt(track, f)) all++
  return { s, loss: (cost + 9 * Math.max(0, all - count)) / Math.max(1, all) }
}

/** The two key frames from which to begin: far from one another by parallax, yet with enough tracks in common. */
function firstPair(
  input: SolveInput,
  keys: readonly number[],
): { pair: [number, number]; parallax: number } | undefined {
  let best: { pair: [number, number]; parallax: number; score: number } | undefined
  const most = Math.max(...keys.map((key) => sharedTracks(input.tracks, key, key).length))
  for (const [n, a] of keys.entries())
    for (const b of keys.slice(n + 1)) {
      const shared = sharedTracks(input.tracks, a, b)
      if (shared.length < Math.max(20, 0.3 * most)) break
      const parallax = parallaxBetween(shared, a, b, input.width, input.height)
      // Past a dozen pixels more parallax helps little, more tracks do.
      const score = Math.min(parallax, 12) * Math.sqrt(shared.length)
      if (!best || score > best.score) best = { pair: [a, b], parallax, score }
    }
  return best
}

/** Focal lengths and first distortions that are tried: what is known, what was found before, else several. */
export function lensGuesses({ known, start, width }: SolveInput): {
  focals: readonly number[]
  bends: readonly number[]
} {
  return {
    focals: known.focalPx ? [known.focalPx] : start ? [start[0]] : FOCAL_SHARES.map((share) => share * width),
    bends: known.k1 === undefined ? (start ? [start[1]] : DISTORTIONS) : [known.k1],
  }
}

/** Solves a camera that moves. Throws LanternError 'solve' with what was tried and what to do. */
export async function solveMoving(input: SolveInput): Promise<Structure> {
  const say = input.say ?? ((): void => undefined)
  const failed = (why: string, remedy: string): LanternError => new LanternError('solve', why, remedy)
  const keys = keyFrames(input.tracks, input.frames, input.width)
  const first = firstPair(input, keys)
  if (!first)
    throw failed(
      'No two frames far enough from one another share 20 tracks.',
      'Track more features, or trim the plate to where the picture hangs together.',
    )
  const [a, b] = first.pair
  const inner = keys.filter((key) => key > a && key < b)
  const between =
    inner.length > 4 ? [1, 2, 3, 4].map((n) => inner[Math.floor((n * inner.length) / 5)] as number) : inner
  const { focals, bends } = lensGuesses(input)
  let best: { s: Structure; loss: number } | undefined
  const guesses = focals.flatMap((f) => bends.map((k1) => [f, k1, input.known.k2 ?? 0] as const))
  for (const [n, lens] of guesses.entries()) {
    await say((0.25 * n) / guesses.length, `first look with a focal length of ${Math.round(lens[0])} px`)
    const found = tryLens(input, first.pair, between, lens)
    if (found && (!best || found.loss < best.loss)) best = found
  }
  if (!best)
    throw failed(
      `None of ${guesses.length} guesses of the lens gave a camera between frames ${a} and ${b} of the plate.`,
      'Keep out what moves by itself, track more features, or state the focal length.',
    )
  const s = copyStructure(best.s)
  await grow(s, input, keys, first.pair, say)
  return s
}

/** From the first key frames outward to all frames, with points, poses and lens bettered on the way and wrong tracks dropped. */
async function grow(
  s: Structure,
  input: SolveInput,
  keys: readonly number[],
  pair: readonly [number, number],
  say: NonNullable<SolveInput['say']>,
): Promise<void> {
  const solvedKeys = (): number[] => keys.filter((key) => s.solved[key])
  const isKey = (frame: number): boolean => keys.includes(frame)
  makePoints(s, isKey, LOOSE_PX)
  const order = [...keys]
    .filter((key) => !s.solved[key])
    .sort((p, q) => Math.min(...pair.map((f) => Math.abs(p - f))) - Math.min(...pair.map((f) => Math.abs(q - f))))
  for (const [n, key] of order.entries()) {
    const near = solvedKeys().reduce((best, f) => (Math.abs(f - key) < Math.abs(best - key) ? f : best), pair[0])
    resect(s, key, near)
    makePoints(s, isKey, LOOSE_PX)
    adjust(s, {
      frames: isKey,
      freePose: (f) => f !== pair[0],
      freeLens: FREE(input.known, false),
      freePoints: true,
      huber: 2,
      steps: n % 3 === 2 ? 8 : 3,
    })
    await say(0.25 + (0.25 * n) / order.length, 'key frames')
  }
  for (let round = 0; round < 2; round++) {
    dropWorst(s, 5, 12)
    adjust(s, {
      frames: isKey,
      freePose: (f) => f !== pair[0],
      freeLens: FREE(input.known, true),
      freePoints: true,
      huber: 1,
      steps: 12,
    })
    makePoints(s, isKey, LOOSE_PX)
  }
  for (let frame = 0; frame < s.frames; frame++) {
    if (s.solved[frame]) continue
    const near = Array.from(s.solved, (on, f) => (on ? f : -1))
      .filter((f) => f >= 0)
      .reduce((best, f) => (Math.abs(f - frame) < Math.abs(best - frame) ? f : best))
    resect(s, frame, near)
  }
  makePoints(s, () => true, LOOSE_PX)
  for (let round = 0; round < 3; round++) {
    await say(0.55 + 0.15 * round, 'all frames')
    dropWorst(s, round === 0 ? 4 : 3, round === 0 ? 12 : 3)
    adjust(s, {
      frames: () => true,
      freePose: (f) => f !== pair[0],
      freeLens: FREE(input.known, true),
      freePoints: true,
      huber: round === 0 ? 2 : 0.2,
      steps: round === 2 ? 20 : 8,
    })
  }
}
