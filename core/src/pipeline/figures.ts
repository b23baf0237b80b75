import type { Camera } from '../data/index.ts'
import { length, subtract } from '../math/index.ts'
import type { FigureName, PlateInfo } from '../shot/index.ts'

/** Figures of a gas's kept frames, by frame, as they were kept. */
export type FigureTable = ReadonlyMap<number, Readonly<Record<string, unknown>>>

const KEPT: Readonly<Partial<Record<FigureName, string>>> = { heat: 'heatKw', light: 'light', height: 'height', flame: 'flame' }
const AXES: Readonly<Partial<Record<FigureName, number>>> = { right: 0, up: 1, near: 2 }

/** One figure of a gas at a frame; undefined where the frame is not kept. pulse: how often a second a series (of the hot gas close over it) pulses round the frame. */
export function gasFigure(table: FigureTable | undefined, name: FigureName, frame: number, pulse: (values: ReadonlyMap<number, number>) => number | undefined): number | undefined {
  if (!table) return undefined
  if (name === 'pulse') return pulse(new Map([...table].flatMap(([at, figures]) => (typeof figures.neck === 'number' ? [[at, figures.neck] as const] : []))))
  const figures = table.get(frame)
  const axis = AXES[name]
  const value = axis === undefined ? figures?.[KEPT[name] ?? ''] : Array.isArray(figures?.centre) ? (figures.centre[axis] as unknown) : undefined
  return typeof value === 'number' ? value : undefined
}

/** The camera's speed at a frame, m/s, from its places half a frame before and after; undefined without one. */
export function cameraSpeed(camera: (frame: number) => Camera | undefined, frame: number, plate: Pick<PlateInfo, 'first' | 'last' | 'rate'>): number | undefined {
  const [from, to] = [Math.max(plate.first, frame - 1), Math.min(plate.last, frame + 1)]
  const [a, b] = [camera(from), camera(to)]
  if (!a || !b || to === from) return undefined
  return (length(subtract(b.position, a.position)) * plate.rate[0]) / plate.rate[1] / (to - from)
}

const median = (values: readonly number[]): number => [...values].sort((a, b) => a - b)[values.length >> 1] ?? 0

/**
 * Seconds that a run of `total` frames still takes, from what its frames took so far. A fire's frames grow dearer while it grows: as its last quarter did, that is taken to go on for half as many frames as were seen, then to stay.
 * null while too little is known.
 */
export function timeLeft(seconds: readonly number[], total: number): number | null {
  const count = seconds.length
  if (count < 2) return null
  const rest = Math.max(0, total - count)
  const late = seconds.slice(Math.floor(0.75 * count))
  const now = median(seconds.slice(-Math.max(2, Math.ceil(count / 8))))
  // The middle one of the slopes between its frames (Theil 1950).
  const slopes = late.flatMap((a, n) => late.slice(n + 1).map((b, m) => (b - a) / (m + 1)))
  const slope = slopes.length > 2 ? Math.max(0, median(slopes)) : 0
  const growing = Math.min(rest, 2 * late.length)
  const grown = now + slope * growing
  return now * growing + 0.5 * slope * growing * growing + grown * (rest - growing)
}

/** Frames of a run: those that it burns before the first that is kept, and those that are kept. */
export interface RunFrames {
  runUp: number
  kept: number
}

/** Seconds that the frames of a run took so far and how many it has in all, for timeLeft: those of its run-up counted, unless some frames are kept and not all of those are known. */
export function runSoFar(runUp: readonly number[], kept: readonly number[], frames: RunFrames): { seconds: readonly number[]; total: number } {
  return kept.length === 0 || runUp.length === frames.runUp ? { seconds: [...runUp, ...kept], total: frames.runUp + frames.kept } : { seconds: kept, total: frames.kept }
}

/** Machines take turns at long work: after so many seconds of one run the next in line has its turn. */
export const TURN_SECONDS = 100

/** A run that is under way or waits: seconds of a machine that it still needs, and whether one is at it now. */
export interface WaitingRun {
  need: number
  now: boolean
}

/**
 * Seconds until a run ends, with the others that share so many machines turn by turn. Whoever has its turn now is taken to be half through it; a run that waits to be half way down the line.
 */
export function timeLeftByTurns(own: WaitingRun, beside: readonly WaitingRun[], machines: number): number {
  const others = beside.filter(({ need }) => need > 0)
  const waiting = others.filter(({ now }) => !now)
  const line = [...(own.now ? [own] : []), ...others.filter(({ now }) => now), ...waiting.slice(0, waiting.length >> 1), ...(own.now ? [] : [own]), ...waiting.slice(waiting.length >> 1)].map((run) => ({ own: run === own, need: run.need, turn: run.now ? TURN_SECONDS / 2 : TURN_SECONDS, ready: 0 }))
  const free = Array.from({ length: Math.max(1, machines) }, () => 0)
  for (let next = line.shift(); next; next = line.shift()) {
    const first = free.indexOf(Math.min(...free))
    const took = Math.min(next.need, next.turn)
    // None is at two machines at once.
    const end = Math.max(free[first] ?? 0, next.ready) + took
    free[first] = end
    if (next.need > took) line.push({ ...next, need: next.need - took, turn: TURN_SECONDS, ready: end })
    else if (next.own) return end
  }
  return own.need
}
