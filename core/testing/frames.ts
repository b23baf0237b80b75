import type { Crew } from '../src/base/index.ts'
import {
  boxMesh,
  type Camera,
  type GasFrame,
  type Material,
  type Mesh,
  type Picture,
  type PictureLayer,
  PLAIN,
  planeMesh,
  type SurfaceMesh,
  TILE,
  toHalf,
} from '../src/data/index.ts'
import { GLOW_FROM, GLOW_STEP, glowTable } from '../src/light/index.ts'
import { normalise, panTiltRoll, type Vec3 } from '../src/math/index.ts'
import {
  AT_REST,
  type Drawable,
  FINAL,
  type FrameScene,
  type GasVolume,
  type Pose,
  renderPicture,
  type ScenePiece,
  type Thing,
} from '../src/picture/index.ts'

// Small frames for tests of the picture.

export const STANDING: Pose = AT_REST
export const at = (place: Vec3): Pose => ({ ...STANDING, place })

/** A camera so many metres up, looking down by some degrees. */
export const lookingDown = (degrees: number, from: Vec3, size = 64, focal = 64): Camera => ({
  position: from,
  rotation: panTiltRoll(0, (-degrees * Math.PI) / 180, 0),
  focalPx: focal,
  centre: [size / 2, size / 2],
  k1: 0,
  k2: 0,
  width: size,
  height: size,
})

let made = 0
export const thing = (mesh: SurfaceMesh, over: Partial<Thing> = {}, material: Partial<Material> = {}): Thing => ({
  kind: 'thing',
  key: `thing-${made++}`,
  mesh,
  materials: [{ ...PLAIN, ...material }],
  opening: STANDING,
  closing: over.opening ?? STANDING,
  ...over,
})
export const piece = (mesh: Mesh, over: Partial<ScenePiece> = {}): ScenePiece => ({
  key: `piece-${made++}`,
  mesh,
  opening: STANDING,
  closing: STANDING,
  holdsOut: true,
  receives: true,
  ...over,
})
export const ground = (size = 50): ScenePiece => piece(planeMesh([0, 0, 0], size, size, [0, 0, 0, 1]))
/** A small camera a metre up that looks along -z, and light from a white sky alone. */
export const LEVEL: Camera = {
  position: [0, 1, 0],
  rotation: [0, 0, 0, 1],
  focalPx: 60,
  centre: [16, 12],
  k1: 0,
  k2: 0,
  width: 32,
  height: 24,
}
export const WHITE_SKY = { sunDirection: [0, 1, 0], sunShare: 0, sunColour: [1, 1, 1], skyColour: [1, 1, 1] } as const
export const box = (half: Vec3 = [0.5, 0.5, 0.5], centre: Vec3 = [0, 0, 0]): Mesh => boxMesh(centre, half, [0, 0, 0, 1])
/** A ball of triangles with its own normals. */
export function ball(radius: number, rings = 24): SurfaceMesh {
  const normals: number[] = []
  for (let j = 0; j <= rings; j++)
    for (let i = 0; i <= 2 * rings; i++) {
      const [a, b] = [(j / rings) * Math.PI, (i / rings) * Math.PI]
      normals.push(Math.sin(a) * Math.cos(b), Math.cos(a), Math.sin(a) * Math.sin(b))
    }
  const indices: number[] = []
  const across = 2 * rings + 1
  for (let j = 0; j < rings; j++)
    for (let i = 0; i < 2 * rings; i++) {
      const n = j * across + i
      indices.push(n, n + 1, n + across, n + 1, n + across + 1, n + across)
    }
  return {
    positions: Float32Array.from(normals, (part) => part * radius),
    normals: Float32Array.from(normals),
    indices: Uint32Array.from(indices),
  }
}

export const NOON = {
  sunDirection: normalise([0.3, 1, 0.2]),
  sunShare: 0.6,
  sunColour: [1, 1, 1],
  skyColour: [1, 1, 1],
} as const

/** A frame of layers by name. */
export const frameOf = (
  layers: Readonly<Record<string, readonly Drawable[]>>,
  over: Partial<FrameScene> = {},
): FrameScene => ({
  pieces: [],
  layers: Object.entries(layers).map(([id, drawables]) => ({ id, drawables })),
  camera: lookingDown(0, [0, 1, 5]),
  light: NOON,
  quality: FINAL,
  ...over,
})
export const render = (
  crew: Crew,
  layers: Readonly<Record<string, readonly Drawable[]>>,
  over: Partial<FrameScene> = {},
): Picture => renderPicture(crew, frameOf(layers, over))

export const layer = (picture: Picture, id: string): PictureLayer => {
  const found = picture.layers.find((one) => one.id === id)
  if (!found) throw new Error(`The picture has no layer ${id}`)
  return found
}
type Channel = Exclude<keyof PictureLayer, 'id' | 'x' | 'y' | 'width' | 'height'>
/** A layer's value at a pixel of the picture; 0 (shadows 1) where it has none. */
export function valueAt(picture: Picture, id: string, channel: Channel, x: number, y: number, c = 0): number {
  const own = picture.layers.find((one) => one.id === id)
  const none = channel === 'sun' || channel === 'sky' || channel === 'contact' ? 1 : 0
  const image = own?.[channel]
  if (!own || !image) return none
  const [u, v] = [x - own.x, y - own.y]
  if (u < 0 || v < 0 || u >= own.width || v >= own.height) return none
  return image.data[(v * own.width + u) * image.channels + c] ?? none
}

/** A block of smoke 0.8 m on edge round (0, 1, -z), so many times as thick as stops 63 %. */
export function smokeBlock(z: number, thick: number): GasVolume {
  const [tiles, cell] = [2, 0.05]
  const channels = Array.from({ length: 6 }, () => new Uint16Array(tiles ** 3 * TILE ** 3))
  channels[0]?.fill(toHalf((thick / 0.8 / 8700) * 1000))
  const frame: GasFrame = {
    box: { cell, origin: [-8, 12, Math.round(-z / cell) - 8], size: [16, 16, 16] },
    ambient: 300,
    tiles: Int32Array.from({ length: tiles ** 3 }, (_, n) => n),
    channels,
  }
  return {
    kind: 'gas',
    frames: [{ frame, weight: 1, ahead: 0 }],
    emitters: [],
    glow: { from: GLOW_FROM, step: GLOW_STEP, table: glowTable(100, 1) },
    albedo: 0,
    forward: 0,
    extinctionPerSoot: 8700,
  }
}
