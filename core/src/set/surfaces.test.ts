import { describe, expect, it } from 'vitest'
import type { SurfaceMesh } from '../data/index.ts'
import { makeItem } from '../shot/index.ts'
import {
  meshOf,
  patternPictures,
  thingPose,
  thingSize,
  trimmedBounds,
  trimmedMesh,
  trimPlanes,
  unfolded,
} from './index.ts'

const MESH = {
  blob: '0'.repeat(64),
  standIn: '0'.repeat(64),
  file: 'post.glb',
  triangles: 12,
  low: [-1, 0, -1] as [number, number, number],
  high: [1, 4, 1] as [number, number, number],
  animations: [],
  notes: [],
}
const area = ({ positions, indices }: Pick<SurfaceMesh, 'positions' | 'indices'>): number => {
  const at = (n: number): number[] => Array.from(positions.subarray((indices[n] ?? 0) * 3, (indices[n] ?? 0) * 3 + 3))
  let sum = 0
  for (let n = 0; n < indices.length; n += 3) {
    const [a, b, c] = [at(n), at(n + 1), at(n + 2)]
    const [u, v] = [b.map((value, k) => value - (a[k] ?? 0)), c.map((value, k) => value - (a[k] ?? 0))]
    const [ux = 0, uy = 0, uz = 0] = u
    const [vx = 0, vy = 0, vz = 0] = v
    sum += Math.hypot(uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx) / 2
  }
  return sum
}

describe('a trimmed mesh', () => {
  const box = meshOf(makeItem('box', { name: 'Box', order: 1, width: 2, height: 4, depth: 2 }))
  const whole: SurfaceMesh = {
    ...box,
    uvs: Float32Array.from({ length: 16 }, (_, n) => box.positions[(n >> 1) * 3 + (n & 1)] ?? 0),
    parts: Uint16Array.from({ length: 12 }, (_, n) => n),
  }
  it('has the area that the planes leave, and its channels go on straight', () => {
    // Half of a box of 2 x 4 x 2: its foot, and half of its four sides.
    const half = trimmedMesh(whole, [{ normal: [0, 1, 0], offset: 2 }])
    expect(area(half)).toBeCloseTo(4 + 4 * 4, 4)
    for (let n = 0; n < half.positions.length / 3; n++) {
      if ((half.positions[n * 3 + 1] ?? 0) > 2 + 1e-6) continue
      expect(half.uvs?.[n * 2]).toBeCloseTo(half.positions[n * 3] ?? 0, 5)
      expect(half.uvs?.[n * 2 + 1]).toBeCloseTo(half.positions[n * 3 + 1] ?? 0, 5)
    }
    expect(half.parts).toHaveLength(half.indices.length / 3)
    expect(half.indices.every((v) => (half.positions[v * 3 + 1] ?? 9) <= 2 + 1e-6)).toBe(true)
  })
  it('is the same one where no plane meets it, and nothing where all of it lies beyond', () => {
    expect(trimmedMesh(whole, [])).toBe(whole)
    expect(trimmedMesh(whole, [{ normal: [1, 0, 0], offset: 9 }]).indices).toEqual(whole.indices)
    expect(trimmedMesh(whole, [{ normal: [1, 0, 0], offset: -9 }]).indices).toHaveLength(0)
  })
  it('is measured and stands by what is left of it', () => {
    const item = makeItem('thing', {
      name: 'Post',
      order: 1,
      mesh: MESH,
      scale: 0.5,
      trim: { low: [0, 0.25, 0], high: [1, 1, 0.5] },
    })
    expect(thingSize(item)).toEqual([1, 1.5, 0.5])
    expect(trimmedBounds(item)).toEqual({ low: [-1, 1, -1], high: [1, 4, 0] })
    // Its foot, the middle of the lowest side that is left, is at its place.
    expect(thingPose(item).place).toEqual([0, -0.5, 0.25])
    expect(trimPlanes(item)).toEqual([
      { normal: [0, -1, 0], offset: -1 },
      { normal: [0, 0, 1], offset: 0 },
    ])
  })
})

describe('a picture laid on drawn geometry', () => {
  it('is as large on every side: so many metres of surface are so many of the picture', () => {
    const item = makeItem('box', { name: 'Wall', order: 1, width: 3, height: 2, depth: 0.5 })
    const laid = unfolded(meshOf(item), [0.5, 0.25])
    const flat = Float32Array.from({ length: laid.indices.length * 3 }, (_, n) => {
      const [v, c] = [Math.floor(n / 3), n % 3]
      return c === 2 ? 0 : (laid.uvs?.[v * 2 + c] ?? 0) * (c === 0 ? 0.5 : 0.25)
    })
    expect(area({ positions: flat, indices: laid.indices })).toBeCloseTo(area(laid), 4)
  })
  it('goes round a cylinder once, its seam closed', () => {
    const item = makeItem('form', { name: 'Post', order: 1, shape: 'cylinder', width: 2, depth: 2, height: 1 })
    const {
      uvs = [],
      positions,
      indices,
    } = unfolded(meshOf(item), [1, 1], { kind: 'round', radius: 1, gap: 2, copies: 1 })
    for (let n = 0; n < indices.length; n += 3) {
      const across = [0, 1, 2].map((c) => uvs[(n + c) * 2] ?? 0)
      const level = [0, 1, 2].every((c) => positions[(n + c) * 3 + 1] === positions[n * 3 + 1])
      if (!level) expect(Math.max(...across) - Math.min(...across)).toBeLessThan(0.3)
    }
  })
})

describe('made patterns', () => {
  const settings = {
    size: 0.24,
    first: [0.3, 0.1, 0.06],
    second: [0.2, 0.05, 0.03],
    joint: [0.5, 0.5, 0.45],
    relief: 0.008,
    variant: 3,
  } as const
  it.each(['brick', 'tile', 'cells', 'noise'] as const)('of %s go on past their edges without a seam', (pattern) => {
    const { base } = patternPictures({ pattern, ...settings })
    const { width, height, data } = base
    const step = (x0: number, x1: number): number => {
      let sum = 0
      for (let y = 0; y < height; y++)
        sum += Math.abs((data[(y * width + x0) * 4] ?? 0) - (data[(y * width + x1) * 4] ?? 0))
      return sum / height
    }
    const within = Array.from({ length: width - 1 }, (_, x) => step(x, x + 1))
    expect(step(width - 1, 0)).toBeLessThanOrEqual(Math.max(...within))
  })
  it('have the joints’ colour in their joints, and bricks in the length that is said', () => {
    const { base, metres } = patternPictures({ pattern: 'brick', ...settings })
    expect(metres[0]).toBeCloseTo(4 * 0.24, 9)
    expect(metres[1]).toBeCloseTo(8 * 0.3 * 0.24, 9)
    // The first course's lower edge is a joint along its whole length: grey, where bricks are red.
    const row = Math.round(base.height / 8)
    const [r = 0, , b = 0] = base.data.subarray((row * base.width + 37) * 4)
    expect(r - b).toBeLessThan(20)
    const middle = Math.round(base.height / 16)
    const at = (middle * base.width + Math.round(base.width / 8)) * 4
    expect((base.data[at] ?? 0) - (base.data[at + 2] ?? 0)).toBeGreaterThan(40)
  })
  it('stand out by their relief: none is flat', () => {
    const flat = patternPictures({ pattern: 'tile', ...settings, relief: 0 }).normal.data
    expect(flat.every((value, n) => (n % 4 < 2 ? value === 128 : value === 255))).toBe(true)
    const raised = patternPictures({ pattern: 'tile', ...settings }).normal.data
    expect(Math.min(...raised.filter((_, n) => n % 4 === 2))).toBeLessThan(250)
  })
})
