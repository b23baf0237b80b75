// Which frames of a clip are shown at a frame of the plate.

export interface ClipTiming {
  /** Frames of the clip that are used, first and last. */
  first: number
  last: number
  /** Frames a second that it was shot at; of the plate. */
  shot: number
  plate: number
  /** Times its own speed; below 0 it runs backward. */
  pace: number
  /** What comes after its end: its last frame, nothing, or it begins anew. */
  after: 'hold' | 'nothing' | 'loop'
  /** Frames of the clip over which its end fades into its beginning as it loops. */
  crossFade: number
  /** Frames of the clip by which it begins later in it. */
  offset: number
  /** Whether frames between two are made of both, by how near each is (as they are, or moved), or of the nearer one alone. */
  between: 'blend' | 'motion' | 'nearest'
}
/** A frame of the clip and its share. */
export interface ClipFrame {
  frame: number
  share: number
}

/** Frames of the clip for each frame of the plate, at its own speed. */
export const clipStep = ({ shot, plate, pace }: Pick<ClipTiming, 'shot' | 'plate' | 'pace'>): number =>
  (shot / plate) * pace

/** Nearer to a whole frame than this it is that frame. */
const WHOLE = 1e-6

/** Frames at a place in a clip that may lie between two. */
function around(place: number, last: number, between: ClipTiming['between']): ClipFrame[] {
  const whole = Math.round(place)
  if (between === 'nearest' || Math.abs(place - whole) < WHOLE)
    return [{ frame: Math.min(last, Math.max(0, whole)), share: 1 }]
  const below = Math.floor(place)
  const share = place - below
  return [
    { frame: Math.min(last, below), share: 1 - share },
    { frame: Math.min(last, below + 1), share },
  ]
}

/**
 * The frames of a clip at a moment, by their numbers, with shares that sum to 1; none where it is over.
 * elapsed: frames of the plate since it began; below 0 it has not begun.
 */
export function clipFrames(timing: ClipTiming, elapsed: number): ClipFrame[] {
  const { first, last, after, offset, between, pace } = timing
  const length = last - first + 1
  if (elapsed < 0 || length < 1) return []
  const end = length - 1
  const step = Math.abs(clipStep(timing))
  const way = offset + elapsed * step
  const fade = after === 'loop' ? Math.min(Math.max(0, timing.crossFade), Math.floor(length / 2)) : 0
  const turned = (frames: ClipFrame[]): ClipFrame[] =>
    frames.map(({ frame, share }) => ({ frame: first + (pace < 0 ? end - frame : frame), share }))
  if (after !== 'loop') {
    if (way > end + WHOLE && after === 'nothing') return []
    return turned(around(Math.min(end, way), end, between))
  }
  const period = length - fade
  const place = way % period
  const here = around(place, end, between)
  // After the first round its beginning comes out of the end of the one before.
  if (fade === 0 || way < period || place >= fade) return turned(here)
  const share = (place + 1) / (fade + 1)
  return turned(summed([...scaled(here, share), ...scaled(around(place + period, end, between), 1 - share)]))
}
const scaled = (frames: readonly ClipFrame[], by: number): ClipFrame[] =>
  frames.map(({ frame, share }) => ({ frame, share: share * by }))
const summed = (frames: readonly ClipFrame[]): ClipFrame[] => {
  const all = new Map<number, number>()
  for (const { frame, share } of frames) all.set(frame, (all.get(frame) ?? 0) + share)
  return [...all].map(([frame, share]) => ({ frame, share }))
}

/** What is shown at a moment: a frame, or what lies between two neighbours at a share of the way from the first. */
export interface ClipMoment {
  frame: number
  next?: { frame: number; way: number }
  share: number
}
/** Frames of a moment as pairs of neighbours, which one another's motion joins. */
export function clipMoments(frames: readonly ClipFrame[]): ClipMoment[] {
  const all: ClipMoment[] = []
  for (let n = 0; n < frames.length; n++) {
    const [a, b] = [frames[n] as ClipFrame, frames[n + 1]]
    const both = b && Math.abs(b.frame - a.frame) === 1 ? a.share + b.share : 0
    if (b && both > 0) {
      all.push({ frame: a.frame, next: { frame: b.frame, way: b.share / both }, share: both })
      n++
    } else all.push({ ...a })
  }
  return all
}
