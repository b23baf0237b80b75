import type { Track } from '@lantern/core/data'
import { manualPlaces } from '@lantern/core/pipeline'
import type { ManualTrack } from '@lantern/core/shot'
import { useShot } from '../shot/shotStore.ts'
import { type Corner, tidy } from './exclusionMasks.ts'
import { shownMatch, useMatchFiles } from './matchData.ts'

// Tracks set by hand: made, nudged, trimmed; each change asks the farm to follow anew.

/** What a press of Trust sets: as good as twenty found features. */
export const TRUSTED = 20
/** The weight of a new hand track. */
const USUAL_TRUST = 5

/** A hand track's places at a frame as it is set or followed there; undefined where it is not seen. */
export function placesOf(
  hand: ManualTrack,
  followed: readonly Track[] | undefined,
  frame: number,
  first: number,
): Corner[] | undefined {
  const key = hand.keys.find((one) => one.frame === frame)
  if (key) return key.places
  const places = manualPlaces(followed ?? [], frame - first)
  return places.length === hand.keys[0]?.places.length ? places : undefined
}

/** Its keys with its places at a frame set. */
export const handKeys = (
  hand: Pick<ManualTrack, 'keys'>,
  frame: number,
  places: readonly Corner[],
): ManualTrack['keys'] =>
  [
    ...hand.keys.filter((one) => one.frame !== frame),
    { frame, places: places.map(([x, y]) => [tidy(x), tidy(y)] as [number, number]) },
  ].sort((a, b) => a.frame - b.frame)

/** A hand track of one place, or of a flat patch's corners. One made only to know a place has a name of its own and doesn't count in the solve. */
export function newHand(
  hands: Readonly<Record<string, ManualTrack>>,
  frame: number,
  places: readonly Corner[],
  place?: { name: string; chosen: false },
): Record<string, unknown> {
  const flat = places.length > 1
  const count = Object.values(hands).filter((hand) => hand.keys[0]?.places.length === places.length).length + 1
  return {
    name: place?.name ?? `${flat ? 'Patch' : 'Point'} ${count}`,
    keys: handKeys({ keys: [] }, frame, places),
    model: flat ? 'perspective' : 'lean',
    trust: flat || place ? 0 : USUAL_TRUST,
  }
}

/** Makes a hand track and has it followed. */
export function makeHand(frame: number, places: readonly Corner[], place?: { name: string; chosen: false }): void {
  const { shot, edit, set, ask } = useShot.getState()
  if (!shot) return
  const id = `hand-${crypto.randomUUID().slice(0, 8)}`
  edit({ match: { hands: { [id]: newHand(shot.document.match.hands, frame, places, place) } } })
  if (!place) set({ tool: 'choose', chosen: `hand.${id}` })
  void ask({ what: 'hand', hand: id })
}

/** Sets a hand track's places at a frame and has it followed anew. */
export function setHand(id: string, frame: number, places: readonly Corner[]): void {
  const { shot, edit, ask } = useShot.getState()
  const hand = shot?.document.match.hands[id]
  if (!hand) return
  edit({ match: { hands: { [id]: { keys: handKeys(hand, frame, places) } } } })
  void ask({ what: 'hand', hand: id })
}

/** Moves a hand track at the frame shown by a little, px. */
export function nudgeHand(id: string, dx: number, dy: number): void {
  const state = useShot.getState()
  const hand = state.shot?.document.match.hands[id]
  const first = state.shot?.document.plate.first ?? 0
  const places = hand && placesOf(hand, shownMatch(state, useMatchFiles.getState()).hands[id], state.frame, first)
  if (places)
    setHand(
      id,
      state.frame,
      places.map(([x, y]) => [x + dx, y + dy]),
    )
}
