import { ShapeUtils, Vector2 } from 'three'
import { type Convex, clipConvex, type FormPlane } from '../data/index.ts'
import { add, cross, dot, normalise, type Vec3 } from '../math/index.ts'
import { INNER } from './bricks.ts'
import { without } from './carve.ts'

// Outlines drawn over what breaks: a cut along them, or what stays whole within them.

/** What lies behind an outline: convex rooms, planes with inside normal · p <= offset. */
export interface Region {
  rooms: readonly (readonly FormPlane[])[]
  /** What is within stays one piece; else it is cut along the outline alone. */
  whole: boolean
}

/** A convex part of a piece; parts of one group are one piece. */
export interface Cell {
  body: Convex
  group: number
}

/** The rooms that lie behind an outline, seen from an eye: places on its corners' rays, round it one way or the other. None of fewer than three. */
export function roomsBehind(eye: Vec3, corners: readonly Vec3[]): FormPlane[][] {
  const ways = corners.map((at): Vec3 => normalise([at[0] - eye[0], at[1] - eye[1], at[2] - eye[2]]))
  const sum = ways.reduce<Vec3>((all, way) => add(all, way), [0, 0, 0])
  if (ways.length < 3 || dot(sum, sum) < 1e-12) return []
  const middle = normalise(sum)
  const right = normalise(cross(middle, Math.abs(middle[1]) < 0.9 ? [0, 1, 0] : [1, 0, 0]))
  const up = cross(right, middle)
  const flat = ways.map((way) => new Vector2(dot(way, right) / dot(way, middle), dot(way, up) / dot(way, middle)))
  const order = flat.map((_, n) => n)
  if (ShapeUtils.isClockWise(flat)) order.reverse()
  return ShapeUtils.triangulateShape(
    order.map((n) => flat[n] as Vector2),
    [],
  ).map((triangle) => {
    const own = triangle.map((n) => ways[order[n] as number] as Vec3)
    const inside = normalise(own.reduce<Vec3>((all, way) => add(all, way), [0, 0, 0]))
    return own.map((way, k): FormPlane => {
      const out = normalise(cross(way, own[(k + 1) % 3] as Vec3))
      const normal: Vec3 = dot(out, inside) > 0 ? [-out[0], -out[1], -out[2]] : out
      return { normal, offset: dot(normal, eye) }
    })
  })
}

/** What of a body lies in a room. */
const within = (body: Convex, room: readonly FormPlane[]): Convex | undefined =>
  room.reduce<Convex | undefined>((left, { normal, offset }) => left && clipConvex(left, normal, offset, INNER), body)

/** Cells cut along outlines: of each what lies in a region and what does not; all that lies in one that stays whole is one group. */
export function cutByRegions(bodies: readonly Convex[], regions: readonly Region[]): Cell[] {
  let cells = bodies.map((body, group): Cell => ({ body, group }))
  for (const { rooms, whole } of regions) {
    const groups = new Map<string, number>()
    const groupOf = (name: string): number => {
      const own = groups.get(name) ?? groups.size
      groups.set(name, own)
      return own
    }
    cells = cells.flatMap(({ body, group }) => {
      const inside = rooms.flatMap((room) => within(body, room) ?? [])
      const outside =
        inside.length > 0 ? rooms.reduce<Convex[]>((left, room) => without(left, room, INNER), [body]) : [body]
      return [
        ...inside.map((part) => ({ body: part, group: groupOf(whole ? 'whole' : `in ${group}`) })),
        ...outside.map((part) => ({ body: part, group: groupOf(`out ${group}`) })),
      ]
    })
  }
  return cells
}

/** Numbers of cells by their groups, in the order in which groups first come. */
export const byGroup = (cells: readonly Cell[]): number[][] => {
  const groups = new Map<number, number[]>()
  cells.forEach(({ group }, n) => {
    const there = groups.get(group)
    if (there) there.push(n)
    else groups.set(group, [n])
  })
  return [...groups.values()]
}
