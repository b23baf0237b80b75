import type { Camera } from '@lantern/core/data'
import { isMatte, type PaintStroke } from '@lantern/core/mattes'
import { paintedPlace } from '@lantern/core/pipeline'
import type { SignalInputs } from '@lantern/core/settings'
import { makeItem, type ShotDocument } from '@lantern/core/shot'

// A brush on the surfaces of the set, seen through the camera: pure steps over the document, the camera and a place (px of the plate).

type Place = readonly [number, number]

export interface PaintContext {
  document: Pick<ShotDocument, 'items' | 'plate' | 'signals'>
  camera: Camera
  inputs?: SignalInputs
  /** The chosen item; a matte gets the stroke, none makes a new one. */
  matte: string
  frame: number
  erase: boolean
  /** m, and the share of it over which the brush fades. */
  radius: number
  soft: number
  /** Places nearer than this to the last are passed over, px. */
  step: number
  /** The stroke goes straight from where it began. */
  straight: boolean
  fresh(): string
}
/** A place of the brush: on which item, where in its own space (m), where in the picture, and its radius there, px. */
export interface BrushPlace {
  item: string
  at: [number, number, number]
  seen: Place
  radius: number
}
export interface PaintState {
  /** Where the stroke began, px. */
  from?: Place
  places: readonly BrushPlace[]
}
export interface PaintResult {
  state: PaintState
  edit?: Record<string, unknown>
  /** The matte that was painted. */
  painted?: string
}
export const NO_PAINT: PaintState = { places: [] }
const MOST_PLACES = 2000
/** Places along a straight stroke at most. */
const MOST_STRAIGHT = 64
const tidy = (value: number): number => Math.round(value * 1e4) / 1e4

function placeAt({ document, camera, frame, inputs, radius }: PaintContext, seen: Place): BrushPlace[] {
  const met = paintedPlace(document, camera, seen, frame, inputs)
  if (!met) return []
  const at = met.at.map(tidy) as [number, number, number]
  return [{ item: met.item, at, seen, radius: (camera.focalPx * radius) / met.distance }]
}

/** The brush goes down. */
export const down = (context: PaintContext, _: PaintState, at: Place): PaintResult => ({
  state: { from: at, places: placeAt(context, at) },
})

/** The brush moves: freely, or in one line from where it went down. */
export function move(context: PaintContext, state: PaintState, at: Place): PaintResult {
  const { from, places } = state
  if (!from) return { state }
  if (context.straight) {
    const [dx, dy] = [at[0] - from[0], at[1] - from[1]]
    const count = Math.min(MOST_STRAIGHT, Math.max(1, Math.ceil(Math.hypot(dx, dy) / (4 * context.step))))
    const along = Array.from(
      { length: count + 1 },
      (_, n): Place => [from[0] + (dx * n) / count, from[1] + (dy * n) / count],
    )
    return { state: { from, places: along.flatMap((one) => placeAt(context, one)) } }
  }
  const last = places.at(-1)?.seen ?? from
  if ((at[0] - last[0]) ** 2 + (at[1] - last[1]) ** 2 < context.step ** 2 || places.length >= MOST_PLACES)
    return { state }
  return { state: { from, places: [...places, ...placeAt(context, at)] } }
}

/** Runs of places on one item. */
function runsOf(places: readonly BrushPlace[]): BrushPlace[][] {
  const runs: BrushPlace[][] = []
  for (const place of places) {
    const last = runs.at(-1)
    if (last?.[0]?.item === place.item) last.push(place)
    else runs.push([place])
  }
  return runs
}

/** The brush is lifted: what it went over stays on each item. */
export function up(context: PaintContext, { places }: PaintState): PaintResult {
  const { document, matte, erase, radius, soft, fresh } = context
  const item = document.items[matte]
  const own = isMatte(item) ? item : undefined
  if (places.length === 0 || own?.locked) return { state: NO_PAINT }
  const first = Math.max(0, ...Object.values(own?.painted ?? {}).map(({ order }) => order)) + 1
  const painted = Object.fromEntries(
    runsOf(places).map((run, n): [string, PaintStroke] => [
      `p-${fresh()}${n}`,
      { order: first + n, on: run[0]?.item ?? '', erase, radius, soft, points: run.map(({ at }) => at) },
    ]),
  )
  if (own) return { state: NO_PAINT, edit: { items: { [matte]: { painted } } }, painted: matte }
  const items = Object.values(document.items)
  const id = `matte-${fresh()}`
  const made = makeItem('matte', {
    name: `Matte ${items.filter(isMatte).length + 1}`,
    order: Math.max(0, ...items.map((one) => one.order)) + 1,
    stands: 'surface',
    painted,
  } as never)
  return { state: NO_PAINT, edit: { items: { [id]: made } }, painted: id }
}
