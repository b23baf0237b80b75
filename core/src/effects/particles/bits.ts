import { canonicalJson, decodeBase64, hash01, mix32, textKey } from '../../base/index.ts'
import { type Material, type ParticleFrame, PLAIN, STUCK, type SurfaceMesh, type Texture } from '../../data/index.ts'
import { aboutAxis, cos, multiply, normalise, type Quaternion, sin, type Vec3 } from '../../math/index.ts'
import { type Drawable, type Placement, type Pose, placeInWorld } from '../../picture/index.ts'
import { type SmallPicture, type ThingItem, trimmedBounds } from '../../set/index.ts'
import type { DrawContext } from '../effect.ts'
import type { ParticleLook } from './instances.ts'

// Solid bits that particles are drawn as: made shapes of 1 m across, some of each, which tumble as they fly.

const SHAPES = ['chips', 'pebbles', 'shards', 'splinters'] as const
export type BitShape = (typeof SHAPES)[number] | 'mixed' | 'discs' | 'mesh' | 'pieces'
/** Different ones of each shape. */
const VARIANTS = 5
/** Bits of a look at most. */
const MOST_IN_LOOK = 3000
/** By how much of its size a bit at rest lies lower than a ball would. */
const SUNK = 0.2
/** Turns of a bit for each turn that its particle is told to make. */
const TUMBLES = 1.7

/** Half edges of a shape, of 1 m across, and how far its corners are off. */
const BODY: Readonly<Record<(typeof SHAPES)[number], { half: Vec3; off: number; rings: number; sides: number }>> = {
  chips: { half: [0.5, 0.3, 0.38], off: 0.35, rings: 3, sides: 5 },
  pebbles: { half: [0.5, 0.4, 0.45], off: 0.14, rings: 5, sides: 8 },
  shards: { half: [0.5, 0.08, 0.36], off: 0.3, rings: 2, sides: 5 },
  splinters: { half: [0.5, 0.06, 0.05], off: 0.3, rings: 3, sides: 4 },
}

const meshes = new Map<string, SurfaceMesh>()
/** A made bit: rings of corners between two ends, each off by its own dice; faceted. */
function bitMesh(shape: (typeof SHAPES)[number], variant: number): SurfaceMesh {
  const key = `${shape}/${variant}`
  const known = meshes.get(key)
  if (known) return known
  const { half, off, rings, sides } = BODY[shape]
  const seed = mix32(SHAPES.indexOf(shape) * 131 + variant * 17 + 5)
  const positions: number[] = []
  const put = (at: Vec3, n: number): void => {
    const dice = (a: number): number => 1 + off * (2 * hash01(seed, n, a, 51) - 1)
    positions.push(at[0] * half[0] * dice(0), at[1] * half[1] * dice(1), at[2] * half[2] * dice(2))
  }
  put([-1, 0, 0], 0)
  for (let ring = 0; ring < rings; ring++) {
    const along = -1 + (2 * (ring + 1)) / (rings + 1)
    const wide = shape === 'pebbles' ? Math.sqrt(1 - along * along) : 1
    for (let side = 0; side < sides; side++) {
      const angle = (2 * Math.PI * side) / sides
      put([along, wide * cos(angle), wide * sin(angle)], 1 + ring * sides + side)
    }
  }
  put([1, 0, 0], 1 + rings * sides)
  const indices: number[] = []
  const at = (ring: number, side: number): number => 1 + ring * sides + (side % sides)
  for (let side = 0; side < sides; side++) {
    indices.push(0, at(0, side + 1), at(0, side))
    for (let ring = 0; ring + 1 < rings; ring++)
      indices.push(
        at(ring, side),
        at(ring, side + 1),
        at(ring + 1, side + 1),
        at(ring, side),
        at(ring + 1, side + 1),
        at(ring + 1, side),
      )
    indices.push(at(rings - 1, side), at(rings - 1, side + 1), 1 + rings * sides)
  }
  const mesh = { positions: Float32Array.from(positions), indices: Uint32Array.from(indices) }
  meshes.set(key, mesh)
  return mesh
}

/** Which made bit a particle is. */
function bitOf(
  id: number,
  bits: BitShape | undefined,
): { shape: (typeof SHAPES)[number]; variant: number; shade: number } {
  const own = mix32(id ^ 0x51ed270b)
  const shape = SHAPES.find((one) => one === bits) ?? SHAPES[own % SHAPES.length]
  return { shape: shape ?? 'chips', variant: (own >>> 4) % VARIANTS, shade: (own >>> 9) % 3 }
}

/** Corners of a bit of 1 m across, x y z after each other: as it meets others. half: of one with a shape of its own, its box. */
export function bitCorners(id: number, { bits, half }: { bits: string; half?: Vec3 }): Float32Array {
  if (half)
    return Float32Array.from({ length: 24 }, (_, n) => ((n / 3) & (1 << (n % 3)) ? 1 : -1) * (half[n % 3] as number))
  if (bits === 'discs') return discMesh().positions
  const { shape, variant } = bitOf(id, SHAPES.find((one) => one === bits) ?? 'mixed')
  return bitMesh(shape, variant).positions
}

/** How a bit is turned: about an axis of its own, by how far its particle has turned. */
export function turnOf(id: number, spin: number): Quaternion {
  const dice = (n: number): number => mix32(id + Math.imul(n + 1, 0x9e3779b1)) / 4294967296
  const axis = normalise([dice(60) - 0.5, dice(61) - 0.5, dice(62) - 0.49])
  const first = aboutAxis(normalise([dice(63) - 0.5, dice(64) - 0.5, dice(65) - 0.49]), 2 * Math.PI * dice(66))
  return multiply(aboutAxis(axis, 2 * Math.PI * TUMBLES * spin), first)
}

const DISC_SIDES = 20
const DISC_THICK = 0.03
let disc: SurfaceMesh | undefined
/** A thin disc of 1 m across with a picture on both faces. */
function discMesh(): SurfaceMesh {
  if (disc) return disc
  const [positions, uvs, indices]: [number[], number[], number[]] = [[], [], []]
  for (const side of [1, -1] as const) {
    const first = positions.length / 3
    for (let n = 0; n < DISC_SIDES; n++) {
      const angle = (2 * Math.PI * n) / DISC_SIDES
      const [x, z] = [0.5 * cos(angle), 0.5 * sin(angle)]
      positions.push(x, (side * DISC_THICK) / 2, z)
      uvs.push(0.5 + x, 0.5 + side * z)
    }
    for (let n = 2; n < DISC_SIDES; n++)
      indices.push(first, ...(side > 0 ? [first + n, first + n - 1] : [first + n - 1, first + n]))
  }
  for (let n = 0; n < DISC_SIDES; n++) {
    const [a, b] = [n, (n + 1) % DISC_SIDES]
    indices.push(a, b, DISC_SIDES + a, b, DISC_SIDES + b, DISC_SIDES + a)
  }
  disc = { positions: Float32Array.from(positions), uvs: Float32Array.from(uvs), indices: Uint32Array.from(indices) }
  return disc
}

const pictures = new WeakMap<SmallPicture, Texture>()
function textureOf(picture: SmallPicture): Texture {
  const known = pictures.get(picture)
  if (known) return known
  const { width, height, values } = picture
  const data = new Uint8Array(width * height * 4)
  data.set((decodeBase64(values) ?? new Uint8Array()).subarray(0, data.length))
  const texture: Texture = { width, height, data, srgb: true, wrap: ['hold', 'hold'] }
  pictures.set(picture, texture)
  return texture
}

const ownMeshes = new WeakMap<SurfaceMesh, SurfaceMesh>()
/** A taken-in mesh as a bit: 1 m across about its middle, with its own materials; undefined where it is not there. */
function ownBit(
  thing: ThingItem,
  taken: DrawContext['taken'],
  worn: DrawContext['worn'],
): { key: string; mesh: SurfaceMesh; materials: readonly Material[] } | undefined {
  const mesh = taken?.(thing)
  const { blob, standIn } = thing.mesh
  const materials = worn?.({ blob, standIn, tint: thing.tint, roughness: thing.roughness })
  if (!mesh || !materials) return undefined
  const { low, high } = trimmedBounds(thing)
  const longest = Math.max(...[0, 1, 2].map((a) => (high[a] as number) - (low[a] as number)), 1e-9)
  const middle = [0, 1, 2].map((a) => ((high[a] as number) + (low[a] as number)) / 2)
  const made =
    ownMeshes.get(mesh) ??
    ({
      ...mesh,
      positions: mesh.positions.map((value, n) => (value - (middle[n % 3] as number)) / longest),
    } as SurfaceMesh)
  ownMeshes.set(mesh, made)
  return { key: `bit/${blob}/${mesh.indices.length}`, mesh: made, materials }
}

/** Kept particles as solid bits. ahead: s by which their own speed carries them. */
export function drawBits(
  look: ParticleLook,
  frame: ParticleFrame,
  place: Placement,
  ahead: number,
  { finer, shutter, taken, worn, shapes }: DrawContext,
): Drawable[] {
  const count = finer ? frame.count : Math.min(frame.count, MOST_IN_LOOK)
  const half = shutter && finer ? shutter.seconds / 2 : 0
  const shades = [0.75, 1, 1.2].map((level): readonly Material[] => {
    const [r, g, b] = look.colour
    const faced = look.picture ? { baseMap: textureOf(look.picture), alpha: 0.5 as const } : {}
    const base = look.picture ? ([level, level, level, 1] as const) : ([level * r, level * g, level * b, 1] as const)
    return [{ ...PLAIN, base, roughness: 1, ...faced }]
  })
  const pieces = look.pieces ? (shapes?.(look.pieces.of) ?? []) : []
  const cut = look.pieces ? textKey(canonicalJson(look.pieces.by)) : ''
  const own = look.own && ownBit(look.own, taken, worn)
  return Array.from({ length: count }, (_, n): Drawable[] => {
    const id = frame.ids[n] as number
    const { shape, variant, shade } = bitOf(id, look.bits)
    if (look.own && !own) return []
    const turn = (k: number): number => frame.turns?.[4 * n + k] ?? 0
    const size = frame.sizes[n] as number
    const at = (values: Float32Array, a: number): number => values[3 * n + a] as number
    const still = frame.states[n] === STUCK
    const pose = (seconds: number): Pose => {
      const moved: Vec3 = [0, 1, 2].map(
        (a) => at(frame.positions, a) + (still ? 0 : (ahead + seconds) * look.speed * at(frame.velocities, a)),
      ) as unknown as Vec3
      // At rest it lies flatter than the ball that it was taken for.
      const shown = placeInWorld(place, [moved[0], moved[1] - (still && !frame.turns ? SUNK * size : 0), moved[2]])
      return {
        rotation: multiply(
          place.turn,
          frame.turns ? [turn(0), turn(1), turn(2), turn(3)] : turnOf(id, frame.spins[n] as number),
        ),
        place: shown,
        scale: place.scale * size,
      }
    }
    const piece = pieces.length > 0 ? (id >>> 3) % pieces.length : -1
    const mesh = pieces[piece] ?? (look.bits === 'discs' ? discMesh() : bitMesh(shape, variant))
    const name = piece >= 0 ? `${cut}/${piece}` : look.bits === 'discs' ? 'disc' : `${shape}/${variant}`
    const materials = shades[shade] ?? []
    const poses = { opening: pose(-half), closing: pose(half) }
    if (own) return [{ kind: 'thing', ...own, ...poses }]
    return [{ kind: 'thing', key: `bit/${name}`, mesh, materials, ...poses }]
  }).flat()
}
