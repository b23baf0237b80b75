import { type HelpedMatte, isMatte, type MatteItem } from '@lantern/core/mattes'
import { makeItem, type ShotDocument } from '@lantern/core/shot'

// Strokes of a helped matte as the hand draws them: pure steps over the document, the frame and a place (px of the plate).

type Place = readonly [number, number]

export interface StrokeContext {
  document: Pick<ShotDocument, 'items' | 'plate'>
  /** The chosen item; a matte without strokes of its own gets them, none makes a new one. */
  matte: string
  frame: number
  inside: boolean
  /** Px of the plate. */
  width: number
  /** Places nearer than this to the last are passed over, px. */
  step: number
  fresh(): string
}
export interface StrokeState {
  drawn: readonly Place[]
}
export interface StrokeResult {
  state: StrokeState
  edit?: Record<string, unknown>
  /** The matte that was stroked. */
  stroked?: string
}
export const NO_STROKE: StrokeState = { drawn: [] }

/** Frames to either side of the first stroke that a new matte is wanted on. */
const REACH = 20
const MOST_POINTS = 4000
const tidy = (value: number): number => Math.round(value * 10) / 10

export const helpedOf = (
  { items }: Pick<ShotDocument, 'items'>,
  id: string,
): (MatteItem & { helped: HelpedMatte }) | undefined => {
  const item = items[id]
  return isMatte(item) && item.helped ? (item as MatteItem & { helped: HelpedMatte }) : undefined
}

export const down = (_: StrokeContext, __: StrokeState, at: Place): StrokeResult => ({ state: { drawn: [at] } })

export function move({ step }: StrokeContext, { drawn }: StrokeState, at: Place): StrokeResult {
  const last = drawn.at(-1)
  if (!last || drawn.length >= MOST_POINTS) return { state: { drawn } }
  const far = (at[0] - last[0]) ** 2 + (at[1] - last[1]) ** 2 >= step * step
  return { state: { drawn: far ? [...drawn, at] : drawn } }
}

/** The frames that a new matte is wanted on: some around a frame, within the plate. */
const framesAround = (frame: number, { first, last }: ShotDocument['plate']): { from: number; to: number } => ({
  from: Math.max(first, frame - REACH),
  to: Math.min(last, frame + REACH),
})

/** The hand is lifted: the stroke joins the matte. A frame that was accepted is open again. */
export function up(context: StrokeContext, { drawn }: StrokeState): StrokeResult {
  if (drawn.length === 0) return { state: NO_STROKE }
  const { document, matte, frame, inside, width, fresh } = context
  const item = document.items[matte]
  const own = isMatte(item) ? item : undefined
  if (own?.locked) return { state: NO_STROKE }
  const helped = own?.helped
  const order = Math.max(0, ...Object.values(helped?.strokes ?? {}).map((one) => one.order)) + 1
  const stroke = {
    order,
    frame,
    inside,
    width,
    points: drawn.map(([x, y]) => [tidy(x), tidy(y)]),
    round: helped?.carried ?? 0,
  }
  const strokes = { [`s-${fresh()}`]: stroke }
  const id = own ? matte : `matte-${fresh()}`
  if (own)
    return {
      state: NO_STROKE,
      edit: {
        items: {
          [id]: {
            helped: {
              ...(helped ? {} : framesAround(frame, document.plate)),
              strokes,
              ...(helped?.accepted[frame] ? { accepted: { [frame]: null } } : {}),
            },
          },
        },
      },
      stroked: id,
    }
  const items = Object.values(document.items)
  const made = makeItem('matte', {
    name: `Matte ${items.filter(isMatte).length + 1}`,
    order: Math.max(0, ...items.map((one) => one.order)) + 1,
    helped: { ...framesAround(frame, document.plate), strokes },
  } as never)
  return { state: NO_STROKE, edit: { items: { [id]: made } }, stroked: id }
}

/** Strokes of a frame that are not carried yet, in the order in which they were drawn. */
export const openOf = (helped: HelpedMatte, frame?: number): [string, HelpedMatte['strokes'][string]][] =>
  Object.entries(helped.strokes)
    .filter(([, one]) => one.round >= helped.carried && (frame === undefined || one.frame === frame))
    .sort(([, a], [, b]) => a.order - b.order)

/** Whether a frame's new strokes can be cut: a first cut needs both sides, a correction one. */
export function canCut(helped: HelpedMatte, frame: number): boolean {
  const open = openOf(helped, frame).map(([, one]) => one.inside)
  return helped.carried > 0 ? open.length > 0 : open.includes(true) && open.includes(false)
}
