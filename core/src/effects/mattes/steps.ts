import { canonicalJson, type Recipe, recipeKey, textKey } from '../../base/index.ts'
import type { HelpedMatte, MatteStroke } from '../../mattes/index.ts'

// A helped matte is made in steps: the first from the strokes of its first round, each later one from the strokes on one frame of a later round, which correct what was there.
// A step's key holds all before it, and a frame's key is that of the last step that touches it; so frames beyond a correction keep theirs.

/** Raised whenever the same recipe gives other bits. */
export const MATTE_VERSIONS = { helped: 2 } as const
/** Frames around those that are wanted, which tell of the background. */
const CONTEXT = 18
/** Plates wider than this are cut at half their size, or at a quarter. */
const MOST_WIDTH = 1920

/** What of a shot's plate a matte is carried over. */
export interface MattePlate {
  asset: string
  encoding: string
  width: number
  height: number
  first: number
  last: number
}
export type PlateSize = 'full' | 'half' | 'quarter'
export const matteSize = ({ width }: Pick<MattePlate, 'width'>): PlateSize =>
  width <= MOST_WIDTH ? 'full' : width <= 2 * MOST_WIDTH ? 'half' : 'quarter'

export interface MatteStep {
  key: string
  round: number
  /** The frame that a correction is on; none: the first step. */
  frame?: number
  strokes: MatteStroke[]
  /** Frames that it decides. */
  from: number
  to: number
}

/** Strokes in the order in which they were drawn. */
export const strokesInOrder = (helped: HelpedMatte): [string, HelpedMatte['strokes'][string]][] =>
  Object.entries(helped.strokes).sort(([a, x], [b, y]) => x.order - y.order || (a < b ? -1 : 1))

/** The frames that a helped matte is computed on: those wanted, and those around. */
export function matteFrames(
  helped: HelpedMatte,
  plate: Pick<MattePlate, 'first' | 'last'>,
): { first: number; last: number } {
  const held = (n: number): number => Math.min(plate.last, Math.max(plate.first, n))
  return {
    first: held(Math.min(helped.from, helped.to) - CONTEXT),
    last: held(Math.max(helped.from, helped.to) + CONTEXT),
  }
}

/** Frames that were accepted in a round or before, with the files that they stay. */
export const acceptedBefore = (helped: HelpedMatte, round: number): Map<number, string> =>
  new Map(
    Object.entries(helped.accepted)
      .filter(([, one]) => one.round <= round)
      .map(([frame, { blob }]): [number, string] => [Number(frame), blob])
      .sort(([a], [b]) => a - b),
  )

/** The recipe that the first step's key is of, without its strokes. */
export function helpedRecipe(helped: HelpedMatte, plate: MattePlate): Recipe {
  const { first, last } = matteFrames(helped, plate)
  const { from, to } = helped
  return {
    kind: 'helped',
    version: MATTE_VERSIONS.helped,
    settings: { plate: plate.asset, encoding: plate.encoding, width: plate.width, first, last, from, to },
    inputs: [],
  }
}

/** The steps of a helped matte, as far as it is carried; none where it is not, or where its first round has no strokes. */
export function helpedSteps(helped: HelpedMatte, plate: MattePlate): MatteStep[] {
  const { first, last } = matteFrames(helped, plate)
  const strokes = strokesInOrder(helped).flatMap(([, { order: _, ...stroke }]) =>
    stroke.round < helped.carried && stroke.frame >= first && stroke.frame <= last ? [stroke] : [],
  )
  const ofRound = (round: number) => strokes.filter((one) => one.round === round)
  const begin = ofRound(0)
  if (begin.length === 0) return []
  const bare = (some: typeof strokes): MatteStroke[] => some.map(({ round: _, ...stroke }) => stroke)
  const accepted = (round: number): [number, string][] => [...acceptedBefore(helped, round)]
  let key = textKey(
    `${recipeKey(helpedRecipe(helped, plate))}:${canonicalJson({ strokes: bare(begin), accepted: accepted(0) })}`,
  )
  const steps: MatteStep[] = [{ key, round: 0, strokes: bare(begin), from: first, to: last }]
  const keyed = new Set(begin.map(({ frame }) => frame))
  for (const round of [...new Set(strokes.map((one) => one.round))].sort((a, b) => a - b)) {
    if (round === 0) continue
    const own = ofRound(round)
    for (const [frame] of accepted(round)) keyed.add(frame)
    for (const frame of [...new Set(own.map((one) => one.frame))].sort((a, b) => a - b)) {
      const some = bare(own.filter((one) => one.frame === frame))
      key = textKey(`${key}:${canonicalJson({ frame, strokes: some, accepted: accepted(round) })}`)
      const keys = [...keyed].sort((a, b) => a - b)
      steps.push({
        key,
        round,
        frame,
        strokes: some,
        from: (keys.findLast((n) => n < frame) ?? first - 1) + 1,
        to: (keys.find((n) => n > frame) ?? last + 1) - 1,
      })
      keyed.add(frame)
    }
  }
  return steps
}

/** The key of a frame that a step decides. */
export const frameKeyOf = (step: string, frame: number): string => textKey(`${step}:${frame}`)

/** The key of all that decides each frame, after the first `count` steps. */
export function stepFrameKeys(
  steps: readonly MatteStep[],
  helped: HelpedMatte,
  plate: MattePlate,
  count = steps.length,
): Map<number, string> {
  const { first, last } = matteFrames(helped, plate)
  const round = count === steps.length ? helped.carried : (steps[count - 1]?.round ?? 0)
  const accepted = acceptedBefore(helped, round)
  const keys = new Map<number, string>()
  for (let frame = first; frame <= last; frame++) {
    const own = accepted.has(frame) ? helped.accepted[frame] : undefined
    const step = steps.slice(0, count).findLast(({ from, to }) => frame >= from && frame <= to)
    if (own) keys.set(frame, own.key)
    else if (step) keys.set(frame, frameKeyOf(step.key, frame))
  }
  return keys
}

/** The key of all that decides one frame of a helped matte; undefined where it is not carried. */
export const matteFrameKey = (helped: HelpedMatte, plate: MattePlate, frame: number): string | undefined =>
  stepFrameKeys(helpedSteps(helped, plate), helped, plate).get(frame)

/** Frames with strokes that are not carried yet. */
export const openStrokes = (helped: HelpedMatte, plate: Pick<MattePlate, 'first' | 'last'>): number[] => {
  const frames = Object.values(helped.strokes).flatMap(({ round, frame }) =>
    round >= helped.carried && frame >= plate.first && frame <= plate.last ? [frame] : [],
  )
  return [...new Set(frames)].sort((a, b) => a - b)
}

/** The strokes of a frame that are not carried yet; of all frames where none is named. */
export const openStrokesOf = (helped: HelpedMatte, frame?: number): MatteStroke[] =>
  strokesInOrder(helped).flatMap(([, { order: _, round, ...stroke }]) =>
    round >= helped.carried && (frame === undefined || stroke.frame === frame) ? [stroke] : [],
  )

/** The key of one stroked frame, cut by itself from what was carried. */
export function strokeKeyOf(helped: HelpedMatte, plate: MattePlate, frame: number): string {
  const before = helpedSteps(helped, plate).at(-1)?.key ?? recipeKey(helpedRecipe(helped, plate))
  // Colours of a first cut are those of all its strokes.
  const strokes = openStrokesOf(helped, helped.carried === 0 ? undefined : frame)
  return textKey(
    `${before}:stroke:${frame}:${canonicalJson({ strokes, accepted: [...acceptedBefore(helped, helped.carried)] })}`,
  )
}
