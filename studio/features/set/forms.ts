import type { Camera } from '@lantern/core/data'
import { pickSurface } from '@lantern/core/pipeline'
import type { FormItem } from '@lantern/core/set'
import { makeItem } from '@lantern/core/shot'
import { type Tool, useShot } from '../shot/shotStore.ts'

type Point = readonly [number, number]
const round = (value: number): number => Math.round(value * 1000) / 1000

/** What can be drawn into the set besides walls and boxes. */
export const FORMS = [
  { shape: 'ramp', label: 'Ramp', how: 'Click where its foot is.' },
  { shape: 'cylinder', label: 'Cylinder', how: 'Click where its foot is.' },
  { shape: 'ball', label: 'Ball', how: 'Click where it lies.' },
  {
    shape: 'outline',
    label: 'Raised outline',
    how: 'Click round its foot on the ground; Enter or the first corner ends it.',
  },
  { shape: 'lump', label: 'Lump', how: 'Click where it lies.' },
] as const
/** Balls to judge the light by: middle grey, and a mirror. */
export const BALLS = [
  { id: 'grey', label: 'Grey ball', surfaceColour: [0.18, 0.18, 0.18], roughness: 1, metal: 0 },
  { id: 'mirror', label: 'Mirror ball', surfaceColour: [0.9, 0.9, 0.9], roughness: 0.05, metal: 1 },
] as const
/** Their size, m. */
const BALL = 0.3
const ballOf = (tool: Tool) => BALLS.find(({ id }) => tool === `form-${id}`)
export const formOf = (tool: Tool): (typeof FORMS)[number] | undefined =>
  FORMS.find(({ shape }) => (ballOf(tool) ? shape === 'ball' : tool === `form-${shape}`))

/** Puts a form where it was clicked, or raises the outline that was drawn point by point. */
export function placeForm(camera: Camera, tool: Tool, points: readonly Point[]): void {
  const { shot, frame, edit, set } = useShot.getState()
  const form = formOf(tool)
  if (!shot || !form) return
  const hits = points.flatMap(([x, y]) => {
    const hit = pickSurface(shot.document, camera, x, y, frame)
    return hit ? [hit.point] : []
  })
  const [first] = hits
  if (!first || hits.length < points.length)
    return set({ message: { text: 'That is above the horizon: click where the ground or a piece is.', good: false } })
  const outline = form.shape === 'outline'
  if (outline && hits.length < 3)
    return set({ message: { text: 'An outline needs three corners at least.', good: false } })
  const { items } = shot.document
  const count = Object.values(items).filter((item) => item.kind === 'form' && item.shape === form.shape).length
  const middle = [0, 2].map((c) => hits.reduce((sum, at) => sum + (at[c] ?? 0), 0) / hits.length)
  const position = outline
    ? [round(middle[0] ?? 0), round(Math.min(...hits.map((at) => at[1]))), round(middle[1] ?? 0)]
    : first.map(round)
  const made: Partial<FormItem> = outline
    ? {
        corners: hits.map((at): [number, number] => [round(at[0] - (middle[0] ?? 0)), round(at[2] - (middle[1] ?? 0))]),
      }
    : {}
  const judged = ballOf(tool)
  const size = { width: BALL, height: BALL, depth: BALL }
  const own = judged
    ? {
        ...size,
        carries: 'surface',
        surfaceColour: judged.surfaceColour,
        roughness: judged.roughness,
        metal: judged.metal,
      }
    : {}
  const id = `form-${crypto.randomUUID().slice(0, 6)}`
  const order = Math.max(0, ...Object.values(items).map((item) => item.order)) + 1
  const name = judged?.label ?? `${form.label} ${count + 1}`
  edit({ items: { [id]: makeItem('form', { name, order, position, shape: form.shape, ...made, ...own }) } })
  set({ chosen: id, tool: 'choose', ...(judged ? {} : { station: 'Set' as const }) })
}
