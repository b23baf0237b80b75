import type { Homography } from '@lantern/core/math'
import {
  hitShape,
  insertPoint,
  isMatte,
  type MatteItem,
  type MattePoint,
  type MatteShape,
  middleOfPoints,
  movedBack,
  movedPoints,
  type Place,
  pointsAt,
  removePoint,
  SOFT_GRIP,
  shapesInOrder,
  sharpPoint,
  smoothPoint,
  softHandle,
  transformed,
  withPoints,
} from '@lantern/core/mattes'
import { makeItem, type ShotDocument } from '@lantern/core/shot'

// Drawing a matte's shapes over the plate: what the hand does becomes a change of the document. No state of the screen is known here.

export type Scope = 'frame' | 'all'
/** Where the hand works: the chosen matte and shape, whether one is being drawn, and how near counts as on, px of the plate. */
export interface ShapeContext {
  document: ShotDocument
  matte: string
  shape: string
  drawing: boolean
  frame: number
  scope: Scope
  reach: number
  /** How shapes that go with something moved since they were drawn, by shape. */
  moves?: Readonly<Record<string, Homography>>
  /** A name for what is made. */
  fresh(): string
}
type DragKind = 'point' | 'before' | 'after' | 'soft' | 'inside' | 'grip' | 'new'
interface Drag {
  kind: DragKind
  shape: string
  point: number
  start: Place
  before: MatteShape
}
export interface ShapeState {
  drawn: readonly MattePoint[]
  /** Where the hand is while a shape is drawn. */
  hover?: Place
  point?: number
  drag?: Drag
}
export interface ShapeResult {
  state: ShapeState
  /** To be shown, or kept as a change of its own. */
  preview?: Record<string, unknown>
  edit?: Record<string, unknown>
  /** The matte and shape that are chosen from now on. */
  chosen?: { matte: string; shape: string }
}
export const START: ShapeState = { drawn: [] }

const tidy = (value: number): number => Math.round(value * 100) / 100
const tidied = (points: readonly MattePoint[]): MattePoint[] =>
  points.map(({ at, before, after, soft }) => ({
    at: [tidy(at[0]), tidy(at[1])],
    before: [tidy(before[0]), tidy(before[1])],
    after: [tidy(after[0]), tidy(after[1])],
    soft: tidy(soft),
  }))
const near = (a: Place, b: Place, reach: number): boolean => (a[0] - b[0]) ** 2 + (a[1] - b[1]) ** 2 <= reach * reach
export const matteOf = ({ document, matte }: Pick<ShapeContext, 'document' | 'matte'>): MatteItem | undefined => {
  const item = document.items[matte]
  return isMatte(item) ? item : undefined
}
/** A shape's points as they are seen on the context's frame. */
export const seenPoints = (
  { moves = {}, frame }: Pick<ShapeContext, 'moves' | 'frame'>,
  id: string,
  shape: MatteShape,
): readonly MattePoint[] => {
  const [points, move] = [pointsAt(shape, frame), moves[id]]
  return move ? movedPoints(points, move) : points
}
/** A change of points as they are seen, made of those that are kept. */
const keptChange =
  ({ moves = {} }: ShapeContext, id: string, change: (points: readonly MattePoint[]) => MattePoint[]) =>
  (points: readonly MattePoint[]): MattePoint[] => {
    const move = moves[id]
    return tidied(move ? movedBack(change(movedPoints(points, move)), move) : change(points))
  }
const patchOf = (matte: string, shape: string, changed: MatteShape): Record<string, unknown> => ({
  items: { [matte]: { shapes: { [shape]: { keys: changed.keys } } } },
})

/** Where a shape's grip is, by which it is turned and scaled: beyond the upper right of its bounds. */
export function gripOf(points: readonly MattePoint[], reach: number): Place {
  const [xs, ys] = [points.map(({ at }) => at[0]), points.map(({ at }) => at[1])]
  return [Math.max(...xs) + 2 * reach, Math.min(...ys) - 2 * reach]
}

/** Ends the drawing: the shape joins the chosen matte, or a new one. */
export function finishShape(context: ShapeContext, state: ShapeState): ShapeResult {
  const { document, matte, frame, fresh } = context
  if (state.drawn.length < 2) return { state: START }
  const item = matteOf(context)
  const [id, shape] = [item ? matte : `matte-${fresh()}`, `shape-${fresh()}`]
  const count = Object.keys(item?.shapes ?? {}).length
  const own = {
    name: `Shape ${count + 1}`,
    order: count + 1,
    keys: [{ frame, points: tidied(state.drawn) }],
  }
  const order = Math.max(0, ...Object.values(document.items).map((one) => one.order)) + 1
  const made = Object.values(document.items).filter(isMatte).length
  const items = item
    ? { [id]: { shapes: { [shape]: own } } }
    : { [id]: makeItem('matte', { name: `Matte ${made + 1}`, order, shapes: { [shape]: own } } as never) }
  return { state: START, edit: { items }, chosen: { matte: id, shape } }
}

/** The hand goes down at a place, px of the plate. */
export function down(context: ShapeContext, state: ShapeState, at: Place): ShapeResult {
  const { reach } = context
  if (context.drawing) {
    const [first] = state.drawn
    if (first && state.drawn.length > 2 && near(first.at, at, reach)) return finishShape(context, state)
    const point: MattePoint = { at: [...at], before: [0, 0], after: [0, 0], soft: 0 }
    const drawn = [...state.drawn, point]
    const before = { keys: [] } as unknown as MatteShape
    return { state: { drawn, drag: { kind: 'new', shape: '', point: drawn.length - 1, start: at, before } } }
  }
  const item = matteOf(context)
  if (!item || item.locked) return { state: START }
  // The chosen shape comes before those beneath it.
  const all = shapesInOrder(item).reverse()
  const ordered = [...all.filter(([id]) => id === context.shape), ...all.filter(([id]) => id !== context.shape)]
  for (const [id, shape] of ordered) {
    const points = seenPoints(context, id, shape)
    const own = id === context.shape
    const drag = (kind: DragKind, point: number): ShapeResult => ({
      state: {
        drawn: [],
        point: kind === 'inside' || kind === 'grip' ? undefined : point,
        drag: { kind, shape: id, point, start: at, before: shape },
      },
      chosen: { matte: context.matte, shape: id },
    })
    if (own && near(gripOf(points, reach), at, reach)) return drag('grip', 0)
    const hit = hitShape(points, at, reach, own ? state.point : undefined)
    if (!hit) continue
    if (hit.what === 'side')
      return {
        ...drag('inside', 0),
        state: { drawn: [], drag: { kind: 'inside', shape: id, point: 0, start: at, before: shape } },
      }
    return hit.what === 'inside' ? drag('inside', 0) : drag(hit.what, hit.point)
  }
  return { state: START, chosen: { matte: context.matte, shape: '' } }
}

/** A dragged shape's points with the hand at a place. */
function draggedPoints(points: readonly MattePoint[], { kind, point, start }: Drag, at: Place): MattePoint[] {
  const step: [number, number] = [at[0] - start[0], at[1] - start[1]]
  const own = points[point]
  if (kind === 'inside') return transformed(points, { about: [0, 0], move: step })
  if (kind === 'grip') {
    const about = middleOfPoints(points)
    const [from, to] = [
      [start[0] - about[0], start[1] - about[1]] as const,
      [at[0] - about[0], at[1] - about[1]] as const,
    ]
    const scale = Math.hypot(...to) / Math.max(1e-6, Math.hypot(...from))
    return transformed(points, { about, turn: Math.atan2(to[1], to[0]) - Math.atan2(from[1], from[0]), scale })
  }
  if (!own) return [...points]
  if (kind === 'point') return points.with(point, { ...own, at: [own.at[0] + step[0], own.at[1] + step[1]] })
  if (kind === 'soft') {
    const grip = softHandle(points, point)
    const out = [grip[0] - own.at[0], grip[1] - own.at[1]] as const
    const long = Math.hypot(...out) || 1
    const along = ((at[0] - own.at[0]) * out[0] + (at[1] - own.at[1]) * out[1]) / long
    return points.with(point, { ...own, soft: Math.max(0, along - SOFT_GRIP) })
  }
  const side = kind === 'before' ? 'before' : 'after'
  const other = kind === 'before' ? 'after' : 'before'
  const pulled: [number, number] = [own[side][0] + step[0], own[side][1] + step[1]]
  // The other handle stays in one line with it.
  const [a, b] = [Math.hypot(...pulled) || 1, Math.hypot(...own[other])]
  return points.with(point, { ...own, [side]: pulled, [other]: [(-pulled[0] * b) / a, (-pulled[1] * b) / a] })
}

const draggedShape = (context: ShapeContext, drag: Drag, at: Place): MatteShape =>
  withPoints(
    drag.before,
    context.frame,
    keptChange(context, drag.shape, (points) => draggedPoints(points, drag, at)),
    context.scope,
  )

/** The hand moves. */
export function move(context: ShapeContext, state: ShapeState, at: Place): ShapeResult {
  const { drag } = state
  if (drag?.kind === 'new') {
    const own = state.drawn[drag.point]
    if (!own) return { state }
    const step: [number, number] = [at[0] - drag.start[0], at[1] - drag.start[1]]
    const curved = Math.hypot(...step) > context.reach / 2
    const point = curved ? { ...own, after: step, before: [-step[0], -step[1]] as [number, number] } : own
    return { state: { ...state, drawn: state.drawn.with(drag.point, point) } }
  }
  if (!drag) return context.drawing ? { state: { ...state, hover: at } } : { state }
  return { state, preview: patchOf(context.matte, drag.shape, draggedShape(context, drag, at)) }
}

/** The hand lets go: what was dragged is kept, unless it was only a click. */
export function up(context: ShapeContext, state: ShapeState, at: Place): ShapeResult {
  const { drag } = state
  const next = { ...state, drag: undefined }
  if (!drag || drag.kind === 'new') return { state: next }
  if (near(drag.start, at, 0.25)) return { state: next }
  return { state: next, edit: patchOf(context.matte, drag.shape, draggedShape(context, drag, at)) }
}

/** A double click: a point more on a side; a point made smooth, or sharp again. */
export function twice(context: ShapeContext, state: ShapeState, at: Place): ShapeResult {
  const shape = matteOf(context)?.shapes[context.shape]
  if (!shape || context.drawing)
    return context.drawing ? finishShape(context, { drawn: state.drawn.slice(0, -1) }) : { state }
  const hit = hitShape(seenPoints(context, context.shape, shape), at, context.reach)
  if (hit?.what === 'side')
    return {
      state: { drawn: [], point: hit.point + 1 },
      edit: patchOf(context.matte, context.shape, insertPoint(shape, hit.point, hit.t)),
    }
  if (hit?.what !== 'point') return { state }
  const change = (points: readonly MattePoint[]): MattePoint[] => {
    const sharp = points[hit.point]?.after.every((part) => part === 0)
    return sharp ? smoothPoint(points, hit.point) : sharpPoint(points, hit.point)
  }
  const changed = withPoints(shape, context.frame, keptChange(context, context.shape, change), context.scope)
  return { state: { drawn: [], point: hit.point }, edit: patchOf(context.matte, context.shape, changed) }
}

/** A key: Enter ends the drawing, Backspace takes its last point back, Delete removes the chosen point, arrows move it. undefined: it means nothing here. */
export function press(context: ShapeContext, state: ShapeState, key: string, shift: boolean): ShapeResult | undefined {
  if (context.drawing) {
    if (key === 'Enter') return finishShape(context, state)
    if (key === 'Backspace') return { state: { ...state, drawn: state.drawn.slice(0, -1) } }
    return undefined
  }
  const shape = matteOf(context)?.shapes[context.shape]
  if (!shape || state.point === undefined) return undefined
  if (key === 'Delete' || key === 'Backspace')
    return { state: START, edit: patchOf(context.matte, context.shape, removePoint(shape, state.point)) }
  const ways: Readonly<Record<string, Place>> = {
    ArrowLeft: [-1, 0],
    ArrowRight: [1, 0],
    ArrowUp: [0, -1],
    ArrowDown: [0, 1],
  }
  const way = ways[key]
  if (!way || !shift) return undefined
  const drag: Drag = { kind: 'point', shape: context.shape, point: state.point, start: [0, 0], before: shape }
  return { state, edit: patchOf(context.matte, context.shape, draggedShape(context, drag, way)) }
}
