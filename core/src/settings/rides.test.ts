import { describe, expect, it } from 'vitest'
import { aboutAxis, multiply, rotate, type Vec3 } from '../math/index.ts'
import {
  type Item,
  type ItemDocument,
  movedAndSettledAt,
  type Ride,
  riddenPose,
  rides,
  type WorldPose,
} from './index.ts'

const still: WorldPose = { position: [1, 0, 0], rotation: [0, 0, 0, 1] }
/** Goes right and up, and turns. */
const carrier = (_: string, frame: number): WorldPose => ({
  position: [frame / 24, frame / 48, 0],
  rotation: aboutAxis([0, 1, 0], frame / 30),
})
const ride = (over: Partial<Ride> = {}): Ride => ({ on: 'cart', from: 10, to: 20, ends: 'own', ...over })
const at = (
  all: readonly Ride[],
  frame: number,
  holder: (ride: Ride, frame: number) => WorldPose | undefined = ({ on }, frame) => carrier(on, frame),
) => riddenPose(all, frame, 24, () => still, holder)
const apart = (a: WorldPose, b: WorldPose): number =>
  Math.hypot(...a.position.map((part, c) => part - (b.position[c] ?? 0)))

describe('A ride', () => {
  it('takes a thing where it is, keeps it where it was taken on its holder, and leaves it where it was let go', () => {
    expect(at([ride()], 9)).toEqual(still)
    expect(apart(at([ride()], 10), still)).toBeLessThan(1e-9)
    const onHolder = (frame: number): Vec3 => {
      const [held, holder] = [at([ride()], frame), carrier('', frame)]
      const away: Vec3 = [0, 1, 2].map((c) => (held.position[c] ?? 0) - (holder.position[c] ?? 0)) as unknown as Vec3
      return rotate([-holder.rotation[0], -holder.rotation[1], -holder.rotation[2], holder.rotation[3]], away)
    }
    for (const frame of [12, 15.5, 20])
      onHolder(frame).forEach((part, c) => expect(part).toBeCloseTo(onHolder(10)[c] ?? 0, 9))
    expect(apart(at([ride()], 20), at([ride()], 20.0001))).toBeLessThan(1e-3)
    expect(at([ride()], 40)).toEqual(at([ride()], 21))
  })

  it('ends in free flight with the speed that it had, falls as things do, and lies where it comes down', () => {
    const thrown = ride({ ends: 'flight' })
    const [gone, later] = [at([thrown], 20), at([thrown], 26)]
    const t = 6 / 24
    // The holder goes up at half a metre a second; what it holds goes round it as well.
    expect(later.position[1]).toBeCloseTo(gone.position[1] + 0.5 * t - 0.5 * 9.81 * t * t, 2)
    expect(apart(at([thrown], 20), at([thrown], 20.001))).toBeLessThan(1e-3)
    const lain = at([thrown], 60)
    expect(lain.position[1]).toBeCloseTo(0, 9)
    expect(at([thrown], 80)).toEqual(lain)
  })

  it('follows another without a jump, and one that is not there holds nothing', () => {
    const two = [ride(), ride({ on: 'crane', from: 25, to: 30 })]
    for (const frame of [10, 20, 25, 30])
      expect(apart(at(two, frame - 1e-4), at(two, frame + 1e-4)), `at ${frame}`).toBeLessThan(1e-3)
    expect(at([ride()], 15, () => undefined)).toEqual(still)
  })

  it('is refused where it ends before it begins, or two hold at once', () => {
    expect(rides.safeParse([ride({ to: 5 })]).success).toBe(false)
    expect(rides.safeParse([ride(), ride({ from: 15, to: 30 })]).success).toBe(false)
    expect(rides.safeParse([ride(), ride({ from: 21, to: 30 })]).success).toBe(true)
  })
})

describe('Items that ride', () => {
  type Standing = Item & { position: Vec3; turn: number; tilt: number; roll: number }
  const item = (over: Partial<Standing>): Standing => ({
    kind: 'box',
    name: 'Box',
    order: 1,
    shown: true,
    locked: false,
    position: [0, 0, 0],
    turn: 0,
    tilt: 0,
    roll: 0,
    ...over,
  })
  const document = (items: Record<string, Standing>): ItemDocument => ({
    plate: { first: 1, last: 100, rate: [24, 1] },
    signals: {},
    items,
  })
  const keys = [
    { frame: 1, position: [0, 0, 0] as Vec3, turn: 0, tilt: 0, roll: 0 },
    { frame: 49, position: [4, 0, 0] as Vec3, turn: 90, tilt: 0, roll: 0 },
  ]

  it('go with a thing that goes by its keys, and turn about it', () => {
    const load = item({ position: [1, 1, 0], rides: [ride({ on: 'cart', from: 1, to: 49 })] })
    const shot = document({ cart: item({ motion: { keys, curve: 'straight' } as Item['motion'] }), load })
    const now = movedAndSettledAt(shot, load, [], 49)
    // A quarter turn to the left brings what lay to the right to the back.
    const quarter = rotate(aboutAxis([0, 1, 0], Math.PI / 2), [1, 1, 0])
    now.position.forEach((part, c) => expect(part).toBeCloseTo((quarter[c] ?? 0) + (c === 0 ? 4 : 0), 6))
    expect(now.turn).toBeCloseTo(90, 6)
  })

  it('that hold one another in a ring stand still instead of hanging', () => {
    const [a, b] = [item({ rides: [ride({ on: 'b' })] }), item({ position: [2, 0, 0], rides: [ride({ on: 'a' })] })]
    expect(movedAndSettledAt(document({ a, b }), a, [], 15).position.every(Number.isFinite)).toBe(true)
  })

  it('turn in flight about the axis that they turned about', () => {
    const spun = at([ride({ ends: 'flight', to: 12 })], 20)
    const expected = multiply(aboutAxis([0, 1, 0], 8 / 30), at([ride({ ends: 'flight', to: 12 })], 12).rotation)
    const likeness = Math.abs(spun.rotation.reduce((sum, part, c) => sum + part * (expected[c] ?? 0), 0))
    // It lies from the moment on that it comes down, so it has turned no further than that.
    expect(likeness).toBeGreaterThan(0.98)
  })
})
