import type { Camera } from '@lantern/core/data'
import { pickSurface, readingArea } from '@lantern/core/pipeline'
import type { Reading, ShotDocument } from '@lantern/core/shot'
import { type Corner, movedBy, tidy } from '../match/exclusionMasks.ts'
import type { Press } from '../picture/PlateLayer.tsx'
import type { Tool } from '../shot/shotStore.ts'

// Areas that are read, as the hand sets and moves them: pure steps over the document, the camera and a place (px of the plate).

const LEAST_BOX = 2
const LEAST_DRAG = 0.5
/** px and m of a new point or pin. */
const [POINT_RADIUS, PIN_RADIUS] = [2, 0.15]

export interface ReadingContext extends Omit<Press, 'at'> {
  document: ShotDocument
  camera?: Camera
  tool: Tool
}
type Area = Reading['area']
type Drag = { kind: 'box'; start: Corner } | { kind: 'move'; id: string; start: Corner; area: Area }
export interface ReadingState {
  drawn: readonly Corner[]
  drag?: Drag
  band?: readonly [Corner, Corner]
}
export interface ReadingResult {
  state: ReadingState
  /** A new area. */
  made?: Area
  /** An area put elsewhere, while it is dragged or for good. */
  preview?: { id: string; area: Area }
  moved?: { id: string; area: Area }
  chosen?: string
  tool?: Tool
  /** What is said where nothing could be done. */
  wrong?: string
}
export const NO_READING: ReadingState = { drawn: [] }

const placed = (points: readonly Corner[]): [number, number][] => points.map(([x, y]) => [tidy(x), tidy(y)])
const movedArea = (area: Area, [x, y]: Corner, [x0, y0]: Corner): Area => {
  if (area.kind === 'point') return { ...area, x: tidy(area.x + x - x0), y: tidy(area.y + y - y0) }
  return area.kind === 'shape' ? { ...area, points: placed(movedBy(area.points, x - x0, y - y0)) } : area
}
const far = (a: Corner, b: Corner): number => Math.hypot(a[0] - b[0], a[1] - b[1])

/** The reading whose area is at a place. */
function hit({ document, camera, reach }: ReadingContext, at: Corner): string | undefined {
  return Object.entries(document.readings).find(([, reading]) => {
    const area = readingArea(reading, camera)
    if (!area) return false
    if ('middle' in area) return far(area.middle, at) < Math.max(area.radius, reach)
    const [xs, ys] = [area.corners.map((p) => p[0]), area.corners.map((p) => p[1])]
    return at[0] > Math.min(...xs) && at[0] < Math.max(...xs) && at[1] > Math.min(...ys) && at[1] < Math.max(...ys)
  })?.[0]
}
const finish = (points: readonly Corner[]): ReadingResult =>
  points.length > 2
    ? { state: NO_READING, made: { kind: 'shape', points: placed(points) } }
    : { state: NO_READING, tool: 'choose' }

function pinned({ document, camera }: ReadingContext, at: Corner): ReadingResult {
  const found = camera && pickSurface(document, camera, ...at)
  if (!found)
    return {
      state: NO_READING,
      wrong: 'Nothing of the set lies there, nor level ground. Choose a place below the horizon.',
    }
  const [x, y, z] = found.point
  return { state: NO_READING, made: { kind: 'pin', at: [x, y, z], radius: PIN_RADIUS } }
}

export function down(context: ReadingContext, { drawn }: ReadingState, at: Corner): ReadingResult {
  switch (context.tool) {
    case 'read-point':
      return {
        state: NO_READING,
        made: { kind: 'point', x: tidy(at[0]), y: tidy(at[1]), radius: POINT_RADIUS },
      }
    case 'read-pin':
      return pinned(context, at)
    case 'read-shape': {
      const [start] = drawn
      return start && drawn.length > 2 && far(start, at) < context.reach
        ? finish(drawn)
        : { state: { drawn: [...drawn, at] } }
    }
    case 'read-box':
      return { state: { drawn: [], drag: { kind: 'box', start: at } } }
    default: {
      const id = hit(context, at)
      const area = id === undefined ? undefined : context.document.readings[id]?.area
      if (id === undefined || !area) return { state: NO_READING, chosen: '' }
      const drag: Drag | undefined = area.kind === 'pin' ? undefined : { kind: 'move', id, start: at, area }
      return { state: { drawn: [], drag }, chosen: `reading.${id}` }
    }
  }
}
export function move(_: ReadingContext, state: ReadingState, at: Corner): ReadingResult {
  const { drag } = state
  if (!drag) return { state }
  if (drag.kind === 'box') return { state: { ...state, band: [drag.start, at] } }
  return { state, preview: { id: drag.id, area: movedArea(drag.area, at, drag.start) } }
}
export function up(_: ReadingContext, state: ReadingState, at: Corner): ReadingResult {
  const { drag } = state
  if (!drag) return { state }
  if (drag.kind === 'move')
    return far(at, drag.start) > LEAST_DRAG
      ? { state: NO_READING, moved: { id: drag.id, area: movedArea(drag.area, at, drag.start) } }
      : { state: NO_READING }
  const [x0, x1] = [Math.min(drag.start[0], at[0]), Math.max(drag.start[0], at[0])]
  const [y0, y1] = [Math.min(drag.start[1], at[1]), Math.max(drag.start[1], at[1])]
  if (x1 - x0 <= LEAST_BOX || y1 - y0 <= LEAST_BOX) return { state: NO_READING }
  return finish([
    [x0, y0],
    [x1, y0],
    [x1, y1],
    [x0, y1],
  ])
}
/** Enter ends a shape, Backspace takes its last corner. */
export function press({ tool }: ReadingContext, { drawn }: ReadingState, key: string): ReadingResult | undefined {
  if (tool !== 'read-shape' || drawn.length === 0) return undefined
  if (key === 'Enter') return finish(drawn)
  return key === 'Backspace' ? { state: { drawn: drawn.slice(0, -1) } } : undefined
}
