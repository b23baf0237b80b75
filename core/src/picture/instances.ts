import { INSTANCE_BYTES, writeInstance } from '@lantern/kernels'
import type { Crew } from '../base/index.ts'
import { add, type Quaternion, rotate, type Vec3 } from '../math/index.ts'
import { buildTree, type MeshTree } from './trees.ts'

// The top level: meshes as they stand while the shutter is open.

const PRIMITIVE = 32
const MOVING_NODE = 224

/** world = rotation (scale x mesh) + place. */
export interface Pose {
  rotation: Quaternion
  place: Vec3
  scale: number
}

/** A mesh where it is. */
export const AT_REST: Pose = { rotation: [0, 0, 0, 1], place: [0, 0, 0], scale: 1 }

/** What of an instance rays pass through; bits of its flags. */
export const FLAGS = {
  /** Not met by what looks out of the camera. */
  unseen: 1,
  /** Throws no shadow. */
  noShadow: 2,
  /** A piece of the set that hides what is behind it. */
  holdsOut: 4,
  /** A piece of the set that shadows and light fall on. */
  receives: 8,
  /** Its material may let rays through. */
  seeThrough: 16,
} as const

export interface Instance {
  tree: MeshTree
  /** Its block on the heap. */
  mesh: number
  /** Poses when the shutter opens and closes. */
  opening: Pose
  closing: Pose
  /** -1: a piece of the set. */
  layer: number
  flags: number
  /** First of its materials on the heap. */
  material: number
  number: number
  /** Whether it has neither edges nor shading that want more samples. */
  soft?: true
}

/** The quaternion of the same turn that is nearer to another one. */
const towards = (q: Quaternion, other: Quaternion): Quaternion =>
  q[0] * other[0] + q[1] * other[1] + q[2] * other[2] + q[3] * other[3] < 0 ? [-q[0], -q[1], -q[2], -q[3]] : q

/** Bounds of a mesh in a pose, low x y z and high x y z, widened by `more` m. */
function posedBounds({ low, high }: MeshTree, { rotation, place, scale }: Pose, more: number): number[] {
  const [a, b] = [
    [Infinity, Infinity, Infinity],
    [-Infinity, -Infinity, -Infinity],
  ]
  for (let n = 0; n < 8; n++) {
    const corner: Vec3 = [n & 1 ? high[0] : low[0], n & 2 ? high[1] : low[1], n & 4 ? high[2] : low[2]]
    const at = add(place, rotate(rotation, [corner[0] * scale, corner[1] * scale, corner[2] * scale]))
    for (let axis = 0; axis < 3; axis++) {
      if (a) a[axis] = Math.min(a[axis] ?? 0, (at[axis] ?? 0) - more)
      if (b) b[axis] = Math.max(b[axis] ?? 0, (at[axis] ?? 0) + more)
    }
  }
  return [...(a ?? []), 0, ...(b ?? []), 0]
}

/** How far corners leave the straight line between their places at opening and closing, m: the height of the arc. */
function sagitta({ low, high }: MeshTree, opening: Pose, closing: Pose): number {
  const [p, q] = [opening.rotation, towards(closing.rotation, opening.rotation)]
  // Half of the turn's angle has this cosine; the arc's height is radius x (1 - cos(half the turn)).
  const half = Math.min(1, p[0] * q[0] + p[1] * q[1] + p[2] * q[2] + p[3] * q[3])
  const reach = [0, 1, 2].reduce(
    (sum, axis) => sum + Math.max(Math.abs(low[axis] ?? 0), Math.abs(high[axis] ?? 0)) ** 2,
    0,
  )
  return Math.sqrt(reach) * Math.max(opening.scale, closing.scale) * Math.max(0, 1 - half)
}

/** The top level on the heap: its nodes (0 where nothing stands) and the instances. */
export interface TopLevel {
  nodes: number
  instances: number
}

/** Lays instances and the tree over them on the crew's heap. Boxes move as the instances do. */
export function uploadInstances(crew: Crew, all: readonly Instance[]): TopLevel {
  const { heap } = crew
  if (all.length === 0) return { nodes: 0, instances: 0 }
  const instances = heap.alloc(all.length * INSTANCE_BYTES)
  const [whole, opening, closing] = [0, 1, 2].map(() => heap.alloc(all.length * PRIMITIVE)) as [number, number, number]
  all.forEach((one, n) => {
    const more = sagitta(one.tree, one.opening, one.closing)
    const before = posedBounds(one.tree, one.opening, more)
    const after = posedBounds(one.tree, one.closing, more)
    heap.f32(opening + n * PRIMITIVE, 8).set(before)
    heap.f32(closing + n * PRIMITIVE, 8).set(after)
    heap
      .f32(whole + n * PRIMITIVE, 8)
      .set(before.map((value, i) => (i < 4 ? Math.min(value, after[i] ?? 0) : Math.max(value, after[i] ?? 0))))
    writeInstance(heap, instances + n * INSTANCE_BYTES, {
      rotation: one.opening.rotation,
      place: one.opening.place,
      scale: one.opening.scale,
      rotationAtClose: towards(one.closing.rotation, one.opening.rotation),
      placeAtClose: one.closing.place,
      scaleAtClose: one.closing.scale,
      mesh: one.mesh,
      layer: one.layer,
      flags: one.flags,
      material: one.material,
      number: one.number,
    })
  })
  const { order, nodes, leaves, nodeCount } = buildTree(crew, whole, all.length, 1)
  crew.run('nameInstances', { nodes, leaves, order }, nodeCount, 1024)
  const moving = heap.alloc(nodeCount * MOVING_NODE)
  crew.run('movingNodes', { nodes, count: nodeCount, opening, closing, out: moving }, 1)
  return { nodes: moving, instances }
}
