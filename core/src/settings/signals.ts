import { z } from 'zod'
import { curveAt, fractal3, type Vec3 } from '../math/index.ts'
import { id, name } from './fields.ts'
import type { Ride, WorldPose } from './rides.ts'

// Signals: a value per frame with a name. Settings follow them as gain x signal + offset.

const key = z.object({ frame: z.number().int(), value: z.number().min(-1e9).max(1e9) }).strict()
/** Where a signal's values come from. figures: names of what kept results tell per frame; the first is the default. */
const sourceSchema = (figures: readonly [string, ...string[]]) =>
  z.discriminatedUnion('kind', [
    z
      .object({
        kind: z.literal('keys'),
        curve: z.enum(['smooth', 'straight', 'hold']).default('smooth'),
        keys: z
          .array(key)
          .min(1)
          .max(5000)
          .refine(
            (keys) => keys.every((one, n) => n === 0 || one.frame > (keys[n - 1]?.frame ?? 0)),
            'Keys go forward in frames, one a frame.',
          ),
      })
      .strict(),
    z
      .object({
        kind: z.literal('flicker'),
        seed: z.number().int().min(0).max(99999).default(1),
        low: z.number().default(0.7),
        high: z.number().default(1.3),
        pace: z.number().min(0.01).max(60).default(6),
      })
      .strict(),
    z.object({ kind: z.literal('reading'), reading: id }).strict(),
    z.object({ kind: z.literal('figure'), item: id, figure: z.enum(figures).default(figures[0]) }).strict(),
    z.object({ kind: z.literal('camera') }).strict(),
  ])
/** The schema of a signal, where kept results tell these figures. */
export const signalSchemaOf = (figures: readonly [string, ...string[]]) =>
  z.object({ name, shown: z.boolean().default(true), source: sourceSchema(figures) }).strict()
export type Signal = z.infer<ReturnType<typeof signalSchemaOf>>

/** How something rides on a track: from a frame on. */
export type TrackRide = Pick<Ride, 'from' | 'way' | 'takes'>

/** Where values come from that are not in the document; what is missing has no value yet. */
export interface SignalInputs {
  /** Of a reading of the plate, as it is shown. */
  reading?(reading: string, frame: number): number | undefined
  /** Its colour, linear r g b of the figure that is shown. */
  readingColour?(reading: string, frame: number): readonly [number, number, number] | undefined
  /** Of a kept result. */
  figure?(item: string, figure: string, frame: number): number | undefined
  /** Of the solved camera, m/s. */
  cameraSpeed?(frame: number): number | undefined
  /** Where a matched object is, against where its geometry stands in the set. */
  object?(id: string, frame: number): WorldPose | undefined
  /** Where what rides on a track set by hand is held: it was at `place` (m) when it was taken. Counts for how it goes on from there, not by itself. */
  trackPose?(id: string, ride: TrackRide, frame: number, place: Vec3): WorldPose | undefined
  /** Where a track set by hand is in the picture, px of the plate: one place, or the four of a flat one. */
  track?(id: string, frame: number): readonly (readonly [number, number])[] | undefined
}

export interface SignalClock {
  first: number
  /** Frames per second. */
  rate: number
}

/** The signal's own value at a frame, which may lie between frames; undefined where it has none. */
export function signalValue(
  signal: Signal,
  frame: number,
  clock: SignalClock,
  inputs: SignalInputs,
): number | undefined {
  const { source } = signal
  if (source.kind === 'keys')
    return curveAt(
      source.keys.map((one) => ({ at: one.frame, value: one.value })),
      frame,
      source.curve,
    )
  if (source.kind === 'flicker') {
    const noise = fractal3(source.seed, ((frame - clock.first) / clock.rate) * source.pace, 0.37, 0.71, 3)
    return source.low + (source.high - source.low) * (0.5 + 0.5 * Math.min(1, Math.max(-1, noise * 1.6)))
  }
  const at = Math.round(frame)
  if (source.kind === 'reading') return inputs.reading?.(source.reading, at)
  if (source.kind === 'figure') return inputs.figure?.(source.item, source.figure, at)
  return inputs.cameraSpeed?.(at)
}

export interface Following {
  signal: string
  gain: number
  offset: number
  smoothing: number
  delay: number
  takes?: 'level' | 'colour'
}

/** Means over a smoothing's frames on both sides, so many frames ago: without lag. undefined where none of them has a value. */
function meanAround<T>(
  { smoothing, delay }: Following,
  frame: number,
  valueAt: (frame: number) => T | undefined,
  mean: (all: readonly T[]) => T,
): T | undefined {
  const half = Math.floor(smoothing / 2)
  const all: T[] = []
  for (let n = -half; n <= half; n++) {
    const value = valueAt(frame - delay + n)
    if (value !== undefined) all.push(value)
  }
  return all.length > 0 ? mean(all) : undefined
}

/** The colour that a setting takes of a reading, of brightness 1 (Rec. 709); undefined where it takes none, or there is none. */
export function followedColour(
  following: Following,
  signals: Readonly<Record<string, Signal>>,
  frame: number,
  inputs: SignalInputs,
): [number, number, number] | undefined {
  const source = signals[following.signal]?.source
  if (following.takes !== 'colour' || source?.kind !== 'reading') return undefined
  const colour = meanAround(
    following,
    frame,
    (at) => inputs.readingColour?.(source.reading, Math.round(at)),
    (all) =>
      [0, 1, 2].map((c) => all.reduce((sum, one) => sum + (one[c] ?? 0), 0) / all.length) as [number, number, number],
  )
  const level = colour && 0.2126 * colour[0] + 0.7152 * colour[1] + 0.0722 * colour[2]
  return colour && level && level > 0 ? [colour[0] / level, colour[1] / level, colour[2] / level] : undefined
}

/** What a setting that follows has at a frame: the signal's mean over its smoothing's frames, so many frames ago, times gain, plus offset. undefined where there is no value. */
export function followed(
  following: Following,
  signals: Readonly<Record<string, Signal>>,
  frame: number,
  clock: SignalClock,
  inputs: SignalInputs,
): number | undefined {
  const signal = signals[following.signal]
  if (!signal) return undefined
  const mean = meanAround(
    following,
    frame,
    (at) => {
      const value = signalValue(signal, at, clock, inputs)
      return value !== undefined && Number.isFinite(value) ? value : undefined
    },
    (all) => all.reduce((sum, value) => sum + value, 0) / all.length,
  )
  return mean === undefined ? undefined : following.gain * mean + following.offset
}
