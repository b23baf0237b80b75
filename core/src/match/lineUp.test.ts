import { describe, expect, it } from 'vitest'
import { lensOf } from '../../testing/tracks.ts'
import { LanternError } from '../base/index.ts'
import { type Camera, projectPoint } from '../data/index.ts'
import { acos, degrees, panTiltRoll, rotate, type Vec3 } from '../math/index.ts'
import { type DrawnLine, type LineUpSettings, lineUp } from './lineUp.ts'

const camera: Camera = { ...lensOf(1100), position: [-2.4, 1.7, 7], rotation: panTiltRoll(-0.5, 0.08, 0.02) }
const seen = (p: Vec3, by = camera): [number, number] => {
  const at = projectPoint(by, p)
  return [at?.x ?? Number.NaN, at?.y ?? Number.NaN]
}
const line = (a: Vec3, b: Vec3, by = camera, off: readonly number[] = [0, 0, 0, 0]): DrawnLine => {
  const ends = [...seen(a, by), ...seen(b, by)]
  return ends.map((v, n) => v + (off[n] ?? 0)) as unknown as DrawnLine
}
const settings = (by = camera, off?: readonly number[]): LineUpSettings => ({
  lines: {
    x: [
      line([0, 0, 0], [3, 0, 0], by, off),
      line([0, 3, 0], [4, 3, 0], by),
      line([0, 1.4, 0.5], [3, 1.4, 0.5], by, off),
    ],
    y: [line([0, 0, 0], [0, 3, 0], by), line([3, 0, 0], [3, 2.8, 0], by, off)],
    z: [line([0, 0, 0], [0, 0, 3], by), line([2, 0, 0], [2, 0, 3], by, off)],
  },
  width: 1280,
  height: 720,
  origin: seen([0, 0, 0], by),
  length: { axis: 'y', to: seen([0, 2.1, 0], by), metres: 2.1 },
})
const tilt = (a: Camera, b: Camera): number => {
  const up = (c: Camera): Vec3 => rotate([-c.rotation[0], -c.rotation[1], -c.rotation[2], c.rotation[3]], [0, 1, 0])
  return degrees(
    acos(
      Math.min(
        1,
        up(a).reduce((sum, v, k) => sum + v * (up(b)[k] ?? 0), 0),
      ),
    ),
  )
}

describe('lining up', () => {
  it('gives the exact camera from exact lines and one length, nothing else known', () => {
    const { camera: found, rms } = lineUp(settings())
    expect(found.focalPx).toBeCloseTo(1100, 3)
    for (let c = 0; c < 3; c++) expect(found.position[c]).toBeCloseTo(camera.position[c] ?? 0, 4)
    for (const p of [
      [1, 1, 1],
      [-1, 0, 2],
    ] as Vec3[])
      for (let c = 0; c < 2; c++) expect(seen(p, found)[c]).toBeCloseTo(seen(p)[c] ?? 0, 2)
    expect(rms).toBeLessThan(1e-6)
  })
  it('keeps focal length and tilt where lines are drawn a pixel off', () => {
    const { camera: found, rms } = lineUp(settings(camera, [0.8, -0.7, -0.6, 0.9]))
    expect(Math.abs(found.focalPx / 1100 - 1)).toBeLessThan(0.03)
    expect(tilt(found, camera)).toBeLessThan(0.5)
    expect(rms).toBeGreaterThan(0.01)
  })
  it('needs but two axes, or one where the focal length is known', () => {
    const all = settings()
    for (const lines of [
      { x: all.lines.x, z: all.lines.z },
      { x: all.lines.x, y: all.lines.y },
    ]) {
      const { camera: found } = lineUp({ ...all, lines })
      expect(Math.abs(found.focalPx / 1100 - 1)).toBeLessThan(0.001)
      expect(tilt(found, camera)).toBeLessThan(0.01)
    }
    const level: Camera = { ...camera, rotation: panTiltRoll(0, 0, 0) }
    const one = settings(level)
    const { camera: found } = lineUp({ ...one, lines: { z: one.lines.z }, focalPx: 1100 })
    expect(tilt(found, level)).toBeLessThan(0.01)
    for (let c = 0; c < 3; c++) expect(found.position[c]).toBeCloseTo(level.position[c] ?? 0, 2)
  })
  it('undoes a lens that is known', () => {
    const bent: Camera = { ...camera, k1: -0.05, k2: 0.008 }
    const { camera: found } = lineUp({ ...settings(bent), focalPx: 1100, k1: -0.05, k2: 0.008 })
    expect(tilt(found, bent)).toBeLessThan(0.01)
    for (let c = 0; c < 3; c++) expect(found.position[c]).toBeCloseTo(bent.position[c] ?? 0, 2)
  })
  it('says what is missing or contradicts itself, naming the field', () => {
    const all = settings()
    const refused = (change: Partial<LineUpSettings>, field: string): void => {
      try {
        lineUp({ ...all, ...change })
        expect.unreachable()
      } catch (error) {
        expect(error).toBeInstanceOf(LanternError)
        expect((error as LanternError).place.field).toBe(field)
      }
    }
    refused({ lines: { x: all.lines.x } }, 'lines')
    refused({ lines: {}, focalPx: 1100 }, 'lines')
    refused({ lines: { ...all.lines, y: [[5, 5, 5.5, 5.5]] } }, 'lines y')
    refused({ length: { ...all.length, metres: 0 } }, 'length')
    refused({ length: { axis: 'y', to: seen([0, -1, 0]), metres: 1 } }, 'length')
  })
})
