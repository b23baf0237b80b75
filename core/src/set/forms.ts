import { ShapeUtils, Vector2 } from 'three'
import {
  type ConvexPart,
  formMesh,
  formPlanes,
  type pixelRay,
  prism,
  type Solid,
  type SurfaceMesh,
} from '../data/index.ts'
import {
  add,
  conjugate,
  cos,
  cross,
  dot,
  noise3,
  normalise,
  panTiltRoll,
  type Quaternion,
  radians,
  rotate,
  sin,
  subtract,
  type Vec3,
} from '../math/index.ts'
import type { FormItem } from './schema.ts'

// Drawn geometry: ramps, cylinders, raised outlines, lumps, and rows of them. In the piece's own space its place is the middle of its foot.

type Ring = readonly (readonly [number, number])[]
const SIDES = 32
/** Rings of a lump from its foot to its top, and corners of each. */
const LUMP_RINGS = 7
const LUMP_SIDES = 18
/** How far a lump's surface goes in and out, as a share of its size. */
const LUMP_ROUGH = 0.22

const roundRing = (width: number, depth: number): Ring =>
  Array.from({ length: SIDES }, (_, n) => {
    const a = (-n / SIDES) * 2 * Math.PI
    return [(width / 2) * cos(a), (depth / 2) * sin(a)] as const
  })

/** A ramp rises from its front to its back. */
function ramp({ width, height, depth }: FormItem): ConvexPart {
  const [w, d] = [width / 2, depth / 2]
  return {
    corners: [
      [-w, 0, d],
      [w, 0, d],
      [w, 0, -d],
      [-w, 0, -d],
      [w, height, -d],
      [-w, height, -d],
    ],
    faces: [
      [3, 2, 1, 0],
      [0, 1, 4, 5],
      [2, 3, 5, 4],
      [1, 2, 4],
      [3, 0, 5],
    ],
  }
}

/** The outline's corners from above counter-clockwise, as prisms of triangles. Throws nothing: one without corners is empty. */
function outline({ corners = [], height }: FormItem): ConvexPart[] {
  // Seen from above x goes right and z down, so that counter-clockwise there is clockwise in numbers.
  const points = corners.map(([x, z]) => new Vector2(x, -z))
  const ring = ShapeUtils.isClockWise(points) ? [...points].reverse() : points
  return ShapeUtils.triangulateShape(ring, []).flatMap((triangle) => {
    const own = triangle.flatMap((n) => (ring[n] ? [[ring[n].x, -ring[n].y] as const] : []))
    return own.length === 3 ? [prism(own, 0, height)] : []
  })
}

/** A lump: rings about the upright, each corner in or out by noise; every side of it with the foot's middle a part of its own, so that each is convex. */
function lump({ width, height, depth, variant }: FormItem): ConvexPart[] {
  const at = (ring: number, side: number): Vec3 => {
    const [up, round] = [(ring / LUMP_RINGS) * 0.5 * Math.PI, (-side / LUMP_SIDES) * 2 * Math.PI]
    const way: Vec3 = [cos(up) * cos(round), sin(up), cos(up) * sin(round)]
    const out =
      1 - LUMP_ROUGH + LUMP_ROUGH * noise3(Math.round(variant), 1.7 * way[0] + 9, 1.7 * way[1] + 9, 1.7 * way[2] + 9)
    return [(way[0] * out * width) / 2, way[1] * out * height, (way[2] * out * depth) / 2]
  }
  const parts: ConvexPart[] = []
  for (let ring = 0; ring < LUMP_RINGS; ring++)
    for (let side = 0; side < LUMP_SIDES; side++) {
      const [a, b, c, d] = [at(ring, side), at(ring, side + 1), at(ring + 1, side + 1), at(ring + 1, side)]
      for (const [p, q, r] of [
        [a, b, c],
        [a, c, d],
      ] as const) {
        const corners = [[0, 0, 0], p, q, r] as const
        const outward = dot(cross(subtract(q, p), subtract(r, p)), p)
        if (Math.abs(outward) > 1e-9)
          parts.push({
            corners,
            faces: [
              [1, 2, 3],
              [0, 2, 1],
              [0, 3, 2],
              [0, 1, 3],
            ].map((face) => (outward > 0 ? face : face.toReversed())),
          })
      }
    }
  return parts
}

/** A ball's rings from its foot to its top, and corners of each: fine enough to be seen, and coarse enough for gas. */
const BALL = { seen: [48, 96], met: [10, 16] } as const
/** A ball that stands on its foot. */
function ball({ width, height, depth }: FormItem, [rings, sides]: readonly [number, number]): ConvexPart {
  const corners = Array.from({ length: (rings + 1) * sides }, (_, n): Vec3 => {
    const [up, round] = [(Math.floor(n / sides) / rings) * Math.PI, (-(n % sides) / sides) * 2 * Math.PI]
    return [(sin(up) * cos(round) * width) / 2, ((1 - cos(up)) * height) / 2, (sin(up) * sin(round) * depth) / 2]
  })
  const faces = Array.from({ length: rings * sides }, (_, n) => {
    const [ring, side] = [Math.floor(n / sides) * sides, n % sides]
    const next = (side + 1) % sides
    const face = [ring + side, ring + next, ring + sides + next, ring + sides + side]
    // At the poles two corners are one.
    return ring === 0 ? face.slice(1) : ring === (rings - 1) * sides ? face.slice(0, 3) : face
  })
  return { corners, faces }
}

function onePart(item: FormItem): ConvexPart[] {
  if (item.shape === 'ball') return [ball(item, BALL.met)]
  if (item.shape === 'ramp') return [ramp(item)]
  if (item.shape === 'cylinder') return [prism(roundRing(item.width, item.depth), 0, item.height)]
  return item.shape === 'outline' ? outline(item) : lump(item)
}

const shifts = ({ copies, gap }: FormItem): number[] => Array.from({ length: Math.round(copies) }, (_, n) => n * gap)
const made = new WeakMap<FormItem, ConvexPart[]>()
/** Every convex part of a form, in its own space. */
export function formParts(item: FormItem): ConvexPart[] {
  const known = made.get(item)
  if (known) return known
  const own = onePart(item)
  const parts = shifts(item).flatMap((x) =>
    own.map(({ corners, faces }) => ({ corners: corners.map((at): Vec3 => [at[0] + x, at[1], at[2]]), faces })),
  )
  made.set(item, parts)
  return parts
}

/** What of a form's settings decides its mesh. */
export const formKey = ({ shape, width, height, depth, corners, variant, copies, gap }: FormItem): unknown => ({
  shape,
  height,
  ...(shape === 'outline' ? { corners } : { width, depth }),
  ...(shape === 'lump' ? { variant: Math.round(variant) } : {}),
  ...(copies > 1 ? { copies: Math.round(copies), gap } : {}),
})

export const formTurn = (item: FormItem): Quaternion =>
  panTiltRoll(radians(item.turn), radians(item.tilt), radians(item.roll))

/** Bounds in its own space. */
export function formBounds(item: FormItem): { low: Vec3; high: Vec3 } {
  const low: [number, number, number] = [Infinity, 0, Infinity]
  const high: [number, number, number] = [-Infinity, item.height, -Infinity]
  for (const { corners } of formParts(item))
    for (const at of corners)
      for (const c of [0, 2] as const) {
        low[c] = Math.min(low[c], at[c])
        high[c] = Math.max(high[c], at[c])
      }
  return low[0] <= high[0] ? { low, high } : { low: [0, 0, 0], high: [0, item.height, 0] }
}

/** A form's triangles: a lump's but for those within it, a ball's finer than what gas stops at, and smooth. */
export function formTriangles(item: FormItem): SurfaceMesh {
  if (item.shape === 'ball') return ballTriangles(item)
  const parts = formParts(item)
  return formMesh(
    item.shape === 'lump' ? parts.map(({ corners, faces }) => ({ corners, faces: faces.slice(0, 1) })) : parts,
  )
}

function ballTriangles(item: FormItem): SurfaceMesh {
  const own = ball(item, BALL.seen)
  const places = shifts(item)
  const mesh = formMesh(
    places.map((x) => ({ corners: own.corners.map((at): Vec3 => [at[0] + x, at[1], at[2]]), faces: own.faces })),
  )
  const each = mesh.positions.length / places.length
  const normals = new Float32Array(mesh.positions.length)
  for (let n = 0; n < normals.length; n += 3) {
    const x = (mesh.positions[n] ?? 0) - (places[Math.floor(n / each)] ?? 0)
    const [y, z] = [(mesh.positions[n + 1] ?? 0) - item.height / 2, mesh.positions[n + 2] ?? 0]
    normals.set(normalise([x / item.width ** 2, y / item.height ** 2, z / item.depth ** 2]), n)
  }
  return { ...mesh, normals }
}

/** What gas stops at. */
export function formSolid(item: FormItem): Solid {
  const { low, high } = formBounds(item)
  const middle: Vec3 = [(low[0] + high[0]) / 2, (low[1] + high[1]) / 2, (low[2] + high[2]) / 2]
  const rotation = formTurn(item)
  const parts = formPlanes(formParts(item)).map((planes) =>
    planes.map(({ normal, offset }) => ({ normal, offset: offset - dot(normal, middle) })),
  )
  return {
    kind: 'form',
    centre: add(item.position, rotate(rotation, middle)),
    half: [(high[0] - low[0]) / 2, (high[1] - low[1]) / 2, (high[2] - low[2]) / 2],
    rotation,
    parts,
  }
}

/** Where a ray first meets a form's triangles (Möller & Trumbore 1997); its direction need not be unit. */
export function meetForm(item: FormItem, ray: ReturnType<typeof pixelRay>): number | undefined {
  const back = conjugate(formTurn(item))
  const from = rotate(back, subtract(ray.from, item.position))
  const along = rotate(back, ray.along)
  const { positions, indices } = formTriangles(item)
  const at = (n: number): Vec3 => {
    const v = 3 * (indices[n] ?? 0)
    return [positions[v] ?? 0, positions[v + 1] ?? 0, positions[v + 2] ?? 0]
  }
  let first: number | undefined
  for (let n = 0; n < indices.length; n += 3) {
    const [a, b, c] = [at(n), at(n + 1), at(n + 2)]
    const [e, f] = [subtract(b, a), subtract(c, a)]
    const p = cross(along, f)
    const whole = dot(e, p)
    if (Math.abs(whole) < 1e-14) continue
    const s = subtract(from, a)
    const u = dot(s, p) / whole
    const q = cross(s, e)
    const v = dot(along, q) / whole
    const t = dot(f, q) / whole
    if (u >= 0 && v >= 0 && u + v <= 1 && t > 0 && t < (first ?? Infinity)) first = t
  }
  return first
}
