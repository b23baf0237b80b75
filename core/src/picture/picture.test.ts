import { describe, expect, it } from 'vitest'
import { piece } from '../../testing/frames.ts'
import { makeCrew, random } from '../base/index.ts'
import { boxMesh, type Camera, type GasFrame, planeMesh, TILE, toHalf } from '../data/index.ts'
import { GLOW_FROM, GLOW_STEP, glowTable } from '../light/index.ts'
import { aboutAxis, normalise, panTiltRoll, type Vec3 } from '../math/index.ts'
import { FINAL, type FlatPicture, type GasVolume, renderFlat, type ScenePiece } from './index.ts'

const camera: Camera = {
  position: [0, 1, 4],
  rotation: [0, 0, 0, 1],
  focalPx: 30,
  centre: [16, 12],
  k1: 0,
  k2: 0,
  width: 32,
  height: 24,
}
const EXTINCTION = 8700
const light = { sunDirection: normalise([1, 1, 1]), sunShare: 0, sunColour: [1, 1, 1], skyColour: [1, 1, 1] } as const

/** A block of gas, evenly filled, 1.6 m on edge round (0, 1, 0). density: 1/m of extinction. */
function slab(density: number, kelvinAbove: number, over: Partial<GasVolume> = {}): GasVolume {
  const tiles = 4
  const cell = 1.6 / (tiles * TILE)
  const count = tiles ** 3
  const channels = Array.from({ length: 6 }, () => new Uint16Array(count * TILE ** 3))
  channels[0]?.fill(toHalf((density / EXTINCTION) * 1000))
  channels[1]?.fill(toHalf(kelvinAbove))
  const origin = [-16, Math.round(0.2 / cell), -16] as const
  const frame: GasFrame = {
    box: { cell, origin, size: [32, 32, 32] },
    ambient: 300,
    tiles: Int32Array.from({ length: count }, (_, n) => n),
    channels,
  }
  return {
    kind: 'gas',
    frames: [{ frame, weight: 1, ahead: 0 }],
    emitters: [],
    glow: { from: GLOW_FROM, step: GLOW_STEP, table: glowTable(100, 1) },
    albedo: 0,
    forward: 0,
    extinctionPerSoot: EXTINCTION,
    ...over,
  }
}
const render = (pieces: ScenePiece[], gases: GasVolume[], at = camera): FlatPicture => {
  const crew = makeCrew(1)
  return renderFlat(crew, { pieces, camera: at, drawables: gases, light, quality: FINAL })
}
const middle = 12 * 32 + 16

describe('gas in the picture', () => {
  it.each([0.3, 1, 2.5])('dims what is behind it as Beer and Lambert say, at %d per metre', (density) => {
    // The half cells at both ends of the block fade out and in, which keeps the whole path.
    expect(render([], [slab(density, 0)]).smoke.data[middle * 4 + 3]).toBeCloseTo(1 - Math.exp(-1.6 * density), 2)
  })
  it('glows as a grey body: 1 - transmittance of a black body’s value', () => {
    const passes = render([], [slab(1, 1200)])
    const n = ((1500 - GLOW_FROM) / GLOW_STEP) * 4
    const black = glowTable(100, 1)[n] ?? 0
    expect((passes.fire.data[middle * 3] ?? 0) / (black * (1 - Math.exp(-1.6)))).toBeCloseTo(1, 1)
  })
  it('scatters an even sky evenly: thin white smoke takes albedo x cover x the sky’s mean', () => {
    const passes = render([], [slab(0.05, 0, { albedo: 1 })])
    const cover = passes.smoke.data[middle * 4 + 3] ?? 0
    expect((passes.smoke.data[middle * 4] ?? 0) / (cover * 0.5 * 1.18)).toBeCloseTo(1, 1)
  })
  it('is hidden by a piece before it, and hides one behind it', () => {
    const before = render([piece(boxMesh([0, 1, 2], [0.5, 0.5, 0.1], [0, 0, 0, 1]))], [slab(2, 1200)])
    expect(before.fire.data[middle * 3]).toBe(0)
    expect(before.smoke.data[middle * 4 + 3]).toBe(0)
    expect(before.depth.data[middle]).toBeCloseTo(1.9, 4)
    const behind = render([piece(boxMesh([0, 1, -3], [0.5, 0.5, 0.1], [0, 0, 0, 1]))], [slab(2, 1200)])
    expect(behind.fire.data[middle * 3]).toBeGreaterThan(0)
    const seeThrough = render(
      [piece(boxMesh([0, 1, 2], [0.5, 0.5, 0.1], [0, 0, 0, 1]), { holdsOut: false })],
      [slab(2, 1200)],
    )
    expect(seeThrough.fire.data[middle * 3]).toBeGreaterThan(0)
  })
  it('is nothing at all where there is none', () => {
    const passes = render([], [])
    expect(Math.max(...passes.fire.data, ...passes.smoke.data)).toBe(0)
    expect(Math.min(...passes.shadow.data)).toBe(1)
  })
})

describe('light on the set', () => {
  const lamp = (at: Vec3): GasVolume => slab(0, 0, { emitters: [{ at, intensity: [10, 5, 1], radius: 0.001 }] })
  const wall = piece(planeMesh([0, 1, -2], 8, 8, aboutAxis([1, 0, 0], Math.PI / 2)))
  it('falls with the square of the distance and the cosine', () => {
    for (const distance of [1, 2, 3]) {
      const lit = render([wall], [lamp([0, 1, -2 + distance])]).light.data[middle * 3] ?? 0
      // The pixel's centre looks at (0.1, 0.9) on the wall, six metres away.
      expect(lit / ((10 / Math.PI) * (distance / (distance ** 2 + 0.02) ** 1.5))).toBeCloseTo(1, 2)
    }
  })
  it('is stopped by a piece in its way and by smoke', () => {
    const shade = piece(boxMesh([0, 1, -1], [0.4, 0.4, 0.05], [0, 0, 0, 1]), { receives: false, holdsOut: true })
    const seen: Camera = { ...camera, position: [0, 4, 1], rotation: panTiltRoll(0, -0.78, 0) }
    const open = render([wall], [lamp([0, 1, 1])], seen).light.data
    const shaded = render([wall, shade], [lamp([0, 1, 1])], seen).light.data
    expect(shaded.reduce((sum, v) => sum + v, 0)).toBeLessThan(0.9 * open.reduce((sum, v) => sum + v, 0))
    const smoky = render([wall], [lamp([0, 1, 1]), slab(0.5, 0)], seen).light.data
    // The lamp's way to the wall's middle leads through 1.6 m of smoke, the eye's passes above it.
    expect((smoky[middle * 3] ?? 0) / (open[middle * 3] ?? 0) / Math.exp(-0.8)).toBeCloseTo(1, 1)
  })
  it('stays off pieces that do not receive', () => {
    expect(Math.max(...render([{ ...wall, receives: false }], [lamp([0, 1, 0])]).light.data)).toBe(0)
  })
})

it('finds the same nearest surface as trying every triangle', () => {
  const stream = random(4)
  const pieces = Array.from({ length: 30 }, () =>
    piece(
      boxMesh(
        [stream.next() * 6 - 3, stream.next() * 3, stream.next() * -6],
        [0.1 + stream.next() * 0.4, 0.3, 0.2],
        panTiltRoll(stream.next() * 6, 0, 0),
      ),
    ),
  )
  const { depth } = render(pieces, [])
  const cast = (x: number, y: number): number => {
    const d: Vec3 = [(x + 0.5 - 16) / 30, -(y + 0.5 - 12) / 30, -1]
    let best = 0
    for (const { mesh } of pieces)
      for (let t = 0; t < mesh.indices.length; t += 3) {
        const [a, b, c] = [0, 1, 2].map((n) =>
          Array.from(mesh.positions.subarray((mesh.indices[t + n] ?? 0) * 3, (mesh.indices[t + n] ?? 0) * 3 + 3)),
        ) as [number[], number[], number[]]
        const s = (p: number[], q: number[]): Vec3 => [
          (p[0] ?? 0) - (q[0] ?? 0),
          (p[1] ?? 0) - (q[1] ?? 0),
          (p[2] ?? 0) - (q[2] ?? 0),
        ]
        const cr = (p: Vec3, q: Vec3): Vec3 => [
          p[1] * q[2] - p[2] * q[1],
          p[2] * q[0] - p[0] * q[2],
          p[0] * q[1] - p[1] * q[0],
        ]
        const dt = (p: Vec3, q: Vec3): number => p[0] * q[0] + p[1] * q[1] + p[2] * q[2]
        const [u, v, o] = [s(b, a), s(c, a), s([0, 1, 4], a)]
        const det = dt(u, cr(d, v))
        if (Math.abs(det) < 1e-12) continue
        const [i, j] = [dt(o, cr(d, v)) / det, dt(d, cr(o, u)) / det]
        const t0 = dt(v, cr(o, u)) / det
        if (i >= 0 && j >= 0 && i + j <= 1 && t0 > 0 && (best === 0 || t0 < best)) best = t0
      }
    return best
  }
  for (let n = 0; n < 32 * 24; n += 7) expect(depth.data[n]).toBeCloseTo(cast(n % 32, Math.floor(n / 32)), 3)
})
