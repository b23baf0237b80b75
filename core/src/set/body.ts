import type { Mesh, Solid } from '../data/index.ts'
import { add, rotate, type Vec3 } from '../math/index.ts'
import type { ThingItem } from './schema.ts'
import { thingPose } from './things.ts'
import { trimmedBounds, trimPlanes } from './trim.ts'

// What gas stops at of a taken-in mesh: it is filled with small boxes as it is taken in, so that nothing has to be read again.

/** Boxes along the longest side. */
const STEPS = 20
/** Boxes that are kept at most; with more it is filled more coarsely. */
const MOST_BOXES = 200

/** Boxes that fill a mesh, in steps of its bounds: x y z of the lower corner, then of the upper one. */
export interface MeshBody {
  /** Steps along each side. */
  steps: [number, number, number]
  boxes: [number, number, number, number, number, number][]
}
type Bounds = Pick<ThingItem['mesh'], 'low' | 'high'>
type Grid = MeshBody['steps']

/** Where a line along an axis through (u, v) goes through a triangle's plane, if within it. */
function crossing(at: (corner: number) => Vec3, axis: number, u: number, v: number): number | undefined {
  const [b, c] = [(axis + 1) % 3, (axis + 2) % 3]
  const [p, q, r] = [at(0), at(1), at(2)]
  const side = (s: Vec3, t: Vec3): number =>
    ((t[b] ?? 0) - (s[b] ?? 0)) * (v - (s[c] ?? 0)) - ((t[c] ?? 0) - (s[c] ?? 0)) * (u - (s[b] ?? 0))
  const [w0, w1, w2] = [side(q, r), side(r, p), side(p, q)]
  const whole = w0 + w1 + w2
  if (whole === 0 || (w0 < 0 !== whole < 0 && w0 !== 0) || (w1 < 0 !== whole < 0 && w1 !== 0)) return undefined
  if (w2 < 0 !== whole < 0 && w2 !== 0) return undefined
  return (w0 * (p[axis] ?? 0) + w1 * (q[axis] ?? 0) + w2 * (r[axis] ?? 0)) / whole
}

/** Cells that the mesh fills: those between an odd and an even crossing along most of the three axes (Nooruddin & Turk 2003), and those its surface goes through. */
function filledCells({ positions, indices }: Mesh, { low, high }: Bounds, steps: Grid): Uint8Array {
  const [nx, ny] = steps
  const size = [0, 1, 2].map((a) => ((high[a] ?? 0) - (low[a] ?? 0)) / (steps[a] ?? 1))
  const votes = new Uint8Array(steps[0] * steps[1] * steps[2])
  const cellAt = (axis: number, along: number, j: number, k: number): number => {
    const at = [0, 0, 0]
    at[axis] = along
    at[(axis + 1) % 3] = j
    at[(axis + 2) % 3] = k
    return ((at[2] ?? 0) * ny + (at[1] ?? 0)) * nx + (at[0] ?? 0)
  }
  for (let axis = 0; axis < 3; axis++) {
    const [b, c] = [(axis + 1) % 3, (axis + 2) % 3]
    const lines: number[][] = Array.from({ length: (steps[b] ?? 1) * (steps[c] ?? 1) }, () => [])
    for (let t = 0; t < indices.length; t += 3) {
      const at = (corner: number): Vec3 => {
        const v = (indices[t + corner] ?? 0) * 3
        return [positions[v] ?? 0, positions[v + 1] ?? 0, positions[v + 2] ?? 0]
      }
      const span = (side: number): [number, number] => {
        const values = [at(0)[side] ?? 0, at(1)[side] ?? 0, at(2)[side] ?? 0]
        const scaled = (value: number): number => (value - (low[side] ?? 0)) / (size[side] || 1) - 0.5
        return [
          Math.max(0, Math.ceil(scaled(Math.min(...values)))),
          Math.min((steps[side] ?? 1) - 1, Math.floor(scaled(Math.max(...values)))),
        ]
      }
      const [[b0, b1], [c0, c1]] = [span(b), span(c)]
      for (let j = b0; j <= b1; j++)
        for (let k = c0; k <= c1; k++) {
          const [u, v] = [(low[b] ?? 0) + (j + 0.5) * (size[b] ?? 0), (low[c] ?? 0) + (k + 0.5) * (size[c] ?? 0)]
          const x = crossing(at, axis, u, v)
          if (x !== undefined) lines[k * (steps[b] ?? 1) + j]?.push((x - (low[axis] ?? 0)) / (size[axis] || 1))
        }
    }
    lines.forEach((crossings, n) => {
      const [j, k] = [n % (steps[b] ?? 1), Math.floor(n / (steps[b] ?? 1))]
      crossings.sort((p, q) => p - q)
      // The surface itself stops gas, also where the mesh is open.
      for (const x of crossings)
        votes[cellAt(axis, Math.min((steps[axis] ?? 1) - 1, Math.max(0, Math.floor(x))), j, k)] = 3
      for (let i = 0; i + 1 < crossings.length; i += 2)
        for (let s = Math.ceil((crossings[i] ?? 0) - 0.5); s + 0.5 < (crossings[i + 1] ?? 0); s++) {
          const cell = cellAt(axis, s, j, k)
          if (s >= 0 && s < (steps[axis] ?? 1))
            votes[cell] = Math.max(votes[cell] ?? 0, Math.min(3, (votes[cell] ?? 0) + 1))
        }
    })
  }
  return votes.map((count) => (count >= 2 ? 1 : 0))
}

/** Filled cells as few boxes: each grown along x, then y, then z as far as all is filled. */
function boxesOf(filled: Uint8Array, [nx, ny, nz]: Grid): MeshBody['boxes'] {
  const left = filled.slice()
  const at = (x: number, y: number, z: number): number => (z * ny + y) * nx + x
  const all = (x0: number, x1: number, y0: number, y1: number, z0: number, z1: number): boolean => {
    for (let z = z0; z < z1; z++)
      for (let y = y0; y < y1; y++) for (let x = x0; x < x1; x++) if (!left[at(x, y, z)]) return false
    return true
  }
  const boxes: MeshBody['boxes'] = []
  for (let z = 0; z < nz; z++)
    for (let y = 0; y < ny; y++)
      for (let x = 0; x < nx; x++) {
        if (!left[at(x, y, z)]) continue
        let [x1, y1, z1] = [x + 1, y + 1, z + 1]
        while (x1 < nx && left[at(x1, y, z)]) x1++
        while (y1 < ny && all(x, x1, y1, y1 + 1, z, z + 1)) y1++
        while (z1 < nz && all(x, x1, y, y1, z1, z1 + 1)) z1++
        for (let c = z; c < z1; c++) for (let b = y; b < y1; b++) left.fill(0, at(x, b, c), at(x1, b, c))
        boxes.push([x, y, z, x1, y1, z1])
      }
  return boxes
}

/** The boxes that fill a mesh. low, high: its bounds, in its units. */
export function meshBody(mesh: Mesh, bounds: Bounds): MeshBody {
  const edges = [0, 1, 2].map((a) => (bounds.high[a] ?? 0) - (bounds.low[a] ?? 0))
  const longest = Math.max(...edges, 1e-9)
  for (let count = STEPS; ; count = Math.floor(count / 1.5)) {
    const steps = edges.map((edge) => Math.max(1, Math.round((count * edge) / longest))) as Grid
    const boxes = boxesOf(filledCells(mesh, bounds, steps), steps)
    if (boxes.length <= MOST_BOXES || count <= 4) return { steps, boxes: boxes.slice(0, MOST_BOXES) }
  }
}

const AXES: readonly Vec3[] = [
  [1, 0, 0],
  [0, 1, 0],
  [0, 0, 1],
]

/** What gas stops at of a thing, as it stands; undefined where its mesh came in without a body, or nothing of it is left. */
export function thingBody(item: ThingItem): Solid | undefined {
  const { body, low, high } = item.mesh
  if (!body) return undefined
  const { rotation, place, scale } = thingPose(item)
  const left = trimmedBounds(item)
  const planes = trimPlanes(item)
  const middle: Vec3 = [
    (left.low[0] + left.high[0]) / 2,
    (left.low[1] + left.high[1]) / 2,
    (left.low[2] + left.high[2]) / 2,
  ]
  const parts = body.boxes.flatMap((box) => {
    const side = (axis: 0 | 1 | 2, end: number): number =>
      low[axis] + ((high[axis] - low[axis]) * (box[end * 3 + axis] ?? 0)) / body.steps[axis]
    const from = AXES.map((_, a) => Math.max(left.low[a] ?? 0, side(a as 0 | 1 | 2, 0)))
    const to = AXES.map((_, a) => Math.min(left.high[a] ?? 0, side(a as 0 | 1 | 2, 1)))
    const centre = from.map((value, a) => (value + (to[a] ?? 0)) / 2)
    const beyond = planes.some(
      ({ normal, offset }) => normal.reduce((sum, part, a) => sum + part * (centre[a] ?? 0), 0) > offset,
    )
    if (beyond || from.some((value, a) => value >= (to[a] ?? 0))) return []
    return [
      AXES.flatMap((normal, a) => [
        { normal, offset: ((to[a] ?? 0) - (middle[a] ?? 0)) * scale },
        { normal: normal.map((part) => -part) as unknown as Vec3, offset: ((middle[a] ?? 0) - (from[a] ?? 0)) * scale },
      ]),
    ]
  })
  if (parts.length === 0) return undefined
  return {
    kind: 'form',
    centre: add(place, rotate(rotation, [middle[0] * scale, middle[1] * scale, middle[2] * scale])),
    half: [0, 1, 2].map((a) => (((left.high[a] ?? 0) - (left.low[a] ?? 0)) / 2) * scale) as unknown as Vec3,
    rotation,
    parts,
  }
}
