import { describe, expect, it } from 'vitest'
import { piece } from '../../testing/frames.ts'
import { makeCrew } from '../base/index.ts'
import { type Camera, type GasFrame, planeMesh, TILE, toHalf } from '../data/index.ts'
import { blueGlow, GLOW_FROM, GLOW_STEP, glowTable } from '../light/index.ts'
import { aboutAxis, normalise, panTiltRoll, rotate, type Vec3 } from '../math/index.ts'
import {
  AT_HOME,
  FINAL,
  type FlatPicture,
  type FrameScene,
  type GasVolume,
  LOOK,
  type Placement,
  placeInWorld,
  renderFlat,
  type ScenePiece,
  type Shutter,
} from './index.ts'

const EXTINCTION = 8700
const light = {
  sunDirection: normalise([0.4, 0.8, 0.3]),
  sunShare: 0.5,
  sunColour: [1, 1, 1],
  skyColour: [1, 1, 1],
} as const
const camera: Camera = {
  position: [0, 0, 7],
  rotation: [0, 0, 0, 1],
  focalPx: 60,
  centre: [24, 24],
  k1: 0,
  k2: 0,
  width: 48,
  height: 48,
}

interface Fill {
  density?: (x: number, y: number, z: number) => number
  kelvin?: (x: number, y: number, z: number) => number
  fuel?: number
  velocity?: Vec3
}
/** A block of gas 3.2 m on edge round the origin, filled by place (metres). */
function block(
  { density = () => 0, kelvin = () => 0, fuel = 0, velocity = [0, 0, 0] }: Fill,
  over: Partial<GasVolume> = {},
): GasVolume {
  const tiles = 4
  const cell = 0.1
  const channels = Array.from({ length: 6 }, () => new Uint16Array(tiles ** 3 * TILE ** 3))
  for (let n = 0; n < tiles ** 3 * TILE ** 3; n++) {
    const [tile, at] = [Math.floor(n / TILE ** 3), n % TILE ** 3]
    const place = (
      [
        [tile % tiles, at % TILE],
        [Math.floor(tile / tiles) % tiles, Math.floor(at / TILE) % TILE],
        [Math.floor(tile / tiles ** 2), Math.floor(at / TILE ** 2)],
      ] as const
    ).map(([t, c]) => (t * TILE + c + 0.5 - 16) * cell) as [number, number, number]
    const values = [(density(...place) / EXTINCTION) * 1000, kelvin(...place), fuel, ...velocity]
    values.forEach((value, c) => ((channels[c] as Uint16Array)[n] = toHalf(value)))
  }
  const frame: GasFrame = {
    box: { cell, origin: [-16, -16, -16], size: [32, 32, 32] },
    ambient: 290,
    tiles: Int32Array.from({ length: tiles ** 3 }, (_, n) => n),
    channels,
  }
  return {
    kind: 'gas',
    frames: [{ frame, weight: 1, ahead: 0 }],
    emitters: [],
    glow: { from: GLOW_FROM, step: GLOW_STEP, table: glowTable(100, 1) },
    albedo: 0.4,
    forward: 0.3,
    extinctionPerSoot: EXTINCTION,
    ...over,
  }
}
const render = (
  gases: readonly GasVolume[],
  at = camera,
  quality = { ...FINAL, blurs: false },
  pieces: readonly ScenePiece[] = [],
  shutter?: Shutter,
  sky: FrameScene['light'] = light,
): FlatPicture => {
  const crew = makeCrew(1)
  return renderFlat(crew, { pieces, camera: at, drawables: gases, light: sky, quality, shutter })
}
const lump: Fill = {
  density: (x, y, z) => 3 * Math.max(0, 1 - Math.hypot(x - 0.6, y - 0.3, z) / 0.7),
  kelvin: (x, y, z) => 1300 * Math.max(0, 1 - Math.hypot(x - 0.6, y - 0.3, z) / 0.5),
}
const sum = (values: Float32Array, keep: (n: number) => boolean = () => true): number =>
  values.reduce((total, v, n) => total + (keep(n) ? v : 0), 0)
const alpha = ({ smoke }: FlatPicture): Float32Array => smoke.data.filter((_, n) => n % 4 === 3)
const middle = (values: Float32Array, width = 48): [number, number] => {
  const total = sum(values)
  return [
    values.reduce((m, v, n) => m + v * ((n % width) + 0.5), 0) / total,
    values.reduce((m, v, n) => m + v * (Math.floor(n / width) + 0.5), 0) / total,
  ]
}

describe('a run that is shown elsewhere', () => {
  it('turned and moved, looks as from a camera that is turned and moved the other way', () => {
    const place: Placement = { turn: panTiltRoll(0.7, -0.2, 0.1), scale: 1, mirror: false, shift: [0.4, -0.2, -1] }
    const away = camera.position.map((v, n) => v - (place.shift[n] ?? 0)) as unknown as Vec3
    const back = [-place.turn[0], -place.turn[1], -place.turn[2], place.turn[3]] as const
    const seen = render(
      [block(lump)],
      { ...camera, position: rotate(back, away), rotation: back },
      undefined,
      [],
      undefined,
      { ...light, sunDirection: rotate(back, light.sunDirection) },
    )
    const shown = render([block(lump, { place })])
    // The march begins at other places of its cells, so values agree to a step's share.
    for (const pass of ['fire', 'smoke'] as const)
      expect(sum(shown[pass].data) / sum(seen[pass].data)).toBeCloseTo(1, 1)
    const [a, b] = [middle(alpha(shown)), middle(alpha(seen))]
    expect(Math.hypot(a[0] - b[0], a[1] - b[1])).toBeLessThan(0.1)
  })
  it('twice as large and twice as far, looks the same: its depth keeps with its size', () => {
    const near = render([block(lump)])
    const far = render([block(lump, { place: { ...AT_HOME, scale: 2 } })], { ...camera, position: [0, 0, 14] })
    expect(sum(alpha(far)) / sum(alpha(near))).toBeCloseTo(1, 1)
    expect(sum(far.fire.data) / sum(near.fire.data)).toBeCloseTo(1, 1)
  })
  it('mirrored, is the picture’s mirror under a sun that stands in the middle', () => {
    const noon = { ...light, sunDirection: [0, 1, 0] as const }
    const one = render([block(lump)], undefined, undefined, [], undefined, noon)
    const other = render(
      [block(lump, { place: { ...AT_HOME, mirror: true } })],
      undefined,
      undefined,
      [],
      undefined,
      noon,
    )
    const [a, b] = [middle(alpha(one)), middle(alpha(other))]
    expect(a[0] + b[0]).toBeCloseTo(48, 1)
    expect(a[1]).toBeCloseTo(b[1], 1)
  })
  it('throws its light from where it is shown, four times as much of it at twice the size', () => {
    const ground = piece(planeMesh([0, -2, 0], 30, 30, [0, 0, 0, 1]))
    const down = { ...camera, position: [0, 4, 7] as const, rotation: panTiltRoll(0, -0.6, 0) }
    const lamp = { at: [1, 0, 0] as const, intensity: [4, 2, 1] as const, radius: 0.05 }
    const lit = (place: Placement): Float32Array =>
      render([block({}, { emitters: [lamp], place })], down, undefined, [ground]).light.data.filter(
        (_, n) => n % 3 === 0,
      )
    const place = { ...AT_HOME, turn: aboutAxis([0, 1, 0], Math.PI), shift: [0, 0, 1] as const }
    expect(placeInWorld(place, lamp.at)[0]).toBeCloseTo(-1, 9)
    expect(middle(lit(place))[0]).toBeLessThan(middle(lit(AT_HOME))[0] - 2)
    // Seen from twice as far in a scene twice as large, the same picture.
    const twice = render(
      [block({}, { emitters: [lamp], place: { ...AT_HOME, scale: 2 } })],
      { ...down, position: [0, 8, 14] },
      undefined,
      [{ ...ground, mesh: planeMesh([0, -4, 0], 60, 60, [0, 0, 0, 1]) }],
    ).light.data
    expect(sum(twice, (n) => n % 3 === 0) / sum(lit(AT_HOME))).toBeCloseTo(1, 1)
  })
  it('blends two frames by their shares', () => {
    const [thin, thick] = [block({ density: () => 0.2 }), block({ density: () => 0.6 })]
    const both = { ...thin, frames: [...thin.frames, ...thick.frames].map((one) => ({ ...one, weight: 0.5 })) }
    const cover = (gas: GasVolume): number => alpha(render([gas]))[24 * 48 + 24] ?? 0
    expect(cover(both)).toBeCloseTo(1 - Math.exp(-0.4 * 3.2), 2)
    expect(cover(thin)).toBeCloseTo(1 - Math.exp(-0.2 * 3.2), 2)
  })
})

describe('the open shutter', () => {
  const still: Shutter = { seconds: 1 / 48, camera: () => camera }
  const BLUR = { ...FINAL, marches: 16, mostMarches: 32 }
  it('draws gas out along its way by speed times time, and keeps how much there is', () => {
    const fast: Fill = { ...lump, velocity: [24, 0, 0] }
    const [sharp, blurred] = [
      render([block(fast)], camera, { ...BLUR, blurs: false }),
      render([block(fast)], camera, BLUR, [], still),
    ]
    const spread = (passes: FlatPicture): number => {
      const a = alpha(passes)
      const [x] = middle(a)
      return Math.sqrt(a.reduce((total, v, n) => total + v * ((n % 48) + 0.5 - x) ** 2, 0) / sum(a))
    }
    // 24 m/s for 1/48 s is half a metre, 60 / 7 px a metre: a box of that length adds a twelfth of its square.
    const length = (0.5 * 60) / 7
    expect(Math.sqrt(spread(blurred) ** 2 - spread(sharp) ** 2) / (length / Math.sqrt(12))).toBeCloseTo(1, 0)
    expect(sum(alpha(blurred)) / sum(alpha(sharp))).toBeCloseTo(1, 1)
    expect(middle(alpha(blurred))[0]).toBeCloseTo(middle(alpha(sharp))[0], 0)
  })
  it('moves the camera too', () => {
    const pans: Shutter = { seconds: 1 / 48, camera: (share) => ({ ...camera, position: [(share - 0.5) * 0.8, 0, 7] }) }
    const wide = render([block(lump)], camera, BLUR, [], pans)
    const sharp = render([block(lump)])
    expect(Math.max(...wide.fire.data)).toBeLessThan(0.97 * Math.max(...sharp.fire.data))
    expect(sum(alpha(wide)) / sum(alpha(sharp))).toBeCloseTo(1, 1)
  })
  it('does nothing to what stands still', () => {
    const [sharp, open] = [render([block(lump)]), render([block(lump)], camera, BLUR, [], still)]
    expect(sum(open.fire.data) / sum(sharp.fire.data)).toBeCloseTo(1, 1)
  })
  it('carries a frame to a moment between two by its own velocity', () => {
    const moving = block({ ...lump, velocity: [6, 0, 0] })
    const ahead = { ...moving, frames: moving.frames.map((one) => ({ ...one, ahead: 0.05 })) }
    expect(middle(alpha(render([ahead])))[0] - middle(alpha(render([moving])))[0]).toBeCloseTo((0.3 * 60) / 7, 0)
  })
})

describe('light in the smoke', () => {
  const cloud = (albedo: number): GasVolume =>
    block({ density: (x, y, z) => (Math.hypot(x, y, z) < 1.2 ? 6 : 0) }, { albedo, forward: 0 })
  const bright = (albedo: number, orders: number): number =>
    sum(render([cloud(albedo)], camera, { ...LOOK, orders }).smoke.data, (n) => n % 4 < 3)
  it('that is scattered more than once makes white smoke brighter, black smoke hardly, and never makes light', () => {
    expect(bright(0.98, 4) / bright(0.98, 1)).toBeGreaterThan(1.15)
    expect(bright(0.1, 4) / bright(0.1, 1)).toBeLessThan(1.1)
    // A white ball in an even sky is no brighter than the sky.
    const even = {
      sunDirection: [0, 1, 0] as const,
      sunShare: 0,
      sunColour: [1, 1, 1] as const,
      skyColour: [1, 1, 1] as const,
    }
    const passes = render([cloud(1)], camera, { ...LOOK, orders: 4 }, [], undefined, even)
    for (let n = 0; n < passes.smoke.data.length; n += 4)
      if ((passes.smoke.data[n + 3] ?? 0) > 0.05)
        expect((passes.smoke.data[n] ?? 0) / (passes.smoke.data[n + 3] ?? 1)).toBeLessThan(0.5 * 1.18 * 1.02)
  })
  it('leaves thin smoke as single scattering has it', () => {
    const thin = (orders: number): number =>
      sum(
        render([block({ density: () => 0.01 }, { albedo: 0.95 })], camera, { ...LOOK, orders }).smoke.data,
        (n) => n % 4 < 3,
      )
    expect(thin(4) / thin(1)).toBeCloseTo(1, 1)
  })
  it('changes smoothly from coarse cell to coarse cell', () => {
    const { data } = render([cloud(0.9)], { ...camera, focalPx: 90 }, { ...FINAL, blurs: false, step: 0.25 }).smoke
    // Down the middle of the ball, from its lit top: no step between pixels that is far from its neighbours' own.
    const column = Array.from(
      { length: 20 },
      (_, r) => (data[((14 + r) * 48 + 24) * 4] ?? 0) / Math.max(1e-6, data[((14 + r) * 48 + 24) * 4 + 3] ?? 1),
    )
    const steps = column.slice(1).map((v, n) => v - (column[n] ?? 0))
    for (let n = 1; n < steps.length; n++) expect(Math.abs((steps[n] ?? 0) - (steps[n - 1] ?? 0))).toBeLessThan(0.06)
  })
})

it('burning without soot is blue, where fuel is hot, and nowhere else', () => {
  const blue = blueGlow(100)
  const flame = render([block({ kelvin: () => 1200, fuel: 20 }, { blue })]).fire.data
  const at = (24 * 48 + 24) * 3
  expect(flame[at + 2]).toBeGreaterThan(1.5 * (flame[at] ?? 0))
  expect((flame[at + 2] ?? 0) / ((blue[2] ?? 0) * 20 * 3.2)).toBeCloseTo(1, 1)
  expect(Math.max(...render([block({ kelvin: () => 100, fuel: 20 }, { blue })]).fire.data)).toBe(0)
  expect(Math.max(...render([block({ kelvin: () => 1200, fuel: 20 })]).fire.data)).toBe(0)
})

it('the heat pass is the metres of air that are looked through, by how thin they are', () => {
  const { heat } = render([block({ kelvin: () => 290 })])
  expect(heat.data[24 * 48 + 24]).toBeCloseTo(3.2 * 0.5, 1)
  expect(heat.data[0]).toBe(0)
})
