import type { Vec3 } from '../math/index.ts'
import type { Contact } from './structure.ts'

// What holds pieces together: every touching pair is a joint that resists pull, push, shear and bending; loads are found by least energy (conjugate gradients, Hestenes & Stiefel 1952) and joints part where they carry more than they can (Mohr–Coulomb: shear up to the cohesion and friction of what presses).

export interface HeldPiece {
  /** m, world, as it stands. */
  middle: Vec3
  /** kg. */
  mass: number
}
export interface HoldingSettings {
  pieces: readonly HeldPiece[]
  contacts: readonly Contact[]
  /** Pieces that what stands around holds. */
  roots: readonly number[]
  /** Pull at which joints part, Pa. */
  strength: number
  friction: number
  /** m/s^2. */
  gravity: number
}

/** Stiffness of matter, Pa: only how loads spread hangs on it, not how large they are. */
const STIFF = 1e9
const SHEAR_SHARE = 0.4
/** Cohesion against pull. */
const COHESION = 1.4
/** How far from a joint's middle the thrust may lie, in widths of it. */
const THRUST = 0.45
const TOLERANCE = 1e-4
const MOST_ROUNDS = 3000

interface Joint {
  a: number
  b: number
  area: number
  normal: Vec3
  /** From each piece's middle to where they touch. */
  ra: Vec3
  rb: Vec3
  pull: number
  shear: number
  bend: number
}

/** Joints of a body that stands, and which of them have parted. */
export class Holding {
  readonly #settings: HoldingSettings
  readonly #joints: readonly Joint[]
  readonly #fixed: Uint8Array
  /** By joint: whether it still holds. */
  readonly holds: Uint8Array
  /** Shift and turn of each piece, 6 numbers, from which the next round begins. */
  readonly shifts: Float64Array

  /** state: as it was kept. */
  constructor(settings: HoldingSettings, state?: { holds: Uint8Array; shifts: Float64Array }) {
    this.#settings = settings
    const { pieces, contacts, roots } = settings
    this.#joints = contacts.map((contact) => jointOf(contact, pieces))
    this.#fixed = new Uint8Array(pieces.length)
    for (const root of roots) this.#fixed[root] = 1
    this.holds = state?.holds ?? new Uint8Array(contacts.length).fill(1)
    this.shifts = state?.shifts ?? new Float64Array(6 * pieces.length)
  }

  /** Pieces that no chain of joints ties to one that is held. */
  loose(gone: Uint8Array): number[] {
    const { pieces } = this.#settings
    const tied = new Uint8Array(pieces.length)
    const beside = Array.from({ length: pieces.length }, (): number[] => [])
    this.#joints.forEach(({ a, b }, n) => {
      if (!this.holds[n] || gone[a] || gone[b]) return
      beside[a]?.push(b)
      beside[b]?.push(a)
    })
    const open = [...this.#fixed.keys()].filter((n) => this.#fixed[n] && !gone[n])
    for (const n of open) tied[n] = 1
    for (let at = open.pop(); at !== undefined; at = open.pop())
      for (const next of beside[at] ?? [])
        if (!tied[next]) {
          tied[next] = 1
          open.push(next)
        }
    return [...tied.keys()].filter((n) => !tied[n] && !gone[n])
  }

  /** One round: loads are found, and joints that carry too much part. Returns how many did. gone: pieces that have left. */
  round(gone: Uint8Array): number {
    const { strength, friction } = this.#settings
    if (strength <= 0) return 0
    const out = new Uint8Array(gone)
    for (const n of this.loose(gone)) out[n] = 1
    this.#solve(out)
    const force = new Float64Array(6)
    let parted = 0
    this.#joints.forEach((joint, n) => {
      if (!this.holds[n] || out[joint.a] || out[joint.b]) return
      const { area } = joint
      const pull = forceOf(joint, this.shifts, force)
      const [x = 0, y = 0, z = 0, i = 0, j = 0, k = 0] = force
      const across = Math.sqrt(Math.max(0, x * x + y * y + z * z - pull * pull))
      const moment = Math.sqrt(i * i + j * j + k * k)
      const stress = pull / area + (6 * moment) / (area * Math.sqrt(area))
      const press = Math.max(0, -pull / area)
      // What presses holds as long as the thrust stays within the joint (Heyman 1966).
      const within = pull < 0 && moment < THRUST * -pull * Math.sqrt(area)
      if ((stress > strength && !within) || across / area > COHESION * strength + friction * press) {
        this.holds[n] = 0
        parted++
      }
    })
    return parted
  }

  /** Weight over what carries it: 1 where the round's loads are right. */
  balance(gone: Uint8Array): number {
    const { pieces, gravity } = this.#settings
    let [weight, carried] = [0, 0]
    const force = new Float64Array(6)
    pieces.forEach(({ mass }, n) => {
      if (!gone[n] && !this.#fixed[n]) weight += mass * gravity
    })
    this.#joints.forEach((joint, n) => {
      if (!this.holds[n] || gone[joint.a] || gone[joint.b] || this.#fixed[joint.a] === this.#fixed[joint.b]) return
      forceOf(joint, this.shifts, force)
      carried += (this.#fixed[joint.a] ? -1 : 1) * (force[1] ?? 0)
    })
    return weight > 0 ? carried / weight : 1
  }

  #multiply(u: Float64Array, out: Uint8Array, y: Float64Array): void {
    y.fill(0)
    const f = new Float64Array(6)
    this.#joints.forEach((joint, n) => {
      const { a, b, ra, rb } = joint
      if (!this.holds[n] || out[a] || out[b]) return
      forceOf(joint, u, f)
      const [x = 0, v = 0, z = 0] = f
      for (let k = 0; k < 6; k++) {
        y[6 * a + k] = (y[6 * a + k] as number) - (f[k] as number)
        y[6 * b + k] = (y[6 * b + k] as number) + (f[k] as number)
      }
      const turn = (at: number, [rx, ry, rz]: Vec3, sign: number): void => {
        y[at] = (y[at] as number) + sign * (ry * z - rz * v)
        y[at + 1] = (y[at + 1] as number) + sign * (rz * x - rx * z)
        y[at + 2] = (y[at + 2] as number) + sign * (rx * v - ry * x)
      }
      turn(6 * a + 3, ra, -1)
      turn(6 * b + 3, rb, 1)
    })
    this.#fixed.forEach((fixed, n) => {
      if (fixed || out[n]) y.fill(0, 6 * n, 6 * n + 6)
    })
  }

  #diagonal(out: Uint8Array): Float64Array {
    const d = new Float64Array(this.shifts.length)
    this.#joints.forEach(({ a, b, ra, rb, pull, shear, bend, normal }, n) => {
      if (!this.holds[n] || out[a] || out[b]) return
      for (const [i, r] of [
        [a, ra],
        [b, rb],
      ] as const) {
        const square = r[0] * r[0] + r[1] * r[1] + r[2] * r[2]
        for (const k of [0, 1, 2] as const) {
          d[6 * i + k] = (d[6 * i + k] as number) + shear + (pull - shear) * normal[k] * normal[k]
          d[6 * i + 3 + k] = (d[6 * i + 3 + k] as number) + bend + shear * (square - r[k] * r[k])
        }
      }
    })
    return d.map((value) => value || 1)
  }

  #solve(out: Uint8Array): void {
    const { pieces, gravity } = this.#settings
    const u = this.shifts
    const size = u.length
    const still = (n: number): boolean => Boolean(this.#fixed[n] || out[n])
    for (let n = 0; n < pieces.length; n++) if (still(n)) u.fill(0, 6 * n, 6 * n + 6)
    const [r, z, p, q] = [0, 1, 2, 3].map(() => new Float64Array(size)) as [
      Float64Array,
      Float64Array,
      Float64Array,
      Float64Array,
    ]
    const d = this.#diagonal(out)
    this.#multiply(u, out, q)
    let [target, rz] = [0, 0]
    for (let i = 0; i < size; i++) {
      const n = Math.floor(i / 6)
      const load = i % 6 === 1 && !still(n) ? -(pieces[n]?.mass ?? 0) * gravity : 0
      target += load * load
      r[i] = still(n) ? 0 : load - (q[i] as number)
      z[i] = (r[i] as number) / (d[i] as number)
      p[i] = z[i] as number
      rz += (r[i] as number) * (z[i] as number)
    }
    for (let round = 0; round < MOST_ROUNDS && rz > 0; round++) {
      this.#multiply(p, out, q)
      let pq = 0
      for (let i = 0; i < size; i++) pq += (p[i] as number) * (q[i] as number)
      if (pq <= 0) break
      const step = rz / pq
      let left = 0
      for (let i = 0; i < size; i++) {
        u[i] = (u[i] as number) + step * (p[i] as number)
        r[i] = (r[i] as number) - step * (q[i] as number)
        left += (r[i] as number) * (r[i] as number)
      }
      if (left < TOLERANCE * TOLERANCE * target) break
      let next = 0
      for (let i = 0; i < size; i++) {
        z[i] = (r[i] as number) / (d[i] as number)
        next += (r[i] as number) * (z[i] as number)
      }
      const share = next / rz
      rz = next
      for (let i = 0; i < size; i++) p[i] = (z[i] as number) + share * (p[i] as number)
    }
  }
}

function jointOf({ a, b, area, middle, normal }: Contact, pieces: readonly HeldPiece[]): Joint {
  const [p, q] = [pieces[a]?.middle ?? [0, 0, 0], pieces[b]?.middle ?? [0, 0, 0]]
  const between = Math.sqrt((q[0] - p[0]) ** 2 + (q[1] - p[1]) ** 2 + (q[2] - p[2]) ** 2)
  const pull = (STIFF * area) / Math.max(1e-3, between)
  return {
    a,
    b,
    area,
    normal,
    ra: [middle[0] - p[0], middle[1] - p[1], middle[2] - p[2]],
    rb: [middle[0] - q[0], middle[1] - q[1], middle[2] - q[2]],
    pull,
    shear: SHEAR_SHARE * pull,
    bend: (pull * area) / 12,
  }
}

/** Force and moment that a joint takes up for given shifts, N and N m, into `out`. Returns the pull along its normal, N. */
function forceOf({ a, b, ra, rb, normal, pull, shear, bend }: Joint, u: Float64Array, out: Float64Array): number {
  const at = (n: number): number => u[n] as number
  const [i, j] = [6 * a, 6 * b]
  const x = at(j) - at(i) + at(j + 4) * rb[2] - at(j + 5) * rb[1] - (at(i + 4) * ra[2] - at(i + 5) * ra[1])
  const y = at(j + 1) - at(i + 1) + at(j + 5) * rb[0] - at(j + 3) * rb[2] - (at(i + 5) * ra[0] - at(i + 3) * ra[2])
  const z = at(j + 2) - at(i + 2) + at(j + 3) * rb[1] - at(j + 4) * rb[0] - (at(i + 3) * ra[1] - at(i + 4) * ra[0])
  const along = x * normal[0] + y * normal[1] + z * normal[2]
  const more = (pull - shear) * along
  out[0] = shear * x + more * normal[0]
  out[1] = shear * y + more * normal[1]
  out[2] = shear * z + more * normal[2]
  for (let k = 3; k < 6; k++) out[k] = bend * (at(j + k) - at(i + k))
  return along * pull
}
