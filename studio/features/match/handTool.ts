import { insidePolygon } from '@lantern/core/math'
import type { Corner } from './exclusionMasks.ts'
import { handKeys, newHand, placesOf } from './manualTracks.ts'
import type { MatchContext, MatchResult } from './matchTool.ts'

// Tracks set by hand as they are made and dragged: pure steps.

export interface HandDrag {
  kind: 'hand'
  id: string
  start: Corner
  places: readonly Corner[]
  corner: number
}

const placesAt = ({ document, shown, frame }: MatchContext, id: string): Corner[] | undefined => {
  const hand = document.match.hands[id]
  return hand && placesOf(hand, shown.hands[id], frame, document.plate.first)
}

/** The track by hand that is seen at a place. */
export const handNear = (context: MatchContext, at: Corner): string | undefined =>
  Object.keys(context.document.match.hands).find((id) => {
    const places = placesAt(context, id)
    const [first] = places ?? []
    if (!places || !first) return false
    return places.length === 4
      ? insidePolygon(places, ...at)
      : Math.hypot(first[0] - at[0], first[1] - at[1]) < context.reach
  })

/** Takes hold of the chosen track: a patch by a corner, a point by its square. */
export function handDown(context: MatchContext, at: Corner): HandDrag | undefined {
  const id = context.chosen.startsWith('hand.') ? context.chosen.slice(5) : ''
  const hand = context.document.match.hands[id]
  const places = hand && placesAt(context, id)
  const [first] = places ?? []
  if (!places || !first) return undefined
  const held: HandDrag = { kind: 'hand', id, start: at, places, corner: 0 }
  if (places.length !== 4) {
    const within = Math.max(hand.pattern, context.reach / 2)
    return Math.max(Math.abs(first[0] - at[0]), Math.abs(first[1] - at[1])) <= within ? held : undefined
  }
  const corner = places.findIndex((p) => Math.hypot(p[0] - at[0], p[1] - at[1]) < context.reach / 2 + 1)
  return corner >= 0 ? { ...held, corner } : undefined
}
/** Its places as they are dragged: one corner of a patch, or the point. */
export const draggedHand = ({ places, corner, start }: HandDrag, [x, y]: Corner): Corner[] =>
  places.length === 4
    ? places.map((p, c) => (c === corner ? [x, y] : p))
    : places.map(([a, b]) => [a + x - start[0], b + y - start[1]])

const keysChange = (context: MatchContext, id: string, places: readonly Corner[]): Record<string, unknown> => {
  const keys = handKeys(context.document.match.hands[id] ?? { keys: [] }, context.frame, places)
  return { match: { hands: { [id]: { keys } } } }
}
export const handMoved = (context: MatchContext, drag: HandDrag, at: Corner): Record<string, unknown> =>
  keysChange(context, drag.id, draggedHand(drag, at))

/** Puts a track on its places at the frame; it is followed anew. */
export const placedHand = (context: MatchContext, id: string, places: readonly Corner[]): MatchResult =>
  context.document.match.hands[id]
    ? { state: { drawn: [] }, edit: keysChange(context, id, places), follow: id }
    : { state: { drawn: [] } }

/** A new track of one place, or of a flat patch's corners. */
export function madeHand(context: MatchContext, places: readonly Corner[]): MatchResult {
  const id = `hand-${context.fresh()}`
  const made = newHand(context.document.match.hands, context.frame, places)
  return {
    state: { drawn: [] },
    edit: { match: { hands: { [id]: made } } },
    tool: 'choose',
    chosen: `hand.${id}`,
    follow: id,
  }
}
