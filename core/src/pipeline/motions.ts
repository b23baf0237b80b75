import type { Crew } from '../base/index.ts'
import { type FloatImage, type Motion, makeImage, type PictureLayer } from '../data/index.ts'
import { denseMotion, motionPicture } from '../motion/index.ts'
import { effectOf, type ShotDocument, shotLayers } from '../shot/index.ts'
import { filledMotion, motionKey, type StackLayer, type StackPicture } from '../sit/index.ts'

// The motions that a frame's layers and plate are drawn out along.

/** The effects whose layers are no surfaces. */
const THIN_EFFECTS: ReadonlySet<string> = new Set(['gas', 'particles'])

type Streaked = Pick<ShotDocument, 'sit' | 'items' | 'plate' | 'signals'>

/** What motions are found from besides a frame's picture. */
export interface MotionSources {
  /** Share of a frame that the picture's own vectors go over; 0: it has none. */
  shutter: number
  /** The picture of the frame before or after. */
  beside?: { picture: StackPicture; after: boolean }
  /** The plate's motion to the next frame. */
  plate?: Motion
}

interface StreakedLayer {
  layer: string
  by: StackLayer['streakBy']
}

/** The layers that are drawn out, and along what: what has no surface has no vectors. */
function streakedLayers({ sit, ...document }: Streaked): StreakedLayer[] {
  const follows = (id: string): boolean => Object.keys(sit.follows ?? {}).includes(`layers.${id}.streak`)
  return shotLayers({ ...document, sit }).flatMap(({ id, of, settings }) =>
    settings.streak > 0 || follows(id) ? [{ layer: of, by: settings.streakBy }] : [],
  )
}

/** What a frame's motions need besides its picture: one of a frame beside, and the plate's motion. */
export function motionNeeds(document: Streaked): { beside: boolean; plate: boolean } {
  const { sit } = document
  const layers = streakedLayers(document)
  return {
    beside: layers.some(({ by }) => by !== 'plate'),
    plate: sit.plateStreak > 0 || 'plateStreak' in (sit.follows ?? {}) || layers.some(({ by }) => by === 'plate'),
  }
}

/** The frame beside a frame that its motion is found with: the next, and at the end the one before. */
export const frameBeside = ({ last }: { last: number }, frame: number): { frame: number; after: boolean } =>
  frame < last ? { frame: frame + 1, after: true } : { frame: frame - 1, after: false }

const opposite = ({ u, v, ...size }: Motion): Motion => ({ ...size, u: u.map((x) => -x), v: v.map((x) => -x) })

/** The motion of a plate from a frame to the next. rgb: of the frame and of the one beside, linear. */
export function plateMotion(crew: Crew, here: FloatImage, beside: FloatImage, after: boolean): Motion {
  const pictures = [here, beside].map(({ data, width, height }) => motionPicture(crew, data, width, height))
  const [a, b] = pictures as [(typeof pictures)[0], (typeof pictures)[0]]
  const { to } = denseMotion(crew, a, b)
  return after ? to : opposite(to)
}

/** This much of a layer is enough to tell its motion by. */
const THERE = 0.3

/** The pixel of a picture that shows a layer at a place of a motion's grid, of the four there; -1 where none does. */
function shownOn(layer: PictureLayer, { width }: Motion, picture: StackPicture): (place: number) => number {
  return (place) => {
    const [x, y] = [2 * (place % width), 2 * Math.floor(place / width)]
    for (const [i, j] of [
      [x, y],
      [x + 1, y],
      [x, y + 1],
      [x + 1, y + 1],
    ] as const) {
      const [a, b] = [i - layer.x, j - layer.y]
      if (a < 0 || b < 0 || a >= layer.width || b >= layer.height) continue
      const n = b * layer.width + a
      if ((layer.alpha?.data[n] ?? 0) > THERE || (layer.emission?.data[3 * n + 1] ?? 0) > THERE)
        return j * picture.width + i
    }
    return -1
  }
}

/** A layer's motion in a frame by the picture's own vectors; undefined where they say nothing of it. */
function byVectors(layer: PictureLayer, picture: StackPicture, shutter: number): Motion | undefined {
  const { motion, width, height } = picture
  if (!motion || shutter <= 0) return undefined
  const [w, h] = [width >> 1, height >> 1]
  const grid: Motion = { width: w, height: h, u: new Float32Array(w * h), v: new Float32Array(w * h) }
  const shown = shownOn(layer, grid, picture)
  const told = new Uint8Array(w * h)
  let moves = false
  for (let n = 0; n < w * h; n++) {
    const at = shown(n)
    if (at < 0) continue
    told[n] = 1
    grid.u[n] = (motion.data[2 * at] ?? 0) / shutter
    grid.v[n] = (motion.data[2 * at + 1] ?? 0) / shutter
    moves ||= grid.u[n] !== 0 || grid.v[n] !== 0
  }
  return moves ? filledMotion(grid, (n) => told[n] === 1) : undefined
}

/** A layer as a picture that its motion is told by: its light and what it hides, both held so that flames don't outshine all else. */
function toldBy(layer: PictureLayer | undefined, { width, height }: StackPicture): Float32Array {
  const rgb = new Float32Array(3 * width * height)
  if (!layer) return rgb
  const { colour, emission, effect, alpha } = layer
  for (let y = 0; y < layer.height; y++)
    for (let x = 0; x < layer.width; x++) {
      const n = y * layer.width + x
      const at = 3 * ((y + layer.y) * width + x + layer.x)
      for (let c = 0; c < 3; c++) {
        const m = 3 * n + c
        const light = (colour?.data[m] ?? 0) + (emission?.data[m] ?? 0) + (effect?.data[m] ?? 0)
        rgb[at + c] = Math.max(0, light) / (1 + Math.max(0, light)) + 0.1 * (alpha?.data[n] ?? 0)
      }
    }
  return rgb
}

/** A layer's motion found between its pictures of two frames. */
function byPictures(
  crew: Crew,
  id: string,
  picture: StackPicture,
  beside: MotionSources['beside'],
): Motion | undefined {
  const { width, height } = picture
  const layer = picture.layers.find((one) => one.id === id)
  const other = beside?.picture.layers.find((one) => one.id === id)
  if (!layer || !other || !beside || beside.picture.width !== width || beside.picture.height !== height)
    return undefined
  const image = (of: PictureLayer): FloatImage => ({ ...makeImage(1, 1, 3), width, height, data: toldBy(of, picture) })
  const found = plateMotion(crew, image(layer), image(other), beside.after)
  const shown = shownOn(layer, found, picture)
  return filledMotion(found, (n) => shown(n) >= 0)
}

/** The motions that a frame's layers and plate are drawn out along, px of the picture to the next frame. */
export function stackMotions(
  crew: Crew,
  document: Streaked,
  picture: StackPicture | undefined,
  { shutter, beside, plate }: MotionSources,
): Map<string, Motion> {
  const motions = new Map<string, Motion>(plate ? [['plate', plate]] : [])
  if (!picture) return motions
  const thin = thinLayers(document)
  for (const { layer: id, by } of streakedLayers(document)) {
    const key = motionKey(id, by)
    const layer = picture.layers.find((one) => one.id === id)
    if (by === 'plate' || motions.has(key) || !layer) continue
    const own = by === 'vectors' && !thin.has(id) ? byVectors(layer, picture, shutter) : undefined
    const found = own ?? byPictures(crew, id, picture, beside)
    if (found) motions.set(key, found)
  }
  return motions
}

/** Layers of smoke, dust and rain alone: they are no surfaces. */
export const thinLayers = (document: Streaked): Set<string> =>
  new Set(
    shotLayers(document).flatMap(({ of, items }) =>
      items.every((item) => THIN_EFFECTS.has(effectOf(document.items[item])?.kind ?? '')) ? [of] : [],
    ),
  )
