import { LanternError, type Progress, silent, stopIfCancelled } from '../base/index.ts'
import type { Track } from '../data/index.ts'
import { type Homography, type PatchModel, SAME, throughHomography, timesHomography } from '../math/index.ts'
import type { PlateFrames } from './follow.ts'
import { type Light, lightLevels, rootLight } from './light.ts'
import { findPatch, lookAt, type PatchLook } from './patch.ts'

// Tracks placed by hand: a pattern round a point, or a flat patch by its corners, followed from the frames where a person has set it to its ends.

type Corner = readonly [number, number]

/** Where a person has set it: one place for a point, the corners of a flat patch. Frame counted from 0, px. */
export interface ManualTrackKey {
  frame: number
  places: readonly Corner[]
}

export interface ManualTrackSettings {
  /** One or more, forward in frames. */
  keys: readonly ManualTrackKey[]
  model: PatchModel
  /** Half the edge of the square round a point that is followed, px. */
  pattern: number
  /** How far from where it is thought to be it is looked for from one frame to the next, px. */
  search: number
}

/** A followed hand track: a track a place, all over the same frames. */
export interface ManualTrackPath {
  tracks: Track[]
  /** Correlation with its look, by frame from the tracks' first; 1 at a key. */
  likeness: number[]
  /** How often its look had changed so much that a new one was taken. */
  looks: number
  /** Frames, counted from 0, at whose coming it was lost, before and after its keys. */
  lost: number[]
}

const LEVELS = 4
/** Likeness below which it is lost, and below which a new look is taken; share of it that must be in the picture. */
const LEAST_LIKENESS = 0.6
const NEW_LOOK = 0.72
const LEAST_SEEN = 0.6
/** Most that likeness may fall from one frame to the next: more is another thing, that passes before it. */
const MOST_FALL = 0.25
const MOST_KEPT_BYTES = 6e8

interface Step {
  places: Corner[]
  likeness: number
}
interface Follow {
  levels: (n: number) => Promise<Light[]>
  settings: ManualTrackSettings
  told: (done: number) => void
}

const outline = (places: readonly Corner[], pattern: number): Corner[] => {
  const [x, y] = places[0] ?? [0, 0]
  return places.length > 1
    ? [...places]
    : [
        [x - pattern, y - pattern],
        [x + pattern, y - pattern],
        [x + pattern, y + pattern],
        [x - pattern, y + pattern],
      ]
}

/** Follows from one key towards a frame (not past it); steps by frame, and what became of it. */
async function followFrom(
  f: Follow,
  key: ManualTrackKey,
  to: number,
): Promise<{ steps: Map<number, Step>; looks: number; lost?: number }> {
  const { settings } = f
  const steps = new Map<number, Step>()
  const way = to >= key.frame ? 1 : -1
  let base = key.places
  const fresh = async (n: number, places: readonly Corner[]): Promise<PatchLook | undefined> =>
    lookAt(await f.levels(n), outline(places, settings.pattern), settings.model)
  let look = await fresh(key.frame, base)
  if (!look)
    throw new LanternError(
      'hand-flat',
      `There is nothing to hold on to round the track set at frame ${key.frame} of the plate.`,
      'Set it on a spot with contrast, or make its pattern larger.',
      { frame: key.frame },
    )
  let motion: Homography = SAME
  let before: Corner = base[0] ?? [0, 0]
  let drift: Corner = [0, 0]
  let looks = 0
  let like = 0
  for (let n = key.frame + way; way > 0 ? n <= to : n >= to; n += way) {
    const start = timesHomography([1, 0, drift[0], 0, 1, drift[1], 0, 0, 1], motion)
    const found = findPatch(look, await f.levels(n), start, settings.search)
    f.told(1)
    if (found.likeness < Math.max(LEAST_LIKENESS, like - MOST_FALL) || found.seen < LEAST_SEEN)
      return { steps, looks, lost: n }
    like = found.likeness
    motion = found.motion
    const places = base.map(([x, y]) => throughHomography(motion, x, y))
    steps.set(n, { places, likeness: found.likeness })
    const now = places[0] ?? before
    drift = [now[0] - before[0], now[1] - before[1]]
    before = now
    if (found.likeness < NEW_LOOK && n !== to) {
      const next = await fresh(n, places)
      if (!next) return { steps, looks, lost: n + way }
      look = next
      base = places
      motion = SAME
      like = 0
      looks++
    }
  }
  return { steps, looks }
}

/**
 * Follows a hand track through the plate: from each of its keys forward and backward, between two keys a mix of both that comes out right at either.
 * Throws LanternError 'hand' where a key lies outside the plate, 'hand-flat' where a look has no contrast; Cancelled.
 */
export async function followManualTrack(
  plate: PlateFrames,
  settings: ManualTrackSettings,
  progress: Progress = silent,
): Promise<ManualTrackPath> {
  const { keys } = settings
  const [firstKey, lastKey] = [keys[0], keys[keys.length - 1]]
  if (!firstKey || !lastKey || firstKey.frame < 0 || lastKey.frame >= plate.frames)
    throw new LanternError(
      'hand',
      'The track is set on a frame outside the plate.',
      'Set it again on a frame of the plate.',
    )
  const made = new Map<number, Light[]>()
  const most = Math.max(4, Math.floor(MOST_KEPT_BYTES / (plate.width * plate.height * 5.4)))
  const levels = async (n: number): Promise<Light[]> => {
    let light = made.get(n)
    if (!light) {
      light = lightLevels(rootLight(await plate.frame(n), plate.width, plate.height), LEVELS)
      if (made.size >= most) made.delete(made.keys().next().value ?? 0)
      made.set(n, light)
    }
    return light
  }
  const work = plate.frames - 1 + (lastKey.frame - firstKey.frame)
  let done = 0
  const follow: Follow = {
    levels,
    settings,
    told: (count) => {
      done += count
      progress.report(Math.min(1, done / Math.max(1, work)), 'following')
      stopIfCancelled(progress)
    },
  }
  const steps = new Map<number, Step>(keys.map((key) => [key.frame, { places: [...key.places], likeness: 1 }]))
  const lost: number[] = []
  let looks = 0
  const take = (part: Awaited<ReturnType<typeof followFrom>>): Map<number, Step> => {
    looks += part.looks
    if (part.lost !== undefined) lost.push(part.lost)
    return part.steps
  }
  if (firstKey.frame > 0) for (const [n, step] of take(await followFrom(follow, firstKey, 0))) steps.set(n, step)
  for (let k = 0; k + 1 < keys.length; k++) {
    const [a, b] = [keys[k] as ManualTrackKey, keys[k + 1] as ManualTrackKey]
    const forward = (await followFrom(follow, a, b.frame)).steps
    const backward = (await followFrom(follow, b, a.frame)).steps
    for (let n = a.frame + 1; n < b.frame; n++) {
      const step = mixed(forward.get(n), backward.get(n), (n - a.frame) / (b.frame - a.frame))
      // Where neither way gets through, it goes straight between the two keys.
      steps.set(
        n,
        step ?? {
          places: a.places.map((p, c) => between(p, b.places[c] ?? p, (n - a.frame) / (b.frame - a.frame))),
          likeness: 0,
        },
      )
    }
  }
  if (lastKey.frame < plate.frames - 1)
    for (const [n, step] of take(await followFrom(follow, lastKey, plate.frames - 1))) steps.set(n, step)
  const order = [...steps.keys()].sort((a, b) => a - b)
  const first = order[0] ?? 0
  return {
    tracks: firstKey.places.map((_, c) => ({
      id: c,
      first,
      places: Float64Array.from(order.flatMap((n) => steps.get(n)?.places[c] ?? [])),
      weight: 1,
    })),
    likeness: order.map((n) => steps.get(n)?.likeness ?? 0),
    looks,
    lost: lost.sort((a, b) => a - b),
  }
}

const between = (a: Corner, b: Corner, t: number): Corner => [a[0] + (b[0] - a[0]) * t, a[1] + (b[1] - a[1]) * t]

function mixed(a: Step | undefined, b: Step | undefined, t: number): Step | undefined {
  if (!a || !b) return a ?? b
  return { places: a.places.map((p, c) => between(p, b.places[c] ?? p, t)), likeness: Math.min(a.likeness, b.likeness) }
}
