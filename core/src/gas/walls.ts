import type { Crew } from '../base/index.ts'
import { type CellBox, distanceTo, paddedCells, paddedIndex, type Solid, solidBounds } from '../data/index.ts'
import type { Vec3 } from '../math/index.ts'
import type { ClosedSides } from './multigrid.ts'
import { solidVelocity } from './sceneInputs.ts'
import { eachRow, elementAt, elementOf, type RowStore } from './sparseRows.ts'

const SOLID = 0
const FLUID = 1
const AIR = 2
/** A cell whose faces are open by less than this together is wall. */
const LEAST_OPEN = 0.4
/** Least half thickness that a wall has for the air, cells: a board thinner than a cell still stops it. */
const LEAST_HALF = 0.55
const SHARE_STEPS = 255
/** A face that is open by less is closed: through a slit the air would have to race. */
const SLIT = 0.2
/** A wall's surface within this of a lattice plane lies on it, cells. */
const ON_PLANE = 1e-3

/** Open shares of the faces, in 1/255, as three padded byte fields on the heap. */
export type OpenShares = readonly [number, number, number]

/** Faces that a moving wall takes part in: element, that of the cell before it (-1: not stored), closed share, its speed across the face. */
export interface MovingFaces {
  elements: Int32Array
  lower: Int32Array
  closed: Float32Array
  speeds: Float32Array
}

/** A solid as the air of a cell size meets it: never thinner than the lattice can hold. */
function thickened(solid: Solid, cell: number): Solid {
  if (solid.kind !== 'box') return solid
  const half = solid.half.map((h) => Math.max(h, LEAST_HALF * cell)) as [number, number, number]
  return { ...solid, half }
}

/** Whether a solid's surface lies on the lattice's planes, so that no cell is cut. */
function onLattice(solid: Solid, cell: number): boolean {
  const whole = (v: number): boolean => Math.abs(v / cell - Math.round(v / cell)) < ON_PLANE
  if (solid.kind === 'halfspace') {
    if (solid.dug) return false
    const axis = solid.normal.findIndex((n) => Math.abs(n) > 1 - 1e-9)
    return axis >= 0 && whole(solid.point[axis] ?? 0)
  }
  if (solid.kind !== 'box') return false
  const upright = Math.abs(Math.abs(solid.rotation[3]) - 1) < 1e-9
  return upright && solid.centre.every((c, a) => whole(c - (solid.half[a] ?? 0)) && whole(c + (solid.half[a] ?? 0)))
}

/** Whether any solid cuts through cells. */
export const wallsCut = (solids: readonly Solid[], cell: number): boolean =>
  solids.some((solid) => !onLattice(thickened(solid, cell), cell))

/** Cells that a solid may touch, within the box's padded range: low and high corner, array indices. */
function rangeOf(solid: Solid, box: CellBox): { low: number[]; high: number[] } {
  const bounds = solidBounds(solid)
  const top = box.size.map((n) => n + 1)
  if (!bounds) return { low: [0, 0, 0], high: top }
  return {
    low: box.origin.map((o, a) => Math.max(0, Math.floor((bounds.low[a] ?? 0) / box.cell) - o)),
    high: box.origin.map((o, a) => Math.min(top[a] ?? 0, Math.ceil((bounds.high[a] ?? 0) / box.cell) - o + 2)),
  }
}

/** Open share of a square whose corners lie at these distances from a surface: marching squares (Batty et al. 2007). Corners in turn round it. */
export function openShare(a: number, b: number, c: number, d: number): number {
  const closed = [a, b, c, d].filter((v) => v < 0).length
  if (closed === 0) return 1
  if (closed === 4) return 0
  const corners = [a, b, c, d]
  if (closed === 2 && a < 0 === c < 0) {
    // Two opposite corners: each closes its own triangle.
    const part = (n: number): number => {
      const [own, before, after] = [corners[n] ?? 0, corners[(n + 3) % 4] ?? 0, corners[(n + 1) % 4] ?? 0]
      return 0.5 * (own / (own - before)) * (own / (own - after))
    }
    return 1 - [0, 1, 2, 3].filter((n) => (corners[n] ?? 0) < 0).reduce((sum, n) => sum + part(n), 0)
  }
  if (closed === 2) {
    const n = [0, 1, 2, 3].find((m) => (corners[m] ?? 0) < 0 && (corners[(m + 1) % 4] ?? 0) < 0) ?? 0
    const [p, q, r, s] = [0, 1, 2, 3].map((m) => corners[(n + m) % 4] ?? 0) as [number, number, number, number]
    return 1 - 0.5 * (p / (p - s) + q / (q - r))
  }
  const odd = corners.findIndex((v) => v < 0 === (closed === 1))
  const [own, before, after] = [corners[odd] ?? 0, corners[(odd + 3) % 4] ?? 0, corners[(odd + 1) % 4] ?? 0]
  const corner = 0.5 * (own / (own - before)) * (own / (own - after))
  return closed === 1 ? 1 - corner : corner
}

/** Writes 0 (solid) or 1 (fluid) per cell by its centre. */
export function markCells(flags: Uint8Array, box: CellBox, solids: readonly Solid[]): void {
  const [nx, ny, nz] = box.size
  for (let k = 1; k <= nz; k++)
    for (let j = 1; j <= ny; j++)
      flags.fill(FLUID, (k * (ny + 2) + j) * (nx + 2) + 1, (k * (ny + 2) + j) * (nx + 2) + 1 + nx)
  for (const one of solids) {
    const solid = thickened(one, box.cell)
    const { low, high } = rangeOf(solid, box)
    for (let k = Math.max(1, low[2] ?? 1); k <= Math.min(nz, high[2] ?? 0); k++)
      for (let j = Math.max(1, low[1] ?? 1); j <= Math.min(ny, high[1] ?? 0); j++)
        for (let i = Math.max(1, low[0] ?? 1); i <= Math.min(nx, high[0] ?? 0); i++)
          if (
            distanceTo(solid, [
              (box.origin[0] + i - 0.5) * box.cell,
              (box.origin[1] + j - 0.5) * box.cell,
              (box.origin[2] + k - 0.5) * box.cell,
            ]) < 0
          )
            flags[paddedIndex(box.size, i - 1, j - 1, k - 1)] = SOLID
  }
}

/**
 * Marks the cells and the open shares of their faces, in 1/255. flags: interior 0 or 1 by how open a cell's faces are. closed: the sides past which there is wall. Padded fields; other faces of the padding are open.
 */
export function cutCells(
  box: CellBox,
  solids: readonly Solid[],
  closed: ClosedSides,
  flags: Uint8Array,
  faces: readonly [Uint8Array, Uint8Array, Uint8Array],
): void {
  const count = flags.length
  const [nx, ny, nz] = box.size
  const sx = nx + 2
  const sxy = sx * (ny + 2)
  const strides = [1, sx, sxy]
  for (const field of faces) field.fill(SHARE_STEPS)
  for (let k = 1; k <= nz; k++)
    for (let j = 1; j <= ny; j++) flags.fill(FLUID, k * sxy + j * sx + 1, k * sxy + j * sx + 1 + nx)
  // Distance at the lattice's nodes near walls; node (i, j, k) is the low corner of array cell (i, j, k). One in the surface is in the wall, so that a face that lies there is closed.
  const toWall = (solid: Solid, at: Vec3): number => {
    const distance = distanceTo(solid, at)
    return Math.abs(distance) < ON_PLANE * box.cell ? -1e-9 * box.cell : distance
  }
  for (const one of solids) {
    const solid = thickened(one, box.cell)
    const { low, high } = rangeOf(solid, box)
    const [wide, tall, deep] = [0, 1, 2].map((a) => Math.max(0, (high[a] ?? 0) - (low[a] ?? 0) + 2)) as [
      number,
      number,
      number,
    ]
    if (wide * tall * deep === 0) continue
    const layer = (k: number): Float64Array => {
      const values = new Float64Array(wide * tall)
      for (let j = 0; j < tall; j++)
        for (let i = 0; i < wide; i++)
          values[j * wide + i] = toWall(solid, [
            (box.origin[0] + (low[0] ?? 0) + i - 1) * box.cell,
            (box.origin[1] + (low[1] ?? 0) + j - 1) * box.cell,
            (box.origin[2] + k - 1) * box.cell,
          ])
      return values
    }
    let here = layer(low[2] ?? 0)
    for (let k = low[2] ?? 0; k <= (high[2] ?? 0); k++) {
      const next = layer(k + 1)
      for (let j = 0; j < tall - 1; j++)
        for (let i = 0; i < wide - 1; i++) {
          const e = k * sxy + (j + (low[1] ?? 0)) * sx + i + (low[0] ?? 0)
          const n = j * wide + i
          const d = (values: Float64Array, o: number): number => values[n + o] ?? 0
          const own = [
            openShare(d(here, 0), d(here, wide), d(next, wide), d(next, 0)),
            openShare(d(here, 0), d(here, 1), d(next, 1), d(next, 0)),
            openShare(d(here, 0), d(here, 1), d(here, wide + 1), d(here, wide)),
          ]
          own.forEach((share, axis) => {
            const field = faces[axis]
            if (!field || share >= 1) return
            // What two solids close of one face is taken as side by side.
            field[e] = Math.max(0, (field[e] ?? SHARE_STEPS) - Math.round((1 - share) * SHARE_STEPS))
          })
        }
      here = next
    }
  }
  for (const field of faces) for (let e = 0; e < count; e++) if ((field[e] ?? 0) < SLIT * SHARE_STEPS) field[e] = 0
  faces.forEach((field, axis) => {
    for (const end of [0, 1])
      if (closed & (1 << (2 * axis + end))) closeSide(field, box.size, axis, end ? (box.size[axis] ?? 0) + 1 : 1)
  })
  // A cell that is hardly open is wall, and a wall's faces are closed; that may close the next one.
  for (let changed = true; changed; ) {
    changed = false
    for (let k = 1; k <= nz; k++)
      for (let j = 1; j <= ny; j++)
        for (let i = 1; i <= nx; i++) {
          const e = k * sxy + j * sx + i
          if (flags[e] !== FLUID) continue
          let open = 0
          for (let axis = 0; axis < 3; axis++)
            open += (faces[axis]?.[e] ?? 0) + (faces[axis]?.[e + (strides[axis] ?? 1)] ?? 0)
          if (open >= LEAST_OPEN * SHARE_STEPS) continue
          flags[e] = SOLID
          for (let axis = 0; axis < 3; axis++) {
            const field = faces[axis]
            if (!field) continue
            if (field[e] || field[e + (strides[axis] ?? 1)]) changed = true
            field[e] = 0
            field[e + (strides[axis] ?? 1)] = 0
          }
        }
  }
}

/** Closes a layer of faces across an axis. at: array index. */
function closeSide(field: Uint8Array, [nx, ny, nz]: CellBox['size'], axis: number, at: number): void {
  const strides = [1, nx + 2, (nx + 2) * (ny + 2)] as const
  const [a, b] = [(axis + 1) % 3, (axis + 2) % 3] as [0 | 1 | 2, 0 | 1 | 2]
  const counts = [nx, ny, nz]
  const own = at * (strides[axis] ?? 0)
  for (let m = 1; m <= (counts[a] ?? 0); m++)
    for (let n = 1; n <= (counts[b] ?? 0); n++) field[own + m * strides[a] + n * strides[b]] = 0
}

/** The faces that moving solids close or cut, for each axis. before, now: the solids at the step's ends, dt apart. */
export function movingFaces(
  crew: Crew,
  box: CellBox,
  store: RowStore,
  before: readonly Solid[],
  now: readonly Solid[],
  shares: OpenShares,
  dt: number,
): MovingFaces[] {
  return [0, 1, 2].map((axis): MovingFaces => {
    const open = crew.heap.u8(shares[axis] ?? 0, store.cells)
    const elements: number[] = []
    const lower: number[] = []
    const closed: number[] = []
    const speeds: number[] = []
    now.forEach((solid, n) => {
      const old = before[n]
      if (!old || old === solid || solid.kind === 'halfspace') return
      const { low, high } = rangeOf(thickened(solid, box.cell), box)
      for (let k = Math.max(1, low[2] ?? 1); k <= Math.min(box.size[2], high[2] ?? 0); k++)
        for (let j = Math.max(1, low[1] ?? 1); j <= Math.min(box.size[1], high[1] ?? 0); j++)
          for (let i = Math.max(1, low[0] ?? 1); i <= Math.min(box.size[0], high[0] ?? 0); i++) {
            const e = elementOf(store, i - 1, j - 1, k - 1)
            const share = open[e] ?? SHARE_STEPS
            if (share === SHARE_STEPS) continue
            const half = [0.5, 0.5, 0.5]
            half[axis] = 1
            const at: Vec3 = [
              (box.origin[0] + i - (half[0] ?? 0)) * box.cell,
              (box.origin[1] + j - (half[1] ?? 0)) * box.cell,
              (box.origin[2] + k - (half[2] ?? 0)) * box.cell,
            ]
            const own = distanceTo(solid, at)
            // What another one closes stands still, or goes with that: the ground under a beam that comes down.
            if (own > box.cell || now.some((other) => other !== solid && distanceTo(other, at) < own)) continue
            elements.push(e)
            lower.push(
              elementOf(
                store,
                i - 1 - (axis === 0 ? 1 : 0),
                j - 1 - (axis === 1 ? 1 : 0),
                k - 1 - (axis === 2 ? 1 : 0),
              ),
            )
            closed.push(1 - share / SHARE_STEPS)
            speeds.push(solidVelocity(old, solid, at, dt)[axis] ?? 0)
          }
    })
    return {
      elements: Int32Array.from(elements),
      lower: Int32Array.from(lower),
      closed: Float32Array.from(closed),
      speeds: Float32Array.from(speeds),
    }
  })
}

/** Where walls are in a box, small enough to be kept beside fields that hold only a part of it. */
export interface Walls {
  /** By level of the pressure, the box first: whether a padded cell is wall, a bit each (of a coarser one: whether all that it is made of is). */
  solid: readonly Uint8Array[]
  /** Where walls cut cells: of each axis the padded indices of the faces that are partly open, or closed though no cell beside them is wall, and their shares in 1/255. */
  faces?: readonly { at: Int32Array; share: Uint8Array }[]
}

export const isSolid = (bits: Uint8Array, index: number): boolean =>
  (((bits[index >> 3] ?? 0) >> (index & 7)) & 1) === 1

/** closed: the sides past which there is wall; cut: whether walls cut cells; sizes: of the pressure's levels. */
export function wallsOf(
  box: CellBox,
  solids: readonly Solid[],
  closed: ClosedSides,
  cut: boolean,
  sizes: readonly (readonly [number, number, number])[],
): Walls {
  const count = paddedCells(box.size)
  const flags = new Uint8Array(count)
  const shares = cut ? ([0, 1, 2].map(() => new Uint8Array(count)) as [Uint8Array, Uint8Array, Uint8Array]) : undefined
  if (shares) cutCells(box, solids, closed, flags, shares)
  else markCells(flags, box, solids)
  const first = new Uint8Array(Math.ceil(count / 8))
  const [nx, ny, nz] = box.size
  for (let k = 1; k <= nz; k++)
    for (let j = 1; j <= ny; j++)
      for (let i = 1; i <= nx; i++) {
        const e = (k * (ny + 2) + j) * (nx + 2) + i
        if (flags[e] === SOLID) first[e >> 3] = (first[e >> 3] ?? 0) | (1 << (e & 7))
      }
  const solid: Uint8Array[] = [first]
  for (let n = 1; n < sizes.length; n++) {
    const [fine, coarse] = [sizes[n - 1], sizes[n]]
    const bits = solid[n - 1]
    if (fine && coarse && bits) solid.push(coarserSolid(bits, fine, coarse))
  }
  if (!shares) return { solid }
  const strides = [1, nx + 2, (nx + 2) * (ny + 2)]
  const faces = shares.map((field, axis) => {
    const at: number[] = []
    const stride = strides[axis] ?? 1
    for (let e = 0; e < count; e++)
      if (field[e] !== SHARE_STEPS && !isSolid(first, e) && !(e >= stride && isSolid(first, e - stride))) at.push(e)
    return { at: Int32Array.from(at), share: Uint8Array.from(at, (e) => field[e] ?? 0) }
  })
  return { solid, faces }
}

function coarserSolid(
  bits: Uint8Array,
  [nx, ny, nz]: readonly [number, number, number],
  size: readonly [number, number, number],
): Uint8Array {
  const [cx, cy, cz] = size
  const coarse = new Uint8Array(Math.ceil(paddedCells(size) / 8))
  for (let k = 0; k < cz; k++)
    for (let j = 0; j < cy; j++)
      for (let i = 0; i < cx; i++) {
        let all = true
        for (let n = 0; n < 8 && all; n++) {
          const [x, y, z] = [2 * i + (n & 1), 2 * j + ((n >> 1) & 1), 2 * k + (n >> 2)]
          if (x < nx && y < ny && z < nz) all = isSolid(bits, ((z + 1) * (ny + 2) + y + 1) * (nx + 2) + x + 1)
        }
        const e = ((k + 1) * (cy + 2) + j + 1) * (cx + 2) + i + 1
        if (all) coarse[e >> 3] = (coarse[e >> 3] ?? 0) | (1 << (e & 7))
      }
  return coarse
}

/** Writes what is stored of the cells' kinds: gas in the tiles, open air elsewhere, walls; ghosts by the sides. */
export function putFlags(
  flags: Uint8Array,
  store: RowStore,
  solid: Uint8Array,
  closed: ClosedSides,
  fluid: (index: number, i: number, j: number, k: number) => boolean,
): void {
  const [nx, ny, nz] = store.size
  flags.fill(AIR)
  eachRow(store, (row, start, stop, base) => {
    const [j, k] = [row % (ny + 2), Math.floor(row / (ny + 2))]
    for (let i = start; i < stop; i++) {
      const outside =
        i === 0 ? 1 : i === nx + 1 ? 2 : j === 0 ? 4 : j === ny + 1 ? 8 : k === 0 ? 16 : k === nz + 1 ? 32 : 0
      const index = row * (nx + 2) + i
      flags[base + i] = outside
        ? closed & outside
          ? SOLID
          : AIR
        : isSolid(solid, index)
          ? SOLID
          : fluid(index, i - 1, j - 1, k - 1)
            ? FLUID
            : AIR
    }
  })
}

/** Writes what is stored of the faces' open shares. */
export function putShares(fields: readonly Uint8Array[], store: RowStore, { solid, faces }: Walls): void {
  const [nx, ny] = store.size
  const strides = [1, nx + 2, (nx + 2) * (ny + 2)]
  const first = solid[0] ?? new Uint8Array()
  fields.forEach((field, axis) => {
    const stride = strides[axis] ?? 1
    field.fill(SHARE_STEPS)
    eachRow(store, (row, start, stop, base) => {
      for (let i = start; i < stop; i++) {
        const index = row * (nx + 2) + i
        if (isSolid(first, index) || (index >= stride && isSolid(first, index - stride))) field[base + i] = 0
      }
    })
    faces?.[axis]?.at.forEach((index, n) => {
      const e = elementAt(store, index)
      if (e >= 0) field[e] = faces[axis]?.share[n] ?? SHARE_STEPS
    })
  })
}
