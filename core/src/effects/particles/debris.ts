import { LanternError } from '../../base/index.ts'
import { type DustPoints, emptyParticles, FLYING, type ParticleFrame, STUCK } from '../../data/index.ts'
import { exp, type Quaternion, type Vec3 } from '../../math/index.ts'
import {
  airAt,
  diceOf,
  emptyFields,
  type GasFlow,
  momentOf,
  type ParticleFigures,
  type ParticleSettings,
  ParticleSimulation,
  slowingRate,
} from '../../particles/index.ts'
import { type RigidBodySettings, RigidSimulation } from '../../rigid/index.ts'
import { bitCorners, turnOf } from './bits.ts'

// Debris that pushes and piles on itself: bits are born as particles are, then they are rigid bodies.

/** Bits at once, and in a run. */
export const MOST_AMONG = 2000
const MOST_EVER = 20_000
const SUBSTEPS = 4
/** Slower than this a bit counts as at rest, m/s. */
const CALM = 0.03
/** Spin of a bit that is born, rim's speed against its own; at most so many 1/s. */
const TUMBLE = 0.5
const MOST_SPIN = 40
/** Where bits that are gone are put: below all ground. */
const AWAY: Vec3 = [0, -5000, 0]

/** Numbers that each bit is kept by besides its body. */
const KEPT = ['size', 'age', 'life'] as const

/** All that goes on from frame to frame. */
export interface DebrisState {
  done: number
  world: Uint8Array
  /** Of each bit that ever was, in the order of births. */
  ids: Uint32Array
  alive: Uint8Array
  sizes: Float64Array
  ages: Float64Array
  lives: Float64Array
}

interface Bit {
  id: number
  alive: boolean
  size: number
  age: number
  life: number
}

/** Debris from frame to frame; the settings' `among` says as what it meets. */
export class DebrisSimulation {
  readonly #settings: ParticleSettings
  readonly #rate: number
  readonly #rigid: RigidSimulation
  readonly #bits: Bit[]
  #done: number

  private constructor(settings: ParticleSettings, rate: number, rigid: RigidSimulation, bits: Bit[], done: number) {
    this.#settings = settings
    this.#rate = rate
    this.#rigid = rigid
    this.#bits = bits
    this.#done = done
  }

  /** rate: frames a second. Throws LanternError as RigidSimulation.open. */
  static async open(settings: ParticleSettings, rate: number, state?: DebrisState): Promise<DebrisSimulation> {
    const { gravity } = settings.air
    const { solids } = momentOf(settings, 0)
    const kept = state && { frames: state.done, world: state.world, added: state.ids.length }
    const rigid = await RigidSimulation.open({ gravity, rate, substeps: SUBSTEPS, solids, bodies: [] }, kept)
    const bits = Array.from(state?.ids ?? [], (id, n): Bit => {
      const [size, age, life] = [state?.sizes[n] ?? 0, state?.ages[n] ?? 0, state?.lives[n] ?? 0]
      return { id, alive: state?.alive[n] === 1, size, age, life }
    })
    return new DebrisSimulation(settings, rate, rigid, bits, state?.done ?? 0)
  }

  get done(): number {
    return this.#done
  }

  /** The next frame; gas and others as ParticleSimulation has them. Throws LanternError 'debris' where there would be more than MOST_AMONG at once. */
  *steps(gas?: GasFlow, others?: ParticleFrame | DustPoints): Generator<unknown, ParticleFigures> {
    const seconds = 1 / this.#rate
    this.#slow(gas)
    yield* this.#rigid.frame()
    for (const [n, bit] of this.#bits.entries()) {
      if (!bit.alive) continue
      bit.age += seconds
      if (bit.age < bit.life && this.#rigid.pose(n).place[1] > AWAY[1] / 10) continue
      bit.alive = false
      this.#rigid.hold(n, AWAY)
    }
    const figures = yield* this.#bear(gas, others)
    this.#done++
    return { ...figures, ...this.#told() }
  }

  /** What the air takes of their speeds, and what forces give. */
  #slow(gas: GasFlow | undefined): void {
    const { body, air, flow } = this.#settings
    const moment = momentOf(this.#settings, this.#done)
    const seconds = 1 / this.#rate
    const time = (this.#done - this.#settings.preRoll) * seconds
    const now = { wind: [0, 0, 0] as Vec3, push: [0, 0, 0] as Vec3, slows: 0 } as Parameters<typeof airAt>[7]
    this.#bits.forEach(({ alive, size }, n) => {
      if (!alive) return
      const { place, velocity } = this.#rigid.pose(n)
      const speed = Math.sqrt(velocity[0] ** 2 + velocity[1] ** 2 + velocity[2] ** 2)
      if (speed < CALM && moment.forces.length === 0) return
      airAt(moment, gas, flow, place[0], place[1], place[2], time, now)
      const against = velocity.map((value, a) => (now.wind[a] as number) - value)
      const apart = Math.sqrt(against.reduce((sum, value) => sum + value * value, 0))
      const lost = 1 - exp(-seconds * (air.drag * slowingRate(body.form, size, body.density, apart) + now.slows))
      const change = against.map((value, a) => value * lost + (now.push[a] as number) * seconds) as unknown as Vec3
      if (change.some((value) => Math.abs(value) > 1e-4)) this.#rigid.release(n, change)
    })
  }

  /** Those of this frame, where they are at its end. */
  *#bear(gas?: GasFlow, others?: ParticleFrame | DustPoints): Generator<unknown, ParticleFigures> {
    const empty = { done: this.#done, count: 0, hits: 0, ids: new Uint32Array(64), states: new Uint8Array(64) }
    const emitter = new ParticleSimulation(this.#settings, this.#rate, { ...empty, fields: emptyFields(64) })
    const figures = yield* emitter.steps(gas, others)
    const { count, ids, fields } = emitter.state
    const living = this.#bits.reduce((sum, { alive }) => sum + (alive ? 1 : 0), 0)
    if (living + count > MOST_AMONG || this.#bits.length + count > MOST_EVER)
      throw new LanternError(
        'debris',
        `More than ${MOST_AMONG.toLocaleString('en')} bits would meet each other at once.`,
        'Let fewer be born, let them live for a shorter time, or let them meet the set alone.',
        { field: 'number' },
      )
    const at = (name: keyof typeof fields, n: number): number => fields[name][n] as number
    for (let n = 0; n < count; n++) {
      const id = ids[n] as number
      const size = at('size', n)
      const velocity: Vec3 = [at('u', n), at('v', n), at('w', n)]
      const body = this.#rigid.add(this.#bodyOf(id, size, [at('x', n), at('y', n), at('z', n)]))
      const speed = Math.sqrt(velocity.reduce((sum, value) => sum + value * value, 0))
      const turns = Math.min(MOST_SPIN, (TUMBLE * speed) / Math.max(0.005, size / 2))
      this.#rigid.release(body, velocity, [40, 41, 42].map((k) => turns * (2 * diceOf(id, k) - 1)) as unknown as Vec3)
      this.#bits.push({ id, alive: true, size, age: at('age', n), life: at('life', n) })
    }
    return figures
  }

  #bodyOf(id: number, size: number, place: Vec3): RigidBodySettings {
    const { among, body, contact } = this.#settings
    return {
      hulls: [bitCorners(id, among ?? { bits: 'mixed' }).map((value) => value * size)],
      place,
      rotation: turnOf(id, diceOf(id, 36)),
      density: body.density,
      friction: contact.friction,
      restitution: contact.restitution,
      held: true,
    }
  }

  #told(): Pick<ParticleFigures, 'count' | 'meanSpeed' | 'highest'> {
    let [count, speed, highest] = [0, 0, 0]
    this.#bits.forEach(({ alive }, n) => {
      if (!alive) return
      const { place, velocity } = this.#rigid.pose(n)
      count++
      speed += Math.sqrt(velocity[0] ** 2 + velocity[1] ** 2 + velocity[2] ** 2)
      highest = Math.max(highest, place[1])
    })
    return { count, meanSpeed: count > 0 ? speed / count : 0, highest }
  }

  /** The frame that was done last, as it is kept: with how each bit is turned. */
  keep(): ParticleFrame {
    const living = this.#bits.flatMap((bit, n) => (bit.alive ? [{ ...bit, ...this.#rigid.pose(n) }] : []))
    const frame = emptyParticles(living.length)
    const turns = new Float32Array(4 * living.length)
    living.forEach(({ id, size, age, place, velocity, rotation }, n) => {
      frame.ids[n] = id
      frame.sizes[n] = size
      frame.ages[n] = age
      frame.temperatures[n] = this.#settings.air.kelvin
      frame.positions.set(place, 3 * n)
      frame.velocities.set(velocity, 3 * n)
      frame.states[n] = velocity.every((value) => Math.abs(value) < CALM) ? STUCK : FLYING
      turns.set(rotation as Quaternion, 4 * n)
    })
    return { ...frame, turns }
  }

  get state(): DebrisState {
    const all = this.#bits
    const kept = (name: (typeof KEPT)[number]): Float64Array => Float64Array.from(all, (bit) => bit[name])
    return {
      done: this.#done,
      world: this.#rigid.state().world,
      ids: Uint32Array.from(all, ({ id }) => id),
      alive: Uint8Array.from(all, ({ alive }) => (alive ? 1 : 0)),
      sizes: kept('size'),
      ages: kept('age'),
      lives: kept('life'),
    }
  }

  close(): void {
    this.#rigid.close()
  }
}
