import { LanternError } from '../base/index.ts'
import {
  type DustPoints,
  emptyParticles,
  FLYING,
  type ParticleFrame,
  SLIDING,
  type Solid,
  STUCK,
} from '../data/index.ts'
import { exp, length, type Vec3 } from '../math/index.ts'
import { type AirNow, airAt } from './air.ts'
import { type Birth, beginOf, birthRate, birthsBetween, diceOf, normalOf, type Parents } from './births.ts'
import { bounced, firstMeeting, nearestSolid, surfaceNormal } from './contact.ts'
import { cooled, type HotBody, slowingRate } from './drag.ts'
import type { GasFlow } from './flow.ts'
import { apart, moved, newFlight, sway } from './motion.ts'
import { momentOf, type ParticleMoment, type ParticleSettings } from './settings.ts'
import { emptyFields, FIELDS, type ParticleFigures, type ParticleState } from './state.ts'

// Particles from frame to frame. Each goes its own way, by its own number alone: none feels another.

/** Steps of a frame at least and at most. */
const STEPS = { least: 2, most: 64 } as const
/** Share of its speed against the air that a particle may lose in a step. */
const CHANGE = 0.35
/** Below this speed into a surface, m/s, a particle no longer bounces. */
const RESTS = 0.25
/** Below this speed along a surface, m/s, it stays. */
const STAYS = 0.02
const MOST_MEETINGS = 4
/** How upright a surface's normal is on which things come to rest. */
const LEVEL = 0.35

export class ParticleSimulation {
  readonly #settings: ParticleSettings
  readonly #seconds: number
  #state: ParticleState
  #born = { count: 0, speed: 0, flow: 0 }
  /** Of the particle in hand: the air that it feels, its flight, where and how fast it ends a step, and a place on the way. */
  readonly #air: AirNow = { wind: [0, 0, 0], push: [0, 0, 0], slows: 0 }
  readonly #flight = newFlight(this.#air.wind)
  readonly #place: [number, number, number] = [0, 0, 0]
  readonly #ended: [number, number, number] = [0, 0, 0]
  readonly #between: [number, number, number] = [0, 0, 0]

  readonly #ball: { -readonly [K in keyof HotBody]: HotBody[K] }

  /** rate: frames a second. */
  constructor(settings: ParticleSettings, rate: number, state?: ParticleState) {
    this.#settings = settings
    const { specificHeat, emissivity } = settings.hot ?? { specificHeat: 1, emissivity: 1 }
    this.#ball = { diameter: 1, density: settings.body.density, specificHeat, emissivity }
    this.#seconds = 1 / rate
    this.#state = state ?? {
      done: 0,
      count: 0,
      ids: new Uint32Array(64),
      states: new Uint8Array(64),
      fields: emptyFields(64),
      hits: 0,
    }
  }

  get done(): number {
    return this.#state.done
  }
  get state(): ParticleState {
    return this.#state
  }

  /** The next frame. gas: the kept frame of the gas that they ride or come from; others: that of the particles that they come from. Yields now and then. Throws LanternError 'particles' where there would be too many. */
  *steps(gas?: GasFlow, others?: ParticleFrame | DustPoints): Generator<unknown, ParticleFigures> {
    const settings = this.#settings
    const { done } = this.#state
    const moment = momentOf(settings, done)
    const begin = (done - settings.preRoll) * this.#seconds
    this.#state.hits = 0
    this.#born = { count: 0, speed: 0, flow: 0 }
    const old = this.#state.count
    for (let n = 0; n < old; n++) {
      this.#advance(n, begin, this.#seconds, moment, gas)
      if (n % 2048 === 2047) yield
    }
    const cells = settings.source.kind === 'gas' && gas ? gas.startingCells(settings.source.by) : undefined
    const parents = others && { frame: others, time: begin + this.#seconds }
    const rate = birthRate(settings, moment, this.#seconds, others)
    for (const birth of birthsBetween(settings, rate, begin, begin + this.#seconds)) {
      const n = this.#bear(birth, moment, gas, cells, parents)
      if (n === undefined) continue
      this.#advance(n, birth.time, begin + this.#seconds - birth.time, moment, gas)
      if (n % 2048 === 2047) yield
    }
    this.#sweep()
    this.#state.done++
    return this.#figures()
  }

  /** Adds a new particle; undefined where there is no place for it. */
  #bear(
    birth: Birth,
    moment: ParticleMoment,
    gas?: GasFlow,
    cells?: Int32Array,
    parents?: Parents,
  ): number | undefined {
    const { id } = birth
    const { body, hot, speed, speedSpread, inherits, life, lifeSpread, most, air } = this.#settings
    const begun = beginOf(this.#settings, moment, birth, gas && cells ? { flow: gas, cells } : undefined, parents)
    if (!begun) return undefined
    const n = this.#room(most)
    const { ids, states, fields } = this.#state
    const felt: [number, number, number] = [0, 0, 0]
    if (begun.carried) for (let a = 0; a < 3; a++) felt[a] = begun.carried[a] as number
    else if (gas) gas.velocityAt(begun.at[0], begun.at[1], begun.at[2], felt)
    const own = begun.speed ?? speed * Math.max(0, 1 + speedSpread * normalOf(id, 20))
    ids[n] = id
    states[n] = FLYING
    fields.x[n] = begun.at[0]
    fields.y[n] = begun.at[1]
    fields.z[n] = begun.at[2]
    fields.u[n] = own * begun.to[0] + inherits * felt[0]
    fields.v[n] = own * begun.to[1] + inherits * felt[1]
    fields.w[n] = own * begun.to[2] + inherits * felt[2]
    fields.size[n] = body.diameter * exp(body.spread * normalOf(id, 24))
    fields.age[n] = 0
    fields.life[n] = Math.max(0.01, life * (1 + lifeSpread * normalOf(id, 28)))
    fields.kelvin[n] = hot ? Math.max(air.kelvin, hot.kelvin * (1 + hot.spread * normalOf(id, 32))) : air.kelvin
    fields.spin[n] = diceOf(id, 36)
    fields.rested[n] = 0
    this.#born.count++
    this.#born.speed += Math.sqrt(fields.u[n] ** 2 + fields.v[n] ** 2 + fields.w[n] ** 2)
    this.#born.flow += Math.sqrt(felt[0] ** 2 + felt[1] ** 2 + felt[2] ** 2)
    return n
  }

  /** A place for one more. */
  #room(most: number): number {
    const state = this.#state
    if (state.count >= most)
      throw new LanternError(
        'particles',
        `There would be more than ${most.toLocaleString('en')} particles at once.`,
        'Let fewer be born, or let them live for a shorter time.',
        { field: 'number' },
      )
    if (state.count === state.ids.length) {
      const room = 2 * state.count
      const grown = <T extends Uint32Array | Uint8Array | Float64Array>(old: T, made: T): T => (made.set(old), made)
      state.ids = grown(state.ids, new Uint32Array(room))
      state.states = grown(state.states, new Uint8Array(room))
      for (const name of FIELDS) state.fields[name] = grown(state.fields[name], new Float64Array(room))
    }
    return state.count++
  }

  /** A particle over so many seconds. */
  #advance(n: number, begin: number, seconds: number, moment: ParticleMoment, gas?: GasFlow): void {
    const { fields, states } = this.#state
    fields.age[n] = (fields.age[n] as number) + seconds
    if (states[n] === STUCK) {
      fields.rested[n] = (fields.rested[n] as number) + seconds
      return
    }
    let left = seconds
    let meetings = 0
    const now = this.#air
    while (left > 1e-9) {
      if (states[n] !== FLYING) {
        this.#slide(n, left, moment)
        return
      }
      const step = this.#fly(n, begin + seconds - left, left, moment, gas, now, meetings < MOST_MEETINGS)
      if (step.met) meetings++
      left -= step.seconds
      if ((fields.life[n] as number) <= 0 || (states[n] as number) === STUCK) return
    }
  }

  /** One step in the air: exact where what slows it is even over the step. Returns how long it was, and whether it ended on a surface. */
  #fly(
    n: number,
    time: number,
    left: number,
    moment: ParticleMoment,
    gas: GasFlow | undefined,
    now: AirNow,
    meets: boolean,
  ): { seconds: number; met: boolean } {
    const { fields, ids } = this.#state
    const { body, air, flow, flutter, contact, hot } = this.#settings
    const size = fields.size[n] as number
    const flight = this.#flight
    const { at, velocity, push, wind } = flight
    at[0] = fields.x[n] as number
    at[1] = fields.y[n] as number
    at[2] = fields.z[n] as number
    velocity[0] = fields.u[n] as number
    velocity[1] = fields.v[n] as number
    velocity[2] = fields.w[n] as number
    airAt(moment, gas, flow, at[0], at[1], at[2], time, now)
    if (flutter > 0) sway(ids[n] as number, flutter, time, now.wind)
    const weight = air.gravity * (1 - 1.2 / Math.max(1.2, body.density))
    push[0] = now.push[0]
    push[1] = now.push[1] - weight
    push[2] = now.push[2]
    const speed = apart(velocity, wind)
    const first = air.drag * slowingRate(body.form, size, body.density, speed)
    const change = Math.sqrt(
      (push[0] - first * (velocity[0] - wind[0])) ** 2 +
        (push[1] - first * (velocity[1] - wind[1])) ** 2 +
        (push[2] - first * (velocity[2] - wind[2])) ** 2,
    )
    const longest = this.#seconds / STEPS.least
    const wanted = (CHANGE * Math.max(speed, 0.3)) / Math.max(1e-6, change)
    let h = Math.min(left, longest, Math.max(this.#seconds / STEPS.most, wanted))
    // What slows it, as it is in the middle of the step.
    flight.slows = now.slows
    flight.rate = first
    moved(flight, h / 2, this.#place, this.#ended)
    const middle = apart(this.#ended, wind)
    flight.rate = air.drag * slowingRate(body.form, size, body.density, middle)
    moved(flight, h, this.#place, this.#ended)
    let met = false
    if (meets && contact.does !== 'pass') {
      const hit = this.#meeting(moment, h, size / 2)
      if (hit) {
        h = hit.seconds
        met = hit.touched !== undefined
        if (hit.touched) {
          const normal = surfaceNormal(hit.touched, hit.at)
          moved(flight, h, this.#place, this.#ended)
          this.#meet(n, { at: this.#place, velocity: this.#ended }, normal)
        } else moved(flight, h, this.#place, this.#ended)
      }
    }
    if (!met) this.#put(n, this.#place, this.#ended)
    this.#ball.diameter = size
    if (hot && hot.cools > 0)
      fields.kelvin[n] = cooled(this.#ball, fields.kelvin[n] as number, air.kelvin, middle, h * hot.cools)
    fields.spin[n] = (fields.spin[n] as number) + h * (0.3 + 0.4 * speed) * (diceOf(ids[n] as number, 37) - 0.5)
    return { seconds: Math.max(h, 1e-7), met }
  }

  /** Where the flight in hand first meets the set within so many seconds: how long until just before that, what it touches then, and where. */
  #meeting(
    { solids }: ParticleMoment,
    seconds: number,
    radius: number,
  ): { seconds: number; touched?: Solid; at: Vec3 } | undefined {
    const flight = this.#flight
    const between = this.#between
    const way = seconds * Math.max(length(flight.velocity), length(this.#ended))
    const placeAt = (share: number): Vec3 => {
      if (share === 0) return flight.at
      moved(flight, seconds * share, between)
      return between
    }
    const first = firstMeeting(solids, placeAt, way, radius)
    if (!first) return undefined
    // The moment of the meeting, by halves.
    let [low, high] = [seconds * first.before, seconds * first.after]
    for (let k = 0; k < 24; k++) {
      const half = (low + high) / 2
      moved(flight, half, between)
      if (nearestSolid(solids, between, radius)) high = half
      else low = half
    }
    moved(flight, high, between)
    const touched = nearestSolid(solids, between, radius + 1e-3)
    return { seconds: low, at: between, ...(touched ? { touched: touched.solid } : {}) }
  }

  #put(n: number, at: Vec3, velocity: Vec3): void {
    const { fields } = this.#state
    fields.x[n] = at[0]
    fields.y[n] = at[1]
    fields.z[n] = at[2]
    fields.u[n] = velocity[0]
    fields.v[n] = velocity[1]
    fields.w[n] = velocity[2]
  }

  /** What a particle does where it meets a surface. */
  #meet(n: number, { at, velocity }: { at: Vec3; velocity: Vec3 }, normal: Vec3): void {
    const { contact } = this.#settings
    const { fields, states } = this.#state
    this.#state.hits++
    if (contact.does === 'vanish') {
      fields.life[n] = 0
      return this.#put(n, at, velocity)
    }
    if (contact.does === 'stick') {
      states[n] = STUCK
      return this.#put(n, at, [0, 0, 0])
    }
    const after = bounced(velocity, normal, contact.restitution, contact.friction)
    const out = after[0] * normal[0] + after[1] * normal[1] + after[2] * normal[2]
    if (out < RESTS && normal[1] > LEVEL) {
      states[n] = SLIDING
      for (let a = 0; a < 3; a++) after[a] = (after[a] as number) - out * (normal[a] as number)
    }
    this.#put(n, at, after)
  }

  /** Along the surface that it lies on: gravity's part along it, less friction; off its edge it flies again. */
  #slide(n: number, seconds: number, { solids }: ParticleMoment): void {
    const { fields, states } = this.#state
    const { contact, air } = this.#settings
    const radius = (fields.size[n] as number) / 2
    const steps = 4
    const h = seconds / steps
    for (let k = 0; k < steps; k++) {
      const at: Vec3 = [fields.x[n] as number, fields.y[n] as number, fields.z[n] as number]
      const under = nearestSolid(solids, at, radius + 0.05)
      if (!under || under.distance > radius + 0.02) {
        states[n] = FLYING
        return
      }
      const normal = surfaceNormal(under.solid, at)
      const press = air.gravity * normal[1]
      const velocity = [fields.u[n] as number, fields.v[n] as number, fields.w[n] as number]
      const speed = Math.sqrt(velocity.reduce((sum, part) => sum + part * part, 0))
      const slope = [0, 1, 2].map((a) => (a === 1 ? -air.gravity : 0) + press * (normal[a] as number))
      const steep = Math.sqrt(slope.reduce((sum, part) => sum + part * part, 0))
      if (speed < STAYS && steep <= contact.friction * press) {
        states[n] = STUCK
        this.#put(n, at, [0, 0, 0])
        return
      }
      const brake = Math.min(speed, contact.friction * press * h)
      const next = velocity.map((part, a) => part + (slope[a] as number) * h - (speed > 0 ? (brake * part) / speed : 0))
      const up = radius - under.distance
      this.#put(
        n,
        [0, 1, 2].map((a) => (at[a] as number) + h * (next[a] as number) + up * (normal[a] as number)) as never,
        next as never,
      )
    }
  }

  /** Takes out what has lived its time or melted; the others keep their order. */
  #sweep(): void {
    const { melts } = this.#settings.contact
    const state = this.#state
    const { fields } = state
    let kept = 0
    for (let n = 0; n < state.count; n++) {
      const gone =
        (fields.age[n] as number) >= (fields.life[n] as number) || (melts > 0 && (fields.rested[n] as number) >= melts)
      if (gone || !Number.isFinite(fields.x[n] as number)) continue
      if (kept !== n) {
        state.ids[kept] = state.ids[n] as number
        state.states[kept] = state.states[n] as number
        for (const name of FIELDS) fields[name][kept] = fields[name][n] as number
      }
      kept++
    }
    state.count = kept
  }

  #figures(): ParticleFigures {
    const { count, fields, hits } = this.#state
    let [speed, highest] = [0, 0]
    for (let n = 0; n < count; n++) {
      speed += Math.sqrt((fields.u[n] as number) ** 2 + (fields.v[n] as number) ** 2 + (fields.w[n] as number) ** 2)
      highest = Math.max(highest, fields.y[n] as number)
    }
    const { count: born, speed: bornSpeed, flow } = this.#born
    return {
      count,
      meanSpeed: count > 0 ? speed / count : 0,
      highest,
      hits,
      bornSpeed: born > 0 ? bornSpeed / born : 0,
      flowSpeed: born > 0 ? flow / born : 0,
    }
  }

  /** The frame that was done last, as it is kept. What melts shrinks. */
  keep(): ParticleFrame {
    const { count, ids, states, fields } = this.#state
    const { melts } = this.#settings.contact
    const frame = emptyParticles(count)
    for (let n = 0; n < count; n++) {
      frame.ids[n] = ids[n] as number
      frame.states[n] = states[n] as number
      frame.positions.set([fields.x[n] as number, fields.y[n] as number, fields.z[n] as number], 3 * n)
      frame.velocities.set([fields.u[n] as number, fields.v[n] as number, fields.w[n] as number], 3 * n)
      const left = melts > 0 ? Math.max(0, 1 - (fields.rested[n] as number) / melts) : 1
      frame.sizes[n] = (fields.size[n] as number) * left
      frame.ages[n] = fields.age[n] as number
      frame.temperatures[n] = fields.kelvin[n] as number
      frame.spins[n] = fields.spin[n] as number
    }
    return frame
  }
}
