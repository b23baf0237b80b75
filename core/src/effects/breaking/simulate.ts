import { type Contact, type Cut, contactsOf, cutMesh, Holding, type Piece } from '../../breaking/index.ts'
import { type BrokenFrame, emptyBroken, HELD, MOVING, RESTING, type SurfaceMesh } from '../../data/index.ts'
import { add, conjugate, dot, multiply, rotate, scale, subtract, type Vec3 } from '../../math/index.ts'
import { RigidSimulation } from '../../rigid/index.ts'
import { type BodyPose, heldPieces } from './body.ts'
import { Dust } from './dust.ts'
import { type BreakSettings, cutPieces } from './settings.ts'
import { kick } from './strike.ts'

/** What is told of a frame. */
export interface BreakFigures {
  pieces: number
  /** On their way, and let go by now. */
  moving: number
  free: number
  /** Kinetic energy, J, and that all strikes gave by now. */
  energy: number
  given: number
  fastest: number
  /** Joints that parted, in all. */
  parted: number
  /** kg of dust and crumbs of this frame. */
  dust: number
  /** Names of strikes of this frame that hit nothing. */
  missed: readonly string[]
}

/** All that goes on from frame to frame. */
export interface BreakState {
  done: number
  world: Uint8Array
  gone: Uint8Array
  holds: Uint8Array
  shifts: Float64Array
  /** Whether loads are settled: no joint parted in the last round. */
  settled: boolean
  given: number
  parted: number
}

/** Let go but still among its neighbours, and clear of them. */
const FRESH = 1
const FREE = 2
/** Share of its friction that a piece has among its neighbours, and by how much of its size it must have gone to be clear. */
const FRESH_FRICTION = 0.1
const CLEAR = 1
/** Slower than this a piece counts as at rest, m/s. */
const CALM = 0.03

/** Touching pairs of pieces: their bodies' contacts put together. */
export function pieceContacts(pieces: readonly Piece[]): Contact[] {
  const owner = pieces.flatMap(({ bodies }, n) => bodies.map(() => n))
  return contactsOf(pieces.flatMap(({ bodies }) => [...bodies])).flatMap((contact) => {
    const [a, b] = [owner[contact.a] as number, owner[contact.b] as number]
    return a === b ? [] : [{ ...contact, a, b }]
  })
}

/** What it is cut into, and where that touches. Throws LanternError as cutBody and cutMesh. */
export async function cutOf(settings: BreakSettings, mesh?: SurfaceMesh): Promise<Cut> {
  if (mesh) return cutMesh(mesh, settings.cut)
  const pieces = cutPieces(settings)
  return { pieces, contacts: pieceContacts(pieces) }
}

/** Something that breaks, from frame to frame. */
export class BreakSimulation {
  readonly pieces: readonly Piece[]
  readonly #settings: BreakSettings
  readonly #rigid: RigidSimulation
  readonly #contacts: readonly Contact[]
  readonly #holding: Holding
  readonly #gone: Uint8Array
  #done: number
  #settled: boolean
  #given: number
  #parted: number
  #dust: Dust
  #missed: string[] = []

  private constructor(
    settings: BreakSettings,
    pieces: readonly Piece[],
    contacts: readonly Contact[],
    rigid: RigidSimulation,
    state?: BreakState,
  ) {
    this.#settings = settings
    this.pieces = pieces
    this.#rigid = rigid
    this.#contacts = contacts
    const pose = this.#poseAt(this.#strikeFrame())
    const held = heldPieces(pieces, pose, settings.around, settings.held)
    const standing = pieces.map(({ volume, middle }) => ({
      mass: volume * settings.density,
      middle: add(pose.place, rotate(pose.turn, middle)),
    }))
    const turned = contacts.map((contact) => ({
      ...contact,
      middle: add(pose.place, rotate(pose.turn, contact.middle)),
      normal: rotate(pose.turn, contact.normal),
    }))
    const { strength, friction, gravity } = settings
    this.#holding = new Holding(
      { pieces: standing, contacts: turned, roots: held, strength, friction, gravity },
      state && { holds: state.holds, shifts: state.shifts },
    )
    this.#gone = state?.gone ?? new Uint8Array(pieces.length)
    this.#done = state?.done ?? 0
    this.#settled = state?.settled ?? true
    this.#given = state?.given ?? 0
    this.#parted = state?.parted ?? 0
    this.#dust = new Dust(settings)
  }

  /** Cuts it and sets it up, or goes on from a state. mesh: of a taken-in thing, in its own space, m. Throws LanternError as cutBody, cutMesh and RigidSimulation. */
  static async open(settings: BreakSettings, state?: BreakState, mesh?: SurfaceMesh): Promise<BreakSimulation> {
    const { pieces, contacts } = await cutOf(settings, mesh)
    const [home] = settings.poses
    const { turn, place } = home ?? { turn: [0, 0, 0, 1], place: [0, 0, 0] }
    const bodies = pieces.map(({ bodies: own, middle, fill = 1 }) => ({
      hulls: own.map(({ corners }) => Float32Array.from(corners.flatMap((at) => subtract(at, middle)))),
      place: add(place, rotate(turn, middle)),
      rotation: turn,
      density: settings.density * fill,
      friction: settings.friction,
      restitution: settings.restitution,
      held: true,
    }))
    const { gravity, rate, substeps, solids, movers } = settings
    const kept = state && { frames: state.done, world: state.world }
    const rigid = await RigidSimulation.open({ gravity, rate, substeps, solids, bodies, movers }, kept)
    return new BreakSimulation(settings, pieces, contacts, rigid, state)
  }

  get done(): number {
    return this.#done
  }

  #strikeFrame = (): number => Math.max(0, this.#settings.blows[0]?.after ?? 0)
  #poseAt(frame: number): BodyPose {
    const { poses } = this.#settings
    return poses[Math.min(poses.length - 1, Math.max(0, frame))] ?? { turn: [0, 0, 0, 1], place: [0, 0, 0] }
  }
  get #moves(): boolean {
    return this.#settings.poses.length > 1
  }

  /** The next frame; yields between steps. */
  *steps(): Generator<undefined, BreakFigures> {
    const frame = this.#done
    this.#dust = new Dust(this.#settings)
    this.#missed = []
    const before = Uint8Array.from(this.#gone)
    if (this.#moves) this.#carry(frame)
    for (const blow of this.#settings.blows) if (Math.max(0, blow.after) === frame) this.#strike(blow, frame)
    this.#clear()
    this.#release()
    this.#tellParted(before)
    const speeds = this.pieces.map((_, n) => this.#rigid.pose(n).velocity)
    yield* this.#rigid.frame()
    this.#tellHits(speeds)
    this.#done++
    return this.#figures()
  }

  /** What is still held goes where the body goes. */
  #carry(frame: number): void {
    const { turn, place } = this.#poseAt(frame)
    this.pieces.forEach(({ middle }, n) => {
      if (!this.#gone[n]) this.#rigid.put(n, add(place, rotate(turn, middle)), turn)
    })
  }

  /** Speed and spin that a moving body gives its pieces. */
  #inherited(frame: number): (middle: Vec3) => { velocity: Vec3; spin: Vec3 } {
    const [before, now] = [this.#poseAt(frame - 1), this.#poseAt(frame)]
    const { rate } = this.#settings
    const by = multiply(now.turn, conjugate(before.turn))
    const sign = by[3] < 0 ? -1 : 1
    const spin: Vec3 = [2 * sign * by[0] * rate, 2 * sign * by[1] * rate, 2 * sign * by[2] * rate]
    return (middle) => {
      const [a, b] = [before, now].map(({ turn, place }) => add(place, rotate(turn, middle))) as [Vec3, Vec3]
      return { velocity: scale(subtract(b, a), rate), spin }
    }
  }

  #strike(blow: BreakSettings['blows'][number], frame: number): void {
    const standing = this.pieces.map((piece, n) => {
      const { place, rotation } = this.#rigid.pose(n)
      return { place, rotation, mass: this.#rigid.mass(n) || piece.volume * this.#settings.density, piece }
    })
    const hits = kick(blow, standing, this.#settings.cut.seed)
    if (hits.length === 0) {
      this.#missed.push(blow.name)
      return
    }
    if (this.#moves) {
      // Nothing holds what is on its way: all of it comes apart, with the speed that it had.
      const inherited = this.#inherited(frame)
      this.pieces.forEach(({ middle }, n) => {
        if (this.#gone[n]) return
        const { velocity, spin } = inherited(middle)
        this.#let(n, velocity, spin)
      })
    }
    for (const { n, velocity, spin } of hits) this.#let(n, velocity, spin)
    this.#given += blow.energy
    this.#settled = false
  }

  /** What is clear of where it was rubs on others as it should; packed pieces would jam. */
  #clear(): void {
    this.pieces.forEach((piece, n) => {
      if (this.#gone[n] !== FRESH) return
      const { place } = this.#rigid.pose(n)
      const pose = this.#poseAt(this.#strikeFrame())
      const way = subtract(place, add(pose.place, rotate(pose.turn, piece.middle)))
      if (dot(way, way) < (CLEAR * sizeOf(piece)) ** 2) return
      this.#gone[n] = FREE
      this.#rigid.rub(n, this.#settings.friction)
    })
  }

  #let(n: number, velocity: Vec3 = [0, 0, 0], spin: Vec3 = [0, 0, 0]): void {
    if (!this.#gone[n]) {
      this.#gone[n] = FRESH
      this.#rigid.rub(n, FRESH_FRICTION * this.#settings.friction)
    }
    this.#rigid.release(n, velocity, spin)
  }

  /** What hangs on nothing falls; then loads are found anew, once a frame, until no joint parts any more. */
  #release(): void {
    if (this.#settled) return
    for (const n of this.#holding.loose(this.#gone)) this.#let(n)
    const parted = this.#holding.round(this.#gone)
    this.#parted += parted
    for (const n of this.#holding.loose(this.#gone)) this.#let(n)
    this.#settled = parted === 0
  }

  /** Faces that parted in this frame give off dust. */
  #tellParted(before: Uint8Array): void {
    for (const { a, b, area, middle } of this.#contacts) {
      if (Boolean(before[a]) === Boolean(this.#gone[a]) && Boolean(before[b]) === Boolean(this.#gone[b])) continue
      const n = this.#gone[a] ? a : b
      const { place, rotation, velocity } = this.#rigid.pose(n)
      const home = this.pieces[n]?.middle ?? [0, 0, 0]
      this.#dust.parted(add(place, rotate(rotation, subtract(middle, home))), velocity, area)
    }
  }

  /** Jumps of speed are hits. */
  #tellHits(before: readonly Vec3[]): void {
    const { gravity, rate, density } = this.#settings
    this.pieces.forEach(({ volume }, n) => {
      if (!this.#gone[n]) return
      const { place, velocity } = this.#rigid.pose(n)
      const jump = subtract(velocity, add(before[n] ?? velocity, [0, -gravity / rate, 0]))
      this.#dust.hit(place, velocity, volume * density, Math.sqrt(dot(jump, jump)))
    })
  }

  #figures(): BreakFigures {
    let [moving, free, energy, fastest] = [0, 0, 0, 0]
    this.pieces.forEach((piece, n) => {
      if (!this.#gone[n]) return
      free++
      const { velocity, spin } = this.#rigid.pose(n)
      const square = dot(velocity, velocity)
      const extent = sizeOf(piece)
      energy += 0.5 * piece.volume * this.#settings.density * (square + 0.1 * extent * extent * dot(spin, spin))
      fastest = Math.max(fastest, Math.sqrt(square))
      if (square > CALM * CALM) moving++
    })
    return {
      pieces: this.pieces.length,
      moving,
      free,
      energy,
      given: this.#given,
      fastest,
      parted: this.#parted,
      dust: this.#dust.kilograms,
      missed: this.#missed,
    }
  }

  /** The frame that was done last. whole: with the pieces as they were cut. */
  keep(whole: boolean): BrokenFrame {
    const dust = this.#dust.points()
    const frame = { ...emptyBroken(this.pieces.length), dust }
    const standing = this.#poseAt(this.#done - 1)
    this.pieces.forEach(({ middle }, n) => {
      const pose = this.#rigid.pose(n)
      const free = Boolean(this.#gone[n])
      const turn = free ? pose.rotation : standing.turn
      const place = free ? subtract(pose.place, rotate(pose.rotation, middle)) : standing.place
      frame.turns.set(turn, 4 * n)
      frame.places.set(place, 3 * n)
      frame.velocities.set(free ? pose.velocity : [0, 0, 0], 3 * n)
      frame.spins.set(free ? pose.spin : [0, 0, 0], 3 * n)
      frame.states[n] = !free ? HELD : dot(pose.velocity, pose.velocity) > CALM * CALM ? MOVING : RESTING
    })
    if (!whole) return frame
    const meshes = this.pieces.flatMap(({ mesh }) => mesh ?? [])
    return { ...frame, pieces: this.pieces.map(({ bodies }) => bodies), ...(meshes.length > 0 ? { meshes } : {}) }
  }

  /** How deep pieces lie in what they touch, m. */
  contactDepths(): number[] {
    return this.#rigid.contactDepths()
  }

  get state(): BreakState {
    return {
      done: this.#done,
      world: this.#rigid.state().world,
      gone: this.#gone,
      holds: this.#holding.holds,
      shifts: this.#holding.shifts,
      settled: this.#settled,
      given: this.#given,
      parted: this.#parted,
    }
  }

  close(): void {
    this.#rigid.close()
  }
}

/** Longest half edge of a piece's bounds, m. */
export function sizeOf({ bodies, middle }: Piece): number {
  let most = 0
  for (const { corners } of bodies)
    for (const at of corners) {
      const away = subtract(at, middle)
      most = Math.max(most, dot(away, away))
    }
  return Math.sqrt(most)
}
