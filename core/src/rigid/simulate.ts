import RAPIER from '@dimforge/rapier3d-deterministic-compat'
import { LanternError } from '../base/index.ts'
import { bodyWithin, type Dug, dugHeight, dugReach, type Solid } from '../data/index.ts'
import { type Quaternion, unit, type Vec3 } from '../math/index.ts'

// Rigid bodies that fall, hit and come to rest, by rapier (deterministic build: the same bits everywhere). What is held stands still until it is let go.

export interface RigidBodySettings {
  /** Corners of each of its hulls about its middle of mass, x y z after each other, m. */
  hulls: readonly Float32Array[]
  place: Vec3
  rotation: Quaternion
  /** kg/m^3. */
  density: number
  friction: number
  restitution: number
  /** Stands still until it is let go. */
  held: boolean
}
/** A body on a path: nothing holds it up. */
export interface Mover {
  /** As it is, about its own middle. */
  solid: Exclude<Solid, { kind: 'halfspace' }>
  /** Where it is at the end of each frame. */
  places: readonly { place: Vec3; rotation: Quaternion }[]
}
export interface RigidSettings {
  /** m/s^2, downward. */
  gravity: number
  /** Frames a second, and steps in each. */
  rate: number
  substeps: number
  /** What stands still. */
  solids: readonly Solid[]
  bodies: readonly RigidBodySettings[]
  movers?: readonly Mover[]
}
export interface RigidPose {
  place: Vec3
  rotation: Quaternion
  velocity: Vec3
  spin: Vec3
  held: boolean
}
/** All that goes on from frame to frame. */
export interface RigidState {
  frames: number
  world: Uint8Array
  /** Bodies that were added on the way. */
  added?: number
}

/** Hulls that touch exactly kick each other apart: they are this much smaller than they look. */
const INSET = 0.985
/** Stiffness of contacts, 1/s: resting heaps are calm with it. */
const CONTACT_FREQUENCY = 120
/** Meetings of a fast body that are followed within one step. */
const MOST_MEETINGS = 4
/** Bodies asleep this near to what moves are woken, m. */
const WAKES = 0.5
/** Damping, 1/s: of speed none, which free flight would show; of spin as much as lets heaps come to rest. */
const DAMPING = { linear: 0, angular: 0.6 } as const
/** Of what stands still: the smaller of two counts. */
const GROUND_FRICTION = 1
/** Half the edge of what stands for ground without end, m. */
const GROUND = 500
/** m^3 below which a piece is none: such slivers make heaps restless. */
const LEAST_VOLUME = 1e-9
const MOST_BODIES = 20_000

let ready: Promise<void> | undefined
/** Loads the engine, once. */
const load = (): Promise<void> => (ready ??= RAPIER.init())

const turned = ([x, y, z, w]: Quaternion): { x: number; y: number; z: number; w: number } => ({ x, y, z, w })

/** Straight between two rotations, the short way. */
function between(a: Quaternion, b: Quaternion, share: number): Quaternion {
  const sign = a[0] * b[0] + a[1] * b[1] + a[2] * b[2] + a[3] * b[3] < 0 ? -1 : 1
  return unit(a.map((value, n) => value + (sign * (b[n] as number) - value) * share) as unknown as Quaternion)
}

/** The rotation that takes up to a direction. */
function uprightTo([x, y, z]: Vec3): Quaternion {
  // Half way between the two; straight down turns about x.
  if (y < -1 + 1e-9) return [1, 0, 0, 0]
  const length = Math.sqrt(z * z + x * x + (1 + y) * (1 + y))
  return [z / length, 0, -x / length, (1 + y) / length]
}

/** Points along each side of what is dug. */
const DUG_STEPS = 72

/** Level ground with holes and heaps: slabs round them, and their surfaces as triangles. */
function dugColliders([, level]: Vec3, all: readonly Dug[]): RAPIER.ColliderDesc[] {
  const edge = (way: 1 | -1, axis: 'x' | 'z'): number =>
    way * Math.max(...all.map((dug) => way * dug[axis] + dugReach(dug)))
  const [low, high] = [
    [edge(-1, 'x'), edge(-1, 'z')],
    [edge(1, 'x'), edge(1, 'z')],
  ] as const
  const slab = (x0: number, x1: number, z0: number, z1: number): RAPIER.ColliderDesc =>
    RAPIER.ColliderDesc.cuboid((x1 - x0) / 2, GROUND / 10, (z1 - z0) / 2).setTranslation(
      (x0 + x1) / 2,
      level - GROUND / 10,
      (z0 + z1) / 2,
    )
  const at = (n: number, a: 0 | 1): number => low[a] + ((high[a] - low[a]) * n) / DUG_STEPS
  const vertices = new Float32Array(3 * (DUG_STEPS + 1) ** 2)
  const indices: number[] = []
  for (let j = 0; j <= DUG_STEPS; j++)
    for (let i = 0; i <= DUG_STEPS; i++) {
      const [x, z] = [at(i, 0), at(j, 1)]
      const n = j * (DUG_STEPS + 1) + i
      vertices.set([x, level + all.reduce((sum, dug) => sum + dugHeight(dug, x, z), 0), z], 3 * n)
      if (i < DUG_STEPS && j < DUG_STEPS)
        indices.push(n, n + DUG_STEPS + 1, n + 1, n + 1, n + DUG_STEPS + 1, n + DUG_STEPS + 2)
    }
  return [
    slab(-GROUND, low[0], -GROUND, GROUND),
    slab(high[0], GROUND, -GROUND, GROUND),
    slab(low[0], high[0], -GROUND, low[1]),
    slab(low[0], high[0], high[1], GROUND),
    RAPIER.ColliderDesc.trimesh(vertices, Uint32Array.from(indices)),
    // Nothing that slips through a surface falls without end.
    slab(low[0], high[0], low[1], high[1]).setTranslation(
      (low[0] + high[0]) / 2,
      level - GROUND / 10 - Math.max(...all.map(depthOf)) - 0.05,
      (low[1] + high[1]) / 2,
    ),
  ]
}
const depthOf = ({ shape, rough }: Dug): number =>
  2 * rough + (shape.kind === 'crater' ? shape.depth : Math.max(0, -shape.height))

/** What of a solid stands in the way. */
function collidersOf(solid: Solid): RAPIER.ColliderDesc[] {
  if (solid.kind === 'halfspace' && solid.dug?.length) return dugColliders(solid.point, solid.dug)
  if (solid.kind === 'halfspace') {
    const [x, y, z] = solid.normal
    const [px, py, pz] = solid.point
    return [
      RAPIER.ColliderDesc.cuboid(GROUND, GROUND / 10, GROUND)
        .setTranslation(px - (x * GROUND) / 10, py - (y * GROUND) / 10, pz - (z * GROUND) / 10)
        .setRotation(turned(uprightTo(solid.normal))),
    ]
  }
  const [x, y, z] = solid.centre
  if (solid.kind === 'ball') return [RAPIER.ColliderDesc.ball(solid.radius).setTranslation(x, y, z)]
  if (solid.kind === 'box')
    return [
      RAPIER.ColliderDesc.cuboid(...(solid.half as [number, number, number]))
        .setTranslation(x, y, z)
        .setRotation(turned(solid.rotation)),
    ]
  return solid.parts.flatMap((planes) => {
    const body = bodyWithin(planes, solid.half)
    const hull = body && RAPIER.ColliderDesc.convexHull(Float32Array.from(body.corners.flat()))
    return hull ? [hull.setTranslation(x, y, z).setRotation(turned(solid.rotation))] : []
  })
}

/** By how much too slow a fall begins, m/s: half of one of the solver's own steps, so that free flight is exact at the ends of steps. */
const aheadOf = (world: RAPIER.World, gravity: number): number =>
  (gravity * world.timestep) / (2 * world.numSolverIterations)

function build({ gravity, rate, substeps, solids, bodies, movers = [] }: RigidSettings): RAPIER.World {
  const world = new RAPIER.World({ x: 0, y: -gravity, z: 0 })
  world.timestep = 1 / (rate * substeps)
  world.integrationParameters.contact_natural_frequency = CONTACT_FREQUENCY
  world.integrationParameters.maxCcdSubsteps = MOST_MEETINGS
  const halfStep = aheadOf(world, gravity)
  for (const solid of solids)
    for (const one of collidersOf(solid)) world.createCollider(one.setFriction(GROUND_FRICTION))
  addBodies(world, bodies, halfStep)
  // After all bodies, which are told by their number.
  for (const { solid, places } of movers) {
    const [home] = places
    const body = world.createRigidBody(
      RAPIER.RigidBodyDesc.kinematicPositionBased()
        .setTranslation(...((home?.place ?? solid.centre) as [number, number, number]))
        .setRotation(turned(home?.rotation ?? [0, 0, 0, 1])),
    )
    for (const one of collidersOf(atHome(solid))) world.createCollider(one.setFriction(GROUND_FRICTION), body)
  }
  return world
}

/** A solid about the origin, unturned. */
const atHome = (solid: Mover['solid']): Solid =>
  solid.kind === 'ball' ? { ...solid, centre: [0, 0, 0] } : { ...solid, centre: [0, 0, 0], rotation: [0, 0, 0, 1] }

/** Throws LanternError 'rigid-body' where one has no volume; the world is given back then. */
function addBodies(world: RAPIER.World, bodies: readonly RigidBodySettings[], halfStep: number): RAPIER.RigidBody[] {
  return bodies.map((one, n) => {
    const kind = one.held ? RAPIER.RigidBodyDesc.fixed() : RAPIER.RigidBodyDesc.dynamic()
    const body = world.createRigidBody(
      kind
        .setTranslation(...(one.place as [number, number, number]))
        .setRotation(turned(one.rotation))
        .setLinearDamping(DAMPING.linear)
        .setAngularDamping(DAMPING.angular)
        .setCcdEnabled(true),
    )
    if (!one.held) body.setLinvel({ x: 0, y: halfStep, z: 0 }, true)
    let volume = 0
    for (const points of one.hulls) {
      const hull = RAPIER.ColliderDesc.convexHull(points.map((value) => value * INSET))
      if (!hull) continue
      const made = world.createCollider(
        hull
          .setDensity(one.density / INSET ** 3)
          .setFriction(one.friction)
          .setRestitution(one.restitution)
          .setRestitutionCombineRule(RAPIER.CoefficientCombineRule.Max)
          .setFrictionCombineRule(RAPIER.CoefficientCombineRule.Min),
        body,
      )
      volume += made.volume()
    }
    if (volume >= LEAST_VOLUME) return body
    world.free()
    throw new LanternError('rigid-body', `Piece ${n + 1} is flat: it has no volume.`, 'Cut it into fewer pieces.', {
      field: 'number',
    })
  })
}

/** Bodies from frame to frame. Bodies are told by their number in the settings. */
export class RigidSimulation {
  readonly #settings: RigidSettings
  readonly #world: RAPIER.World
  #bodies: RAPIER.RigidBody[]
  #added: number
  readonly #movers: RAPIER.RigidBody[]
  #frames: number

  private constructor(settings: RigidSettings, world: RAPIER.World, frames: number, added = 0) {
    this.#settings = settings
    this.#world = world
    this.#frames = frames
    this.#added = added
    // In the order in which they were made.
    const all = world.bodies.getAll().sort((a, b) => a.handle - b.handle)
    const [own, movers] = [settings.bodies.length, settings.movers?.length ?? 0]
    this.#bodies = [...all.slice(0, own), ...all.slice(own + movers)]
    this.#movers = all.slice(own, own + movers)
  }

  /** Sets bodies up, or goes on from a kept state. Throws LanternError 'rigid-body' where one has no volume, 'rigid-many' beyond 20,000, 'rigid-state' on a state that is none. */
  static async open(settings: RigidSettings, state?: RigidState): Promise<RigidSimulation> {
    if (settings.bodies.length > MOST_BODIES)
      throw new LanternError(
        'rigid-many',
        `There are ${settings.bodies.length.toLocaleString('en')} pieces; ${MOST_BODIES.toLocaleString('en')} are the most.`,
        'Cut it into fewer pieces.',
        { field: 'number' },
      )
    await load()
    if (!state) return new RigidSimulation(settings, build(settings), 0)
    const world = RAPIER.World.restoreSnapshot(state.world) as RAPIER.World | undefined
    if (world?.bodies.len() !== settings.bodies.length + (settings.movers?.length ?? 0) + (state.added ?? 0))
      throw new LanternError('rigid-state', 'A kept state of the pieces is damaged.', 'Bake it again.')
    return new RigidSimulation(settings, world, state.frames, state.added)
  }

  get frames(): number {
    return this.#frames
  }

  /** Lets a held body go, with a velocity (m/s) and a spin (1/s). One that moves already gets them on top of its own. */
  release(n: number, velocity: Vec3 = [0, 0, 0], spin: Vec3 = [0, 0, 0]): void {
    const body = this.#bodies[n]
    if (!body) return
    const fresh = body.isFixed()
    if (fresh) body.setBodyType(RAPIER.RigidBodyType.Dynamic, true)
    const ahead = fresh ? aheadOf(this.#world, this.#settings.gravity) : 0
    const [own, turn] = [body.linvel(), body.angvel()]
    body.setLinvel({ x: own.x + velocity[0], y: own.y + velocity[1] + ahead, z: own.z + velocity[2] }, true)
    body.setAngvel({ x: turn.x + spin[0], y: turn.y + spin[1], z: turn.z + spin[2] }, true)
  }

  /** Adds a body on the way; its number. Throws LanternError 'rigid-body' where it has no volume. */
  add(one: RigidBodySettings): number {
    const [body] = addBodies(this.#world, [one], aheadOf(this.#world, this.#settings.gravity))
    if (body) this.#bodies.push(body)
    this.#added++
    return this.#bodies.length - 1
  }
  /** Holds a body somewhere, out of the way of all others. */
  hold(n: number, [x, y, z]: Vec3): void {
    const body = this.#bodies[n]
    if (!body) return
    body.setBodyType(RAPIER.RigidBodyType.Fixed, false)
    body.setTranslation({ x, y, z }, false)
  }

  /** Changes how much a body rubs on others. */
  rub(n: number, friction: number): void {
    const body = this.#bodies[n]
    for (let k = 0; body && k < body.numColliders(); k++) body.collider(k).setFriction(friction)
  }
  /** Puts a held body where it is to stand. */
  put(n: number, place: Vec3, rotation: Quaternion): void {
    const body = this.#bodies[n]
    if (!body?.isFixed()) return
    body.setTranslation({ x: place[0], y: place[1], z: place[2] }, false)
    body.setRotation(turned(rotation), false)
  }

  /** The next frame; yields after each step. Nothing is done while all is held. */
  *frame(): Generator<undefined, void> {
    const moves = this.#bodies.some((body) => !body.isFixed())
    for (let k = 0; moves && k < this.#settings.substeps; k++) {
      this.#push((k + 1) / this.#settings.substeps)
      this.#world.step()
      yield
    }
    this.#frames++
  }

  /** Brings what is on a path to where it is at a share of this frame, and wakes what it may come to: sleepers are entered before they wake. */
  #push(share: number): void {
    this.#movers.forEach((body, n) => {
      const { places = [], solid } = this.#settings.movers?.[n] ?? {}
      const at = (frame: number) => places[Math.min(places.length - 1, Math.max(0, frame))]
      const [from, to] = [at(this.#frames - 1), at(this.#frames)]
      if (!from || !to || !solid) return
      const place = from.place.map((value, a) => value + ((to.place[a] as number) - value) * share)
      const [x = 0, y = 0, z = 0] = place
      body.setNextKinematicTranslation({ x, y, z })
      body.setNextKinematicRotation(turned(between(from.rotation, to.rotation, share)))
      const reach =
        solid.kind === 'ball' ? solid.radius : Math.sqrt(solid.half.reduce((sum, half) => sum + half * half, 0))
      if (from === to) return
      for (const one of this.#bodies) {
        if (!one.isSleeping()) continue
        const own = one.translation()
        const away = (own.x - x) ** 2 + (own.y - y) ** 2 + (own.z - z) ** 2
        if (away < (reach + WAKES) ** 2) one.wakeUp()
      }
    })
  }

  /** How deep bodies lie in what they touch, m, each contact once; below 0 they are apart. */
  contactDepths(): number[] {
    const depths: number[] = []
    const seen = new Set<string>()
    for (const body of this.#bodies)
      for (let k = 0; k < body.numColliders(); k++) {
        const own = body.collider(k)
        this.#world.contactPairsWith(own, (other) => {
          const key = own.handle < other.handle ? `${own.handle}/${other.handle}` : `${other.handle}/${own.handle}`
          if (seen.has(key)) return
          seen.add(key)
          this.#world.contactPair(own, other, (manifold) => {
            for (let n = 0; n < manifold.numContacts(); n++) depths.push(-manifold.contactDist(n))
          })
        })
      }
    return depths
  }

  pose(n: number): RigidPose {
    const body = this.#bodies[n]
    if (!body) throw new RangeError(`body ${n}`)
    const [at, turn, velocity, spin] = [body.translation(), body.rotation(), body.linvel(), body.angvel()]
    return {
      place: [at.x, at.y, at.z],
      rotation: [turn.x, turn.y, turn.z, turn.w],
      velocity: [velocity.x, velocity.y, velocity.z],
      spin: [spin.x, spin.y, spin.z],
      held: body.isFixed(),
    }
  }
  /** kg. */
  mass(n: number): number {
    return this.#bodies[n]?.mass() ?? 0
  }

  state(): RigidState {
    return {
      frames: this.#frames,
      world: this.#world.takeSnapshot(),
      ...(this.#added > 0 ? { added: this.#added } : {}),
    }
  }
  /** Gives its memory back. */
  close(): void {
    this.#world.free()
  }
}
