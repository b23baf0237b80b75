import type { Solid } from '../data/index.ts'
import { conjugate, dot, multiply, type Quaternion, rotate, subtract, unit, type Vec3 } from '../math/index.ts'
import type { ForceInputs, GasSettings, SceneInputs, SourceInputs } from './settings.ts'

/** The moment that a frame of the run ends at; done: frames computed before it, the run-up included. */
export function sceneInputsAt(settings: GasSettings, done: number): SceneInputs {
  const moment = settings.sceneInputs[Math.min(settings.sceneInputs.length - 1, Math.max(0, done - settings.preRoll))]
  if (!moment) throw new TypeError('a gas needs a moment')
  return moment
}

const mix = (a: number, b: number, t: number): number => a + (b - a) * t
const mixVec = (a: Vec3, b: Vec3, t: number): Vec3 => [mix(a[0], b[0], t), mix(a[1], b[1], t), mix(a[2], b[2], t)]
/** Straight between two rotations, the short way: between frames the difference to an even turn is far below a cell. */
function mixTurn(a: Quaternion, b: Quaternion, t: number): Quaternion {
  const sign = a[0] * b[0] + a[1] * b[1] + a[2] * b[2] + a[3] * b[3] < 0 ? -1 : 1
  return unit([
    mix(a[0], sign * b[0], t),
    mix(a[1], sign * b[1], t),
    mix(a[2], sign * b[2], t),
    mix(a[3], sign * b[3], t),
  ])
}

function mixSource(a: SourceInputs, b: SourceInputs, t: number): SourceInputs {
  const points =
    a.points && b.points && a.points.length === b.points.length
      ? a.points.map((v, n) => mix(v, b.points?.[n] ?? v, t))
      : t < 0.5
        ? a.points
        : b.points
  return {
    centre: mixVec(a.centre, b.centre, t),
    rotation: mixTurn(a.rotation, b.rotation, t),
    heat: mix(a.heat, b.heat, t),
    smoke: mix(a.smoke, b.smoke, t),
    temperature: mix(a.temperature, b.temperature, t),
    speed: mix(a.speed, b.speed, t),
    aim: mixVec(a.aim, b.aim, t),
    stir: mix(a.stir, b.stir, t),
    ...(points ? { points } : {}),
  }
}

const mixForce = (a: ForceInputs, b: ForceInputs, t: number): ForceInputs => ({
  centre: mixVec(a.centre, b.centre, t),
  axis: mixVec(a.axis, b.axis, t),
  strength: mix(a.strength, b.strength, t),
  radius: mix(a.radius, b.radius, t),
})

function mixSolid(a: Solid, b: Solid, t: number): Solid {
  if (a.kind === 'box' && b.kind === 'box')
    return {
      kind: 'box',
      centre: mixVec(a.centre, b.centre, t),
      half: mixVec(a.half, b.half, t),
      rotation: mixTurn(a.rotation, b.rotation, t),
    }
  if (a.kind === 'ball' && b.kind === 'ball')
    return { kind: 'ball', centre: mixVec(a.centre, b.centre, t), radius: mix(a.radius, b.radius, t) }
  return t < 1 ? a : b
}

/** Between two moments: t = 0 the first, t = 1 the second, which are given back as they are. */
export function sceneInputsBetween(a: SceneInputs, b: SceneInputs, t: number): SceneInputs {
  if (a === b || t <= 0) return a
  if (t >= 1) return b
  const pairs = <T>(x: readonly T[], y: readonly T[], blend: (p: T, q: T, t: number) => T): readonly T[] =>
    x === y ? x : y.map((q, n) => (x[n] === undefined || x[n] === q ? q : blend(x[n], q, t)))
  return {
    sources: pairs(a.sources, b.sources, mixSource),
    forces: pairs(a.forces, b.forces, mixForce),
    wind: mixVec(a.wind, b.wind, t),
    solids: pairs(a.solids, b.solids, mixSolid),
  }
}

/** Velocity at `at` of the solid that goes from a to b in dt, m/s. */
export function solidVelocity(a: Solid, b: Solid, at: Vec3, dt: number): Vec3 {
  if (a === b || a.kind === 'halfspace' || b.kind === 'halfspace') return [0, 0, 0]
  const local = subtract(at, b.centre)
  const back = 'rotation' in a && 'rotation' in b ? rotate(multiply(a.rotation, conjugate(b.rotation)), local) : local
  const before: Vec3 = [a.centre[0] + back[0], a.centre[1] + back[1], a.centre[2] + back[2]]
  return [(at[0] - before[0]) / dt, (at[1] - before[1]) / dt, (at[2] - before[2]) / dt]
}

/** Whether any solid is elsewhere. */
export const solidsMoved = (a: SceneInputs, b: SceneInputs): boolean =>
  a.solids !== b.solids &&
  a.solids.some((solid, n) => solid !== b.solids[n] && JSON.stringify(solid) !== JSON.stringify(b.solids[n]))

/** How far a source goes from one moment to another, m. */
export const travelOf = (a: SourceInputs, b: SourceInputs): number => {
  const d = subtract(b.centre, a.centre)
  return Math.sqrt(dot(d, d))
}

/** How far the places of a solid go at most from one moment to another, m. */
export function solidTravel(a: Solid, b: Solid): number {
  if (a.kind === 'halfspace' || b.kind === 'halfspace') return 0
  const reach = 'half' in a ? a.half : [a.radius, 0, 0]
  let most = 0
  for (let n = 0; n < 8; n++) {
    const corner: Vec3 = [
      (n & 1 ? 1 : -1) * (reach[0] ?? 0),
      (n & 2 ? 1 : -1) * (reach[1] ?? 0),
      (n & 4 ? 1 : -1) * (reach[2] ?? 0),
    ]
    const at = (solid: Exclude<Solid, { kind: 'halfspace' }>): Vec3 => {
      const turned = solid.kind === 'box' ? rotate(solid.rotation, corner) : corner
      return [solid.centre[0] + turned[0], solid.centre[1] + turned[1], solid.centre[2] + turned[2]]
    }
    const d = subtract(at(b), at(a))
    most = Math.max(most, Math.sqrt(dot(d, d)))
  }
  return most
}
