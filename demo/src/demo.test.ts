import { describe, expect, it } from 'vitest'
import { projectPoint } from '@lantern/core/data'
import type { Vec3 } from '@lantern/core/math'
import { platePainter, sensor } from './draw.ts'
import { PLATES, type PlateSpec } from './paths.ts'
import { BRAZIER, makeYard } from './yard.ts'

// Tiny plates: what a tracker, a fire and a person will find in the large ones.
const [W, H] = [160, 90]
const yard = makeYard(0.15)
const specOf = (name: string): PlateSpec => {
  const spec = PLATES.find((one) => one.name === name)
  if (!spec) throw new Error(`there is no plate ${name}`)
  return spec
}
const painter = (name: string) => platePainter(specOf(name), W, H, 1, yard)
const at = (image: Float32Array, x: number, y: number, c: number): number => image[(Math.round(y) * W + Math.round(x)) * 3 + c] ?? 0

describe.each(['yard-walk', 'yard-locked'])('%s', (name) => {
  it('is drawn alike every time, without holes', () => {
    const [a, b] = [painter(name).draw(1010), painter(name).draw(1010)]
    expect(a).toEqual(b)
    expect(a.every((value) => Number.isFinite(value) && value >= 0)).toBe(true)
    expect(Buffer.compare(sensor(a, W, H, 1010, 3), sensor(b, W, H, 1010, 3))).toBe(0)
  })
  it('shows the brazier burn where its exact camera says, brighter and redder than what is round it', () => {
    const one = painter(name)
    let looked = 0
    for (const frame of [1001, 1024, 1048]) {
      const seen = projectPoint(one.camera(frame), [BRAZIER[0], BRAZIER[1] + 0.15, BRAZIER[2]] as Vec3)
      if (!seen || seen.x < 6 || seen.x > W - 6) continue
      const image = one.draw(frame)
      looked++
      expect(at(image, seen.x, seen.y, 0)).toBeGreaterThan(0.5)
      expect(at(image, seen.x, seen.y, 0)).toBeGreaterThan(2 * at(image, seen.x, seen.y, 2))
      expect(at(image, seen.x, seen.y, 0)).toBeGreaterThan(2 * at(image, Math.min(W - 1, seen.x + 12), seen.y, 0))
    }
    expect(looked).toBe(3)
  })
  it('has its camera in the open air, level to a few degrees', () => {
    const spec = specOf(name)
    for (let frame = spec.first; frame < spec.first + spec.frames; frame++) {
      const { position, rotation } = painterCamera(name, frame)
      expect(position[1]).toBeGreaterThan(1.3)
      expect(position[2]).toBeGreaterThan(4)
      expect(Math.abs(rotation[2])).toBeLessThan(0.02)
    }
  })
})

const cameras = new Map(['yard-walk', 'yard-locked'].map((name) => [name, painter(name).camera]))
function painterCamera(name: string, frame: number) {
  const camera = cameras.get(name)
  if (!camera) throw new Error(name)
  return camera(frame)
}

it('trembles when locked off by less than half a pixel a frame, and walks with parallax', () => {
  const far: Vec3 = [2.5, 3, 0]
  const near: Vec3 = [0.35, 0.4, 3]
  const moved = (name: string, point: Vec3, a: number, b: number): number => {
    const [p, q] = [projectPoint(painterCamera(name, a), point), projectPoint(painterCamera(name, b), point)]
    return Math.hypot((p?.x ?? 0) - (q?.x ?? 99), (p?.y ?? 0) - (q?.y ?? 99)) * (1280 / W)
  }
  for (let frame = 1001; frame < 1095; frame++) expect(moved('yard-locked', far, frame, frame + 1)).toBeLessThan(0.6)
  expect(Math.abs(moved('yard-walk', near, 1001, 1100) - moved('yard-walk', far, 1001, 1100))).toBeGreaterThan(20)
})

it('gives the sensor noise that rises with the root of the light', () => {
  const deviation = (level: number): number => {
    const bytes = sensor(new Float32Array(W * H * 3).fill(level), W, H, 5, 1)
    // Only the middle, where the vignette is level.
    const values: number[] = []
    for (let y = 40; y < 50; y++) for (let x = 70; x < 90; x++) for (let c = 0; c < 3; c++) values.push(bytes[(y * W + x) * 3 + c] ?? 0)
    const linear = values.map((v) => (v / 255 <= 0.04045 ? v / 255 / 12.92 : ((v / 255 + 0.055) / 1.055) ** 2.4))
    const mean = linear.reduce((sum, v) => sum + v, 0) / linear.length
    return Math.sqrt(linear.reduce((sum, v) => sum + (v - mean) ** 2, 0) / linear.length)
  }
  expect(deviation(0.4) / deviation(0.1)).toBeGreaterThan(1.6)
  expect(deviation(0.4) / deviation(0.1)).toBeLessThan(2.4)
  expect(deviation(0.1) / Math.sqrt(4e-6 + 1.6e-5)).toBeGreaterThan(0.8)
})
