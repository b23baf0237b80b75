import { type Crew, type Progress, silent, stopIfCancelled } from '../base/index.ts'
import type { Track } from '../data/index.ts'

// Following features through a plate: corners spread evenly (Shi & Tomasi 1994), found again from frame to frame through pyramids (Lucas & Kanade 1981; Bouguet 2001) and then against
// their first look under an affine change (Shi & Tomasi 1994; inverse compositional, Baker & Matthews 2004), with brightness gain and offset taken out, checked by following back.

/** The plate as a tracker takes it: linear r g b of a frame counted from 0, row-major from the top left. */
export interface PlateFrames {
  frames: number
  width: number
  height: number
  frame: (n: number) => Float32Array | Promise<Float32Array>
}

export interface FollowSettings {
  /** Features wanted in every frame. */
  count: number
  /** Whether local contrast is evened out first. */
  even: boolean
  /** Share of the picture that is followed at all; features are as much denser. All of it where nothing is said. */
  share?: number
  /** True where nothing is followed; frame counted from 0, place in px. */
  keptOut?: (frame: number, x: number, y: number) => boolean
}
export const FOLLOW: FollowSettings = { count: 300, even: true }

const FEATURE_WORDS = 384
const SCRATCH_BYTES = 24576
const CHUNK = 4
const LEVELS = 4
/** Half-breadth of the square over which contrast is evened, px of a 1280-px picture; the least spread that is raised, in root light. */
const EVEN_REACH = 24
const EVEN_LEAST = 0.012
/** As the kernel states it. */
const EVEN_BAND = 32
const RIM = 12
/** Px that a feature may be off when followed back; likeness below which it is lost, and below which it takes a new look. */
const MOST_BACK = 0.5
const LEAST_LIKENESS = 0.72
const NEW_LOOK = 0.86
/** Most that likeness may fall from one frame to the next: more is another thing, as behind a cut or something that passes. */
const MOST_FALL = 0.1
const TOP_UP_EVERY = 10
const TOP_UP_BELOW = 0.7
/** Corners weaker than this share of the usual strongest of a bucket are passed over. */
const LEAST_STRENGTH = 0.04
const SHORTEST = 5

/** A picture and its halves in the heap. */
interface Pyramid {
  table: number
  levels: { pointer: number; width: number; height: number }[]
}

function newPyramid(crew: Crew, width: number, height: number): Pyramid {
  const levels = Array.from({ length: LEVELS }, (_, n) => ({
    pointer: crew.heap.alloc((width >> n) * (height >> n) * 4),
    width: width >> n,
    height: height >> n,
  }))
  const table = crew.heap.alloc(LEVELS * 12)
  crew.heap.i32(table, LEVELS * 3).set(levels.flatMap(({ pointer, width: w, height: h }) => [pointer, w, h]))
  return { table, levels }
}

/** Room in the heap for following: two pyramids, features and what is made on the way. */
export interface Follower {
  crew: Crew
  plate: PlateFrames
  settings: FollowSettings
  before: Pyramid
  now: Pyramid
  rgb: number
  flat: number
  sums: number
  features: number
  scratch: number
  /** Pictures of frames as they were made on the way forward, as far as there is room: the way back needs them again. */
  made: Map<number, Float32Array>
}
const MOST_MADE_BYTES = 1.5e9

function newFollower(crew: Crew, plate: PlateFrames, settings: FollowSettings): Follower {
  const { width, height } = plate
  const most = 3 * settings.count
  return {
    crew,
    plate,
    settings,
    before: newPyramid(crew, width, height),
    now: newPyramid(crew, width, height),
    rgb: crew.heap.alloc(width * height * 12),
    flat: crew.heap.alloc(width * height * 4),
    sums: crew.heap.alloc(width * height * 8),
    features: crew.heap.alloc(most * FEATURE_WORDS * 4),
    scratch: crew.heap.alloc(Math.ceil(most / CHUNK) * SCRATCH_BYTES),
    made: new Map(),
  }
}

async function loadFrame(f: Follower, n: number, into: Pyramid): Promise<void> {
  const {
    crew,
    plate: { width, height },
  } = f
  const finest = into.levels[0]?.pointer ?? 0
  const made = f.made.get(n)
  if (made) {
    crew.heap.f32(finest, width * height).set(made)
    halve(f, into)
    return
  }
  const picture = await f.plate.frame(n)
  crew.heap.f32(f.rgb, width * height * 3).set(picture)
  crew.run('rootBrightness', [f.rgb, f.settings.even ? f.flat : finest], width * height, 16384)
  if (f.settings.even) {
    const reach = Math.max(6, Math.round((EVEN_REACH * width) / 1280))
    crew.run('boxSums', [f.flat, width, height, reach, f.sums], height, 8)
    crew.run('evenContrast', [f.flat, f.sums, width, height, reach, EVEN_LEAST, finest], height, EVEN_BAND)
  }
  if ((f.made.size + 1) * width * height * 4 <= MOST_MADE_BYTES)
    f.made.set(n, crew.heap.f32(finest, width * height).slice())
  halve(f, into)
}

function halve({ crew }: Follower, into: Pyramid): void {
  for (let level = 1; level < LEVELS; level++) {
    const [from, to] = [into.levels[level - 1], into.levels[level]]
    if (from && to) crew.run('halvePicture', [from.pointer, from.width, from.height, to.pointer], to.height, 8)
  }
}

/** Corners of a picture, one at most in each bucket that holds none of `taken` yet, strongest first. */
function freshCorners(
  f: Follower,
  picture: Pyramid,
  taken: readonly (readonly [number, number])[],
  frame: number,
): [number, number][] {
  const {
    crew,
    plate: { width, height },
    settings,
  } = f
  const strength = f.flat
  crew.run('cornerStrength', [picture.levels[0]?.pointer ?? 0, width, height, strength], height, 8)
  const values = crew.heap.f32(strength, width * height)
  const edge = Math.max(8, Math.sqrt((width * height * (settings.share ?? 1)) / settings.count))
  const [across, down] = [Math.ceil(width / edge), Math.ceil(height / edge)]
  const best = Array.from({ length: across * down }, () => ({ value: 0, x: 0, y: 0 }))
  for (let y = RIM; y < height - RIM; y++)
    for (let x = RIM; x < width - RIM; x++) {
      const value = values[y * width + x] as number
      const bucket = best[Math.floor(y / edge) * across + Math.floor(x / edge)]
      if (!bucket || value <= bucket.value || settings.keptOut?.(frame, x + 0.5, y + 0.5)) continue
      bucket.value = value
      bucket.x = x + 0.5
      bucket.y = y + 0.5
    }
  const usual = best.map(({ value }) => value).sort((a, b) => b - a)[Math.floor(best.length / 8)] ?? 0
  const far = (edge * 0.6) ** 2
  return best
    .filter(
      ({ value, x, y }) =>
        value > LEAST_STRENGTH * usual && !taken.some(([a, b]) => (a - x) * (a - x) + (b - y) * (b - y) < far),
    )
    .sort((a, b) => b.value - a.value)
    .map(({ x, y }) => [x, y])
}

/** A track being made: places from its start forward, and from before it backward. */
interface Making {
  id: number
  start: number
  forward: number[]
  backward: number[]
  /** Likeness when last followed, or 0. */
  like: number
}

/** Features in the heap and whose they are; a lost one's place is taken by the last. */
interface Active {
  tracks: Making[]
}

const recordOf = (f: Follower, slot: number): Float32Array =>
  f.crew.heap.f32(f.features + slot * FEATURE_WORDS * 4, FEATURE_WORDS)

function enter(f: Follower, active: Active, track: Making, x: number, y: number, picture: Pyramid): void {
  const slot = active.tracks.length
  if (slot >= 3 * f.settings.count) return
  active.tracks.push(track)
  const record = recordOf(f, slot)
  record.fill(0)
  record[0] = x
  record[1] = y
  lookAgain(f, slot, picture)
}

function lookAgain(f: Follower, slot: number, picture: Pyramid): void {
  const finest = picture.levels[0]
  if (finest)
    f.crew.run('takeLooks', [finest.pointer, finest.width, finest.height, f.features + slot * FEATURE_WORDS * 4], 1, 1)
}

/** Follows all active features from the picture before into the picture now; what is lost is left out of `active`. `keep` is told each place. */
function followAll(
  f: Follower,
  active: Active,
  frame: number,
  keep: (track: Making, x: number, y: number) => void,
): void {
  const {
    crew,
    plate: { width, height },
    settings,
  } = f
  crew.run(
    'followFeatures',
    [f.before.table, f.now.table, LEVELS, f.features, f.scratch, CHUNK],
    active.tracks.length,
    CHUNK,
  )
  for (let slot = active.tracks.length - 1; slot >= 0; slot--) {
    const record = recordOf(f, slot)
    const [x, y, state, likeness, back] = [record[0], record[1], record[8], record[9], record[10]] as [
      number,
      number,
      number,
      number,
      number,
    ]
    const track = active.tracks[slot] as Making
    const good =
      state === 1 &&
      back < MOST_BACK &&
      likeness > Math.max(LEAST_LIKENESS, track.like - MOST_FALL) &&
      x > RIM &&
      y > RIM &&
      x < width - RIM &&
      y < height - RIM &&
      !settings.keptOut?.(frame, x, y)
    if (good) {
      keep(track, x, y)
      track.like = likeness
      if (likeness < NEW_LOOK) {
        lookAgain(f, slot, f.now)
        track.like = 0
      }
      continue
    }
    const last = active.tracks.length - 1
    if (slot !== last) {
      record.set(recordOf(f, last))
      active.tracks[slot] = active.tracks[last] as Making
    }
    active.tracks.pop()
  }
}

const turnOver = (f: Follower): void => {
  const { before, now } = f
  f.before = now
  f.now = before
}

/**
 * Tracks of a plate's features: begun in the first frame and wherever too few are left, followed to the end and, from where they began, back to the start.
 * Two passes over the plate. Throws Cancelled when asked to stop.
 */
export async function followPlate(
  crew: Crew,
  plate: PlateFrames,
  settings: FollowSettings = FOLLOW,
  progress: Progress = silent,
): Promise<Track[]> {
  const mark = crew.heap.mark()
  try {
    const f = newFollower(crew, plate, settings)
    const made: Making[] = []
    const active: Active = { tracks: [] }
    const topUp = (frame: number): void => {
      const taken = active.tracks.map((_, slot) => [recordOf(f, slot)[0], recordOf(f, slot)[1]] as [number, number])
      for (const [x, y] of freshCorners(f, f.before, taken, frame)) {
        const track: Making = { id: made.length, start: frame, forward: [x, y], backward: [], like: 0 }
        made.push(track)
        enter(f, active, track, x, y, f.before)
      }
    }
    await loadFrame(f, 0, f.before)
    topUp(0)
    for (let frame = 1; frame < plate.frames; frame++) {
      stopIfCancelled(progress)
      progress.report(frame / (2 * plate.frames), `following forward, ${active.tracks.length} features`)
      await loadFrame(f, frame, f.now)
      followAll(f, active, frame, (track, x, y) => track.forward.push(x, y))
      turnOver(f)
      if (active.tracks.length < TOP_UP_BELOW * settings.count || frame % TOP_UP_EVERY === 0) topUp(frame)
    }
    active.tracks = []
    for (let frame = plate.frames - 1; frame > 0; frame--) {
      stopIfCancelled(progress)
      progress.report(1 - frame / (2 * plate.frames), `following backward, ${active.tracks.length} features`)
      if (frame === plate.frames - 1) await loadFrame(f, frame, f.before)
      for (const track of made)
        if (track.start === frame) {
          track.like = 0
          enter(f, active, track, track.forward[0] as number, track.forward[1] as number, f.before)
        }
      await loadFrame(f, frame - 1, f.now)
      followAll(f, active, frame - 1, (track, x, y) => track.backward.push(x, y))
      turnOver(f)
    }
    return made.map(trackOf).filter((track) => track.places.length >= 2 * SHORTEST)
  } finally {
    crew.heap.release(mark)
  }
}

function trackOf({ id, start, forward, backward }: Making): Track {
  const before = backward.length / 2
  const places = new Float64Array(forward.length + backward.length)
  for (let n = 0; n < before; n++) {
    places[2 * (before - 1 - n)] = backward[2 * n] as number
    places[2 * (before - 1 - n) + 1] = backward[2 * n + 1] as number
  }
  places.set(forward, backward.length)
  return { id, first: start - before, places, weight: 1 }
}
