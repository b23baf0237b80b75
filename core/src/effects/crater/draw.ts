import { canonicalJson, textKey } from '../../base/index.ts'
import { type Dug, dugHeight, dugReach, type Material, type Mesh, PLAIN, type SurfaceMesh } from '../../data/index.ts'
import { noise3, smooth01 } from '../../math/index.ts'
import { AT_REST, type Drawable } from '../../picture/index.ts'
import type { DrawContext, EffectInstance } from '../effect.ts'
import type { CraterLook } from './instances.ts'

// A crater as the picture draws it: its own ground where that is above or below the plate's, and under it the set that the plate shows.

/** Points along each side of its surface at most: in a look, and in a final. */
const MOST_STEPS = { look: 160, final: 560 } as const
const LEAST_STEPS = 48
/** Pixels that a step of the surface may take. */
const STEP_PX = { look: 3, final: 1 } as const
/** By how much the set lies below the crater's own surface, m. */
const BELOW = 0.004
/** What heights below count as flat, m. */
const FLAT = 1e-5

/** Steps along each side so that one takes about a pixel where it is nearest to the camera: in powers of the root of two, so that few meshes are made as a camera goes. */
function stepsFor({ half, x, z }: Dug, level: number, { camera, finer }: DrawContext): number {
  const quality = finer ? 'final' : 'look'
  const reach = Math.max(half[0], half[1])
  const [dx, dy, dz] = [x - camera.position[0], level - camera.position[1], z - camera.position[2]]
  const away = Math.max(0.3, Math.sqrt(dx * dx + dy * dy + dz * dz) - reach)
  const wanted = (2 * reach * camera.focalPx) / away / STEP_PX[quality]
  let steps = LEAST_STEPS
  while (steps < wanted && steps < MOST_STEPS[quality]) steps = Math.round(steps * Math.SQRT2)
  return Math.min(steps, MOST_STEPS[quality])
}

interface Field {
  steps: number
  /** World x and z of each point along x, along z. */
  xs: Float64Array
  zs: Float64Array
  heights: Float64Array
}

/** Heights on a raster that stands square to the world, as large as what is dug reaches. */
function fieldOf(dug: Dug, steps: number): Field {
  const side = dugReach(dug)
  const along = (middle: number): Float64Array =>
    Float64Array.from({ length: steps + 1 }, (_, n) => middle + side * ((2 * n) / steps - 1))
  const [xs, zs] = [along(dug.x), along(dug.z)]
  const heights = new Float64Array((steps + 1) ** 2)
  for (let j = 0; j <= steps; j++)
    for (let i = 0; i <= steps; i++) heights[j * (steps + 1) + i] = dugHeight(dug, xs[i] as number, zs[j] as number)
  return { steps, xs, zs, heights }
}

const mix = (a: readonly number[], b: readonly number[], t: number): number[] =>
  a.map((value, n) => value + ((b[n] ?? 0) - value) * t)

/** Colour by how far down it is: 0 at the ground and over it, 1 on the floor. */
function colourAt({ colours }: CraterLook, down: number): number[] {
  const [top, middle, floor] = colours
  return down < 0.5 ? mix(top, middle, 2 * Math.max(0, down)) : mix(middle, floor, 2 * Math.min(1, down) - 1)
}

/** Its own ground: triangles where it departs from level, see-through towards its edge. */
function groundMesh(look: CraterLook, field: Field): SurfaceMesh {
  const { dug, level, edge, speckle } = look
  const { steps, xs, zs, heights } = field
  const count = (steps + 1) ** 2
  const positions = new Float32Array(3 * count)
  const normals = new Float32Array(3 * count)
  const colours = new Uint8Array(4 * count)
  const deepest = Math.max(1e-6, -heights.reduce((least, value) => Math.min(least, value), 0))
  const at = (i: number, j: number): number =>
    heights[Math.min(steps, Math.max(0, j)) * (steps + 1) + Math.min(steps, Math.max(0, i))] as number
  const cell = (xs[1] as number) - (xs[0] as number)
  for (let j = 0; j <= steps; j++)
    for (let i = 0; i <= steps; i++) {
      const n = j * (steps + 1) + i
      const [x, z, height] = [xs[i] as number, zs[j] as number, heights[n] as number]
      positions.set([x, level + height, z], 3 * n)
      const [sx, sz] = [(at(i + 1, j) - at(i - 1, j)) / (2 * cell), (at(i, j + 1) - at(i, j - 1)) / (2 * cell)]
      const length = Math.sqrt(1 + sx * sx + sz * sz)
      normals.set([-sx / length, 1 / length, -sz / length], 3 * n)
      const k = 1 / Math.max(0.02, dug.grain)
      const clod = noise3(dug.seed + 5, 2.1 * k * x, 0.5, 2.1 * k * z)
      const fine = noise3(dug.seed + 6, 7 * k * x, 0.5, 7 * k * z)
      const shade = 1 + speckle * (0.7 * clod + 0.45 * fine)
      colourAt(look, -height / deepest).forEach((value, c) => {
        colours[4 * n + c] = Math.round(255 * Math.min(1, Math.max(0, value * shade)))
      })
      // Covered by how far it is from level; clods lie farther out than the dust between them.
      const covered =
        edge > 0 ? Math.abs(height) / edge + 0.45 * clod + 0.3 * fine - 0.25 : Math.abs(height) > FLAT ? 1 : 0
      const alpha = Math.abs(height) > FLAT ? smooth01(covered) : 0
      colours[4 * n + 3] = Math.round(255 * alpha)
    }
  const indices = trianglesOf(steps, (corners) => corners.some((n) => (colours[4 * n + 3] as number) > 0))
  return { positions, normals, colours, indices }
}

/** Two triangles for each square that is wanted. */
function trianglesOf(steps: number, wanted: (corners: readonly number[]) => boolean): Uint32Array {
  const indices: number[] = []
  for (let j = 0; j < steps; j++)
    for (let i = 0; i < steps; i++) {
      const a = j * (steps + 1) + i
      const [b, c, d] = [a + 1, a + steps + 1, a + steps + 2]
      if (wanted([a, b, c, d])) indices.push(a, c, b, b, c, d)
    }
  return Uint32Array.from(indices)
}

/** The set within the square that was taken out of the ground, just below the crater's own. */
function setMesh({ level }: CraterLook, { steps, xs, zs, heights }: Field): Mesh {
  const positions = new Float32Array(3 * (steps + 1) ** 2)
  for (let j = 0; j <= steps; j++)
    for (let i = 0; i <= steps; i++) {
      const n = j * (steps + 1) + i
      const height = heights[n] as number
      positions.set([xs[i] as number, level + height - (Math.abs(height) > FLAT ? BELOW : 0), zs[j] as number], 3 * n)
    }
  return { positions, indices: trianglesOf(steps, () => true) }
}

interface Made {
  set: Mesh
  ground: SurfaceMesh
  key: string
}
const made = new Map<string, Made>()
const MOST_MADE = 12

/** What the picture draws of a crater. */
export function drawCrater(
  { look }: EffectInstance<CraterLook>,
  _frames: readonly unknown[],
  context: DrawContext,
): Drawable[] {
  const steps = stepsFor(look.dug, look.level, context)
  const key = textKey(canonicalJson({ look, steps }))
  const own = made.get(key) ?? make(look, steps, key)
  made.delete(key)
  made.set(key, own)
  for (const oldest of made.keys()) if (made.size > MOST_MADE) made.delete(oldest)
  const material: Material = { ...PLAIN, base: [1, 1, 1, 1], roughness: 1, alpha: 'blend' }
  const { holdsOut, receives } = look
  const rest = { opening: AT_REST, closing: AT_REST }
  return [
    { kind: 'set', key: `${key}-set`, mesh: own.set, ...rest, holdsOut, receives },
    ...(own.ground.indices.length > 0
      ? [{ kind: 'thing', key, mesh: own.ground, materials: [material], ...rest } as const]
      : []),
  ]
}

function make(look: CraterLook, steps: number, key: string): Made {
  const field = fieldOf(look.dug, steps)
  return { key, set: setMesh(look, field), ground: groundMesh(look, field) }
}

/** The square that a crater's own set fills, in the world: x and z of its low and high corners. */
export function squareOf(dug: Dug): { low: [number, number]; high: [number, number] } {
  const side = dugReach(dug)
  return { low: [dug.x - side, dug.z - side], high: [dug.x + side, dug.z + side] }
}
