import { describe, expect, it } from 'vitest'
import { type Crew, makeCrew, random } from '../base/index.ts'
import { boxMesh, type SurfaceMesh } from '../data/index.ts'
import { add, normalise, type Quaternion, rotate, subtract, type Vec3 } from '../math/index.ts'
import { type Instance, type Pose, uploadInstances } from './instances.ts'
import { meshTree, uploadTree } from './trees.ts'

const STILL: Pose = { rotation: [0, 0, 0, 1], place: [0, 0, 0], scale: 1 }
const MISS = 1e30
interface Ray {
  from: Vec3
  along: Vec3
  limit?: number
  time?: number
}
interface Hit {
  t: number
  instance: number
  triangle: number
}

/** Casts rays through the kernels. */
function cast(crew: Crew, instances: readonly Instance[], rays: readonly Ray[], any = false): Hit[] {
  const { heap } = crew
  const mark = heap.mark()
  const top = uploadInstances(crew, instances)
  const at = heap.alloc(rays.length * 32)
  const out = heap.alloc(rays.length * 20)
  rays.forEach(({ from, along, limit = 1e30, time = 0 }, n) =>
    heap.f32(at + n * 32, 8).set([...from, ...along, limit, time]),
  )
  const stacks = heap.alloc(32768 * crew.threads)
  crew.run('castRays', { ...top, stacks, rays: at, any: Number(any), out }, rays.length, 64)
  const hits = rays.map((_, n) => ({
    t: Math.min(MISS, heap.f32(out + n * 20, 1)[0] ?? 0),
    instance: heap.i32(out + n * 20, 3)[1] ?? -1,
    triangle: heap.i32(out + n * 20, 3)[2] ?? -1,
  }))
  heap.release(mark)
  return hits
}

const standing = (crew: Crew, mesh: SurfaceMesh, over: Partial<Instance> = {}): Instance => {
  const tree = meshTree(crew, mesh)
  const pose = over.opening ?? STILL
  return {
    tree,
    mesh: uploadTree(crew, tree),
    opening: pose,
    closing: pose,
    layer: 0,
    flags: 0,
    material: 0,
    number: 0,
    ...over,
  }
}

/** Triangles as plain numbers meet a ray: the slow twin. */
function meetPlainly(triangles: readonly (readonly Vec3[])[], { from, along, limit = 1e30 }: Ray): number {
  let best = limit
  for (const [a, b, c] of triangles) {
    if (!a || !b || !c) continue
    const [u, v] = [subtract(b, a), subtract(c, a)]
    const cross = (p: Vec3, q: Vec3): Vec3 => [
      p[1] * q[2] - p[2] * q[1],
      p[2] * q[0] - p[0] * q[2],
      p[0] * q[1] - p[1] * q[0],
    ]
    const dot = (p: Vec3, q: Vec3): number => p[0] * q[0] + p[1] * q[1] + p[2] * q[2]
    const p = cross(along, v)
    const det = dot(u, p)
    const t = subtract(from, a)
    const s = dot(t, p) / det
    const q = cross(t, u)
    const r = dot(along, q) / det
    const far = dot(v, q) / det
    if (s >= 0 && r >= 0 && s + r <= 1 && far > 0 && far < best) best = far
  }
  return best
}

function soup(count: number, seed: number, size = 0.3): SurfaceMesh {
  const stream = random(seed)
  const positions = new Float32Array(count * 9)
  for (let n = 0; n < count; n++) {
    const middle = [0, 1, 2].map(() => stream.next() * 4 - 2)
    for (let i = 0; i < 9; i++) positions[n * 9 + i] = (middle[i % 3] ?? 0) + (stream.next() - 0.5) * size
  }
  return { positions, indices: Uint32Array.from({ length: count * 3 }, (_, n) => n) }
}

/** Corners of a mesh's triangles in a pose at a share of the shutter. */
function corners({ positions, closing, indices }: SurfaceMesh, pose: Pose, time = 0): Vec3[][] {
  const at = (n: number): Vec3 => {
    const own = [0, 1, 2].map((axis) => {
      const p = positions[n * 3 + axis] ?? 0
      return (p + ((closing?.[n * 3 + axis] ?? p) - p) * time) * pose.scale
    }) as unknown as Vec3
    return add(pose.place, rotate(pose.rotation, own))
  }
  return Array.from({ length: indices.length / 3 }, (_, n) => [0, 1, 2].map((c) => at(indices[n * 3 + c] ?? 0)))
}

function someRays(count: number, seed: number): Ray[] {
  const stream = random(seed)
  const place = (size: number): Vec3 => [0, 1, 2].map(() => (stream.next() - 0.5) * size) as unknown as Vec3
  return Array.from({ length: count }, () => {
    const from = place(10)
    return { from, along: normalise(subtract(place(4), from)), time: stream.next() }
  })
}

describe('Rays', () => {
  const crew = makeCrew(1)

  it('meet the same triangles as a plain search', () => {
    const mesh = soup(700, 3)
    const rays = someRays(300, 5)
    const hits = cast(crew, [standing(crew, mesh)], rays)
    const triangles = corners(mesh, STILL)
    rays.forEach((ray, n) => {
      const expected = meetPlainly(triangles, ray)
      expect(hits[n]?.t).toBeCloseTo(expected, 3)
    })
    expect(hits.filter(({ t }) => t < 1e29).length).toBeGreaterThan(60)
    // Whether there is any is the same question.
    const any = cast(crew, [standing(crew, mesh)], rays, true)
    expect(any.map(({ t }) => t < 1e29)).toEqual(hits.map(({ t }) => t < 1e29))
  })

  it('find meshes that turn, move and grow while the shutter is open where they are then', () => {
    const mesh = soup(60, 8, 0.8)
    const half = Math.SQRT1_2
    const opening: Pose = { rotation: [0, 0, 0, 1], place: [-1, 0, 0], scale: 1 }
    const closing: Pose = { rotation: [0, half, 0, half], place: [1, 0.5, 0], scale: 1.3 }
    const rays = someRays(200, 9)
    const hits = cast(crew, [standing(crew, mesh, { opening, closing })], rays)
    let met = 0
    rays.forEach((ray, n) => {
      const time = Math.fround(ray.time ?? 0)
      const mixed = opening.rotation.map((part, i) => part + ((closing.rotation[i] ?? 0) - part) * time)
      const norm = Math.sqrt(mixed.reduce((sum, part) => sum + part * part, 0))
      const pose: Pose = {
        rotation: mixed.map((part) => part / norm) as unknown as Quaternion,
        place: opening.place.map((part, i) => part + ((closing.place[i] ?? 0) - part) * time) as unknown as Vec3,
        scale: 1 + 0.3 * time,
      }
      const expected = meetPlainly(corners(mesh, pose), ray)
      expect(hits[n]?.t).toBeCloseTo(expected, 2)
      if (expected < 1e30) met++
    })
    expect(met).toBeGreaterThan(20)
  })

  it('find a mesh that deforms by its corners at opening and closing', () => {
    const mesh = { ...soup(80, 21, 0.8), closing: soup(80, 22, 0.8).positions }
    const rays = someRays(200, 23)
    const hits = cast(crew, [standing(crew, mesh)], rays)
    rays.forEach((ray, n) => {
      const expected = meetPlainly(corners(mesh, STILL, Math.fround(ray.time ?? 0)), ray)
      expect(hits[n]?.t).toBeCloseTo(expected, 2)
    })
  })

  it('know which of many instances they meet', () => {
    const box = boxMesh([0, 0, 0], [0.4, 0.4, 0.4], [0, 0, 0, 1])
    const one = standing(crew, box)
    const all = Array.from({ length: 100 }, (_, n): Instance => {
      const opening: Pose = { ...STILL, place: [n % 10, 0, Math.floor(n / 10)] }
      return { ...one, opening, closing: opening }
    })
    const rays = all.map(({ opening }) => ({ from: add(opening.place, [0.1, 5, 0.05]), along: [0, -1, 0] as Vec3 }))
    const hits = cast(crew, all, rays)
    expect(hits.map(({ instance }) => instance)).toEqual(all.map((_, n) => n))
    for (const { t } of hits) expect(t).toBeCloseTo(4.6, 4)
  })

  it('meet nothing in an empty scene, in triangles without area, and beyond their limit', () => {
    const ray: Ray = { from: [0, 1, 0], along: [0, -1, 0] }
    expect(cast(crew, [], [ray])[0]).toMatchObject({ t: MISS, instance: -1 })
    const flat = { positions: new Float32Array([0, 0, 0, 1, 0, 0, 2, 0, 0]), indices: new Uint32Array([0, 1, 2]) }
    expect(cast(crew, [standing(crew, flat)], [{ from: [0.5, 1, 0], along: [0, -1, 0] }])[0]?.instance).toBe(-1)
    const box = boxMesh([0, 0, 0], [0.4, 0.4, 0.4], [0, 0, 0, 1])
    expect(cast(crew, [standing(crew, box)], [{ ...ray, limit: 0.5 }])[0]?.instance).toBe(-1)
    expect(cast(crew, [standing(crew, box)], [{ ...ray, limit: 0.7 }])[0]?.instance).toBe(0)
  })

  it('hold for triangles that all lie at one place, and for a chain of ever smaller ones', () => {
    const same = {
      positions: new Float32Array([0, 0, 0, 1, 0, 0, 0, 0, 1]),
      indices: new Uint32Array(3000).map((_, n) => n % 3),
    }
    expect(cast(crew, [standing(crew, same)], [{ from: [0.2, 1, 0.2], along: [0, -1, 0] }])[0]?.t).toBeCloseTo(1, 5)
    const positions = new Float32Array(200 * 9)
    for (let n = 0; n < 200; n++) {
      const x = 0.7 ** n * 1000
      positions.set([x, 0, -x, x, 0, x, x * 1.1, 0, 0], n * 9)
    }
    const chain = { positions, indices: new Uint32Array(600).map((_, n) => n) }
    expect(cast(crew, [standing(crew, chain)], [{ from: [1030, 1, 0], along: [0, -1, 0] }])[0]?.triangle).toBe(0)
  })
})
