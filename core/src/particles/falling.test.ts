import { describe, expect, it } from 'vitest'
import { type Camera, projectPoint } from '../data/index.ts'
import { panTiltRoll } from '../math/index.ts'
import {
  dropClasses,
  dropSpeed,
  type FallSettings,
  fallingAt,
  farFor,
  rainSizes,
  seenVolume,
  splashesAt,
  topAt,
} from './index.ts'

const camera: Camera = {
  position: [0, 1.6, 0],
  rotation: panTiltRoll(0.3, -0.1, 0),
  focalPx: 1088,
  centre: [640, 360],
  k1: -0.02,
  k2: 0,
  width: 1280,
  height: 720,
}
const law = rainSizes(10)
const settings = (over: Partial<FallSettings> = {}): FallSettings => ({
  seed: 4,
  law,
  classes: dropClasses(law, 1, 12),
  speedOf: dropSpeed,
  near: 1,
  far: 8,
  flutter: 0,
  most: 400_000,
  ...over,
})
const rain = (time: number, over: Partial<FallSettings> = {}, wind: [number, number, number] = [0, 0, 0]) =>
  fallingAt(settings(over), camera, time, [wind[0] * time, 0, wind[2] * time], wind)
const density = settings().classes.reduce((sum, { number }) => sum + number, 0)

describe('rain that falls without end', () => {
  it('has as many drops in three ranges of depth as the law says, within 5 %', () => {
    const drops = rain(2)
    for (const [near, far] of [
      [2.5, 5],
      [5, 6.5],
      [6.5, 8],
    ] as const) {
      let count = 0
      for (let n = 0; n < drops.count; n++) {
        const p = projectPoint(camera, [
          drops.positions[3 * n] ?? 0,
          drops.positions[3 * n + 1] ?? 0,
          drops.positions[3 * n + 2] ?? 0,
        ])
        if (p && p.depth >= near && p.depth < far && p.x >= 0 && p.x < 1280 && p.y >= 0 && p.y < 720) count++
      }
      expect(count / (density * seenVolume(camera, near, far))).toBeGreaterThan(0.95)
      expect(count / (density * seenVolume(camera, near, far))).toBeLessThan(1.05)
    }
  })
  it('falls already on the first frame, and as much of it at any time', () => {
    const counts = [0, 0.5, 3, 60].map((time) => rain(time).count)
    const mean = counts.reduce((sum, one) => sum + one, 0) / counts.length
    for (const count of counts) expect(Math.abs(count - mean)).toBeLessThan(4 * Math.sqrt(mean))
  })
  it('goes the way from frame to frame that its velocity says, with the wind', () => {
    const [a, b] = [rain(1, {}, [3, 0, 1]), rain(1 + 1 / 24, {}, [3, 0, 1])]
    const there = new Map(Array.from({ length: b.count }, (_, n) => [b.ids[n], n]))
    let same = 0
    for (let n = 0; n < a.count; n++) {
      const m = there.get(a.ids[n])
      if (m === undefined) continue
      same++
      for (let c = 0; c < 3; c++) {
        const way = (b.positions[3 * m + c] ?? 0) - (a.positions[3 * n + c] ?? 0)
        expect(way).toBeCloseTo((a.velocities[3 * n + c] ?? 0) / 24, 3)
      }
      if (same > 100) break
    }
    expect(same).toBeGreaterThan(100)
  })
  it('is the same rain for a camera that goes elsewhere', () => {
    const moved = { ...camera, position: [0.3, 1.6, 0.2] as const }
    const here = rain(1)
    const other = fallingAt(settings(), moved, 1, [0, 0, 0], [0, 0, 0])
    const there = new Map(Array.from({ length: other.count }, (_, n) => [other.ids[n], n]))
    const shared = Array.from({ length: here.count }, (_, n) => n).filter((n) => there.has(here.ids[n]))
    expect(shared.length / here.count).toBeGreaterThan(0.7)
    for (const n of shared.slice(0, 50))
      expect(other.positions[3 * (there.get(here.ids[n]) ?? 0)]).toBe(here.positions[3 * n])
  })
  it('has drops of the sizes that the law gives, falling at their speed', () => {
    const { count, sizes, velocities } = rain(1)
    const mean = sizes.subarray(0, count).reduce((sum, size) => sum + 1000 * size, 0) / count
    // The mean of an exponential from 1 mm on.
    expect(mean / (1 + 1 / law.slope)).toBeCloseTo(1, 1)
    for (let n = 0; n < 100; n++) {
      const own = -(velocities[3 * n + 1] ?? 0)
      expect(Math.abs(own / dropSpeed(1000 * (sizes[n] ?? 0)) - 1)).toBeLessThan(0.12)
    }
  })
  it('comes nearer where there would be too many, and sways where it flutters', () => {
    const few = rain(1, { most: 2000 })
    expect(few.count).toBeLessThan(2600)
    expect(farFor(camera, density, 1, 8, 2000)).toBeLessThan(5)
    expect(farFor(camera, density, 1, 8, 1e7)).toBe(8)
    const still = rain(0.3)
    const swaying = rain(0.3, { flutter: 0.5 })
    expect(swaying.velocities.subarray(0, 300).some((v, n) => n % 3 === 0 && v !== 0)).toBe(true)
    expect(still.velocities.subarray(0, 300).every((v, n) => n % 3 !== 0 || v === 0)).toBe(true)
  })
})

describe('splashes', () => {
  const tops = [
    { centre: [0, 0, 0], half: [50, 50], turn: [0, 0, 0, 1] },
    { centre: [-1, 0.8, -5], half: [1, 1], turn: [0, 0, 0, 1] },
  ] as const
  it('are on the highest level surface, and fall back onto it', () => {
    expect(topAt(tops, -1, -5)).toBe(0.8)
    expect(topAt(tops, 3, -5)).toBe(0)
    expect(topAt(tops, 300, 0)).toBeUndefined()
    const { count, positions } = splashesAt(settings(), tops, camera, 2)
    expect(count).toBeGreaterThan(50)
    for (let n = 0; n < count; n++) {
      const y = positions[3 * n + 1] ?? 0
      expect(y).toBeGreaterThan(0)
      expect(y).toBeLessThan(1.2)
    }
    expect(splashesAt(settings(), [], camera, 2).count).toBe(0)
  })
})
