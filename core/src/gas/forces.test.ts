import { describe, expect, it } from 'vitest'
import { smallFire } from '../../testing/fires.ts'
import { makeCrew, random } from '../base/index.ts'
import { paddedCells, paddedIndex } from '../data/index.ts'
import { allocateFields } from './fields.ts'
import { pushAir, whirlPitch, whirlPlaces } from './forces.ts'
import type { ForceInputs, ForceWay, GasForce, SceneInputs } from './settings.ts'
import { WHIRL_NODES, whirlTile } from './whirls.ts'

const box = {
  cell: 0.1,
  origin: [-8, 0, -8] as [number, number, number],
  size: [16, 16, 16] as [number, number, number],
}
const force = (way: ForceWay): GasForce => ({ way, soft: 0.5, size: 0.4, change: 2, seed: 3 })
const air = (now: ForceInputs | undefined, wind: [number, number, number] = [0, 0, 0]): SceneInputs => ({
  sources: [],
  forces: now ? [now] : [],
  wind,
  solids: [],
})

/** The velocity that a force leaves after a step from rest (or from `start`), by component, array element and the face's place. */
function pushed(
  way: ForceWay,
  now: ForceInputs,
  start: [number, number, number] = [0, 0, 0],
  dt = 0.01,
): (comp: number, i: number, j: number, k: number) => { at: [number, number, number]; speed: number } {
  const crew = makeCrew(1)
  const settings = smallFire({ source: null, solids: [], forces: [force(way)] })
  const fields = allocateFields(crew, crew.heap.mark(), box, settings, air(now, start))
  pushAir(crew, fields, settings, air(now), air(now), dt, 0.3)
  const faces = [fields.pointers.u, fields.pointers.v, fields.pointers.w].map((pointer) =>
    crew.heap.f32(pointer, paddedCells(box.size)),
  )
  return (comp, i, j, k) => {
    const half = [0.5, 0.5, 0.5]
    half[comp] = 0
    return {
      at: [0, 1, 2].map(
        (axis) => ((box.origin[axis] ?? 0) + ([i, j, k][axis] ?? 0) + (half[axis] ?? 0)) * box.cell,
      ) as [number, number, number],
      speed: faces[comp]?.[paddedIndex(box.size, i, j, k)] ?? Number.NaN,
    }
  }
}
const centre: [number, number, number] = [0.05, 0.8, -0.1]
const fade = (r: number, radius: number): number => {
  if (radius === 0) return 1
  const t = Math.min(1, Math.max(0, (radius - r) / (radius * 0.5)))
  return t * t * (3 - 2 * t)
}
const everyFace = (visit: (comp: number, i: number, j: number, k: number) => void): void => {
  for (let n = 0; n < 400; n++) visit(n % 3, (n * 7) % 16, (n * 5) % 16, (n * 3) % 16)
}

describe('forces', () => {
  it.each([
    ['push', 4, 0.9],
    ['push', -4, 0],
    ['swirl', 6, 0.9],
    ['blow', 5, 0.7],
  ] as const)('%s of %d over %d m is its formula at every face', (way, strength, radius) => {
    const axis: [number, number, number] = [0.6, 0.8, 0]
    const look = pushed(way, { centre, axis, strength, radius })
    everyFace((comp, i, j, k) => {
      const { at, speed } = look(comp, i, j, k)
      const d = at.map((v, a) => v - (centre[a] ?? 0)) as [number, number, number]
      const r = Math.hypot(...d)
      const round = [axis[1] * d[2] - axis[2] * d[1], axis[2] * d[0] - axis[0] * d[2], axis[0] * d[1] - axis[1] * d[0]]
      const along =
        way === 'push'
          ? (d[comp] ?? 0) / (r + box.cell)
          : way === 'swirl'
            ? (round[comp] ?? 0) / (r + box.cell)
            : (axis[comp] ?? 0)
      expect(speed).toBeCloseTo(0.01 * strength * fade(r, radius) * along, 6)
    })
  })
  it('drag takes its share of the speed, and none beyond its reach', () => {
    const look = pushed('drag', { centre, axis: [0, 1, 0], strength: 30, radius: 0.6 }, [2, 0, -1], 0.02)
    everyFace((comp, i, j, k) => {
      const { at, speed } = look(comp, i, j, k)
      const r = Math.hypot(...at.map((v, a) => v - (centre[a] ?? 0)))
      expect(speed).toBeCloseTo(([2, 0, -1][comp] ?? 0) * Math.exp(-0.02 * 30 * fade(r, 0.6)), 5)
    })
  })
  it('turbulence stirs as strongly as it says, and changes smoothly into other whirls', () => {
    const look = pushed('turbulence', { centre, axis: [0, 1, 0], strength: 10, radius: 0 }, [0, 0, 0], 0.01)
    let sum = 0
    let count = 0
    for (let k = 0; k < 16; k++)
      for (let j = 0; j < 16; j++)
        for (let i = 0; i < 16; i++) for (let comp = 0; comp < 3; comp++, count++) sum += look(comp, i, j, k).speed ** 2
    expect(Math.sqrt((3 * sum) / count) / 0.1).toBeCloseTo(1, 0)
    const one = { ...force('turbulence'), change: 1 }
    const [before, after] = [whirlPlaces(one, 0.9999), whirlPlaces(one, 1.0001)]
    expect(before.places[1]).toEqual(after.places[0])
    expect(before.shares[1]).toBeCloseTo(after.shares[0], 3)
    for (const t of [0, 0.3, 0.5, 0.8])
      expect(whirlPlaces(one, t).shares.reduce((total, share) => total + share ** 2, 0)).toBeCloseTo(1, 9)
  })
  it('a wind that rises carries all the air with it, less near the ground where it has a shear', () => {
    const crew = makeCrew(1)
    const settings = smallFire({ source: null, solids: [], shear: { exponent: 0.25, at: 1, ground: 0 } })
    const fields = allocateFields(crew, crew.heap.mark(), box, settings, air(undefined, [1, 0, 0]))
    const u = (): Float32Array => crew.heap.f32(fields.pointers.u, paddedCells(box.size))
    const at = (j: number): number => u()[paddedIndex(box.size, 5, j, 5)] ?? 0
    expect(at(3) / at(9)).toBeCloseTo((0.35 / 0.95) ** 0.25, 4)
    pushAir(crew, fields, settings, air(undefined, [1, 0, 0]), air(undefined, [3, 0, 0]), 0.01, 0)
    expect(at(9)).toBeCloseTo(3 * 0.95 ** 0.25, 4)
    expect(at(3) / at(9)).toBeCloseTo((0.35 / 0.95) ** 0.25, 4)
  })
})

describe('the whirl tile', () => {
  const tile = whirlTile(7)
  const n = WHIRL_NODES
  const stream = random(11)
  const somewhere = (): [number, number, number] => [
    Math.floor(stream.next() * n),
    Math.floor(stream.next() * n),
    Math.floor(stream.next() * n),
  ]
  const value = (i: number, j: number, k: number, c: number): number =>
    tile[4 * ((((k + n) % n) * n + ((j + n) % n)) * n + ((i + n) % n)) + c] ?? 0
  it('has mean square 1 and no mean, and is another one for another seed', () => {
    let [sum, square] = [0, 0]
    for (let e = 0; e < tile.length; e++) {
      sum += tile[e] ?? 0
      square += (tile[e] ?? 0) ** 2
    }
    expect(square / n ** 3).toBeCloseTo(1, 4)
    expect(sum / tile.length).toBeCloseTo(0, 4)
    expect(whirlTile(8)[13]).not.toBe(tile[13])
  })
  it('neither gathers nor spreads: its divergence is small against its turning', () => {
    let [spread, turn] = [0, 0]
    for (let e = 0; e < 3000; e++) {
      const [i, j, k] = somewhere()
      const d = (c: number, axis: number): number => {
        const o = [0, 0, 0]
        o[axis] = 1
        return (
          value(i + (o[0] ?? 0), j + (o[1] ?? 0), k + (o[2] ?? 0), c) -
          value(i - (o[0] ?? 0), j - (o[1] ?? 0), k - (o[2] ?? 0), c)
        )
      }
      spread += (d(0, 0) + d(1, 1) + d(2, 2)) ** 2
      turn += (d(2, 1) - d(1, 2)) ** 2 + (d(0, 2) - d(2, 0)) ** 2 + (d(1, 0) - d(0, 1)) ** 2
    }
    expect(spread / turn).toBeLessThan(0.02)
  })
  it('turns over within the size that was asked for', () => {
    // Half a wave of the middle of its band: the likeness of two places so far apart is about the most negative.
    const along = (shift: number): number => {
      let sum = 0
      for (let e = 0; e < 4000; e++) {
        const [i, j, k] = somewhere()
        sum += value(i, j, k, 1) * value(i + shift, j, k, 1)
      }
      return sum
    }
    const lags = Array.from({ length: 12 }, (_, s) => along(s))
    const size = lags.indexOf(Math.min(...lags)) / whirlPitch(1)
    expect(size).toBeGreaterThan(0.7)
    expect(size).toBeLessThan(1.6)
  })
})
