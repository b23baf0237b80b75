import { type Camera, pixelRay, projectPoint } from '@lantern/core/data'
import { isBreaking } from '@lantern/core/effects/breaking'
import { type CardItem, isCard } from '@lantern/core/effects/cards'
import { add, scale, type Vec3 } from '@lantern/core/math'
import { pickLevel } from '@lantern/core/pipeline'
import { isBox, isCrater, isForm, isLamp, isPiece, isThing, sizeOf, thingSize } from '@lantern/core/set'
import { makeItem, type ShotDocument, type ShotItem } from '@lantern/core/shot'
import { placed } from '../effects/placing.ts'
import { hasNoPlace } from '../items/place.ts'
import { draggedLamp } from '../light/lamps.ts'
import type { Region } from '../shot/shotStore.ts'

// What stands in the set as it is taken and dragged over the picture: pure steps over the document, the camera and a place (px of the camera's picture).

type Point = readonly [number, number]
export type HandleKind = 'move' | 'height' | 'turn' | 'aim' | 'size'
export interface Handle {
  kind: HandleKind
  at: Point
  label: string
}
export interface HandleDrag {
  kind: HandleKind
  id: string
  start: Point
  item: ShotItem
}

const WALL = { height: 2.5, depth: 0.3 } as const
const LEAST_WALL = 0.2
const LEAST_REGION = 0.01
const [LEAST_SCALE, MOST_SCALE] = [1e-4, 1e4]
/** Half a handle's edge, px of a picture of 720. */
export const HANDLE_HALF = 5
const round = (v: number): number => Math.round(v * 1000) / 1000

/** The part of the picture between two places; undefined where it is too small to be meant. */
export function regionOf({ width, height }: Camera, from: Point, to: Point): Region | undefined {
  const [x, y] = [Math.max(0, Math.min(from[0], to[0]) / width), Math.max(0, Math.min(from[1], to[1]) / height)]
  const [right, bottom] = [
    Math.min(1, Math.max(from[0], to[0]) / width),
    Math.min(1, Math.max(from[1], to[1]) / height),
  ]
  return right - x < LEAST_REGION || bottom - y < LEAST_REGION
    ? undefined
    : { x, y, width: right - x, height: bottom - y }
}

/** A wall whose foot goes from one place on the ground to another; undefined where one is above the horizon, null where it is too short to be meant. */
export function wallBetween(
  { items }: Pick<ShotDocument, 'items'>,
  camera: Camera,
  from: Point,
  to: Point,
): ShotItem | null | undefined {
  const [a, b] = [pickLevel(camera, ...from, 0), pickLevel(camera, ...to, 0)]
  if (!a || !b) return undefined
  const wide = Math.hypot(b[0] - a[0], b[2] - a[2])
  if (wide < LEAST_WALL) return null
  const all = Object.values(items)
  return makeItem('box', {
    name: `Wall ${all.filter(isBox).length + 1}`,
    order: all.length + 1,
    position: [round((a[0] + b[0]) / 2), 0, round((a[2] + b[2]) / 2)],
    width: round(wide),
    turn: round((-Math.atan2(b[2] - a[2], b[0] - a[0]) * 180) / Math.PI),
    ...WALL,
  })
}

/** How far over its place a card's upper side is, m. */
const cardTop = ({ height, foot }: CardItem): number => height * (1 - foot / 100)
/** How far away what is in the sky is taken for, m. */
const FAR = 1000
const skyDirection = ({ azimuth, elevation }: Pick<CardItem, 'azimuth' | 'elevation'>): Vec3 => {
  const [a, e] = [(azimuth * Math.PI) / 180, (elevation * Math.PI) / 180]
  return [Math.sin(a) * Math.cos(e), Math.sin(e), -Math.cos(a) * Math.cos(e)]
}
/** Where in the sky a place of the picture is, degrees. */
function skyPlace(camera: Camera, [x, y]: Point): { azimuth: number; elevation: number } {
  const { along } = pixelRay(camera, x, y)
  const tenth = (angle: number): number => Math.round((angle * 1800) / Math.PI) / 10
  return {
    azimuth: tenth(Math.atan2(along[0], -along[2])),
    elevation: tenth(Math.atan2(along[1], Math.hypot(along[0], along[2]))),
  }
}

/** Where an item can be taken. */
export function handlesOf(camera: Camera, item: ShotItem): Handle[] {
  // Strikes are told by numbers. Only a matte that stands at a place has handles.
  if (isBreaking(item)) return []
  if (isCard(item) && item.far === 'in the sky') {
    const seen = projectPoint(camera, add(camera.position, scale(skyDirection(item), FAR)))
    return seen ? [{ kind: 'move', at: [seen.x, seen.y], label: `Move ${item.name}` }] : []
  }
  if (hasNoPlace(item)) return []
  const foot = projectPoint(camera, item.position)
  if (!foot) return []
  const list: Handle[] = [{ kind: 'move', at: [foot.x, foot.y], label: `Move ${item.name}` }]
  const put = (kind: HandleKind, at: { x: number; y: number } | undefined, what: string): void => {
    if (at) list.push({ kind, at: [at.x, at.y], label: `${what} ${item.name}` })
  }
  if (isLamp(item)) {
    put('height', { x: foot.x, y: foot.y - (26 * camera.width) / 720 }, 'Height of')
    put('aim', item.shape === 'point' ? undefined : projectPoint(camera, item.aim), 'Aim of')
  }
  if (isCrater(item)) {
    const angle = (-item.turn * Math.PI) / 180
    const [x, y, z] = item.position
    const out = (way: number): ReturnType<typeof projectPoint> =>
      projectPoint(camera, [
        x + (Math.cos(angle + way) * item.width) / 2,
        y,
        z + (Math.sin(angle + way) * item.width) / 2,
      ])
    put('size', out(-Math.PI / 2), 'Width of')
    put('turn', out(0), 'Turn')
  }
  if (isCard(item)) {
    const [x, y, z] = item.position
    put('height', projectPoint(camera, [x, y + cardTop(item), z]), 'Height of')
  }
  if (isBox(item) || isForm(item) || isThing(item)) {
    const [wide, tall] = isThing(item) ? thingSize(item) : sizeOf(item)
    const [x, y, z] = item.position
    put('height', projectPoint(camera, [x, y + tall, z]), isThing(item) ? 'Size of' : 'Height of')
    const angle = (-item.turn * Math.PI) / 180
    put('turn', projectPoint(camera, [x + (Math.cos(angle) * wide) / 2, y, z + (Math.sin(angle) * wide) / 2]), 'Turn')
  }
  return list
}
/** The handle at a place; the last drawn lies on top. */
export function handleAt(camera: Camera, item: ShotItem, [x, y]: Point): Handle | undefined {
  const half = (HANDLE_HALF * camera.width) / 720
  return handlesOf(camera, item).findLast(({ at }) => Math.abs(at[0] - x) <= half && Math.abs(at[1] - y) <= half)
}

/** How much taller a thing of a height is when its top goes from one place to another. */
const grownBy = (camera: Camera, depth: number, start: Point, to: Point): number =>
  ((start[1] - to[1]) * depth) / camera.focalPx

function changedHeight(camera: Camera, { item, start }: HandleDrag, to: Point): Record<string, unknown> | undefined {
  const foot = projectPoint(camera, item.position)
  if (!foot) return undefined
  const more = grownBy(camera, foot.depth, start, to)
  if (isThing(item)) {
    const grown = item.scale * Math.max(0.02, 1 + more / Math.max(0.01, thingSize(item)[1]))
    return { scale: Math.min(MOST_SCALE, Math.max(LEAST_SCALE, Number(grown.toPrecision(4)))) }
  }
  if (isCard(item)) {
    const top = cardTop(item)
    return { height: Math.max(0.01, Math.round(((item.height * (top + more)) / Math.max(0.01, top)) * 100) / 100) }
  }
  return isBox(item) || isForm(item)
    ? { height: Math.max(0.05, Math.round((item.height + more) * 100) / 100) }
    : undefined
}

/** What of an item changes as one of its handles is dragged to a place; undefined where that place says nothing. */
export function draggedTo(
  document: ShotDocument,
  camera: Camera,
  drag: HandleDrag,
  to: Point,
  frame: number,
): Record<string, unknown> | undefined {
  const { item: before, start, kind } = drag
  if (isCard(before) && before.far === 'in the sky') return skyPlace(camera, to)
  if (kind === 'height' && (isBox(before) || isForm(before) || isThing(before) || isCard(before)))
    return changedHeight(camera, drag, to)
  if (isLamp(before) && kind !== 'size') {
    const change = draggedLamp(document, camera, before, kind, start, to, frame)
    if (change) return placed(before, change, frame)
  }
  const level = before.position[1]
  const [a, b] = [pickLevel(camera, ...start, level), pickLevel(camera, ...to, level)]
  if (!a || !b) return undefined
  if (kind === 'size' && isCrater(before)) {
    const away = (p: readonly [number, number, number]): number =>
      Math.hypot(p[0] - before.position[0], p[2] - before.position[2])
    const by = away(b) / Math.max(0.01, away(a))
    const scaled = (value: number): number => Math.max(0.001, Math.round(1000 * value * by) / 1000)
    // A crater keeps its form as it grows.
    return before.form === 'crater'
      ? { width: scaled(before.width), depth: scaled(before.depth), rim: before.rim > 0 ? scaled(before.rim) : 0 }
      : { width: scaled(before.width), long: scaled(before.long) }
  }
  if (kind === 'turn' && (isPiece(before) || isThing(before) || isCrater(before))) {
    const angle = (p: readonly [number, number, number]): number =>
      Math.atan2(p[2] - before.position[2], p[0] - before.position[0])
    const turn = before.turn - ((angle(b) - angle(a)) * 180) / Math.PI
    return placed(before, { turn: Math.round(turn * 10) / 10 }, frame)
  }
  const position = [round(before.position[0] + b[0] - a[0]), level, round(before.position[2] + b[2] - a[2])]
  return placed(before, { position } as Parameters<typeof placed>[1], frame)
}
