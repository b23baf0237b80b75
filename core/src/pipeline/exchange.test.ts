import { describe, expect, it } from 'vitest'
import type { Vec3 } from '../math/index.ts'
import { proofMesh } from './index.ts'

const FOOT: Vec3 = [2, 0.5, -3]
type Mesh = ReturnType<typeof proofMesh>

const triangle = ({ positions, triangles }: Mesh, n: number): readonly [Vec3, Vec3, Vec3] =>
  (triangles[n] ?? [0, 0, 0]).map((corner) => positions[corner] ?? [0, 0, 0]) as unknown as readonly [Vec3, Vec3, Vec3]

/** Volume within a closed mesh whose faces look outward, from the divergence theorem. */
function volumeOf(mesh: Mesh): number {
  return mesh.triangles.reduce((sum, _, n) => {
    const [a, b, c] = triangle(mesh, n)
    return (
      sum +
      (a[0] * (b[1] * c[2] - b[2] * c[1]) + a[1] * (b[2] * c[0] - b[0] * c[2]) + a[2] * (b[0] * c[1] - b[1] * c[0])) / 6
    )
  }, 0)
}

/** Half-edges without one that runs back. */
function openEdges({ triangles }: Mesh): number {
  const edges = new Set(triangles.flatMap(([a, b, c]) => [`${a}>${b}`, `${b}>${c}`, `${c}>${a}`]))
  return [...edges].filter((edge) => !edges.has(edge.split('>').reverse().join('>'))).length
}

describe('test objects as they go out', () => {
  it.each([
    ['cone', 0.9 * ((12 * 0.16 * Math.sin(Math.PI / 12)) / 3) * 0.81],
    ['figure', 0.5 * 1.8 * 0.3],
  ] as const)('a %s is closed, looks outward and has its volume', (shape, volume) => {
    const mesh = proofMesh({ shape, size: shape === 'cone' ? 0.9 : 1, turn: 30 }, FOOT)
    expect(openEdges(mesh)).toBe(0)
    expect(volumeOf(mesh) / volume).toBeCloseTo(1, 6)
  })
  it('a tile lies flat on its foot and looks up', () => {
    const mesh = proofMesh({ shape: 'chequer', size: 2, turn: 45 }, FOOT)
    for (const [x, y, z] of mesh.positions) {
      expect(y).toBe(0.5)
      expect(Math.hypot(x - 2, z + 3)).toBeCloseTo(Math.SQRT2, 9)
    }
    const [a, b, c] = triangle(mesh, 0)
    expect((b[2] - a[2]) * (c[0] - a[0]) - (b[0] - a[0]) * (c[2] - a[2])).toBeGreaterThan(0)
  })
  it('words stand upright on their foot, turned about it', () => {
    const mesh = proofMesh({ shape: 'text', size: 0.6, turn: 90 }, FOOT)
    expect(mesh.positions.map(([, y]) => y - 0.5)).toEqual([0, 0, expect.closeTo(0.6, 9), expect.closeTo(0.6, 9)])
    for (const [x] of mesh.positions) expect(x).toBeCloseTo(2, 9)
  })
})
