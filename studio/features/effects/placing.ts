import { type Camera, projectPoint } from '@lantern/core/data'
import { EFFECTS, type Preset } from '@lantern/core/effects'
import { isCard } from '@lantern/core/effects/cards'
import { isGas, isSource } from '@lantern/core/effects/gas'
import { pickNormal, pickSurface } from '@lantern/core/pipeline'
import { itemAt, kindInfo, type ShotDocument, type ShotItem } from '@lantern/core/shot'
import { formOf, placeForm } from '../set/forms.ts'
import { type Tool, useShot } from '../shot/shotStore.ts'
import { inputsNow } from '../shot/world.ts'
import { strikeAt } from './breaking/strikes.ts'
import { finishOutline } from './breaking/tools.ts'
import { FIRE, GAS_PLACERS } from './gas/placers.ts'
import type { Placer } from './placer.ts'

// Placing effects, and moving what has a motion.

type Point = readonly [number, number]
const round = (v: number): number => Math.round(v * 1000) / 1000
const rounded = (at: readonly number[]): [number, number, number] => [
  round(at[0] ?? 0),
  round(at[1] ?? 0),
  round(at[2] ?? 0),
]
/** From one footfall to the next. */
const STEP_SECONDS = 0.5
const ABOVE = 'That is above the horizon: click where the ground or a piece is.'

const sentenceCase = (word: string): string => word.charAt(0).toUpperCase() + word.slice(1)
const freshId = (kind: string): string => `${kind}-${crypto.randomUUID().slice(0, 6)}`
const nextOrder = (document: ShotDocument): number =>
  Math.max(0, ...Object.values(document.items).map((item) => item.order)) + 1

/** Puts a preset that has no place into the shot. */
export function placeAtOnce(preset: Preset): void {
  const { shot, frame, edit, set } = useShot.getState()
  if (!shot) return
  const made = freshId(preset.id)
  const patch = preset.place(shot.document, made, { position: [0, 0, 0], frame }) as {
    items?: Record<string, ShotItem>
  }
  const item = patch.items?.[made]
  edit(patch)
  set({ chosen: made, tool: 'choose', ...(item ? { station: kindInfo(item).station } : {}) })
}

/** Presets by effect, as the roster offers them. */
export const PRESETS = EFFECTS.map(({ kind, presets }) => ({ effect: kind, label: sentenceCase(kind), presets }))

/** The preset that a tool places. */
export const presetOf = (tool: Tool): Preset | undefined =>
  PRESETS.flatMap(({ presets }): readonly Preset[] => presets).find(({ id }) => tool === `preset-${id}`)

/** Kinds that are placed by one click and aren't presets. */
export const placingKinds = GAS_PLACERS
const placerOf = (tool: Tool): Placer | undefined =>
  tool === FIRE.tool ? FIRE : placingKinds.find((one) => one.tool === tool)

/** How a tool draws: by one click, or point by point in the set or on the plate. */
export const drawsBy = (tool: Tool): 'click' | 'line' | 'area' | 'points' | undefined => {
  if (tool === 'form-outline' || tool === 'cut-outline' || tool === 'keep-whole') return 'area'
  if (formOf(tool)) return 'click'
  if (tool in POINTS) return 'points'
  const preset = presetOf(tool)
  if (tool === 'line' || preset?.tool === 'line') return 'line'
  if (tool === 'area' || preset?.tool === 'area') return 'area'
  return preset || placerOf(tool) || tool === 'strike' || tool === 'footfalls' ? 'click' : undefined
}

/** How many points a tool takes, one click each. */
const POINTS: Partial<Record<Tool, number>> = {
  'sun-line': 3,
  patches: 2,
  lamp: 2,
  aim: 1,
  trim: 2,
  cut: 2,
  brick: 2,
}
export const pointsWanted = (tool: Tool): number => POINTS[tool] ?? 0

const say = (text: string): void => useShot.getState().set({ message: { text, good: false } })

/** A strike where it was clicked; one footstep after another goes on through the shot. */
function strike(camera: Camera, tool: Tool, point: Point): void {
  const { shot, frame, edit, set, chosen, moveTo } = useShot.getState()
  if (!shot) return
  const { document } = shot
  const change = strikeAt(document, camera, chosen, point, frame)
  if (!change) return say(ABOVE)
  edit(change)
  if (tool === 'strike') return set({ tool: 'choose' })
  const step = Math.round((STEP_SECONDS * document.plate.rate[0]) / document.plate.rate[1])
  moveTo(Math.min(document.plate.last, frame + step))
}

/** A camera as documents keep it. */
const plain = ({ position, rotation, focalPx, centre, k1, k2, width, height }: Camera): Camera => ({
  position: [...position],
  rotation: [...rotation],
  focalPx,
  centre: [...centre],
  k1,
  k2,
  width,
  height,
})

/** One click: a preset, or another kind. */
export function placeAt(camera: Camera, tool: Tool, point: Point): void {
  if (formOf(tool)) return placeForm(camera, tool, [point])
  const { shot, frame, edit, set, chosen } = useShot.getState()
  if (!shot) return
  const { document } = shot
  if (tool === 'strike' || tool === 'footfalls') return strike(camera, tool, point)
  const hit = pickSurface(document, camera, point[0], point[1], frame)
  if (!hit) return say(ABOVE)
  const position = rounded(hit.point)
  const preset = presetOf(tool)
  if (preset?.tool === 'piece' && !hit.item) return say('Click a piece of the set.')
  const placer = placerOf(tool)
  const made = freshId(preset?.id ?? placer?.tool.replace(/^add-/, '') ?? 'item')
  const piece = preset?.tool === 'piece' && hit.item ? { piece: hit.item } : {}
  const normal = rounded(pickNormal(document, hit, frame))
  if (preset) edit(preset.place(document, made, { position, frame, normal, camera: plain(camera), ...piece }))
  else if (placer) edit({ items: { [made]: placer.make({ document, position, order: nextOrder(document), chosen }) } })
  else return
  set({ chosen: made, tool: 'choose', station: 'Effects' })
}

/** Ends a line or an area that was drawn point by point; px of the full frame. */
export function finishDrawing(camera: Camera, tool: Tool, points: readonly Point[]): void {
  if (formOf(tool)) return placeForm(camera, tool, points)
  if (tool === 'cut-outline' || tool === 'keep-whole') return finishOutline(camera, tool, points)
  const { shot, frame, edit, set, chosen } = useShot.getState()
  if (!shot) return
  const preset = presetOf(tool)
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
  if (preset) {
    const made = freshId(preset.id)
    edit(
      preset.place(shot.document, made, {
        position: line?.position ?? first ?? [0, 0, 0],
        frame,
        ...(line ? { line: line.line } : {}),
        ...(way === 'area' ? { drawn } : {}),
      }),
    )
    return set({ chosen: made, tool: 'choose', station: 'Effects' })
  }
  const item = shot.document.items[chosen]
  if (isGas(item) || isSource(item)) {
    const shapes =
      way === 'area' && item.drawn?.frame === frame ? [...item.drawn.shapes, ...drawn.shapes] : drawn.shapes
    edit({ items: { [chosen]: line ? { ...line, shape: 'line' } : { drawn: { frame, shapes } } } })
  }
  if (isCard(item) && way === 'area') {
    if (hits.length < points.length) return say(ABOVE)
    edit({ items: { [chosen]: { area: hits } } })
  }
  set({ tool: 'choose' })
}

/** A change of an item's place or turn; of one that moves, of its key at this frame. */
export function placed(
  item: ShotItem,
  change: { position?: [number, number, number]; turn?: number; aim?: [number, number, number] },
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
    ...(change.aim ? { aim: change.aim } : {}),
    motion: { keys: [...moves.keys.filter((one) => one.frame !== frame), key].sort((a, b) => a.frame - b.frame) },
  }
}

/** Whether a point lies on an item's foot. */
export function footHit(camera: Camera, item: ShotItem, [x, y]: Point, reach: number): boolean {
  const foot = projectPoint(camera, item.position)
  return foot !== undefined && Math.hypot(foot.x - x, foot.y - y) < reach
}
