import {
  bodyWithin,
  boxBody,
  type Convex,
  clipConvex,
  type FormPlane,
  planesOf,
  SIDES,
  type Solid,
} from '../data/index.ts'
import { add, conjugate, dot, type Quaternion, rotate, subtract, type Vec3 } from '../math/index.ts'

// Holes: what stands around something that breaks, without the room that it took.

/** Convex rooms that are taken out, as planes in the world: inside is normal · p <= offset. */
export type Hole = readonly (readonly FormPlane[])[]

/** Bodies that a solid is carved into at most. */
const MOST_BODIES = 400

/** A plane of a space in the world. world = turn (local) + place. */
export const planeInWorld = ({ normal, offset }: FormPlane, turn: Quaternion, place: Vec3): FormPlane => {
  const out = rotate(turn, normal)
  return { normal: out, offset: offset + dot(out, place) }
}

/** What of convex bodies lies outside of a convex room: cut along each of its planes in turn. side: what new faces are told to have behind them. */
export function without(bodies: readonly Convex[], room: readonly FormPlane[], side: number = SIDES[0]): Convex[] {
  const left: Convex[] = []
  for (const body of bodies) {
    let inner: Convex | undefined = body
    const outer: Convex[] = []
    for (const { normal, offset } of room) {
      if (!inner) break
      const beyond = clipConvex(inner, [-normal[0], -normal[1], -normal[2]], -offset, side)
      if (beyond) outer.push(beyond)
      inner = clipConvex(inner, normal, offset, side)
    }
    // What a room misses stays whole.
    left.push(...(inner ? outer : [body]))
  }
  return left
}

/** The convex bodies of a solid, in the world; undefined of a half-space or a ball, which are not carved. */
function bodiesOf(solid: Solid): Convex[] | undefined {
  if (solid.kind === 'halfspace' || solid.kind === 'ball') return undefined
  const [a, b, c] = solid.half
  const own =
    solid.kind === 'box'
      ? [boxBody([-a, -b, -c], [a, b, c])]
      : solid.parts.flatMap((planes) => bodyWithin(planes, solid.half) ?? [])
  return own.map(({ corners, faces }) => ({
    corners: corners.map((at): Vec3 => add(solid.centre, rotate(solid.rotation, at))),
    faces,
  }))
}

/** A solid without some holes, as convex bodies in the world; undefined where none touches it, or where it can't be carved. */
export function carvedBodies(solid: Solid, holes: readonly Hole[]): Convex[] | undefined {
  const whole = bodiesOf(solid)
  if (!whole) return undefined
  let left = whole
  for (const hole of holes)
    for (const room of hole) {
      const next = without(left, room)
      if (next.length <= MOST_BODIES) left = next
    }
  return left.length === whole.length && left.every((body, n) => body === whole[n]) ? undefined : left
}

/** A solid without some holes; itself where none touches it. */
export function carvedSolid(solid: Solid, holes: readonly Hole[]): Solid {
  const bodies = solid.kind === 'halfspace' || solid.kind === 'ball' ? undefined : carvedBodies(solid, holes)
  if (!bodies || solid.kind === 'halfspace' || solid.kind === 'ball') return solid
  const back = conjugate(solid.rotation)
  const parts = bodies.map((body) =>
    planesOf({
      corners: body.corners.map((at): Vec3 => rotate(back, subtract(at, solid.centre))),
      faces: body.faces,
    }).map(({ normal, offset }) => ({ normal, offset })),
  )
  return { kind: 'form', centre: solid.centre, half: solid.half, rotation: solid.rotation, parts }
}
