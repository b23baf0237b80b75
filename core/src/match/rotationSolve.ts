import { LanternError, random } from '../base/index.ts'
import { placeAt } from '../data/index.ts'
import { svd3 } from '../math/index.ts'
import { sharedTracks } from './keys.ts'
import { straightPlace } from './lens.ts'
import { lensGuesses, type SolveInput } from './solve.ts'
import { adjust, copyStructure, dropWorst, newStructure, type Structure, setPose } from './structure.ts'

// A camera that only turns about its entrance pupil: directions instead of points, all cameras in one place.

/** Unit direction before the camera of a place in px. */
function wayTo(s: Structure, x: number, y: number): [number, number, number] {
  const [a, b] = straightPlace(s.lens, x - s.width / 2, y - s.height / 2)
  const n = 1 / Math.sqrt(a * a + b * b + 1)
  return [a * n, b * n, n]
}

/** The turn that takes directions nearest to others (Kabsch 1976), weighted. */
function turnBetween(
  from: readonly (readonly number[])[],
  to: readonly (readonly number[])[],
  weights: readonly number[],
): Float64Array {
  const m = new Float64Array(9)
  for (const [n, p] of from.entries())
    for (let i = 0; i < 3; i++)
      for (let j = 0; j < 3; j++)
        m[i * 3 + j] = (m[i * 3 + j] as number) + (weights[n] ?? 1) * (to[n]?.[i] ?? 0) * (p[j] ?? 0)
  const { u, v } = svd3(m)
  const product = (sign: number): Float64Array =>
    Float64Array.from({ length: 9 }, (_, k) =>
      [0, 1, 2].reduce(
        (sum, l) =>
          sum + (u[Math.floor(k / 3) * 3 + l] as number) * (l === 2 ? sign : 1) * (v[(k % 3) * 3 + l] as number),
        0,
      ),
    )
  const r = product(1)
  const [a, b, c, d, e, f, g, h, i] = r as unknown as [
    number,
    number,
    number,
    number,
    number,
    number,
    number,
    number,
    number,
  ]
  return a * (e * i - f * h) - b * (d * i - f * g) + c * (d * h - e * g) < 0 ? product(-1) : r
}

/** Turns from frame to frame under the structure's lens, robustly, and a direction for every track: a place to start from. */
function chain(s: Structure): void {
  setPose(s, 0, [1, 0, 0, 0, 1, 0, 0, 0, 1], [0, 0, 0])
  for (let frame = 1; frame < s.frames; frame++) {
    const shared = sharedTracks(s.tracks, frame - 1, frame)
    const ways = (at: number): number[][] => shared.map((track) => wayTo(s, ...(placeAt(track, at) ?? [0, 0])))
    const [from, to] = [ways(frame - 1), ways(frame)]
    let weights = from.map(() => 1)
    let r = turnBetween(from, to, weights)
    for (let round = 0; round < 5; round++) {
      weights = from.map((p, n) => {
        const off = [0, 1, 2].map(
          (i) =>
            (r[i * 3] as number) * (p[0] ?? 0) +
            (r[i * 3 + 1] as number) * (p[1] ?? 0) +
            (r[i * 3 + 2] as number) * (p[2] ?? 0) -
            (to[n]?.[i] ?? 0),
        )
        const px = (s.lens[0] as number) ** 2 * off.reduce((sum, x) => sum + x * x, 0)
        return 1 / (1 + px)
      })
      r = turnBetween(from, to, weights)
    }
    const before = s.poses.slice((frame - 1) * 12, (frame - 1) * 12 + 9)
    setPose(
      s,
      frame,
      Float64Array.from({ length: 9 }, (_, k) =>
        [0, 1, 2].reduce(
          (sum, l) => sum + (r[Math.floor(k / 3) * 3 + l] as number) * (before[l * 3 + (k % 3)] as number),
          0,
        ),
      ),
      [0, 0, 0],
    )
  }
  for (const [n, track] of s.tracks.entries()) {
    const frame = track.first + (track.places.length >> 2)
    const w = wayTo(s, ...(placeAt(track, frame) ?? [0, 0]))
    for (let c = 0; c < 3; c++)
      s.points[n * 3 + c] = [0, 1, 2].reduce(
        (sum, i) => sum + (s.poses[frame * 12 + i * 3 + c] as number) * (w[i] ?? 0),
        0,
      )
  }
}

/** Solves a camera that only turns. Throws LanternError 'solve' where frames share no tracks. */
export async function solveRotation(input: SolveInput): Promise<Structure> {
  const { known, width } = input
  for (let frame = 1; frame < input.frames; frame++)
    if (sharedTracks(input.tracks, frame - 1, frame).length < 4)
      throw new LanternError(
        'solve',
        `Frames ${frame - 1} and ${frame} of the plate share fewer than 4 tracks.`,
        'Track more features, or trim the plate to where the picture hangs together.',
      )
  const free = [known.focalPx === undefined, known.k1 === undefined, known.k2 === undefined] as const
  const turn = (s: Structure, steps: number, lens: boolean, huber: number) =>
    adjust(s, {
      frames: () => true,
      freePose: (f) => f > 0,
      turnOnly: true,
      freeLens: lens ? free : [false, false, false],
      freePoints: true,
      huber,
      steps,
    })
  // Guesses of the lens are tried over a sample of the tracks.
  const stream = random(input.seed)
  const long = input.tracks.filter((track) => track.places.length >= Math.min(16, input.frames))
  const sample = long.filter(() => stream.next() < 120 / Math.max(1, long.length))
  let best: { s: Structure; loss: number } | undefined
  const say = input.say ?? ((): void => undefined)
  const { focals, bends } = lensGuesses(input)
  for (const [n, f] of focals.entries())
    for (const k1 of bends) {
      await say((0.6 * n) / focals.length, `as a turn, with a focal length of ${Math.round(f)} px`)
      const s = newStructure(sample, input.frames, width, input.height, [f, k1, known.k2 ?? 0], input.crew)
      try {
        chain(s)
      } catch {
        continue
      }
      const { cost, count } = turn(s, 15, true, 2)
      const sane = (s.lens[0] as number) > 0.3 * width && (s.lens[0] as number) < 12 * width
      if (sane && (!best || cost / count < best.loss)) best = { s, loss: cost / count }
    }
  if (!best)
    throw new LanternError(
      'solve',
      'No guess of the lens gave a camera that turns.',
      'State the focal length, or track more features.',
    )
  const s = copyStructure(newStructure(input.tracks, input.frames, width, input.height, best.s.lens, input.crew))
  chain(s)
  turn(s, 10, true, 2)
  for (let round = 0; round < 2; round++) {
    await say(0.8 + 0.1 * round, 'as a turn, all tracks')
    dropWorst(s, 4)
    turn(s, 20, true, 0.7)
  }
  return s
}
