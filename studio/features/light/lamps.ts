import { type Camera, projectPoint } from '@lantern/core/data'
import type { Vec3 } from '@lantern/core/math'
import { pickLevel, pickSurface } from '@lantern/core/pipeline'
import type { LampItem } from '@lantern/core/set'
import { makeItem, type ShotDocument } from '@lantern/core/shot'
import { useShot } from '../shot/shotStore.ts'

type Point = readonly [number, number]
const round = (at: readonly number[]): [number, number, number] =>
  at.map((part) => Math.round(part * 1000) / 1000) as [number, number, number]
const ABOVE = { message: { text: 'That lies above the horizon: click on the set.', good: false } }

export const LAMP_HOW = { text: 'Click the place that it stands over, then the place that it shines at.', good: true }
/** A new lamp hangs so high, m. */
const HEIGHT = 2.2

/** Sets a lamp up over one clicked place, shining at another. */
export function placeLamp(camera: Camera, [over, at]: readonly Point[]): void {
  const { shot, frame, edit, set } = useShot.getState()
  if (!shot || !over || !at) return
  const [stands, shines] = [over, at].map(([x, y]) => pickSurface(shot.document, camera, x, y, frame)?.point)
  if (!stands || !shines) return set(ABOVE)
  const { items } = shot.document
  const id = `lamp-${crypto.randomUUID().slice(0, 6)}`
  const name = `Lamp ${Object.values(items).filter(({ kind }) => kind === 'lamp').length + 1}`
  const order = Math.max(0, ...Object.values(items).map((item) => item.order)) + 1
  const position = round([stands[0], stands[1] + HEIGHT, stands[2]])
  edit({ items: { [id]: makeItem('lamp', { name, order, position, aim: round(shines) }) } })
  set({ chosen: id, tool: 'choose', station: 'Light' })
}

/** Turns the chosen lamp to a clicked place. */
export function aimLamp(camera: Camera, [at]: readonly Point[]): void {
  const { shot, frame, chosen, edit, set } = useShot.getState()
  const point = shot && at && pickSurface(shot.document, camera, at[0], at[1], frame)?.point
  if (!point) return set(ABOVE)
  edit({ items: { [chosen]: { aim: round(point) } } })
  set({ tool: 'choose' })
}

/** What dragging one of a lamp's handles changes. */
export function draggedLamp(
  document: ShotDocument,
  camera: Camera,
  lamp: LampItem,
  kind: 'move' | 'height' | 'turn' | 'aim',
  start: Point,
  point: Point,
  frame: number,
): { position?: [number, number, number]; aim?: [number, number, number] } | undefined {
  const { position } = lamp
  if (kind === 'aim') {
    const hit = pickSurface(document, camera, point[0], point[1], frame)?.point
    return hit && { aim: round(hit) }
  }
  const seen = projectPoint(camera, position)
  if (!seen) return undefined
  if (kind === 'height')
    return {
      position: round([
        position[0],
        Math.max(0.02, position[1] + ((start[1] - point[1]) * seen.depth) / camera.focalPx),
        position[2],
      ]),
    }
  // Along the ground below it: its own level may be that of the eye.
  const foot = projectPoint(camera, [position[0], 0, position[2]])
  if (!foot) return undefined
  const shift: Point = [point[0] - start[0], point[1] - start[1]]
  const [a, b] = [pickLevel(camera, foot.x, foot.y, 0), pickLevel(camera, foot.x + shift[0], foot.y + shift[1], 0)]
  if (!a || !b) return undefined
  const by: Vec3 = [b[0] - a[0], 0, b[2] - a[2]]
  return { position: round([position[0] + by[0], position[1], position[2] + by[2]]) }
}
