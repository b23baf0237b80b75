import { describe, expect, it } from 'vitest'
import { boxBody, type Convex, measureConvex } from '../data/index.ts'
import { cos, sin, type Vec3 } from '../math/index.ts'
import { contactsOf, Holding } from './index.ts'

const DENSITY = 1900
const holding = (bodies: readonly Convex[], roots: readonly number[], strength: number): Holding =>
  new Holding({
    pieces: bodies.map((body) => {
      const { volume, middle } = measureConvex(body)
      return { mass: volume * DENSITY, middle }
    }),
    contacts: contactsOf(bodies),
    roots,
    strength,
    friction: 0.6,
    gravity: 9.81,
  })
const nothing = (count: number): Uint8Array => new Uint8Array(count)

/** Rounds until no joint parts; which pieces have come loose by then. */
function settle(held: Holding, gone: Uint8Array): number[] {
  for (let n = 0; n < 200 && held.round(gone) > 0; n++);
  return held.loose(gone)
}

/** A half ring of wedges that stands on its two ends. */
function arch(count: number): Convex[] {
  const corner = (n: number, radius: number, z: number): Vec3 => {
    const angle = (Math.PI * n) / count
    return [radius * cos(angle), radius * sin(angle), z]
  }
  return Array.from({ length: count }, (_, n): Convex => {
    const corners = [0, 1].flatMap((k) => [1, 1.25].flatMap((radius) => [0, 0.3].map((z) => corner(n + k, radius, z))))
    const rings = [
      [0, 1, 3, 2],
      [4, 6, 7, 5],
      [0, 4, 5, 1],
      [2, 3, 7, 6],
      [0, 2, 6, 4],
      [1, 5, 7, 3],
    ]
    return { corners, faces: rings.map((ring, k) => ({ beyond: -1 - k, ring: ring.toReversed() })) }
  })
}

describe('what holds pieces together', () => {
  it('carries their weight, all of it', () => {
    const column = Array.from({ length: 12 }, (_, n) => boxBody([0, 0.3 * n, 0], [0.4, 0.3 * (n + 1), 0.4]))
    const held = holding(column, [0], 1e5)
    held.round(nothing(12))
    expect(held.balance(nothing(12))).toBeCloseTo(1, 3)
    expect(held.loose(nothing(12))).toEqual([])
  })
  it('lets a beam out of a wall stand by its strength alone', () => {
    const beam = Array.from({ length: 8 }, (_, n) => boxBody([0.25 * n, 1, 0], [0.25 * (n + 1), 1.2, 0.2]))
    expect(settle(holding(beam, [0], 5e6), nothing(8))).toEqual([])
    // Bending at the wall: about 1.75 m of 1900 kg/m^3, 0.2 m high, 0.3 MPa.
    expect(settle(holding(beam, [0], 1e5), nothing(8)).length).toBeGreaterThan(4)
  })
  it('lets an arch stand on weak mortar, and come down without its key stone', () => {
    const stones = arch(40)
    const held = holding(stones, [0, 39], 5e4)
    expect(settle(held, nothing(40))).toEqual([])
    const gone = nothing(40)
    gone[19] = 1
    gone[20] = 1
    expect(settle(held, gone).length).toBeGreaterThan(15)
  })
  it('with no strength falls only where nothing ties it any more', () => {
    const column = Array.from({ length: 5 }, (_, n) => boxBody([0, 0.3 * n, 0], [0.4, 0.3 * (n + 1), 0.4]))
    const held = holding(column, [0], 0)
    expect(held.round(nothing(5))).toBe(0)
    const gone = nothing(5)
    gone[2] = 1
    expect(held.loose(gone)).toEqual([3, 4])
  })
})
