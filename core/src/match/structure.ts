import type { Crew } from '../base/index.ts'
import { placeAt, seenAt, type Track } from '../data/index.ts'
import { reduceRows, type Vec3 } from '../math/index.ts'
import { adjustBundle, type BundleResult } from './bundle.ts'
import { type Bundle, land } from './bundleCost.ts'
import { straightPlace } from './lens.ts'
import { median } from './median.ts'

/** A solve on its way: which frames have a pose, which tracks a point. Poses and lens as in bundle.ts. */
export interface Structure {
  tracks: readonly Track[]
  frames: number
  width: number
  height: number
  lens: Float64Array
  poses: Float64Array
  solved: Uint8Array
  /** Three numbers a track; NaN where it has no point. */
  points: Float64Array
  /** 1 for a track that is left out as wrong. */
  dropped: Uint8Array
  crew?: Crew
}

export function newStructure(
  tracks: readonly Track[],
  frames: number,
  width: number,
  height: number,
  lens: ArrayLike<number>,
  crew?: Crew,
): Structure {
  return {
    ...(crew ? { crew } : {}),
    tracks,
    frames,
    width,
    height,
    lens: Float64Array.from(lens),
    poses: new Float64Array(frames * 12),
    solved: new Uint8Array(frames),
    points: new Float64Array(tracks.length * 3).fill(Number.NaN),
    dropped: new Uint8Array(tracks.length),
  }
}

export const copyStructure = (s: Structure): Structure => ({
  ...s,
  lens: s.lens.slice(),
  poses: s.poses.slice(),
  solved: s.solved.slice(),
  points: s.points.slice(),
  dropped: s.dropped.slice(),
})

export const hasPoint = (s: Structure, track: number): boolean => !Number.isNaN(s.points[track * 3] as number)

export function setPose(
  s: Structure,
  frame: number,
  rotation: ArrayLike<number>,
  translation: ArrayLike<number>,
): void {
  for (let k = 0; k < 9; k++) s.poses[frame * 12 + k] = rotation[k] as number
  for (let k = 0; k < 3; k++) s.poses[frame * 12 + 9 + k] = translation[k] as number
  s.solved[frame] = 1
}

/** The camera's place in the world at a frame: -R^T t. */
export function eyeOf(poses: Float64Array, frame: number): Vec3 {
  const o = frame * 12
  const r = (k: number): number => poses[o + k] as number
  return [0, 1, 2].map((c) => -(r(c) * r(9) + r(3 + c) * r(10) + r(6 + c) * r(11))) as unknown as Vec3
}

/** Unit direction in the world of a place in a frame, px from the top left. */
function wayOf(s: Structure, frame: number, x: number, y: number): Vec3 {
  const [a, b] = straightPlace(s.lens, x - s.width / 2, y - s.height / 2)
  const o = frame * 12
  const r = (k: number): number => s.poses[o + k] as number
  const n = 1 / Math.sqrt(a * a + b * b + 1)
  return [0, 1, 2].map((c) => (r(c) * a + r(3 + c) * b + r(6 + c)) * n) as unknown as Vec3
}

export interface Wanted {
  /** Frames that count, of those that are solved. */
  frames: (frame: number) => boolean
  /** Cosine of the least angle between two of the rays. */
  leastAngle: number
  /** Most that a place may lie from where the point lands, px. */
  limit: number
}

/** Puts a track's point where its rays come nearest together; false, leaving it as it was, when they are too nearly parallel or don't agree. */
export function triangulate(s: Structure, index: number, wanted: Wanted): boolean {
  const track = s.tracks[index]
  if (!track || s.dropped[index]) return false
  const rays: { frame: number; eye: Vec3; way: Vec3 }[] = []
  for (let n = 0; n < track.places.length / 2; n++) {
    const frame = track.first + n
    if (!s.solved[frame] || !wanted.frames(frame) || !seenAt(track, frame)) continue
    rays.push({
      frame,
      eye: eyeOf(s.poses, frame),
      way: wayOf(s, frame, track.places[n * 2] as number, track.places[n * 2 + 1] as number),
    })
  }
  const first = rays[0]
  if (!first || rays.length < 2) return false
  let least = 1
  for (const { way } of rays)
    least = Math.min(least, way[0] * first.way[0] + way[1] * first.way[1] + way[2] * first.way[2])
  if (least > wanted.leastAngle) return false
  // Sum of squared distances from the rays: (sum of I - w w^T) X = sum of (I - w w^T) eye.
  const a = new Float64Array(12)
  for (const { eye, way } of rays)
    for (let i = 0; i < 3; i++)
      for (let j = 0; j < 3; j++) {
        const m = (i === j ? 1 : 0) - (way[i] as number) * (way[j] as number)
        a[i * 4 + j] = (a[i * 4 + j] as number) + m
        a[i * 4 + 3] = (a[i * 4 + 3] as number) + m * (eye[j] as number)
      }
  if (!reduceRows(a, 3, 4)) return false
  const before = s.points.slice(index * 3, index * 3 + 3)
  for (let k = 0; k < 3; k++) s.points[index * 3 + k] = a[k * 4 + 3] as number
  const out = new Float64Array(2)
  for (const { frame } of rays) {
    const place = placeAt(track, frame)
    const seen = land(s.poses, frame, s.points, index, s.lens, out)
    const [dx, dy] = place
      ? [(out[0] as number) - place[0] + s.width / 2, (out[1] as number) - place[1] + s.height / 2]
      : [0, 0]
    if (!seen || dx * dx + dy * dy > wanted.limit * wanted.limit) {
      s.points.set(before, index * 3)
      return false
    }
  }
  return true
}

export interface Adjusting {
  /** Frames whose observations count; of these, which poses are found. */
  frames: (frame: number) => boolean
  freePose: (frame: number) => boolean
  /** Poses only turn: where they are is held. */
  turnOnly?: boolean
  freeLens: readonly [boolean, boolean, boolean]
  freePoints: boolean
  huber: number
  steps: number
  stop?: () => void
}

/** The bundle of a part of a structure, poses and lens shared with it, and which tracks its points are. */
export function bundleOf(s: Structure, a: Omit<Adjusting, 'steps' | 'stop'>): { bundle: Bundle; used: number[] } {
  const used: number[] = []
  const start = [0]
  const frame: number[] = []
  const place: number[] = []
  const weight: number[] = []
  for (const [index, track] of s.tracks.entries()) {
    if (s.dropped[index] || !hasPoint(s, index)) continue
    const before = frame.length
    for (let n = 0; n < track.places.length / 2; n++) {
      const at = track.first + n
      if (!s.solved[at] || !a.frames(at) || !seenAt(track, at)) continue
      frame.push(at)
      place.push((track.places[n * 2] as number) - s.width / 2, (track.places[n * 2 + 1] as number) - s.height / 2)
      weight.push(track.weight)
    }
    if (frame.length - before < (a.freePoints ? 2 : 1)) {
      frame.length = before
      place.length = before * 2
      weight.length = before
      continue
    }
    used.push(index)
    start.push(frame.length)
  }
  const points = Float64Array.from(used.flatMap((index) => [...s.points.subarray(index * 3, index * 3 + 3)]))
  const bundle: Bundle = {
    crew: s.crew,
    poses: s.poses,
    points,
    lens: s.lens,
    freeLens: a.freeLens,
    freePoints: a.freePoints,
    huber: a.huber,
    freePose: Uint8Array.from({ length: s.frames }, (_, f) =>
      s.solved[f] && a.frames(f) && a.freePose(f) ? (a.turnOnly ? 1 : 2) : 0,
    ),
    start: Int32Array.from(start),
    frame: Int32Array.from(frame),
    place: Float64Array.from(place),
    weight: Float64Array.from(weight),
  }
  return { bundle, used }
}

/** Bundle adjustment of a part of a structure, in place; returns the loss and how many observations it was over. */
export function adjust(s: Structure, a: Adjusting): BundleResult & { count: number } {
  const { bundle, used } = bundleOf(s, a)
  const result = adjustBundle(bundle, a.steps, a.stop)
  for (const [n, index] of used.entries()) s.points.set(bundle.points.subarray(n * 3, n * 3 + 3), index * 3)
  return { ...result, count: bundle.frame.length }
}

/** Distance of a track's place from where its point lands at a frame, px; undefined where there is none of either. */
export function residualAt(s: Structure, index: number, frame: number): number | undefined {
  const track = s.tracks[index]
  const place = track && s.solved[frame] && hasPoint(s, index) ? placeAt(track, frame) : undefined
  if (!place) return undefined
  const out = new Float64Array(2)
  if (!land(s.poses, frame, s.points, index, s.lens, out)) return Infinity
  const dx = (out[0] as number) + s.width / 2 - place[0]
  const dy = (out[1] as number) + s.height / 2 - place[1]
  return Math.sqrt(dx * dx + dy * dy)
}

/** Residuals of a track over the solved frames it is seen in. */
export function residualsOf(s: Structure, index: number): number[] {
  const track = s.tracks[index]
  if (!track || !hasPoint(s, index)) return []
  return Array.from({ length: track.places.length / 2 }, (_, n) => residualAt(s, index, track.first + n)).filter(
    (r) => r !== undefined,
  )
}

/** Drops tracks that lie worse than the others: medians over `times` the usual one, or places further than `most` px off. Returns how many. */
export function dropWorst(s: Structure, times: number, most = Infinity): number {
  const medians = s.tracks.map((_, n) => (s.dropped[n] || !hasPoint(s, n) ? undefined : median(residualsOf(s, n))))
  const usual = median(medians.filter((m) => m !== undefined))
  let dropped = 0
  for (const [n, m] of medians.entries())
    if (m !== undefined && (m > Math.max(0.25, times * usual) || Math.max(...residualsOf(s, n)) > most)) {
      s.points.fill(Number.NaN, n * 3, n * 3 + 3)
      s.dropped[n] = 1
      dropped++
    }
  return dropped
}
