import { describe, expect, it } from 'vitest'
import { panTiltRoll } from '../math/index.ts'
import {
  boxMesh,
  type Camera,
  distanceTo,
  distort,
  fromHalf,
  halfTable,
  pixelRay,
  pointAlong,
  projectPoint,
  scaleCamera,
  straighten,
  toHalf,
  triangleNormal,
} from './index.ts'

const camera: Camera = {
  position: [1, 2, 3],
  rotation: panTiltRoll(0.3, -0.2, 0.05),
  focalPx: 1000,
  centre: [640, 360],
  k1: -0.15,
  k2: 0.02,
  width: 1280,
  height: 720,
}

describe('the lens', () => {
  it('straightens and bends back within a twentieth of a pixel everywhere in frame', () => {
    for (let y = 0; y <= 720; y += 60)
      for (let x = 0; x <= 1280; x += 64) {
        const [nx, ny] = [(x - 640) / 1000, (y - 360) / 1000]
        const [bx, by] = distort(camera, ...straighten(camera, nx, ny))
        expect(Math.hypot(bx - nx, by - ny) * 1000).toBeLessThan(0.05)
      }
  })
  it('sends a point out through its pixel and finds it again', () => {
    for (const [x, y] of [
      [3.5, 700.2],
      [640, 360],
      [1270, 12],
    ] as const) {
      const seen = projectPoint(camera, pointAlong(pixelRay(camera, x, y), 7.5))
      expect(seen?.x).toBeCloseTo(x, 4)
      expect(seen?.y).toBeCloseTo(y, 4)
      expect(seen?.depth).toBeCloseTo(7.5, 9)
    }
  })
  it('sees nothing behind the camera, and the same at half size', () => {
    const behind = pointAlong(pixelRay(camera, 640, 360), -1)
    expect(projectPoint(camera, behind)).toBeUndefined()
    const point = pointAlong(pixelRay(camera, 100, 200), 4)
    expect(projectPoint(scaleCamera(camera, 0.5), point)?.x).toBeCloseTo(50, 4)
  })
})

describe('half floats', () => {
  it('come back from every one of the 65536', () => {
    const table = halfTable()
    for (let h = 0; h < 65536; h++) {
      const value = table[h] ?? 0
      if (Number.isNaN(value)) expect(Number.isNaN(fromHalf(toHalf(value)))).toBe(true)
      else expect(toHalf(value)).toBe(h)
    }
  })
  it('round to the nearest, ties to even, and overflow to infinity', () => {
    expect(fromHalf(toHalf(1 + 2 ** -11))).toBe(1)
    expect(fromHalf(toHalf(1 + 3 * 2 ** -11))).toBe(1 + 2 ** -9)
    expect(fromHalf(toHalf(70000))).toBe(Infinity)
    expect(fromHalf(toHalf(2 ** -26))).toBe(0)
    expect(fromHalf(toHalf(65519))).toBe(65504)
  })
})

describe('shapes', () => {
  it('have a closed box whose faces look outward', () => {
    const mesh = boxMesh([0, 1, 0], [1, 1, 2], panTiltRoll(0.4, 0, 0))
    const edges = new Map<string, number>()
    for (let t = 0; t < 12; t++) {
      const n = triangleNormal(mesh, t)
      const centre = [0, 1, 2].map(
        (axis) =>
          [0, 1, 2].reduce((sum, c) => sum + (mesh.positions[(mesh.indices[t * 3 + c] ?? 0) * 3 + axis] ?? 0), 0) / 3,
      ) as [number, number, number]
      expect(n[0] * centre[0] + n[1] * (centre[1] - 1) + n[2] * centre[2]).toBeGreaterThan(0)
      for (let c = 0; c < 3; c++) {
        const [a, b] = [mesh.indices[t * 3 + c] ?? 0, mesh.indices[t * 3 + ((c + 1) % 3)] ?? 0]
        edges.set(`${a}-${b}`, (edges.get(`${a}-${b}`) ?? 0) + 1)
      }
    }
    for (const edge of edges.keys()) expect(edges.get(edge.split('-').reverse().join('-'))).toBe(1)
  })
  it('know their inside', () => {
    expect(distanceTo({ kind: 'halfspace', point: [0, 0, 0], normal: [0, 1, 0] }, [5, -2, 5])).toBe(-2)
    expect(distanceTo({ kind: 'ball', centre: [0, 0, 0], radius: 1 }, [2, 0, 0])).toBe(1)
    expect(
      distanceTo(
        { kind: 'box', centre: [0, 0, 0], half: [1, 1, 1], rotation: panTiltRoll(Math.PI / 4, 0, 0) },
        [1.3, 0, 0],
      ),
    ).toBeLessThan(0)
  })
})
