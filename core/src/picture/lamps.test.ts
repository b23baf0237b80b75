import { describe, expect, it } from 'vitest'
import { box, ground, lookingDown, NOON, render, thing, valueAt } from '../../testing/frames.ts'
import { makeCrew, random } from '../base/index.ts'
import { planeMesh } from '../data/index.ts'
import { FINAL, type GasVolume, type Lamp } from './index.ts'
import { lampTree } from './lamps.ts'

const crew = makeCrew(1)
const DARK = { ...NOON, sunColour: [0, 0, 0], skyColour: [0, 0, 0] } as const
const lamp = (over: Partial<Lamp> = {}): Lamp => ({
  kind: 'lamp',
  shape: 'ball',
  at: [0, 2, 0],
  radius: 0,
  intensity: [Math.PI, Math.PI, Math.PI],
  onSet: true,
  ...over,
})
const above = lookingDown(90, [0, 6, 0], 48, 96)
/** Light on level ground straight below and so many metres to the right, by a picture from 6 m above. */
const onGround = (one: Lamp, right = 0): number => {
  const picture = render(crew, { lamp: [one] }, { camera: above, light: DARK, pieces: [ground()] })
  return valueAt(picture, 'lamp', 'light', Math.round(24 + right * 16), 24, 1)
}

describe('A lamp', () => {
  it('lights the set by the square of the distance and both cosines', () => {
    expect(onGround(lamp())).toBeCloseTo(1 / 4, 2)
    expect(onGround(lamp({ at: [0, 4, 0] }))).toBeCloseTo(1 / 16, 2)
    const rectangle = { shape: 'rectangle', across: [-0.05, 0, 0], upward: [0, 0, 0.05], axis: [0, -1, 0] } as const
    expect(onGround(lamp({ ...rectangle, intensity: [10 * Math.PI, 10 * Math.PI, 10 * Math.PI] }), 1)).toBeCloseTo(
      10 * (4 / (4 + 1.03 ** 2) ** 2),
      1.5,
    )
  })

  it('as a spot shines within its cone alone, softly to its edge', () => {
    const spot = lamp({ shape: 'spot', axis: [0, -1, 0], inner: Math.cos(0.2), outer: Math.cos(0.4) })
    expect(onGround(spot)).toBeCloseTo(1 / 4, 2)
    const edge = onGround(spot, 0.6)
    expect(edge).toBeGreaterThan(0.02)
    expect(edge).toBeLessThan(0.2)
    expect(onGround(spot, 1.2)).toBe(0)
  })

  it('that the plate shows already leaves the set as it is, and lights what was added', () => {
    const white = thing(planeMesh([0, 0.01, 0], 0.5, 0.5, [0, 0, 0, 1]), {}, { base: [1, 1, 1, 1], roughness: 1 })
    const scene = { camera: above, light: DARK, pieces: [ground()] }
    const picture = render(crew, { lamp: [lamp({ onSet: false })], white: [white] }, scene)
    expect(valueAt(picture, 'lamp', 'light', 40, 24)).toBe(0)
    expect(valueAt(picture, 'white', 'colour', 24, 24)).toBeCloseTo(1 / 4, 1.5)
    expect(valueAt(picture, 'white', 'effect', 24, 24)).toBe(0)
  })

  it('throws a soft shadow of its own size', () => {
    const shade = thing(box([0.5, 0.01, 0.5], [0, 1, 0]))
    const shares = [0, 0.6].map((radius) => {
      const scene = { camera: above, light: DARK, pieces: [ground()], quality: { ...FINAL, lightStride: 1 } }
      const picture = render(crew, { lamp: [lamp({ radius })], shade: [shade] }, scene)
      // What the shade leaves free below it is dark; its shadow is a metre to each side, and the penumbra lies about that.
      return [1.25, 0.8].map((right) => valueAt(picture, 'lamp', 'light', Math.round(24 + right * 16), 24, 1))
    })
    expect(shares[0]?.[1]).toBe(0)
    expect(shares[1]?.[1]).toBeGreaterThan(0.005)
    expect(shares[1]?.[0]).toBeLessThan(shares[0]?.[0] ?? 0)
  })
})

describe('The lamps of a fire', () => {
  const stream = random(3)
  const fire = Array.from({ length: 64 }, () => {
    const at = [stream.next() - 0.5, stream.next(), stream.next() - 0.5] as const
    const power = stream.next()
    return { at, intensity: [0.3 * power, 0.2 * power, 0.1 * power] as const, radius: 0.05 }
  })

  it('are stood for by lamps of the same power, each followed by its own', () => {
    const tree = lampTree(fire, 2)
    const total = (list: readonly { intensity: readonly number[] }[]): number =>
      list.reduce((sum, { intensity }) => sum + (intensity[0] ?? 0), 0)
    expect(tree[0]?.intensity[0]).toBeCloseTo(total(fire), 6)
    expect(tree[0]?.skip).toBe(tree.length)
    tree.forEach((one, n) => {
      const below = tree.slice(n, n + one.skip).filter(({ extent }) => extent === 0)
      expect(one.intensity[0]).toBeCloseTo(total(below), 6)
      for (const leaf of below)
        expect(Math.hypot(...leaf.at.map((part, c) => part - (one.at[c] ?? 0)))).toBeLessThanOrEqual(one.extent + 1e-9)
    })
    expect(lampTree([], 0)).toEqual([])
  })

  it('light the set near by and far off as every one of them by itself does', () => {
    const frame = {
      box: { cell: 0.1, origin: [0, 0, 0] as [number, number, number], size: [8, 8, 8] as [number, number, number] },
      ambient: 290,
      tiles: new Int32Array(0),
      channels: Array.from({ length: 6 }, () => new Uint16Array(0)),
    }
    const gas: GasVolume = {
      kind: 'gas',
      frames: [{ frame, weight: 1, ahead: 0 }],
      emitters: fire,
      glow: { from: 600, step: 10, table: new Float32Array(800) },
      albedo: 0.4,
      forward: 0.4,
      extinctionPerSoot: 8700,
    }
    const wide = lookingDown(90, [0, 20, 0], 96, 80)
    const picture = render(
      crew,
      { fire: [gas] },
      {
        camera: wide,
        light: DARK,
        pieces: [ground()],
        quality: { ...FINAL, lightStride: 1 },
      },
    )
    for (const x of [50, 60, 90]) {
      const place = [((x + 0.5 - 48) / 80) * 20, 0, (0.5 / 80) * 20] as const
      const expected = fire.reduce((sum, one) => {
        const [dx, dy, dz] = [one.at[0] - place[0], one.at[1], one.at[2] - place[2]]
        const r2 = dx * dx + dy * dy + dz * dz
        return sum + (one.intensity[0] * (dy / Math.sqrt(r2))) / (Math.PI * (r2 + one.radius ** 2))
      }, 0)
      expect(valueAt(picture, 'fire', 'light', x, 48) / expected, `at ${x}`).toBeCloseTo(1, 1.5)
    }
  })
})
