import {
  type Camera,
  type PictureLayer,
  pixelRay,
  placeAt,
  pointAlong,
  projectPoint,
  type Solve,
  scaleCamera,
  solveCameraAt,
  type Track,
} from '../data/index.ts'
import { isCard } from '../effects/cards/index.ts'
import type { SignalInputs } from '../settings/index.ts'
import { itemAt, type ShotDocument, shotLayers, sitAt } from '../shot/index.ts'
import { type CheckLine, LINE_KINDS, lineOf, type Region, type StackPicture, shiftBetween } from '../sit/index.ts'

// How far layers slide against the plate from one frame to another.

/** How far a track of the plate is off from where the camera has it, more than at another frame; px of the full plate. */
export interface TrackOff {
  x: number
  y: number
  dx: number
  dy: number
}

/** What slides are told from: another frame of the shot. */
export interface SlideInputs {
  camera: Camera
  other: { camera: Camera; frame: number; picture?: StackPicture }
  offs: readonly TrackOff[]
  /** How far lays were moved in the picture since, px of the full plate, by lay. */
  nudges: Readonly<Record<string, readonly [number, number]>>
  /** Layers of what stands still between both frames. */
  standing: ReadonlySet<string>
}

/** How far tracks are off at a frame, more than at another: what of the plate's motion a solve does not have. */
export function trackOffs(
  solve: Solve | undefined,
  tracks: readonly Track[],
  frame: number,
  other: number,
): TrackOff[] {
  if (!solve) return []
  const [n, m] = [frame - solve.first, other - solve.first]
  if (!solve.cameras[n] || !solve.cameras[m]) return []
  const [here, there] = [solveCameraAt(solve, n), solveCameraAt(solve, m)]
  const points = new Map(solve.points.map(({ track, at }) => [track, at]))
  return tracks.flatMap((track): TrackOff[] => {
    const at = points.get(track.id)
    const [a, b] = [placeAt(track, n), placeAt(track, m)]
    const [p, q] = at ? [projectPoint(here, at), projectPoint(there, at)] : []
    if (!a || !b || !p || !q) return []
    return [{ x: a[0], y: a[1], dx: a[0] - p.x - (b[0] - q.x), dy: a[1] - p.y - (b[1] - q.y) }]
  })
}

/** Slides are told over so many frames where there is a choice. */
const APART = 12
const [LEAST_APART, MOST_APART] = [3, 24]

/** The other frame that a frame's slide is told against: of those with a picture where one is near enough. */
export function slideBase(
  { first, last }: { first: number; last: number },
  kept: readonly number[],
  frame: number,
): number {
  const off = (one: number): number => Math.abs(Math.abs(one - frame) - APART)
  const near = kept.filter((one) => Math.abs(one - frame) >= LEAST_APART && Math.abs(one - frame) <= MOST_APART)
  const [best] = [...near].sort((a, b) => off(a) - off(b) || a - b)
  return best ?? (frame - APART >= first ? frame - APART : Math.min(last, frame + APART))
}

/** How far lays are moved in the picture between two frames. */
export function nudgesBetween(
  document: Parameters<typeof sitAt>[0],
  frame: number,
  other: number,
  inputs: SignalInputs = {},
): Record<string, [number, number]> {
  const [now, then] = [sitAt(document, frame, inputs).layers, sitAt(document, other, inputs).layers]
  return Object.fromEntries(
    Object.entries(now).map(([id, { nudgeX, nudgeY }]): [string, [number, number]] => {
      const before = then[id]
      return [id, [nudgeX - (before?.nudgeX ?? nudgeX), nudgeY - (before?.nudgeY ?? nudgeY)]]
    }),
  )
}

/** Items whose place tells whether they stand still. */
const STANDING: ReadonlySet<string> = new Set(['thing', 'card', 'marks', 'crater', 'box', 'form'])

/** The layers of what stands still between two frames. */
export function standingLayers(
  document: ShotDocument,
  frame: number,
  other: number,
  inputs: SignalInputs = {},
): Set<string> {
  const placeOf = (id: string, at: number): string => {
    const item = document.items[id]
    const now = item && (itemAt(document, item, at, inputs) as unknown as Record<string, unknown>)
    return JSON.stringify([now?.position, now?.turn, now?.tilt, now?.roll, now?.scale, now?.height])
  }
  // What a clip shows moves by itself, though its card stands.
  const plays = (id: string): boolean => {
    const item = document.items[id]
    return isCard(item) && item.clip !== undefined && item.clip.last > item.clip.first
  }
  const stands = (id: string): boolean =>
    STANDING.has(document.items[id]?.kind ?? '') && !plays(id) && placeOf(id, frame) === placeOf(id, other)
  return new Set(shotLayers(document).flatMap(({ of, items }) => (items.every(stands) ? [of] : [])))
}

/** Its brightness where a layer hides the plate, straight; 0 in the mask elsewhere. */
function straight({ colour, alpha, effect, width, height }: PictureLayer): { light: Float32Array; there: Uint8Array } {
  const light = new Float32Array(width * height)
  const there = new Uint8Array(width * height)
  for (let n = 0; n < light.length; n++) {
    const share = alpha?.data[n] ?? 0
    if (share < 0.6) continue
    there[n] = 1
    for (let c = 0; c < 3; c++)
      light[n] = (light[n] ?? 0) + ((colour?.data[3 * n + c] ?? 0) + (effect?.data[3 * n + c] ?? 0)) / share
  }
  return { light, there }
}

/** How far a layer that stands is moved between two pictures, more than the cameras say; px of the picture. */
function movedBy(id: string, picture: StackPicture, { camera, other }: SlideInputs): [number, number] | undefined {
  const layerIn = (of: StackPicture | undefined): PictureLayer | undefined => of?.layers.find((one) => one.id === id)
  const [layer, before] = [layerIn(picture), layerIn(other.picture)]
  if (!picture.depth || !layer?.alpha || !before?.alpha || other.picture?.width !== picture.width) return undefined
  const [here, there] = [camera, other.camera].map((one) => scaleCamera(one, picture.width / one.width))
  if (!here || !there) return undefined
  const [now, then] = [straight(layer), straight(before)]
  const expected = new Float32Array(now.light.length)
  const mask = new Uint8Array(now.light.length)
  const { width: w, height: h } = before
  for (let n = 0; n < mask.length; n++) {
    if (now.there[n] !== 1) continue
    const [x, y] = [layer.x + (n % layer.width), layer.y + Math.floor(n / layer.width)]
    const depth: number = picture.depth.data[y * picture.width + x] ?? 0
    const p: { x: number; y: number } | undefined =
      depth > 0 ? projectPoint(there, pointAlong(pixelRay(here, x + 0.5, y + 0.5), depth)) : undefined
    if (!p) continue
    const [u, v] = [p.x - 0.5 - before.x, p.y - 0.5 - before.y]
    const [i, j] = [Math.floor(u), Math.floor(v)]
    if (i < 0 || j < 0 || i + 1 >= w || j + 1 >= h) continue
    const m = j * w + i
    if (!then.there[m] || !then.there[m + 1] || !then.there[m + w] || !then.there[m + w + 1]) continue
    const [fx, fy] = [u - i, v - j]
    const upper = (then.light[m] ?? 0) * (1 - fx) + (then.light[m + 1] ?? 0) * fx
    const lower = (then.light[m + w] ?? 0) * (1 - fx) + (then.light[m + w + 1] ?? 0) * fx
    expected[n] = upper * (1 - fy) + lower * fy
    mask[n] = 1
  }
  return shiftBetween(expected, now.light, mask, layer.width, layer.height)
}

const NEARBY = 8

/** How far a lay slides against the tracks nearest to it. lay: its id, and its picture layer; part: where it is seen, px of a picture so wide. Nothing is told without tracks. */
export function slideLine(
  slide: SlideInputs,
  { id, of }: { id: string; of?: string },
  picture: StackPicture,
  part: Region,
  width: number,
): CheckLine[] {
  const k = slide.camera.width / width
  const [x, y] = [k * (part.x + part.width / 2), k * (part.y + part.height / 2)]
  const far = (one: TrackOff): number => (one.x - x) * (one.x - x) + (one.y - y) * (one.y - y)
  const near = [...slide.offs].sort((a, b) => far(a) - far(b)).slice(0, NEARBY)
  if (near.length < 3) return []
  const middle = (c: 'dx' | 'dy'): number => near.map((one) => one[c]).sort((a, b) => a - b)[near.length >> 1] ?? 0
  const [nx, ny] = slide.nudges[id] ?? [0, 0]
  const moved = of !== undefined && slide.standing.has(of) ? movedBy(of, picture, slide) : undefined
  const full = slide.camera.width / picture.width
  const dx = (moved?.[0] ?? 0) * full + nx - middle('dx')
  const dy = (moved?.[1] ?? 0) * full + ny - middle('dy')
  const off = Math.sqrt(dx * dx + dy * dy)
  const note = `since ${slide.other.frame}`
  return [lineOf('slide', 0, off, off, LINE_KINDS.slide.most, { note, parts: [dx, dy] })]
}
