import { canonicalJson, textKey } from '../../base/index.ts'
import {
  type CutOut,
  cutByColour,
  cutFromBlack,
  feathered,
  type Glow,
  glowsOf,
  mixed,
  smaller,
  stickingTo,
} from '../../cards/index.ts'
import {
  type Camera,
  type FloatImage,
  type Material,
  makeImage,
  PLAIN,
  type SurfaceMesh,
  type Texture,
} from '../../data/index.ts'
import {
  aboutAxis,
  add,
  atan2,
  cos,
  cross,
  length,
  multiply,
  normalise,
  pow,
  type Quaternion,
  rotate,
  scale,
  sin,
  subtract,
  type Vec3,
} from '../../math/index.ts'
import { AT_REST, type Drawable, type Lamp, type Pose } from '../../picture/index.ts'
import type { DrawContext, EffectInstance } from '../effect.ts'
import type { CardLook } from './instances.ts'

// Cards as the picture draws them: see-through surfaces that shine as they were filmed.

/** What is there of an image, by a card's settings. */
export function cutOut(
  image: FloatImage,
  { there, lift, full, key, feather }: Pick<CardLook, 'there' | 'lift' | 'full' | 'key' | 'feather'>,
): CutOut {
  if (there === 'on black') return feathered(cutFromBlack(image, lift, full), feather)
  if (there === 'keyed') return feathered(cutByColour(image, key), feather)
  if (there === 'with alpha' && image.channels === 4) return feathered(image, feather)
  const out = makeImage(image.width, image.height, 4)
  for (let n = 0; n < image.width * image.height; n++) {
    for (let c = 0; c < 3; c++) out.data[4 * n + c] = image.data[n * image.channels + c] ?? 0
    out.data[4 * n + 3] = 1
  }
  return feathered(out, feather)
}

const STEPS = 16383
/** Bytes of sRGB (IEC 61966-2-1) of so many steps of light; each step is finer than a byte but in the darkest. */
const CODES = Uint8Array.from({ length: STEPS + 1 }, (_, n) => {
  const v = n / STEPS
  return Math.round(255 * (v <= 0.0031308 ? 12.92 * v : 1.055 * pow(v, 1 / 2.4) - 0.055))
})

interface Textures {
  /** White, as much of it as is there. */
  alpha: Texture
  /** Its own colour, as shares of `most`. */
  glow: Texture
  most: number
  /** Where in the frame it shines. */
  glows: readonly Glow[]
}
/** Lights that a card is taken for, one above the other. */
const LIGHTS = 3
function texturesOf(image: CutOut, shines: boolean): Textures {
  const { width, height, data } = image
  let most = 1e-6
  for (let n = 0; n < data.length; n += 4)
    if ((data[n + 3] as number) > 0.01)
      most = Math.max(most, data[n] as number, data[n + 1] as number, data[n + 2] as number)
  const [there, glow] = [new Uint8Array(data.length).fill(255), new Uint8Array(data.length).fill(255)]
  const steps = STEPS / most
  const code = (value: number): number => CODES[Math.min(STEPS, Math.max(0, Math.round(value * steps)))] as number
  for (let n = 0; n < data.length; n += 4) {
    there[n + 3] = Math.round(255 * Math.min(1, data[n + 3] as number))
    glow[n] = code(data[n] as number)
    glow[n + 1] = code(data[n + 1] as number)
    glow[n + 2] = code(data[n + 2] as number)
  }
  const own = { width, height, wrap: ['hold', 'hold'] as const }
  return {
    alpha: { ...own, data: there, srgb: false },
    glow: { ...own, data: glow, srgb: true },
    most,
    glows: shines ? glowsOf(image, LIGHTS) : [],
  }
}

const made = new WeakMap<FloatImage, Map<string, Textures>>()
/** Textures of the frames that are shown, made once where it is one frame alone. */
function shownTextures(look: CardLook, images: readonly FloatImage[], tall: number): Textures | undefined {
  const parts = look.frames.flatMap(({ share }, n) => {
    const image = images[n]
    // No finer than it is seen.
    return image ? [{ image: smaller(image, tall), share }] : []
  })
  if (parts.length < look.frames.length) return undefined
  const { there, lift, full, key, feather, frames, light } = look
  const [whole] = images
  const shines = light > 0
  const size = parts[0]?.image.height ?? 0
  const name = textKey(canonicalJson({ there, lift, full, key, feather, shares: frames, size, shines }))
  const known = whole && made.get(whole)?.get(name)
  if (known) return known
  const image = mixed(parts)
  if (!whole || !image) return undefined
  const textures = texturesOf(cutOut(image, look), shines)
  const all = made.get(whole) ?? new Map<string, Textures>()
  made.set(whole, all.set(name, textures))
  return textures
}

/** A card of 1 m height about its foot, its face towards z. foot: share of its height below it. */
function cardMesh(aspect: number, foot: number, mirror: boolean): SurfaceMesh {
  const [half, low, high] = [aspect / 2, -foot, 1 - foot]
  const [left, right] = mirror ? [1, 0] : [0, 1]
  return {
    positions: Float32Array.from([-half, low, 0, half, low, 0, half, high, 0, -half, high, 0]),
    normals: Float32Array.from([0, 0, 1, 0, 0, 1, 0, 0, 1, 0, 0, 1]),
    uvs: Float32Array.from([left, 1, right, 1, right, 0, left, 0]),
    indices: Uint32Array.from([0, 1, 2, 0, 2, 3]),
  }
}

/** How a card is turned so that it faces an eye: about the upright, or wholly. */
export function facing({ faces, turn, place }: Pick<CardLook, 'faces' | 'turn' | 'place'>, eye: Vec3): Quaternion {
  if (faces === 'fixed') return turn
  const [x, y, z] = subtract(eye, place)
  const pan = aboutAxis([0, 1, 0], atan2(x, z))
  if (faces === 'upright') return pan
  return multiply(pan, aboutAxis([1, 0, 0], -atan2(y, Math.sqrt(x * x + z * z))))
}

/** How far away what is in the sky is drawn, m. */
const FAR = 2000
/** Where a card in the sky is for an eye: always as large, and facing it. */
function skyPose({ towards, across, roll }: NonNullable<CardLook['sky']>, eye: Vec3): Pose {
  const place = add(eye, scale(towards, FAR))
  const turned = facing({ faces: 'camera', turn: [0, 0, 0, 1], place }, eye)
  const half = across / 2
  return { rotation: multiply(turned, aboutAxis([0, 0, 1], roll)), place, scale: (2 * FAR * sin(half)) / cos(half) }
}

/** A card where it is stuck, corner by corner in the world; as it is where it is not. */
function movedMesh(mesh: SurfaceMesh, pose: Pose, moved: ((at: Vec3) => Vec3) | undefined): SurfaceMesh {
  if (!moved) return mesh
  const at = (n: number): Vec3 => {
    const [x = 0, y = 0, z = 0] = mesh.positions.subarray(3 * n, 3 * n + 3)
    return moved(add(pose.place, rotate(pose.rotation, scale([x, y, z], pose.scale))))
  }
  const corners = [at(0), at(1), at(2), at(3)] as const
  const normal = normalise(cross(subtract(corners[1], corners[0]), subtract(corners[3], corners[0])))
  return {
    ...mesh,
    positions: Float32Array.from(corners.flat()),
    normals: Float32Array.from([...normal, ...normal, ...normal, ...normal]),
  }
}

/** A card's light on what is round it: little balls where it shines, as strong to all sides as it is seen from the camera. intensity: sum of plate value x m^2. */
function lightsOf(
  { aspect, foot, mirror, gain, light }: CardLook,
  glows: readonly Glow[],
  pose: Pose,
  moved: (at: Vec3) => Vec3 = (at) => at,
): Lamp[] {
  if (light <= 0) return []
  const { scale: height = 1 } = pose
  return glows.map(({ x, y, wide, light: shares }) => ({
    kind: 'lamp',
    shape: 'ball',
    at: moved(
      add(
        pose.place,
        rotate(pose.rotation, [(mirror ? 0.5 - x : x - 0.5) * aspect * height, (1 - foot - y) * height, 0]),
      ),
    ),
    radius: Math.max(0.01, 0.5 * wide * height),
    intensity: [0, 1, 2].map((c) => light * (gain[c] ?? 1) * (shares[c] ?? 0) * aspect * height * height) as [
      number,
      number,
      number,
    ],
    onSet: true,
  }))
}

/** Texels over the height of a card for each pixel of it, and the least. */
const FINER = 1.5
const LEAST_TALL = 48
/** How tall a card's texture is to be for how it is seen, px. */
function seenHeight({ height, place, sky }: CardLook, camera: Camera): number {
  const far = length(subtract(place, camera.position))
  const tall = sky ? sky.across * camera.focalPx : (height * camera.focalPx) / Math.max(0.05, far)
  return Math.max(LEAST_TALL, FINER * tall)
}

/** What the picture draws of a card; nothing until its frames are there. */
export function drawCard(
  { look }: EffectInstance<CardLook>,
  _frames: unknown,
  { clip, camera, cameraAt }: Pick<DrawContext, 'clip' | 'camera' | 'cameraAt'>,
): Drawable[] {
  const images = look.frames.map(({ frame }) => clip?.({ ...look.clip, frame }))
  const textures = images.every((one) => one !== undefined)
    ? shownTextures(look, images, seenHeight(look, camera))
    : undefined
  if (!textures) return []
  const { alpha, glow, most, glows } = textures
  const material: Material = {
    ...PLAIN,
    base: [0, 0, 0, 1],
    baseMap: alpha,
    emission: [look.gain[0] * most, look.gain[1] * most, look.gain[2] * most],
    emissionMap: glow,
    roughness: 1,
    ...(look.sky ? {} : { fade: look.fade }),
    alpha: 'blend',
  }
  // One that is stuck is as it was seen at its frame.
  const seenBy = (look.stuck && cameraAt?.(look.stuck.frame)) ?? camera
  const standing = look.sky
    ? skyPose(look.sky, camera.position)
    : { rotation: facing(look, seenBy.position), place: look.place, scale: look.height }
  const foot = look.sky ? 0.5 : look.foot
  const moved = look.stuck && stickingTo(seenBy, camera, look.stuck, standing.place)
  const mesh = movedMesh(cardMesh(look.aspect, foot, look.mirror), standing, moved)
  const pose = moved ? AT_REST : standing
  return [
    {
      kind: 'thing',
      key: `card/${look.aspect}/${foot}/${look.mirror}${moved ? `/${mesh.positions.join()}` : ''}`,
      mesh,
      materials: [material],
      opening: pose,
      closing: pose,
      throwsShadow: false,
    },
    ...lightsOf(look, glows, standing, moved),
  ]
}
