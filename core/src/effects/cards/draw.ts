import { type Glow, stickingTo } from '../../cards/index.ts'
import { type Camera, type Material, PLAIN, pixelRay, pointAlong, type SurfaceMesh } from '../../data/index.ts'
import {
  aboutAxis,
  add,
  atan2,
  cos,
  cross,
  dot,
  length,
  multiply,
  normalise,
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
import { type Part, shownTextures, type Textures } from './textures.ts'

// Cards as the picture draws them: see-through surfaces that shine as they were filmed.

/** A card of 1 m height about its foot, its face towards z: the part of it that is shown. foot: share of its height below it. */
function cardMesh({ aspect, foot, mirror }: Pick<CardLook, 'aspect' | 'foot' | 'mirror'>, part: Part): SurfaceMesh {
  const [left, right] = [aspect * (part.x0 - 0.5), aspect * (part.x1 - 0.5)]
  const [high, low] = [1 - foot - part.y0, 1 - foot - part.y1]
  const [west, east] = mirror ? [-right, -left] : [left, right]
  const [from, to] = mirror ? [1, 0] : [0, 1]
  return {
    positions: Float32Array.from([west, low, 0, east, low, 0, east, high, 0, west, high, 0]),
    normals: Float32Array.from([0, 0, 1, 0, 0, 1, 0, 0, 1, 0, 0, 1]),
    uvs: Float32Array.from([from, 1, to, 1, to, 0, from, 0]),
    indices: Uint32Array.from([0, 1, 2, 0, 2, 3]),
  }
}

/** Cells of what is lifted out of the plate, across and down: so many that the lens bends it as it bent the plate. */
const CELLS = 16
/** Where what was filmed stands: a part of the plate, seen by its camera so far along the view (m), moved. */
function filmedMesh(camera: Camera, part: Part, distance: number, moved: Vec3): SurfaceMesh {
  const row = CELLS + 1
  const positions = new Float32Array(row * row * 3)
  const uvs = new Float32Array(row * row * 2)
  for (let j = 0; j <= CELLS; j++)
    for (let i = 0; i <= CELLS; i++) {
      const [u, v] = [i / CELLS, j / CELLS]
      const x = camera.width * (part.x0 + (part.x1 - part.x0) * u)
      const y = camera.height * (part.y0 + (part.y1 - part.y0) * v)
      positions.set(add(pointAlong(pixelRay(camera, x, y), distance), moved), 3 * (j * row + i))
      uvs.set([u, v], 2 * (j * row + i))
    }
  const towards = rotate(camera.rotation, [0, 0, 1])
  const cells = Array.from({ length: CELLS * CELLS }, (_, n) => Math.floor(n / CELLS) * row + (n % CELLS))
  return {
    positions,
    uvs,
    normals: Float32Array.from(Array.from({ length: row * row }, () => towards).flat()),
    indices: Uint32Array.from(cells.flatMap((n) => [n, n + row, n + row + 1, n, n + row + 1, n + 1])),
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
/** Where a card in the sky is for an eye: always as large, and facing it. turned: by how much more it is rolled, radians. */
function skyPose({ towards, across, roll }: NonNullable<CardLook['sky']>, eye: Vec3, turned: number): Pose {
  const place = add(eye, scale(towards, FAR))
  const facesEye = facing({ faces: 'camera', turn: [0, 0, 0, 1], place }, eye)
  const half = across / 2
  return {
    rotation: multiply(facesEye, aboutAxis([0, 0, 1], roll + turned)),
    place,
    scale: (2 * FAR * sin(half)) / cos(half),
  }
}

/** The roll that turns a picture's brighter side towards the sun, radians; 0 where it has none, or the sun stands behind or before it. */
function litRoll({ towards }: NonNullable<CardLook['sky']>, brighter: readonly [number, number], sun: Vec3): number {
  const place = scale(towards, FAR)
  const own = facing({ faces: 'camera', turn: [0, 0, 0, 1], place }, [0, 0, 0])
  const [right, up] = [rotate(own, [1, 0, 0]), rotate(own, [0, 1, 0])]
  const [x, y] = [dot(sun, right), dot(sun, up)]
  const [bx, by] = brighter
  if (x * x + y * y < 1e-6 || bx * bx + by * by < 1e-6) return 0
  return atan2(y, x) - atan2(by, bx)
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

/** Metres by which what is lifted stands nearer than its matte, so that the ground that it stands on doesn't cut its feet. */
const NEARER = 0.03
/** Px across a matte of which only is asked where it stands. */
const COARSE = 16
/** How far along the view what is lifted stands where nothing tells, m. */
const SOMEWHERE = 6

/** A card's mesh, and where it is, for the camera that sees it. */
function standing(
  look: CardLook,
  { part, brighter }: Textures,
  { camera, cameraAt, matte, sun }: Pick<DrawContext, 'camera' | 'cameraAt' | 'matte' | 'sun'>,
): { mesh: SurfaceMesh; pose: Pose; at: Pose; moved?: (at: Vec3) => Vec3; key: string } {
  const { filmed, sky, stuck, aspect, mirror, cutBy } = look
  if (filmed) {
    const by = cameraAt?.(filmed.frame) ?? camera
    const own = cutBy && !cutBy.mattes ? matte?.(cutBy.matte, filmed.frame, COARSE)?.stands : undefined
    const distance = Math.max(0.05, (filmed.stands || own || SOMEWHERE) - NEARER)
    const mesh = filmedMesh(by, part, distance, filmed.moved)
    return { mesh, pose: AT_REST, at: AT_REST, key: `/${mesh.positions.join()}` }
  }
  // One that is stuck is as it was seen at its frame.
  const seenBy = (stuck && cameraAt?.(stuck.frame)) ?? camera
  const turned =
    sky?.litSide && sun ? litRoll(sky, [mirror ? -brighter[0] : brighter[0], brighter[1]], sun.direction) : 0
  const at = sky
    ? skyPose(sky, camera.position, turned)
    : { rotation: facing(look, seenBy.position), place: look.place, scale: look.height }
  const foot = sky ? 0.5 : look.foot
  const moved = stuck && stickingTo(seenBy, camera, stuck, at.place)
  const mesh = movedMesh(cardMesh({ aspect, foot, mirror }, part), at, moved)
  const parts = `${part.x0},${part.y0},${part.x1},${part.y1}`
  return {
    mesh,
    pose: moved ? AT_REST : at,
    at,
    ...(moved ? { moved } : {}),
    key: `/${aspect}/${foot}/${mirror}/${parts}${moved ? `/${mesh.positions.join()}` : ''}`,
  }
}

/** What the picture draws of a card; nothing until its frames are there. */
export function drawCard(
  { look }: EffectInstance<CardLook | null>,
  _frames: unknown,
  context: Pick<DrawContext, 'clip' | 'camera' | 'cameraAt' | 'matte' | 'crew' | 'sun'>,
): Drawable[] {
  const textures = look ? shownTextures(look, seenHeight(look, context.camera), context) : undefined
  if (!look || !textures) return []
  const { picture, most, glows } = textures
  const material: Material = {
    ...PLAIN,
    base: [0, 0, 0, 1],
    baseMap: picture,
    emission: [look.gain[0] * most, look.gain[1] * most, look.gain[2] * most],
    emissionMap: picture,
    roughness: 1,
    ...(look.sky ? {} : { fade: look.fade }),
    alpha: 'blend',
  }
  const { mesh, pose, at, moved, key } = standing(look, textures, context)
  return [
    {
      kind: 'thing',
      key: `card${key}`,
      mesh,
      materials: [material],
      opening: pose,
      closing: pose,
      throwsShadow: false,
    },
    ...(look.filmed ? [] : lightsOf(look, glows, at, moved)),
  ]
}
