import type { Homography } from '@lantern/core/math'
import { type MatteItem, type MatteShape, movedPoints, pointsAt } from '@lantern/core/mattes'
import { matteWorld, shapeMove } from '@lantern/core/pipeline'
import { kindInfo, type ShotDocument } from '@lantern/core/shot'
import { cameraNow, type ShotState } from '../shot/shotStore.ts'
import { inputsNow } from '../shot/world.ts'

// What a matte and its shapes can go with.

/** Pieces and things that have a place, matched objects, and tracks set by hand: their ids as mattes name them, and what they are called. */
export function holdersOf({ items, match }: ShotDocument): [string, string][] {
  return [
    ...Object.entries(match.hands).map(([id, { name, keys }]): [string, string] => [
      `track.${id}`,
      `${name}, ${keys[0]?.places.length === 4 ? 'flat track' : 'track'}`,
    ]),
    ...Object.entries(match.things).map(([id, { name }]): [string, string] => [`match.${id}`, `${name}, matched`]),
    ...Object.entries(items).flatMap(([id, item]): [string, string][] =>
      ['Set', 'Light'].includes(kindInfo(item).station) ? [[id, item.name]] : [],
    ),
  ]
}

/** How the shapes of a matte moved at a frame since they were drawn, as it is known here now. */
export function movesNow(state: ShotState, id: string, frame: number): Readonly<Record<string, Homography>> {
  const { shot } = state
  const item = shot?.document.items[id]
  if (!shot || item?.kind !== 'matte' || !Object.values(item.shapes).some(({ rides }) => rides)) return {}
  const document = { ...shot.document, items: { ...shot.document.items } }
  const world = matteWorld(document, frame, (n) => cameraNow(state, n), inputsNow(state))
  return Object.fromEntries(Object.entries(world.moves[id] ?? {}).map(([shape, { at }]) => [shape, at]))
}

/** A shape that goes with something else, or with nothing, from a frame on: it stays where it is seen on each of its keys and on that frame. */
export function ridingFrom(
  state: ShotState,
  item: MatteItem,
  shape: MatteShape,
  on: string,
  frame: number,
): Pick<MatteShape, 'keys' | 'rides'> {
  const { document } = state.shot as NonNullable<ShotState['shot']>
  const inputs = inputsNow(state)
  const cameras = (n: number) => cameraNow(state, n)
  const seen = (at: number): MatteShape['keys'][number]['points'] => {
    const move = shapeMove(document, item, shape, at, cameras, inputs)
    const points = pointsAt(shape, at)
    return move ? movedPoints(points, move) : [...points]
  }
  // What moves it from now on does so alone: one key is left.
  if (on) return { keys: [{ frame, points: seen(frame) }], rides: { on, frame } }
  const frames = [...new Set([...shape.keys.map((key) => key.frame), frame])].sort((a, b) => a - b)
  return { keys: frames.map((at) => ({ frame: at, points: seen(at) })), rides: undefined }
}
