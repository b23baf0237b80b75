import { hash01 } from '../base/index.ts'
import { boxBody, type Convex, SIDES } from '../data/index.ts'
import type { Vec3 } from '../math/index.ts'
import { cellsOf, type Fine } from './cells.ts'

// A wall cut along its bricks: courses in a bond, whole where nothing strikes, broken where it does.

/** What lies beyond a face that was inside the wall: one or several others. */
export const INNER = -7

export interface Bond {
  /** A brick with its share of the mortar, m. */
  length: number
  height: number
  /** By how much of a brick every other course is moved along. */
  shift: number
}
export interface BrickPiece {
  body: Convex
  /** Which brick it is of. */
  brick: number
}

/** Pieces that a struck brick breaks into. */
const BROKEN = { least: 3, most: 5 } as const
/** Ends of bricks shorter than this share of one go with the neighbour. */
const STUB = 0.12
const MOST_BRICKS = 20_000

/** Courses of a wall: where each brick begins and ends along it, m from its low end. */
function courseOf(long: number, { length, shift }: Bond, course: number): [number, number][] {
  const bricks: [number, number][] = []
  const first = course % 2 === 0 ? 0 : -shift * length
  for (let from = first; from < long - 1e-9; from += length) {
    const [a, b] = [Math.max(0, from), Math.min(long, from + length)]
    if (b - a < STUB * length && bricks.length > 0) (bricks.at(-1) as [number, number])[1] = b
    else if (b > a) bricks.push([a, b])
  }
  const [begin, second] = bricks
  // A stub at the beginning goes with the one after it.
  if (begin && second && begin[1] - begin[0] < STUB * length) {
    second[0] = begin[0]
    bricks.shift()
  }
  return bricks
}

/** A body's faces with what is no side of the wall told as inner; those on the wall's own sides keep their number. */
const within = (body: Convex, low: Vec3, high: Vec3): Convex => ({
  corners: body.corners,
  faces: body.faces.map((face) => {
    if (face.beyond >= 0) return { ...face, beyond: INNER }
    const axis = Math.floor((-face.beyond - 1) / 2) as 0 | 1 | 2
    const wanted = face.beyond % 2 === 0 ? high[axis] : low[axis]
    const on = face.ring.every((n) => Math.abs((body.corners[n] as Vec3)[axis] - wanted) < 1e-9)
    return on ? face : { ...face, beyond: INNER }
  }),
})

/**
 * The bricks of a wall between two corners: courses along x, one above the other along y, as deep as it is (z). Those near a strike are broken.
 * bond: m; 20,000 bricks at most, larger ones are taken where there would be more.
 */
export function bricksOf(low: Vec3, high: Vec3, bond: Bond, seed: number, fine: readonly Fine[] = []): BrickPiece[] {
  const [long, tall] = [high[0] - low[0], high[1] - low[1]]
  const wanted = (long * tall) / (bond.length * bond.height)
  const larger = Math.sqrt(Math.max(1, wanted / MOST_BRICKS))
  const own = { ...bond, length: bond.length * larger, height: bond.height * larger }
  const courses = Math.max(1, Math.round(tall / own.height))
  const pieces: BrickPiece[] = []
  let brick = 0
  for (let row = 0; row < courses; row++) {
    const [bottom, top] = [low[1] + (tall * row) / courses, low[1] + (tall * (row + 1)) / courses]
    for (const [from, to] of courseOf(long, own, row)) {
      const a: Vec3 = [low[0] + from, bottom, low[2]]
      const b: Vec3 = [low[0] + to, top, high[2]]
      for (const body of brokenBrick(a, b, brick, seed, fine)) pieces.push({ body: within(body, low, high), brick })
      brick++
    }
  }
  return pieces
}

/** A brick whole, or in lumps where a strike is near. */
function brokenBrick(low: Vec3, high: Vec3, brick: number, seed: number, fine: readonly Fine[]): Convex[] {
  const middle = low.map((v, a) => (v + (high[a] as number)) / 2)
  const struck = fine.some(
    ({ at, radius }) => middle.reduce((sum, v, a) => sum + (v - (at[a] as number)) ** 2, 0) < radius * radius,
  )
  if (!struck) return [boxBody(low, high)]
  const count = BROKEN.least + Math.floor((BROKEN.most - BROKEN.least + 1) * hash01(seed, brick, 0, 23))
  const seeds = Array.from({ length: count }, (_, n): Vec3 => {
    const place = (a: 0 | 1 | 2): number => low[a] + (high[a] - low[a]) * hash01(seed, brick, 3 * n + a + 1, 23)
    return [place(0), place(1), place(2)]
  })
  return cellsOf({ low, high }, seeds).filter((cell) => cell !== undefined)
}

/** Whether a face is one of the whole body's own sides. */
export const isOutside = (beyond: number): boolean => (SIDES as readonly number[]).includes(beyond)
