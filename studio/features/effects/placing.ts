import { type Camera, projectPoint } from '@lantern/core/data'
import { pickSurface } from '@lantern/core/pipeline'
import { itemAt, KINDS, type GasKind, makeItem, type ShotDocument, type ShotItem, placeKind } from '@lantern/core/shot'
import { inputsNow } from '../shot/world.ts'
import { type Tool, useShot } from '../shot/shotStore.ts'

// Placing gases, what feeds and pushes them, and moving what has a motion.

type Point = readonly [number, number]
const round = (v: number): number => Math.round(v * 1000) / 1000
const rounded = (at: readonly number[]): [number, number, number] => [
  round(at[0] ?? 0),
  round(at[1] ?? 0),
  round(at[2] ?? 0),
]
const ABOVE = 'That is above the horizon: click where the ground or a piece is.'

const freshId = (kind: string): string => `${kind}-${crypto.randomUUID().slice(0, 6)}`
const nextOrder = (document: ShotDocument): number =>
  Math.max(0, ...Object.values(document.items).map((item) => item.order)) + 1

/** The kind that a tool places. */
export const kindOf = (tool: Tool): GasKind | undefined => KINDS.find(({ id }) => tool === `kind-${id}`)

/** How a tool draws: by one click, or point by point in the set or on the plate. */
export const drawsBy = (tool: Tool): 'click' | 'line' | 'area' | undefined => {
  const kind = kindOf(tool)
  if (tool === 'line' || kind?.tool === 'line') return 'line'
  if (tool === 'area' || kind?.tool === 'area') return 'area'
  return kind || tool === 'fire' || tool === 'add-source' || tool === 'add-force' || tool === 'add-reuse'
    ? 'click'
    : undefined
}

const say = (text: string): void => useShot.getState().set({ message: { text, good: false } })

/** One click: a fire, a kind, a source, a force, or a kept run shown again. */
export function placeAt(camera: Camera, tool: Tool, point: Point): void {
  const { shot, frame, edit, set, chosen } = useShot.getState()
  if (!shot) return
  const { document } = shot
  const hit = pickSurface(document, camera, point[0], point[1], frame)
  if (!hit) return say(ABOVE)
  const position = rounded(hit.point)
  const kind = kindOf(tool)
  const order = nextOrder(document)
  const count = (what: ShotItem['kind']): number =>
    Object.values(document.items).filter((item) => item.kind === what).length + 1
  const gas =
    document.items[chosen]?.kind === 'gas'
      ? chosen
      : Object.keys(document.items).find((id) => document.items[id]?.kind === 'gas')
  if (kind) {
    const made = freshId(kind.id)
    if (kind.tool === 'piece' && !hit.item) return say('Click a set piece that is to burn.')
    edit(
      placeKind(document, kind, made, {
        position,
        frame,
        ...(kind.tool === 'piece' && hit.item ? { piece: hit.item } : {}),
      }),
    )
    return set({ chosen: made, tool: 'choose', station: 'Effects' })
  }
  const made = tool === 'fire' ? freshId('fire') : freshId(tool.slice(4))
  const item =
    tool === 'fire'
      ? makeItem('gas', { name: `Fire ${count('gas')}`, order, position })
      : tool === 'add-source'
        ? makeItem('source', {
            name: `Source ${count('source')}`,
            order,
            position,
            feeds: gas ?? '',
            diameter: 0.3,
            heat: 60,
          })
        : tool === 'add-force'
          ? makeItem('force', {
              name: `Force ${count('force')}`,
              order,
              position: [position[0], position[1] + 1, position[2]],
            })
          : makeItem('reuse', {
              name: `${document.items[gas ?? '']?.name ?? 'Gas'} again`.slice(0, 80),
              order,
              position,
              of: gas ?? '',
            })
  edit({ items: { [made]: item } })
  set({ chosen: made, tool: 'choose', station: 'Effects' })
}

/** Ends a line or an area that was drawn point by point; px of the full frame. */
export function finishDrawing(camera: Camera, tool: Tool, points: readonly Point[]): void {
  const { shot, frame, edit, set, chosen } = useShot.getState()
  if (!shot) return
  const kind = kindOf(tool)
  const way = drawsBy(tool)
  const hits = points.flatMap(([x, y]) => {
    const hit = pickSurface(shot.document, camera, x, y, frame)
    return hit ? [rounded(hit.point)] : []
  })
  if (way === 'line' && (points.length < 2 || hits.length < points.length))
    return say(points.length < 2 ? 'A line needs two points at least.' : ABOVE)
  if (way === 'area' && points.length < 3) return say('An area needs three corners at least.')
  const [first] = hits
  const line =
    way === 'line' && first
      ? { position: first, line: hits.map((at) => rounded(at.map((v, n) => v - (first[n] ?? 0)))) }
      : undefined
  const drawn = {
    frame,
    shapes: [points.map(([x, y]): [number, number] => [Math.round(x * 10) / 10, Math.round(y * 10) / 10])],
  }
  if (kind) {
    const made = freshId(kind.id)
    edit(
      placeKind(shot.document, kind, made, {
        position: line?.position ?? first ?? [0, 0, 0],
        frame,
        ...(line ? { line: line.line } : {}),
        ...(way === 'area' ? { drawn } : {}),
      }),
    )
    return set({ chosen: made, tool: 'choose', station: 'Effects' })
  }
  const item = shot.document.items[chosen]
  if (item?.kind === 'gas' || item?.kind === 'source') {
    const shapes =
      way === 'area' && item.drawn?.frame === frame ? [...item.drawn.shapes, ...drawn.shapes] : drawn.shapes
    edit({ items: { [chosen]: line ? { ...line, shape: 'line' } : { drawn: { frame, shapes } } } })
  }
  set({ tool: 'choose' })
}

/** A change of an item's place or turn; of one that moves, of its key at this frame. */
export function placed(
  item: ShotItem,
  change: { position?: [number, number, number]; turn?: number },
  frame: number,
): Record<string, unknown> {
  const moves = 'motion' in item ? item.motion : undefined
  const { shot } = useShot.getState()
  if (!moves || !shot) return change
  const now = itemAt(shot.document, item, frame, inputsNow(useShot.getState())) as {
    position: [number, number, number]
    turn?: number
    tilt?: number
    roll?: number
  }
  const key = {
    frame,
    position: change.position ?? now.position,
    turn: change.turn ?? now.turn ?? 0,
    tilt: now.tilt ?? 0,
    roll: now.roll ?? 0,
  }
  return {
    motion: { keys: [...moves.keys.filter((one) => one.frame !== frame), key].sort((a, b) => a.frame - b.frame) },
  }
}

/** Whether a point lies on an item's foot. */
export function footHit(camera: Camera, item: ShotItem, [x, y]: Point, reach: number): boolean {
  const foot = projectPoint(camera, item.position)
  return foot !== undefined && Math.hypot(foot.x - x, foot.y - y) < reach
}
