import { LanternError } from '../base/index.ts'
import {
  boxBody,
  type Convex,
  clipConvex,
  type FormPlane,
  measureConvex,
  planesOf,
  type SurfaceMesh,
} from '../data/index.ts'
import type { Vec3 } from '../math/index.ts'
import { type Bond, bricksOf, INNER, isOutside } from './bricks.ts'
import { cellsOf, type Fine, seedsIn } from './cells.ts'
import { byGroup, type Cell, cutByRegions, type Region } from './regions.ts'
import { radialSeeds, slabSeeds } from './seeds.ts'

// A body cut into pieces. All in the body's own space, m.

/** Axes of a body's space (0 x, 1 y, 2 z) by what they are of a wall. */
export type Axes = readonly [0 | 1 | 2, 0 | 1 | 2, 0 | 1 | 2]

export type CutPattern =
  | { way: 'lumps' }
  /** axes: along the courses, up, and deep. */
  | { way: 'bricks'; bond: Bond; axes: Axes }
  /** Drawn out along an axis (0 x, 1 y, 2 z) so many times. */
  | { way: 'splinters'; axis: 0 | 1 | 2; times: number }
  | { way: 'slabs' }
  /** Rings and rays about a place. */
  | { way: 'radial'; centre: Vec3 }

export interface CutSettings {
  pattern: CutPattern
  /** Pieces that are wanted; bricks go by their size instead. */
  number: number
  seed: number
  fine: readonly Fine[]
  /** Planes along which it is cut besides: normal · p = offset. */
  planes: readonly FormPlane[]
  /** Outlines along which it is cut, or within which it stays whole. */
  regions?: readonly Region[]
}

/** One piece: convex bodies that hold together. */
export interface Piece {
  bodies: readonly Convex[]
  /** m^3, and its middle of mass. */
  volume: number
  middle: Vec3
  /** Of a piece of a mesh, whose one body is its hull: its triangles, and what share of the hull it fills. */
  mesh?: SurfaceMesh
  fill?: number
}

/** m^3 below which a piece is left out. */
export const SLIVER = 2e-8
export const MOST_PIECES = 4000

export const measured = (bodies: readonly Convex[]): Piece => {
  let volume = 0
  const sum: [number, number, number] = [0, 0, 0]
  for (const body of bodies) {
    const own = measureConvex(body)
    volume += own.volume
    for (const a of [0, 1, 2] as const) sum[a] += own.volume * own.middle[a]
  }
  const middle: Vec3 = volume > 0 ? [sum[0] / volume, sum[1] / volume, sum[2] / volume] : [0, 0, 0]
  return { bodies, volume, middle }
}

export function boundsOfBodies(bodies: readonly Convex[]): { low: Vec3; high: Vec3 } {
  const low: [number, number, number] = [Infinity, Infinity, Infinity]
  const high: [number, number, number] = [-Infinity, -Infinity, -Infinity]
  for (const { corners } of bodies)
    for (const at of corners)
      for (const a of [0, 1, 2] as const) {
        low[a] = Math.min(low[a], at[a])
        high[a] = Math.max(high[a], at[a])
      }
  return { low, high }
}

/** Bricks of a wall whose courses run along an axis of the body's space. */
function courses(
  low: Vec3,
  high: Vec3,
  { bond, axes }: Extract<CutPattern, { way: 'bricks' }>,
  seed: number,
  fine: readonly Fine[],
): Convex[] {
  const into = (at: Vec3): Vec3 => [at[axes[0]], at[axes[1]], at[axes[2]]]
  const back = (at: Vec3): Vec3 => {
    const out: [number, number, number] = [0, 0, 0]
    for (const a of [0, 1, 2] as const) out[axes[a]] = at[a]
    return out
  }
  // An odd change of axes turns faces inside out.
  const odd = (axes[1] - axes[0] + 3) % 3 !== 1
  const near = fine.map(({ at, radius }) => ({ at: into(at), radius }))
  return bricksOf(into(low), into(high), bond, seed, near).map(({ body: { corners, faces } }) => ({
    corners: corners.map(back),
    faces: odd ? faces.map(({ beyond, ring }) => ({ beyond, ring: [...ring].reverse() })) : faces,
  }))
}

/** Cells of a box between two corners, by the pattern; each may lie in several parts. */
function cellsIn(low: Vec3, high: Vec3, { pattern, number, seed, fine }: CutSettings): Convex[] {
  const cells = (seeds: readonly Vec3[], grain?: { along: Vec3; times: number }): Convex[] =>
    cellsOf({ low, high }, seeds, grain).filter((one) => one !== undefined)
  if (pattern.way === 'bricks') return courses(low, high, pattern, seed, fine)
  if (pattern.way === 'slabs') return cells(slabSeeds(low, high, number, seed, fine))
  if (pattern.way === 'radial') return cells(radialSeeds(low, high, number, seed, pattern.centre))
  const seeds = seedsIn(low, high, number, seed, fine)
  if (pattern.way === 'lumps') return cells(seeds)
  const along: [number, number, number] = [0, 0, 0]
  along[pattern.axis] = 1
  return cells(seeds, { along, times: pattern.times })
}

/** What of a cell lies in a part. Its sides that are the part's own are told as the part tells them. */
function within(cell: Convex, planes: readonly (FormPlane & { beyond: number })[]): Convex | undefined {
  let left: Convex | undefined = cell
  for (const { normal, offset, beyond } of planes) {
    if (!left) return undefined
    left = clipConvex(left, normal, offset, beyond)
  }
  return left
}

/** A body's parts with the planes of their faces; faces that parts share are inner ones. */
function partPlanes(parts: readonly Convex[]): (FormPlane & { beyond: number })[][] {
  return parts.map((part) =>
    planesOf(part).map((plane) => ({ ...plane, beyond: isOutside(plane.beyond) ? plane.beyond : INNER })),
  )
}

/** The halves of bodies on both sides of planes. */
const halved = (bodies: readonly Convex[], planes: readonly FormPlane[]): Convex[] =>
  planes.reduce<Convex[]>(
    (all, { normal, offset }) =>
      all.flatMap((body) => {
        const back: Vec3 = [-normal[0], -normal[1], -normal[2]]
        const halves = [clipConvex(body, normal, offset, INNER), clipConvex(body, back, -offset, INNER)]
        return halves.filter((one) => one !== undefined)
      }),
    [...bodies],
  )

/** The convex cells of a box by some settings, cut by hand too; those of one group are one piece. */
export const cutCells = (low: Vec3, high: Vec3, settings: CutSettings): Cell[] =>
  cutByRegions(halved(cellsIn(low, high, settings), settings.planes), settings.regions ?? [])

/** Throws LanternError 'cut-many' where there are more pieces than may be. */
export function checkCount(count: number): void {
  if (count > MOST_PIECES)
    throw new LanternError(
      'cut-many',
      `That makes more than ${MOST_PIECES.toLocaleString('en')} pieces.`,
      'Ask for fewer, or take larger bricks.',
      { field: 'number' },
    )
}
export const nothingLeft = (): LanternError =>
  new LanternError('cut-empty', 'The cut leaves nothing.', 'Ask for fewer pieces, or break something larger.', {
    field: 'number',
  })

/** Whether two boxes are apart. */
const apart = (a: { low: Vec3; high: Vec3 }, b: { low: Vec3; high: Vec3 }): boolean =>
  [0, 1, 2].some((n) => (a.low[n] as number) > (b.high[n] as number) || (b.low[n] as number) > (a.high[n] as number))

/**
 * Cuts a body, given as convex parts that touch (their faces tell what lies beyond: below 0 outside), into pieces. What of a cell lies in several parts stays one piece.
 * Throws LanternError 'cut-empty' where the body has no volume or nothing is left, 'cut-many' beyond MOST_PIECES.
 */
export function cutBody(parts: readonly Convex[], settings: CutSettings): Piece[] {
  const whole = measured(parts).volume
  if (!(whole > 1e-7))
    throw new LanternError('cut-empty', 'What is to break has no volume.', 'Give it a width, a height and a depth.', {
      field: 'piece',
    })
  const { low, high } = boundsOfBodies(parts)
  const planes = partPlanes(parts)
  const bounds = parts.map((part) => boundsOfBodies([part]))
  const box = boxBody(low, high)
  const isBox = parts.length === 1 && Math.abs(measured([box]).volume - whole) < 1e-9 * whole
  const pieces: Piece[] = []
  const inParts = (cell: Convex): Convex[] => {
    const own = boundsOfBodies([cell])
    return planes.flatMap((part, n) => (apart(own, bounds[n] as typeof own) ? [] : (within(cell, part) ?? [])))
  }
  const cells = cutCells(low, high, settings)
  for (const group of byGroup(cells)) {
    const bodies = group.map((n) => (cells[n] as Cell).body)
    const piece = measured(isBox ? bodies : bodies.flatMap(inParts))
    if (piece.volume > SLIVER) pieces.push(piece)
    checkCount(pieces.length)
  }
  if (pieces.length === 0) throw nothingLeft()
  return pieces
}
