import { describe, expect, it } from 'vitest'
import { makeCrew } from '../base/index.ts'
import { type Camera, type GasFrame, paddedCells, paddedIndex, STOICHIOMETRIC, TILE, toHalf } from '../data/index.ts'
import {
  alightAt,
  blackBodyTable,
  burntRise,
  GLOW_FROM,
  GLOW_STEP,
  gatherEmitters,
  glowTable,
  innerExtinction,
  innerKelvin,
  LEAN_SHARE,
  SHEET_AT,
  SHEET_DEPTH,
  SHEET_KELVIN,
  SHEET_WIDTH,
} from '../light/index.ts'
import { normalise, panTiltRoll, type Vec3 } from '../math/index.ts'
import { refineFields, uploadFields } from './gasFields.ts'
import { FINAL, type FlatPicture, type GasVolume, renderFlat } from './index.ts'

// Flames in the picture: against their formula along a ray, and against the lights that stand for them.
const AIR = 290
const CELL = 0.05
const bodies = blackBodyTable(100)

/** Gas whose mixture (over its stoichiometric value) is told by place, as hot as it can be. */
function flame(tiles: readonly [number, number, number], eta: (x: number, y: number, z: number) => number): GasFrame {
  const size = tiles.map((n) => n * TILE) as [number, number, number]
  const count = tiles[0] * tiles[1] * tiles[2]
  const channels = Array.from({ length: 7 }, () => new Uint16Array(count * TILE ** 3))
  for (let n = 0; n < count; n++)
    for (let at = 0; at < TILE ** 3; at++) {
      const corner = [n % tiles[0], Math.floor(n / tiles[0]) % tiles[1], Math.floor(n / (tiles[0] * tiles[1]))]
      const inner = [at % TILE, Math.floor(at / TILE) % TILE, Math.floor(at / TILE ** 2)]
      const [x, y, z] = corner.map(
        (c, axis) => (c * TILE + (inner[axis] ?? 0) + 0.5 - (size[axis] ?? 0) / 2) * CELL,
      ) as [number, number, number]
      const value = Math.max(0, eta(x, y, z))
      const rise = value > 0 ? burntRise(value) : 0
      const o = n * TILE ** 3 + at
      const [, heat, , , , , burnt] = channels
      if (heat) heat[o] = toHalf(rise)
      if (burnt) burnt[o] = toHalf((value * STOICHIOMETRIC * 1204 * AIR) / (AIR + rise))
    }
  const origin = size.map((n) => -n / 2) as [number, number, number]
  return {
    box: { cell: CELL, origin, size },
    ambient: AIR,
    tiles: Int32Array.from({ length: count }, (_, n) => n),
    channels,
  }
}

const volume = (frame: GasFrame): GasVolume => ({
  kind: 'gas',
  frames: [{ frame, weight: 1, ahead: 0 }],
  emitters: [],
  glow: { from: GLOW_FROM, step: GLOW_STEP, table: glowTable(100, 1), bodies },
  albedo: 0.5,
  forward: 0,
  extinctionPerSoot: 1000,
})

const SIDE = 48
const FOCAL = 400
function seen(frame: GasFrame, from: Vec3, pan: number, tilt = 0): FlatPicture {
  const crew = makeCrew(1)
  const camera: Camera = {
    position: from,
    rotation: panTiltRoll(pan, tilt, 0),
    focalPx: FOCAL,
    centre: [SIDE / 2, SIDE / 2],
    k1: 0,
    k2: 0,
    width: SIDE,
    height: SIDE,
  }
  return renderFlat(crew, {
    pieces: [],
    camera,
    drawables: [volume(frame)],
    light: { sunDirection: normalise([0, 1, 0]), sunShare: 0, sunColour: [1, 1, 1], skyColour: [1, 1, 1] },
    quality: FINAL,
  })
}

const body = (kelvin: number, c: number): number => {
  const at = (kelvin - GLOW_FROM) / GLOW_STEP
  const n = Math.floor(at)
  return (bodies[n * 4 + c] ?? 0) + (at - n) * ((bodies[n * 4 + 4 + c] ?? 0) - (bodies[n * 4 + c] ?? 0))
}

describe('a flame', () => {
  it('shines along a ray as its formula says: sheet, soot within, each dimmed by what is before it', () => {
    // From air at the left to three times too much fuel at the right, over 0.4 m.
    const slope = 3 / 0.4
    const frame = flame([6, 4, 4], (x) => (x < 0.6 ? slope * (x + 0.4) : 0))
    const passes = seen(frame, [-8, 0, 0], -Math.PI / 2)
    const middle = (SIDE / 2) * SIDE + SIDE / 2
    for (const c of [0, 1]) {
      let [left, sum] = [1, 0]
      const step = 2e-4
      for (let x = -0.4; x < 0.5; x += step) {
        const eta = slope * (x + 0.4)
        const d = (eta - SHEET_AT) / slope
        const r = d / ((d < 0 ? LEAN_SHARE : 1 - LEAN_SHARE) * SHEET_WIDTH)
        const alight = alightAt(eta, burntRise(eta))
        const [sheet, inner] = [(SHEET_DEPTH / SHEET_WIDTH) * Math.exp(-r * r) * alight, innerExtinction(eta) * alight]
        const pass = Math.exp(-(sheet + inner) * step)
        if (sheet + inner > 0)
          sum +=
            (left * (1 - pass) * (sheet * body(SHEET_KELVIN, c) + inner * body(innerKelvin(eta), c))) / (sheet + inner)
        left *= pass
      }
      // The far end of the block adds its own soot, a few hundredths of it.
      expect((passes.fire.data[middle * 3 + c] ?? 0) / sum).toBeGreaterThan(0.93)
      expect((passes.fire.data[middle * 3 + c] ?? 0) / sum).toBeLessThan(1.12)
    }
  })
  it('gives as much light as the lamps that stand for it, from every side', () => {
    const frame = flame([4, 4, 4], (x, y, z) => 2.4 * (1 - Math.sqrt(x * x + y * y + z * z) / 0.6))
    const lamps = gatherEmitters(frame, glowTable(100, 1), 0.5, 64, 1000, bodies)
    const far = 12
    const [pixel, lamp] = [(far / FOCAL) ** 2, lamps.reduce((sum, { intensity }) => sum + intensity[0], 0)]
    for (const [from, pan, tilt] of [
      [[0, 0, far], 0, 0],
      [[far, 0, 0], Math.PI / 2, 0],
      [[0, far, 0], 0, -Math.PI / 2],
    ] as const) {
      const light = seen(frame, from, pan, tilt).fire.data.reduce((sum, v, n) => sum + (n % 3 === 0 ? v : 0), 0) * pixel
      expect(light / lamp).toBeGreaterThan(0.85)
      expect(light / lamp).toBeLessThan(1.15)
    }
  })
  it('shows no sheet where fuel and air came mixed, and none where it is cold', () => {
    const even = flame([6, 6, 6], (x, y, z) => Math.min(0.9, 1.1 - Math.sqrt(x * x + y * y + z * z)))
    const cold = flame([4, 4, 4], (x) => 3 * x + 1)
    cold.channels[1]?.fill(0)
    const sharp = flame([4, 4, 4], (x) => 6 * x + 1)
    const most = (frame: GasFrame): number => Math.max(...seen(frame, [0, 0, 8], 0).fire.data)
    expect(most(cold)).toBe(0)
    expect(most(even)).toBeLessThan(0.02 * most(sharp))
  })
})

describe('a finer picture of a kept frame', () => {
  const crew = makeCrew(1)
  const frame = flame([2, 2, 2], (x, y, z) => 1.5 + 2 * x + y - z)
  const fields = uploadFields(crew, frame, { extinctionPerSoot: 1000, moves: false, burns: true })
  const vector = (value: readonly number[]): number => {
    const at = crew.heap.alloc(paddedCells(frame.box.size) * 16)
    crew.heap.f32(at, paddedCells(frame.box.size) * 4).forEach((_, n, all) => (all[n] = value[n % 4] ?? 0))
    return at
  }
  const whirls = (amount: number) => {
    const energy = crew.heap.alloc(paddedCells(frame.box.size) * 4)
    crew.heap.f32(energy, paddedCells(frame.box.size)).fill(4)
    // One wave that pushes along x everywhere.
    const wave = crew.heap.alloc(8 ** 3 * 16)
    crew.heap.f32(wave, 8 ** 3 * 4).forEach((_, n, all) => (all[n] = n % 4 === 0 ? 1 : 0))
    const set = (weight: number) => ({ places: vector([0, 0, 0, 0]), weight, offset: [0, 0, 0] })
    return { factor: 2, amount, energy, wave, nodes: 8, pitch: 1, sets: [set(1), set(0)] }
  }
  it('without whirls is the same field between its cells', () => {
    const fine = refineFields(crew, fields, AIR, whirls(0))
    const [coarse, made] = [
      crew.heap.f32(fields.mixture, paddedCells(fields.size)),
      crew.heap.f32(fine.mixture, paddedCells(fine.size)),
    ]
    for (const [i, j, k] of [
      [4, 5, 6],
      [9, 8, 7],
    ] as const) {
      const mean =
        0.75 ** 3 * 0 +
        [0, 1]
          .flatMap((a) =>
            [0, 1].flatMap((b) =>
              [0, 1].map(
                (c) =>
                  (a ? 0.25 : 0.75) *
                  (b ? 0.25 : 0.75) *
                  (c ? 0.25 : 0.75) *
                  (coarse[paddedIndex(fields.size, i - a, j - b, k - c)] ?? 0),
              ),
            ),
          )
          .reduce((sum, v) => sum + v, 0)
      expect(made[paddedIndex(fine.size, 2 * i, 2 * j, 2 * k)]).toBeCloseTo(mean, 2)
    }
    expect(fine.cell).toBe(CELL / 2)
    expect(fine.speedCells).toBe(0.5)
  })
  it('is read upstream of the whirls, less far in a flame than in smoke', () => {
    const still = refineFields(crew, fields, AIR, whirls(0))
    const moved = refineFields(crew, fields, AIR, whirls(1))
    const at = (made: typeof still, field: 'kelvin' | 'mixture'): number =>
      crew.heap.f32(made[field], paddedCells(made.size))[paddedIndex(made.size, 16, 16, 16)] ?? 0
    // The mixture falls by 2 a metre of x: 0.35 cells and the octave after, times what tears it.
    const torn = at(moved, 'mixture') / (at(still, 'mixture') - 2 * CELL * 0.35 * (1 + 0.5 * 0.7937))
    expect(torn).toBeGreaterThan(1)
    expect(torn).toBeLessThan(2.5)
    expect(at(moved, 'kelvin')).not.toBe(at(still, 'kelvin'))
  })
})
