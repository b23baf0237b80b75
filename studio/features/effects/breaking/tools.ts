import type { Camera } from '@lantern/core/data'
import { pixelRay } from '@lantern/core/data'
import {
  axesOf,
  type BreakingItem,
  breakingPiece,
  inBody,
  isBreaking,
  partsOf,
  pieceAt,
  poseOf,
} from '@lantern/core/effects/breaking'
import { add, conjugate, cross, dot, normalise, rotate, type Vec3 } from '@lantern/core/math'
import { pickSurface } from '@lantern/core/pipeline'
import type { ShotDocument } from '@lantern/core/shot'
import { useShot } from '../../shot/shotStore.ts'

// Tools of two clicks: a cut by hand, and a brick read off the plate. Pure steps, then their use.

type Point = readonly [number, number]
const round = (value: number): number => Math.round(value * 1e5) / 1e5

/** A cut through two places of the plate, straight away from the camera; undefined where they are one. */
export function cutBetween(
  document: ShotDocument,
  camera: Camera,
  item: BreakingItem,
  [from, to]: readonly [Point, Point],
  frame: number,
): BreakingItem['cuts'][number] | undefined {
  const pose = poseOf(pieceAt(document, breakingPiece(document, item), frame))
  const [a, b] = [pixelRay(camera, ...from), pixelRay(camera, ...to)]
  const across = cross(a.along, b.along)
  if (dot(across, across) < 1e-12) return undefined
  const normal = normalise(rotate(conjugate(pose.turn), normalise(across)))
  const eye = inBody(pose, camera.position)
  return { normal: normal.map(round) as [number, number, number], offset: round(dot(normal, eye)) }
}

/** Length and height of a brick whose opposite corners were clicked, with its joints; undefined where they are not on what breaks. */
export function brickBetween(
  document: ShotDocument,
  camera: Camera,
  item: BreakingItem,
  points: readonly [Point, Point],
  frame: number,
): { brickLength: number; brickHeight: number } | undefined {
  const piece = pieceAt(document, breakingPiece(document, item), frame)
  const pose = poseOf(piece)
  const hits = points.map(([x, y]) => pickSurface(document, camera, x, y, frame)?.point)
  const [a, b] = hits.map((at): Vec3 | undefined => at && inBody(pose, at))
  if (!a || !b) return undefined
  const [along, up] = axesOf(partsOf(piece), pose.turn).axes
  const [length, height] = [Math.abs(a[along] - b[along]), Math.abs(a[up] - b[up])]
  const held = (value: number): number => Math.min(5, Math.max(0.02, Math.round(value * 1000) / 1000))
  return length > 0.01 && height > 0.01 ? { brickLength: held(length), brickHeight: held(height) } : undefined
}

/** An outline over what breaks, in its own space: an eye, and places on its corners' rays. */
export function outlineThrough(
  document: ShotDocument,
  camera: Camera,
  item: BreakingItem,
  points: readonly Point[],
  frame: number,
): Pick<BreakingItem['outlines'][number], 'eye' | 'corners'> {
  const pose = poseOf(pieceAt(document, breakingPiece(document, item), frame))
  const inOwn = (at: Vec3): [number, number, number] => inBody(pose, at).map(round) as [number, number, number]
  const corners = points.map((point) => {
    const { from, along } = pixelRay(camera, ...point)
    return inOwn(add(from, normalise(along)))
  })
  return { eye: inOwn(camera.position), corners }
}

/** Ends an outline: a cut along it, or what is within stays whole. */
export function finishOutline(camera: Camera, tool: 'cut-outline' | 'keep-whole', points: readonly Point[]): void {
  const { shot, chosen, frame, edit, set } = useShot.getState()
  const item = shot?.document.items[chosen]
  set({ tool: 'choose' })
  if (!shot || !isBreaking(item)) return
  if (points.length < 3) return set({ message: { text: 'An outline needs three corners at least.', good: false } })
  const outline = { ...outlineThrough(shot.document, camera, item, points, frame), whole: tool === 'keep-whole' }
  edit({ items: { [chosen]: { outlines: [...item.outlines, outline] } } })
}

/** Ends one of these tools. */
export function finishBreakTool(camera: Camera, tool: 'cut' | 'brick', points: readonly Point[]): void {
  const { shot, chosen, frame, edit, set } = useShot.getState()
  const item = shot?.document.items[chosen]
  const [from, to] = points
  set({ tool: 'choose' })
  if (!shot || !isBreaking(item) || !from || !to) return
  const say = (text: string): void => set({ message: { text, good: false } })
  if (tool === 'cut') {
    const cut = cutBetween(shot.document, camera, item, [from, to], frame)
    if (!cut) return say('Click two places apart from each other.')
    return edit({ items: { [chosen]: { cuts: [...item.cuts, cut] } } })
  }
  const brick = brickBetween(shot.document, camera, item, [from, to], frame)
  if (!brick) return say('Click the lower left corner of a brick, then the upper right one of its joint.')
  edit({ items: { [chosen]: { pattern: 'bricks', ...brick } } })
}
