import { describe, expect, it } from 'vitest'
import { boxBody, type Solid } from '../data/index.ts'
import type { Quaternion, Vec3 } from '../math/index.ts'
import { type RigidBodySettings, type RigidSettings, RigidSimulation } from './index.ts'

const RATE = 24
const G = 9.81
const UPRIGHT: Quaternion = [0, 0, 0, 1]
const GROUND: Solid = { kind: 'halfspace', point: [0, 0, 0], normal: [0, 1, 0] }
const cube = (place: Vec3, over: Partial<RigidBodySettings> = {}, half: Vec3 = [0.1, 0.1, 0.1]): RigidBodySettings => ({
  hulls: [Float32Array.from(boxBody([-half[0], -half[1], -half[2]], half).corners.flat())],
  place,
  rotation: UPRIGHT,
  density: 1900,
  friction: 0.6,
  restitution: 0,
  held: false,
  ...over,
})
const settings = (bodies: RigidBodySettings[], over: Partial<RigidSettings> = {}): RigidSettings => ({
  gravity: G,
  rate: RATE,
  substeps: 4,
  solids: [GROUND],
  bodies,
  ...over,
})
const frames = (simulation: RigidSimulation, count: number, each?: (n: number) => void): void => {
  for (let n = 0; n < count; n++) {
    for (const _ of simulation.frame()) void _
    each?.(n)
  }
}
/** All poses as bytes. */
const print = (simulation: RigidSimulation, count: number): string =>
  Array.from({ length: count }, (_, n) => JSON.stringify(simulation.pose(n))).join()

describe('bodies', () => {
  it('fall as the law says', async () => {
    const simulation = await RigidSimulation.open(settings([cube([0, 10, 0])]))
    frames(simulation, RATE)
    // Speeds are half a step of the solver's own behind, places are exact.
    expect(simulation.pose(0).velocity[1] / -G).toBeCloseTo(1 - 0.125 / 96, 4)
    expect((10 - simulation.pose(0).place[1]) / (G / 2)).toBeGreaterThan(0.999)
    expect((10 - simulation.pose(0).place[1]) / (G / 2)).toBeLessThan(1.001)
    simulation.close()
  })
  it('slide as far as friction lets them, within 3 %', async () => {
    const simulation = await RigidSimulation.open(settings([cube([0, 0.1, 0], {}, [0.4, 0.1, 0.4])]))
    frames(simulation, 6)
    const [from] = simulation.pose(0).place
    simulation.release(0, [3, 0, 0])
    frames(simulation, 2 * RATE)
    const way = simulation.pose(0).place[0] - from
    expect(Math.abs(way / (9 / (2 * 0.6 * G)) - 1)).toBeLessThan(0.03)
    simulation.close()
  })
  it('bounce by their restitution, within 5 %', async () => {
    // A ball of many corners, so that it does not turn.
    const corners = Float32Array.from(
      Array.from({ length: 400 }, (_, n) => {
        const y = 1 - (2 * (n + 0.5)) / 400
        const r = Math.sqrt(1 - y * y)
        const turn = n * 2.399963
        return [0.05 * r * Math.cos(turn), 0.05 * y, 0.05 * r * Math.sin(turn)]
      }).flat(),
    )
    const ball = { ...cube([0, 2.05, 0], { restitution: 0.7 }), hulls: [corners] }
    const simulation = await RigidSimulation.open(settings([ball], { substeps: 16 }))
    let met = false
    let highest = 0
    frames(simulation, 2 * RATE, () => {
      const { place, velocity } = simulation.pose(0)
      met ||= velocity[1] > 0
      if (met) highest = Math.max(highest, place[1])
    })
    // Heights go with the square: speeds within 5 %.
    expect(Math.abs(Math.sqrt((highest - 0.05) / 2) / 0.7 - 1)).toBeLessThan(0.05)
    simulation.close()
  })
  it('give their momentum on: one that hits another of its own weight', async () => {
    const simulation = await RigidSimulation.open(
      settings([cube([-1, 5, 0]), cube([0, 5, 0])], { gravity: 0, solids: [] }),
    )
    simulation.release(0, [4, 0, 0])
    frames(simulation, RATE)
    const total = simulation.pose(0).velocity[0] + simulation.pose(1).velocity[0]
    expect(total / 4).toBeCloseTo(1, 2)
    expect(simulation.pose(1).velocity[0]).toBeGreaterThan(1.8)
    simulation.close()
  })
  it('stand still while they are held, and fall once they are let go', async () => {
    const simulation = await RigidSimulation.open(settings([cube([0, 3, 0], { held: true })]))
    frames(simulation, 12)
    expect(simulation.pose(0)).toMatchObject({ place: [0, 3, 0], velocity: [0, 0, 0], held: true })
    simulation.release(0, [1, 0, 0], [0, 2, 0])
    frames(simulation, 6)
    const { place, velocity, spin, held } = simulation.pose(0)
    expect(held).toBe(false)
    expect(place[1]).toBeLessThan(2.8)
    expect(velocity[0]).toBeCloseTo(1, 3)
    expect(spin[1]).toBeGreaterThan(1.5)
    simulation.close()
  })
  it.each([
    ['ground', { kind: 'halfspace', point: [0, 0, 0], normal: [0, 1, 0] }],
    ['a slope', { kind: 'halfspace', point: [0, 0, 0], normal: [0.6, 0.8, 0] }],
    ['a thin wall', { kind: 'box', centre: [0, -0.05, 0], half: [9, 0.05, 9], rotation: UPRIGHT }],
    ['a ball', { kind: 'ball', centre: [0, -1, 0], radius: 1 }],
  ] as [string, Solid][])('do not go through %s at 60 m/s', async (_, solid) => {
    const simulation = await RigidSimulation.open(settings([cube([0, 3, 0])], { solids: [solid], gravity: 0 }))
    simulation.release(0, [0, -60, 0])
    const up = solid.kind === 'halfspace' ? solid.normal : [0, 1, 0]
    let lowest = 9
    frames(simulation, 4, () => {
      const { place } = simulation.pose(0)
      lowest = Math.min(lowest, place[0] * (up[0] ?? 0) + place[1] * (up[1] ?? 0))
    })
    expect(lowest).toBeGreaterThan(-0.02)
    simulation.close()
  })
})

describe('a heap', () => {
  const heap = (): RigidBodySettings[] =>
    Array.from({ length: 40 }, (_, n) => cube([0.05 * (n % 3), 0.2 + 0.22 * n, 0.04 * (n % 2)], {}, [0.11, 0.04, 0.05]))
  it('comes to rest within five seconds, calmer than a millimetre a second, none through the ground', async () => {
    const simulation = await RigidSimulation.open(settings(heap()))
    frames(simulation, 5 * RATE)
    const poses = heap().map((_, n) => simulation.pose(n))
    const speeds = poses.map(({ velocity }) => Math.hypot(...velocity))
    expect(speeds.reduce((a, b) => a + b) / speeds.length).toBeLessThan(1e-3)
    expect(Math.min(...poses.map(({ place }) => place[1]))).toBeGreaterThan(0.03)
    simulation.close()
  })
  it('goes on from a kept state bit for bit, and gives the same twice', async () => {
    const [one, two] = [await RigidSimulation.open(settings(heap())), await RigidSimulation.open(settings(heap()))]
    frames(one, 20)
    frames(two, 10)
    const resumed = await RigidSimulation.open(settings(heap()), two.state())
    expect(resumed.frames).toBe(10)
    frames(resumed, 10)
    frames(two, 10)
    expect(print(resumed, 40)).toBe(print(one, 40))
    expect(print(two, 40)).toBe(print(one, 40))
    for (const simulation of [one, two, resumed]) simulation.close()
  })
  it('is refused where a piece is flat, or a state is of others', async () => {
    const flat = { ...cube([0, 1, 0]), hulls: [new Float32Array([0, 0, 0, 1, 0, 0, 0, 0, 1])] }
    await expect(RigidSimulation.open(settings([flat]))).rejects.toThrow(/Piece 1 is flat/)
    const simulation = await RigidSimulation.open(settings(heap()))
    const state = simulation.state()
    simulation.close()
    await expect(RigidSimulation.open(settings([cube([0, 1, 0])]), state)).rejects.toThrow(
      /state of the pieces is damaged/,
    )
  })
})

describe('a body on a path', () => {
  const places = Array.from({ length: 49 }, (_, n) => ({
    place: [-2 + n / 12, 0.3, 0] as const,
    rotation: [0, 0, 0, 1] as const,
  }))
  const mover = {
    solid: { kind: 'box', centre: [0, 0, 0], half: [0.3, 0.3, 0.3], rotation: [0, 0, 0, 1] },
    places,
  } as const
  it('pushes what stands in its way, and is not slowed by it', async () => {
    const simulation = await RigidSimulation.open(settings([cube([0, 0.1, 0])], { movers: [mover] }))
    frames(simulation, 49)
    // It ends at 2 m, with the cube before its front.
    expect(simulation.pose(0).place[0]).toBeGreaterThan(2.3)
    expect(simulation.pose(0).place[0]).toBeLessThan(3)
    simulation.close()
  })
  it('goes on from a kept state as if nothing had been', async () => {
    const own = settings([cube([0, 0.1, 0]), cube([0.5, 0.1, 0.1])], { movers: [mover] })
    const whole = await RigidSimulation.open(own)
    frames(whole, 30)
    const again = await RigidSimulation.open(own, whole.state())
    frames(whole, 10)
    frames(again, 10)
    expect(print(again, 2)).toBe(print(whole, 2))
    whole.close()
    again.close()
  })
})
