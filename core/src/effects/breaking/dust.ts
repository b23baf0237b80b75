import { type DustPoints, emptyDust } from '../../data/index.ts'
import type { Vec3 } from '../../math/index.ts'
import type { BreakSettings } from './settings.ts'

/** m of matter that a face loses as it parts. */
const LAYER = 2.5e-4
/** Share of a piece that comes off as dust when its speed jumps by 1 m/s; it grows with the energy. */
const HIT_SHARE = 4e-5
/** Jumps of speed below this give none, m/s. */
const LEAST_JUMP = 0.4
/** Points of a frame at most: the heaviest stay. */
const MOST = 4000

interface Point {
  at: Vec3
  velocity: Vec3
  area: number
  mass: number
  impulse: number
}

/** Dust and crumbs that a frame gives off, by place. */
export class Dust {
  readonly #points: Point[] = []
  readonly #density: number
  readonly #share: number
  /** A jump that gives some: more than what weight alone gives at rest, m/s. */
  readonly #least: number

  constructor({ density, dust, gravity, rate }: Pick<BreakSettings, 'density' | 'dust' | 'gravity' | 'rate'>) {
    this.#least = LEAST_JUMP + Math.abs(gravity) / rate
    this.#density = density
    this.#share = dust
  }

  /** Faces that part. area: m^2. */
  parted(at: Vec3, velocity: Vec3, area: number): void {
    const mass = this.#share * area * LAYER * this.#density
    if (mass > 0) this.#points.push({ at, velocity, area, mass, impulse: 0 })
  }
  /** A piece whose speed jumped, m/s. mass: its own, kg. */
  hit(at: Vec3, velocity: Vec3, mass: number, jump: number): void {
    if (jump < this.#least || this.#share === 0) return
    this.#points.push({
      at,
      velocity,
      area: 0,
      mass: this.#share * HIT_SHARE * mass * jump * jump,
      impulse: mass * jump,
    })
  }

  get kilograms(): number {
    return this.#points.reduce((sum, { mass }) => sum + mass, 0)
  }

  points(): DustPoints {
    const all = [...this.#points.entries()]
    const kept =
      all.length <= MOST
        ? all
        : all
            .sort(([a, p], [b, q]) => q.mass - p.mass || a - b)
            .slice(0, MOST)
            .sort(([a], [b]) => a - b)
    const out = emptyDust(kept.length)
    kept.forEach(([, { at, velocity, area, mass, impulse }], n) => {
      out.positions.set(at, 3 * n)
      out.velocities.set(velocity, 3 * n)
      out.areas[n] = area
      out.masses[n] = mass
      out.impulses[n] = impulse
    })
    return out
  }
}
