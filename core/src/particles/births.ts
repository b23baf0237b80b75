import { mix32 } from '../base/index.ts'
import { type DustPoints, normalAt, type ParticleFrame, type Solid, solidBounds } from '../data/index.ts'
import { add, cos, cross, length, normalise, rotate, scale, sin, subtract, type Vec3 } from '../math/index.ts'
import type { GasFlow } from './flow.ts'
import type { ParticleMoment, ParticleSettings } from './settings.ts'

// When and where particles are born. Each is decided by its own number alone, so that with more of them the old ones stay as they are.

/** A number of a particle's own, 0 to 1, from its id. */
export const diceOf = (id: number, n: number): number => mix32(id + Math.imul(n + 1, 0x9e3779b1)) / 4294967296
/** A normal deviate of its own (sum of four, which is near enough). */
export const normalOf = (id: number, n: number): number =>
  (diceOf(id, n) + diceOf(id, n + 1) + diceOf(id, n + 2) + diceOf(id, n + 3) - 2) * Math.sqrt(3)

export interface Birth {
  id: number
  /** Seconds from the run's first frame. */
  time: number
}

/** Births a second of one stream: a rate is so many streams, the last one thinned. */
const STREAM = 20

const idOf = (seed: number, a: number, b: number): number =>
  mix32(mix32(mix32(seed) + Math.imul(a + 1, 0x85ebca77)) + Math.imul(b + 0x1000, 0xc2b2ae3d))

/** Those born from one time to another, in their order. */
export function birthsBetween(
  { seed, births, from, to }: ParticleSettings,
  rate: number,
  begin: number,
  end: number,
): Birth[] {
  const [first, last] = [Math.max(begin, from), Math.min(end, to)]
  const found: Birth[] = []
  const take = (id: number, time: number): void => {
    if (time >= first && time < last) found.push({ id, time })
  }
  if (births.way === 'rate') {
    for (let stream = 0; stream * STREAM < rate; stream++) {
      const share = Math.min(1, rate / STREAM - stream)
      for (let n = Math.floor(first * STREAM) - 1; n <= Math.ceil(last * STREAM); n++) {
        const id = idOf(seed, stream, n)
        if (share >= 1 || diceOf(id, 0) < share) take(id, (n + diceOf(id, 1)) / STREAM)
      }
    }
  } else {
    const every = births.way === 'once' ? Infinity : Math.max(1e-3, births.every)
    const bursts = every === Infinity ? [0] : burstsAround(first, last, from, every, births.lasts)
    for (const burst of bursts) {
      const start = from + (burst === 0 ? 0 : burst * every)
      for (let n = 0; n < births.number; n++) {
        const id = idOf(seed, burst + 0x10000, n)
        take(id, start + births.lasts * diceOf(id, 1))
      }
    }
  }
  return found.sort((a, b) => a.time - b.time || a.id - b.id)
}
function burstsAround(first: number, last: number, from: number, every: number, lasts: number): number[] {
  const [low, high] = [Math.max(0, Math.floor((first - lasts - from) / every)), Math.floor((last - from) / every)]
  return Array.from({ length: Math.max(0, high - low + 1) }, (_, n) => low + n)
}

/** A direction within a cone about another, even over its cap. */
export function within(direction: Vec3, cone: number, a: number, b: number): Vec3 {
  if (cone <= 0) return direction
  const height = 1 - a * (1 - cos(cone))
  const across = Math.sqrt(Math.max(0, 1 - height * height))
  const side = normalise(cross(direction, Math.abs(direction[1]) < 0.9 ? [0, 1, 0] : [1, 0, 0]))
  const other = cross(direction, side)
  const turn = 2 * Math.PI * b
  return add(scale(direction, height), add(scale(side, across * cos(turn)), scale(other, across * sin(turn))))
}

/** A place on a solid's surface and its direction outward; half-spaces within a reach of their point. */
function onSurface(solid: Solid, reach: number, id: number): { at: Vec3; out: Vec3 } {
  const [a, b, c] = [diceOf(id, 10), diceOf(id, 11), diceOf(id, 12)]
  if (solid.kind === 'halfspace') {
    const away = reach * Math.sqrt(a)
    const side = normalise(cross(solid.normal, [1, 0, 0.01]))
    const other = cross(solid.normal, side)
    const at = add(
      solid.point,
      add(scale(side, away * cos(2 * Math.PI * b)), scale(other, away * sin(2 * Math.PI * b))),
    )
    return { at, out: solid.normal }
  }
  const { low, high } = solidBounds(solid) ?? { low: [0, 0, 0] as Vec3, high: [0, 0, 0] as Vec3 }
  if (solid.kind === 'box') {
    const { half, centre, rotation } = solid
    const areas = [half[1] * half[2], half[0] * half[2], half[0] * half[1]]
    const whole = areas.reduce((sum, area) => sum + area, 0)
    let pick = c * 2 * whole
    let axis = 0
    while (axis < 2 && pick > 2 * (areas[axis] as number)) pick -= 2 * (areas[axis++] as number)
    const sign = pick < (areas[axis] as number) ? -1 : 1
    const local = [0, 0, 0]
    local[axis] = sign * (half[axis] as number)
    local[(axis + 1) % 3] = (2 * a - 1) * (half[(axis + 1) % 3] as number)
    local[(axis + 2) % 3] = (2 * b - 1) * (half[(axis + 2) % 3] as number)
    const normal = [0, 0, 0]
    normal[axis] = sign
    return { at: add(centre, rotate(rotation, local as never)), out: rotate(rotation, normal as never) }
  }
  // Others by a place in their bounds, brought to the surface along its direction.
  const at: Vec3 = [low[0] + a * (high[0] - low[0]), low[1] + b * (high[1] - low[1]), low[2] + c * (high[2] - low[2])]
  return { at, out: normalAt(solid, at) }
}

/** Other particles that new ones begin at, or places of a break: as they are at a time, s. */
export interface Parents {
  frame: ParticleFrame | DustPoints
  time: number
}
const isDust = (frame: ParticleFrame | DustPoints): frame is DustPoints => 'masses' in frame

/** kg that places of a break give off. */
const dustOf = (frame: ParticleFrame | DustPoints): number =>
  isDust(frame) ? frame.masses.reduce((sum, mass) => sum + mass, 0) : 0

/** Births a second: of a break so many for each kg that it gives off in a frame. seconds: of the frame. */
export const birthRate = (
  { source }: ParticleSettings,
  { rate }: ParticleMoment,
  seconds: number,
  others: ParticleFrame | DustPoints | undefined,
): number => rate * (source.kind === 'break' ? (others ? dustOf(others) : 0) / seconds : 1)

/** A place of a break, by its share of the dust. */
function dustPlace({ count, masses }: DustPoints, share: number): number {
  let left = share * masses.reduce((sum, mass) => sum + mass, 0)
  let n = 0
  while (n < count - 1 && left > (masses[n] as number)) left -= masses[n++] as number
  return n
}

/** How far what is thrown out of a crater goes at most, radii. */
const THROWN = 9
/** Angles at which it flies off, radians: about 45 degrees. */
const [LEAST_ANGLE, MORE_ANGLE] = [0.66, 0.4]

/** Out of a crater: where it lands is spread as blankets are, thinning with the cube of the distance (McGetchin et al. 1973); it flies there on a parabola. */
function thrown(
  { radius, depth }: Extract<ParticleSettings['source'], { kind: 'crater' }>,
  centre: Vec3,
  id: number,
  gravity: number,
): { at: Vec3; to: Vec3; speed: number } {
  const [a, b, c] = [diceOf(id, 10), diceOf(id, 11), diceOf(id, 12)]
  const lands = radius / (1 - a * (1 - 1 / THROWN))
  const begins = 0.9 * radius * Math.sqrt(b)
  const way = 2 * Math.PI * c
  const rise = LEAST_ANGLE + MORE_ANGLE * diceOf(id, 13)
  const [x, z] = [cos(way), sin(way)]
  // From the middle it comes from deeper.
  const low = -0.5 * depth * (1 - (begins / radius) ** 2)
  const at: Vec3 = [centre[0] + begins * x, centre[1] + low, centre[2] + begins * z]
  const range = lands - begins
  const fall = range * (sin(rise) / cos(rise)) - low
  const speed = Math.sqrt((Math.max(0.1, gravity) * range * range) / (2 * cos(rise) ** 2 * Math.max(0.01, fall)))
  return { at, to: [x * cos(rise), sin(rise), z * cos(rise)], speed }
}

/** Where a particle begins, where to (unit), how fast where that follows from where, and how what it comes from moves, m/s. gas: the flow, and the cells in which it may begin. Undefined where there is no place for it. */
export function beginOf(
  { source, cone, air: { gravity } }: ParticleSettings,
  { centre, turn, direction, solids }: ParticleMoment,
  { id, time }: Birth,
  gas?: { flow: GasFlow; cells: Int32Array },
  parents?: Parents,
): { at: Vec3; to: Vec3; carried?: Vec3; speed?: number } | undefined {
  const [a, b, c] = [diceOf(id, 10), diceOf(id, 11), diceOf(id, 12)]
  const to = (out: Vec3): Vec3 => within(out, cone, diceOf(id, 13), diceOf(id, 14))
  const placed = (local: Vec3): { at: Vec3; to: Vec3 } => ({ at: add(centre, rotate(turn, local)), to: to(direction) })
  if (source.kind === 'crater') return thrown(source, centre, id, gravity)
  if (source.kind === 'point') return placed([0, 0, 0])
  if (source.kind === 'disc') {
    const away = source.radius * Math.sqrt(a)
    return placed([away * cos(2 * Math.PI * b), 0, away * sin(2 * Math.PI * b)])
  }
  if (source.kind === 'ball') {
    const away = within([0, 1, 0], Math.PI, a, b)
    // A cube root by bisection is not needed: the largest of three dice is spread alike.
    return placed(scale(away, source.radius * Math.max(c, diceOf(id, 15), diceOf(id, 16))))
  }
  if (source.kind === 'box')
    return placed([(2 * a - 1) * source.half[0], (2 * b - 1) * source.half[1], (2 * c - 1) * source.half[2]])
  if (source.kind === 'line') {
    const { points, radius } = source
    const lengths = points.slice(1).map((point, n) => length(subtract(point, points[n] as Vec3)))
    let along = a * lengths.reduce((sum, one) => sum + one, 0)
    let n = 0
    while (n < lengths.length - 1 && along > (lengths[n] as number)) along -= lengths[n++] as number
    const [from, next] = [points[n] as Vec3, points[n + 1] ?? (points[n] as Vec3)]
    const t = (lengths[n] ?? 0) > 0 ? along / (lengths[n] as number) : 0
    const aside = scale(within([0, 1, 0], Math.PI, b, c), radius * diceOf(id, 15))
    return placed(add(add(from, scale(subtract(next, from), t)), aside))
  }
  if (source.kind === 'surface') {
    const solid = solids[source.solid]
    const begun = solid && onSurface(solid, source.reach, id)
    return begun && { at: begun.at, to: to(begun.out) }
  }
  if (source.kind === 'particles' || source.kind === 'break') {
    if (!parents || parents.frame.count === 0) return undefined
    const { frame } = parents
    const { count, positions, velocities } = frame
    const one = isDust(frame) ? dustPlace(frame, a) : Math.min(count - 1, Math.floor(a * count))
    const n = 3 * one
    const carried: Vec3 = [velocities[n] as number, velocities[n + 1] as number, velocities[n + 2] as number]
    const own: Vec3 = [positions[n] as number, positions[n + 1] as number, positions[n + 2] as number]
    // A face gives off all over itself.
    const reach = isDust(frame) ? 0.5 * Math.sqrt(frame.areas[one] as number) : 0
    const aside = scale(within([0, 1, 0], Math.PI, b, c), reach * diceOf(id, 15))
    // It was there a little before.
    return { at: add(add(own, aside), scale(carried, time - parents.time)), to: to(direction), carried }
  }
  if (!gas || gas.cells.length === 0) return undefined
  const cell = gas.cells[Math.min(gas.cells.length - 1, Math.floor(a * gas.cells.length))] as number
  return { at: gas.flow.placeIn(cell, [b, c, diceOf(id, 15)]), to: to(direction) }
}
