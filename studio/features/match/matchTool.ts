import { placeAt, type Track } from '@lantern/core/data'
import { insidePolygon } from '@lantern/core/math'
import { exclusionMaskAt } from '@lantern/core/pipeline'
import type { PicturePlace, ShotDocument } from '@lantern/core/shot'
import type { Press } from '../picture/PlateLayer.tsx'
import type { MatchStep, Tool } from '../shot/shotStore.ts'
import { type Corner, movedBy, tidy, turnedTo, withKey } from './exclusionMasks.ts'
import { draggedHand, type HandDrag, handDown, handMoved, handNear, madeHand, placedHand } from './handTool.ts'
import { type LineDrag, lineDown, lineEndAt, lineMoved, linePut } from './lineTool.ts'
import type { ShownMatch } from './matchData.ts'

// The tools of the Match station over the plate: pure steps over the document, what is shown of the match and a place (px of the plate), which give an edit, a preview or a choice.

/** Least edge of a flat patch, px. */
const LEAST_PATCH = 8
/** Px to either side by which a drag is one. */
const LEAST_DRAG = 0.5
const MOST_GROUND_POINTS = 400

export interface MatchContext extends Omit<Press, 'at'> {
  document: ShotDocument
  frame: number
  tool: Tool
  step: MatchStep
  chosen: string
  shown: Pick<ShownMatch, 'tracks' | 'tracksKey' | 'points' | 'hands'>
  /** Where the test objects are seen. */
  proofs: readonly { id: string; at: Corner }[]
  /** A name for what is made. */
  fresh(): string
}
interface ShapeDrag {
  kind: 'move' | 'turn' | 'corner'
  id: string
  start: Corner
  points: readonly Corner[]
  corner: number
}
export type MatchDrag = ShapeDrag | { kind: 'patch' | 'flat'; start: Corner } | HandDrag | LineDrag
export interface MatchState {
  drawn: readonly Corner[]
  /** The first of two places. */
  held?: PicturePlace
  drag?: MatchDrag
  /** Corners of what is dragged open. */
  band?: readonly [Corner, Corner]
}
export interface MatchResult {
  state: MatchState
  preview?: Record<string, unknown>
  edit?: Record<string, unknown>
  chosen?: string
  tool?: Tool
  /** A track by hand that is followed anew. */
  follow?: string
}
export const NO_MATCH: MatchState = { drawn: [] }

const near = (a: Corner, b: Corner, reach: number): boolean => Math.hypot(a[0] - b[0], a[1] - b[1]) < reach
/** A band's sides: left, right, top, bottom. */
export const sidesOf = ([a, b]: readonly [Corner, Corner]): [number, number, number, number] => [
  Math.min(a[0], b[0]),
  Math.max(a[0], b[0]),
  Math.min(a[1], b[1]),
  Math.max(a[1], b[1]),
]

/** The track seen nearest to a place, within a reach. */
function nearestTrack(
  { shown, document, frame }: MatchContext,
  at: Corner,
  reach: number,
  solved: boolean,
): { track: Track; at: Corner } | undefined {
  let best: { track: Track; at: Corner } | undefined
  let least = reach
  for (const track of shown.tracks) {
    if (solved && !shown.points.has(track.id)) continue
    const seen = placeAt(track, frame - document.plate.first)
    const far = seen ? Math.hypot(seen[0] - at[0], seen[1] - at[1]) : Infinity
    if (seen && far < least) {
      least = far
      best = { track, at: seen }
    }
  }
  return best
}
/** A place of the picture, on the solved track that is seen there. */
function placeOn(context: MatchContext, at: Corner): PicturePlace {
  const [x, y] = nearestTrack(context, at, context.reach, true)?.at ?? at
  return { frame: context.frame, x: tidy(x), y: tidy(y) }
}

/** A region is a shape like one that keeps out, kept elsewhere in the document. */
export const shapesAt = (step: MatchStep): 'things' | 'keepOuts' => (step === 'Things' ? 'things' : 'keepOuts')
const chosenShape = ({ document, step, chosen }: Pick<MatchContext, 'document' | 'step' | 'chosen'>) => {
  const id = /^(keepout|thing)\./.test(chosen) ? chosen.slice(chosen.indexOf('.') + 1) : ''
  return { id, shape: document.match[shapesAt(step)][id] }
}
/** Where the chosen shape can be taken: its corners, and the grip that turns and scales it. */
export function shapeGrips(
  context: Pick<MatchContext, 'document' | 'step' | 'chosen' | 'frame'>,
): { id: string; corners: readonly Corner[]; grip: Corner } | undefined {
  const { id, shape } = chosenShape(context)
  const corners = shape ? exclusionMaskAt(shape, context.frame) : []
  if (corners.length === 0 || !['Track', 'Things'].includes(context.step)) return undefined
  const out = (14 * context.document.plate.width) / 720
  return {
    id,
    corners,
    grip: [Math.max(...corners.map((p) => p[0])) + out, Math.min(...corners.map((p) => p[1])) - out],
  }
}

/** Ends the shape that is being drawn. */
function finish({ document, tool, frame, fresh }: MatchContext, points: readonly Corner[]): MatchResult {
  if (points.length < 3) return { state: NO_MATCH, tool: 'choose' }
  const { match } = document
  const [kind, chosenKind, name] =
    tool === 'thing' ? (['things', 'thing', 'Object'] as const) : (['keepOuts', 'keepout', 'Keep out'] as const)
  const id = `${kind === 'things' ? 'thing' : 'out'}-${fresh()}`
  const made = {
    name: `${name} ${Object.keys(match[kind]).length + 1}`,
    keys: withKey({ keys: [] }, frame, points),
  }
  const chosen = `${chosenKind}.${id}`
  return { state: NO_MATCH, edit: { match: { [kind]: { [id]: made } } }, tool: 'choose', chosen }
}
function draw(context: MatchContext, { drawn }: MatchState, at: Corner): MatchResult {
  const [start] = drawn
  if (start && drawn.length > 2 && near(start, at, context.reach)) return finish(context, drawn)
  return { state: { drawn: [...drawn, at] } }
}

const ground = (change: Record<string, unknown>): Record<string, unknown> => ({ match: { ground: change } })
type Click = (context: MatchContext, state: MatchState, at: Corner) => MatchResult

/** What a click does with each tool that is used by clicks. */
const CLICKS: Partial<Record<Tool, Click>> = {
  'keep-out': draw,
  thing: draw,
  ground(context, _, at) {
    const { points } = context.document.match.ground
    const there = points.findIndex((one) => one.frame === context.frame && near([one.x, one.y], at, context.reach))
    const next = there >= 0 ? points.filter((_one, k) => k !== there) : [...points, placeOn(context, at)]
    return { state: NO_MATCH, edit: ground({ points: next }) }
  },
  origin: (context, _, at) => ({
    state: NO_MATCH,
    edit: ground({ origin: placeOn(context, at) }),
    tool: 'choose',
  }),
  axis(context, { held }, at) {
    const to = placeOn(context, at)
    if (!held) return { state: { drawn: [], held: to } }
    return { state: NO_MATCH, edit: ground({ axis: [held, to] }), tool: 'choose' }
  },
  distance(context, { held }, at) {
    const to = placeOn(context, at)
    if (!held) return { state: { drawn: [], held: to } }
    const metres = context.document.match.ground.distance?.metres ?? 1
    return {
      state: NO_MATCH,
      edit: ground({ distance: { from: held, to, metres }, cameraHeight: null }),
      tool: 'choose',
    }
  },
  'line-origin': (_, __, [x, y]) => ({
    state: NO_MATCH,
    edit: { camera: { lineUp: { origin: [tidy(x), tidy(y)] } } },
    tool: 'choose',
  }),
  'line-length'({ document }, _, [x, y]) {
    const { axis = 'y', metres = 1 } = document.camera.lineUp?.length ?? {}
    const length = { axis, metres, to: [tidy(x), tidy(y)] }
    return { state: NO_MATCH, edit: { camera: { lineUp: { length } } }, tool: 'choose' }
  },
  'hand-point': (context, _, at) => madeHand(context, [at]),
  join(context, _, at) {
    const { shown, document, chosen, reach } = context
    const found = nearestTrack(context, at, 1.5 * reach, false)
    const id = Number(chosen.slice(6))
    if (!found || found.track.id === id || !shown.tracksKey) return { state: NO_MATCH }
    const { tidied } = document.match
    const { spans, joins } = tidied?.tracks === shown.tracksKey ? tidied : { spans: [], joins: [] }
    const next = { tracks: shown.tracksKey, spans, joins: [...joins, [id, found.track.id]] }
    return { state: NO_MATCH, edit: { match: { tidied: next } }, tool: 'choose' }
  },
  proof(context, _, at) {
    const id = `proof-${context.fresh()}`
    const name = `Cone ${Object.keys(context.document.match.proofs).length + 1}`
    return {
      state: NO_MATCH,
      edit: { match: { proofs: { [id]: { name, at: placeOn(context, at) } } } },
      tool: 'choose',
      chosen: `proof.${id}`,
    }
  },
}

/** Takes hold of a part of the chosen shape. */
function takeShape(context: MatchContext, at: Corner): MatchDrag | undefined {
  const grips = shapeGrips(context)
  if (!grips) return undefined
  const { id, corners: points, grip } = grips
  const corner = points.findIndex((one) => near(one, at, context.reach / 2 + 1))
  const kind =
    corner >= 0 ? 'corner' : near(grip, at, context.reach) ? 'turn' : insidePolygon(points, ...at) ? 'move' : undefined
  return kind && { kind, id, start: at, points, corner: Math.max(0, corner) }
}
/** What is chosen by a click on it. */
function found(context: MatchContext, at: Corner): string {
  const { document, step, frame, proofs, reach } = context
  const over = Object.entries(document.match[shapesAt(step)]).find(
    ([, one]) => one.shown && insidePolygon(exclusionMaskAt(one, frame), ...at),
  )?.[0]
  if (step === 'Things') return over ? `thing.${over}` : ''
  const byHand = step === 'Track' ? handNear(context, at) : undefined
  const proof = step === 'Proof' ? proofs.find((one) => near(one.at, at, 2 * reach)) : undefined
  const track = nearestTrack(context, at, reach, false)
  if (byHand) return `hand.${byHand}`
  if (proof) return `proof.${proof.id}`
  if (track) return `track.${track.track.id}`
  return over ? `keepout.${over}` : ''
}

/** The pointer goes down: takes hold of what is there, or uses the tool at hand. */
export function down(context: MatchContext, state: MatchState, at: Corner): MatchResult {
  const { tool, shift, step } = context
  if ((tool === 'ground' && shift) || tool === 'hand-flat')
    return { state: { drawn: [], drag: { kind: tool === 'hand-flat' ? 'flat' : 'patch', start: at } } }
  const line = lineDown(context, at)
  if (line) return { state: { drawn: [], drag: line } }
  if (tool === 'hand-point' && shift && context.chosen.startsWith('hand.'))
    return { ...placedHand(context, context.chosen.slice(5), [at]), tool: 'choose' }
  const click = CLICKS[tool]
  if (click) return click(context, state, at)
  const drag =
    (step === 'Line up' ? lineEndAt(context, at) : undefined) ??
    takeShape(context, at) ??
    (step === 'Track' ? handDown(context, at) : undefined)
  if (drag) return { state: { drawn: [], drag } }
  const chosen = found(context, at)
  return { state: NO_MATCH, ...(chosen || step === 'Things' ? { chosen } : {}) }
}

const draggedCorners = (drag: ShapeDrag, at: Corner): readonly Corner[] => {
  if (drag.kind === 'corner') return drag.points.map((p, k) => (k === drag.corner ? at : p))
  if (drag.kind === 'turn') return turnedTo(drag.points, drag.start, at)
  return movedBy(drag.points, at[0] - drag.start[0], at[1] - drag.start[1])
}
function shapeMoved({ document, step, frame }: MatchContext, drag: ShapeDrag, at: Corner): Record<string, unknown> {
  const kind = shapesAt(step)
  const keys = withKey(document.match[kind][drag.id] ?? { keys: [] }, frame, draggedCorners(drag, at))
  return { match: { [kind]: { [drag.id]: { keys } } } }
}

/** The pointer moves while something is held. */
export function move(context: MatchContext, state: MatchState, at: Corner): MatchResult {
  const { drag } = state
  if (!drag) return { state }
  switch (drag.kind) {
    case 'line':
      return { state, preview: lineMoved(drag, at) }
    case 'hand':
      return { state, preview: handMoved(context, drag, at) }
    case 'patch':
    case 'flat':
      return { state: { ...state, band: [drag.start, at] } }
    default:
      return { state, preview: shapeMoved(context, drag, at) }
  }
}

/** Points of the ground are all solved tracks that are seen in a band. */
function groundIn(context: MatchContext, band: readonly [Corner, Corner]): MatchResult {
  const { shown, document, frame } = context
  const [x0, x1, y0, y1] = sidesOf(band)
  const inside = shown.tracks.flatMap((track) => {
    const seen = shown.points.has(track.id) ? placeAt(track, frame - document.plate.first) : undefined
    return seen && seen[0] > x0 && seen[0] < x1 && seen[1] > y0 && seen[1] < y1
      ? [{ frame, x: tidy(seen[0]), y: tidy(seen[1]) }]
      : []
  })
  if (inside.length === 0) return { state: NO_MATCH }
  const points = [...document.match.ground.points, ...inside].slice(-MOST_GROUND_POINTS)
  return { state: NO_MATCH, edit: ground({ points }) }
}
function flatIn(context: MatchContext, band: readonly [Corner, Corner]): MatchResult {
  const [x0, x1, y0, y1] = sidesOf(band)
  if (x1 - x0 <= LEAST_PATCH || y1 - y0 <= LEAST_PATCH) return { state: NO_MATCH }
  return madeHand(context, [
    [x0, y0],
    [x1, y0],
    [x1, y1],
    [x0, y1],
  ])
}

/** The pointer is lifted: what was held is put. */
export function up(context: MatchContext, state: MatchState, at: Corner): MatchResult {
  const { drag } = state
  if (!drag) return { state }
  switch (drag.kind) {
    case 'line':
      return { state: NO_MATCH, edit: linePut(context, drag, at) }
    case 'hand':
      return near(drag.start, at, LEAST_DRAG / 10)
        ? { state: NO_MATCH }
        : placedHand(context, drag.id, draggedHand(drag, at))
    case 'flat':
      return flatIn(context, [drag.start, at])
    case 'patch':
      return groundIn(context, [drag.start, at])
    default:
      return near(drag.start, at, LEAST_DRAG)
        ? { state: NO_MATCH, chosen: `${context.step === 'Things' ? 'thing' : 'keepout'}.${drag.id}` }
        : { state: NO_MATCH, edit: shapeMoved(context, drag, at) }
  }
}

/** A double click ends the shape; its second click drew one corner too many. */
export const twice = (context: MatchContext, state: MatchState): MatchResult | undefined =>
  context.tool === 'keep-out' || context.tool === 'thing' ? finish(context, state.drawn.slice(0, -1)) : undefined

/** Enter ends a shape, Backspace takes its last corner. */
export function press(context: MatchContext, state: MatchState, key: string): MatchResult | undefined {
  if ((context.tool !== 'keep-out' && context.tool !== 'thing') || state.drawn.length === 0) return undefined
  if (key === 'Enter') return finish(context, state.drawn)
  return key === 'Backspace' ? { state: { drawn: state.drawn.slice(0, -1) } } : undefined
}
