import type { EffectContext } from '@lantern/core/effects'
import {
  cameraSpeed,
  figureOf,
  objectPose,
  placesAt,
  readingInputs,
  settledShot,
  trackPose,
} from '@lantern/core/pipeline'
import { frameRate, type Item, type SignalInputs } from '@lantern/core/settings'
import type { ShotDocument } from '@lantern/core/shot'
import { useMatchFiles } from '../match/matchData.ts'
import { usePlateFiles } from '../plate/plateFiles.ts'
import { usePoints } from './points.ts'
import { cameraNow, type ShotState } from './shotStore.ts'

type Seen = Pick<ShotState, 'shot' | 'status' | 'cameras'>

/** Figures of an item's kept frames, by frame. */
export function figureTable(
  { status }: Pick<Seen, 'status'>,
  item: string,
): ReadonlyMap<number, Readonly<Record<string, unknown>>> {
  const kept = status?.items[item]
  return new Map(kept?.kept.map((frame, n) => [frame, kept.figures[n] ?? {}]) ?? [])
}

/** What signals read, as it is known here now. */
export function inputsNow(state: Seen): SignalInputs {
  const { shot, status } = state
  const document = shot?.document
  if (!document) return {}
  const { readings } = usePlateFiles.getState()
  const rate = frameRate(document.plate)
  const tables = new Map<string, ReturnType<typeof figureTable>>()
  const cornersOf = (id: string, frame: number) =>
    placesAt(useMatchFiles.getState().tracks[status?.match.hands[id]?.key ?? ''], frame - document.plate.first)
  return {
    ...readingInputs(document, (id) => readings[status?.readings.areas[id]?.reading.key ?? '']),
    figure(item, name, frame) {
      const table = tables.get(item) ?? figureTable(state, item)
      tables.set(item, table)
      return figureOf(document.items[item], table, name, frame, rate)
    },
    cameraSpeed: (frame) => cameraSpeed((n) => cameraNow(state, n), frame, document.plate),
    object(id, frame) {
      const solve = useMatchFiles.getState().solves[status?.match.things[id]?.solve.key ?? '']
      return solve && objectPose(solve, frame, (n) => cameraNow(state, n))
    },
    track: cornersOf,
    trackPose: (id, ride, frame, place) =>
      trackPose({ corners: (at) => cornersOf(id, at), camera: (at) => cameraNow(state, at) }, ride, frame, place),
  }
}

/** The mean of a taken reading over the plate; undefined where it is not taken, or dark throughout. */
export function meanOfReading(state: Seen, id: string): number | undefined {
  const { first = 0, last = -1 } = state.shot?.document.plate ?? {}
  const { reading } = inputsNow(state)
  const values = Array.from({ length: last - first + 1 }, (_, n) => reading?.(id, first + n)).filter(
    (value) => value !== undefined,
  )
  const mean = values.reduce((sum, value) => sum + value, 0) / values.length
  return mean > 0 ? mean : undefined
}

/** What an effect needs from beside the document, as it is known here now. */
export function effectContextNow(state: Seen): EffectContext {
  const { reading, readingColour, cameraSpeed: speed, object, trackPose: pose } = inputsNow(state)
  const { tables } = usePoints.getState()
  return {
    inputs: { reading, readingColour, cameraSpeed: speed, object, trackPose: pose },
    camera: (frame) => cameraNow(state, frame),
    points: (blob, frame) => tables[blob]?.at(frame),
  }
}

const settled = new WeakMap<ShotDocument, Map<string, ShotDocument>>()

/** The document as it is at a frame, without signals and motions: what the computing thread lays. The same values give the same document. */
export function documentAt(state: Seen & Pick<ShotState, 'shot'>, frame: number): ShotDocument | undefined {
  const document = state.shot?.document
  if (!document) return undefined
  if (
    Object.keys(document.signals).length === 0 &&
    !Object.values(document.items).some(({ motion, rides }: Item) => motion || rides?.length)
  )
    return document
  const of = [state.status, state.cameras, usePlateFiles.getState(), useMatchFiles.getState()]
  const found = atFrame.get(document) ?? new Map<number, { of: readonly unknown[]; made: ShotDocument }>()
  atFrame.set(document, found)
  const last = found.get(frame)
  if (last && of.every((one, n) => one === last.of[n])) return last.made
  const made = sharedAt(document, settledShot(document, frame, inputsNow(state)))
  found.set(frame, { of, made })
  return made
}
const atFrame = new WeakMap<ShotDocument, Map<number, { of: readonly unknown[]; made: ShotDocument }>>()

/** One of a document's forms at its frames; the same values give the same one. */
function sharedAt(document: ShotDocument, made: ShotDocument): ShotDocument {
  const key = JSON.stringify([made.items, made.light, made.sit])
  const known = settled.get(document) ?? new Map<string, ShotDocument>()
  settled.set(document, known)
  const there = known.get(key)
  if (there) return there
  known.set(key, made)
  return made
}
