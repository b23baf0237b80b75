import type { Manifold, Mesh as ManifoldMesh, ManifoldToplevel } from 'manifold-3d'
import { LanternError } from '../base/index.ts'
import { type Convex, measureConvex, SIDES, type SurfaceMesh } from '../data/index.ts'
import { pow, type Vec3 } from '../math/index.ts'
import {
  boundsOfBodies,
  type CutSettings,
  checkCount,
  cutCells,
  measured,
  nothingLeft,
  type Piece,
  SLIVER,
} from './cut.ts'
import { checkSolid } from './meshFaults.ts'
import { byGroup, type Cell } from './regions.ts'
import { type Contact, clipRing, LEAST_AREA, meetingsOf, ringArea } from './structure.ts'

// A closed mesh cut into pieces: convex cells, each intersected with it by manifold. All in the mesh's own space, m.

/** The part of a piece's triangles that the cut laid open; all others are the source's own parts. */
export const LAID_OPEN = 0xffff
/** Share of its size by which cells reach beyond a mesh. */
const MARGIN = 0.01
/** Cells of a leaf: the mesh is halved until no more have to be intersected with one part of it. */
const LEAF = 16
/** m by which halves reach beyond the cells in them. */
const OVER = 1e-3
/** Seeds outside of a mesh make no pieces: more are taken, by this power of how much larger its box is, at most so many times. */
const MORE = 0.35
const MOST_MORE = 3

let engine: Promise<ManifoldToplevel> | undefined
/** Loads the engine, once. */
const load = (): Promise<ManifoldToplevel> =>
  (engine ??= import('manifold-3d').then(async ({ default: open }) => {
    const made = await open()
    made.setup()
    return made
  }))

/** What a vertex carries besides its place, and where in its row. */
interface Rows {
  width: number
  uvs?: number
  normals?: number
  colours?: number
}
function rowsOf({ uvs, normals, colours }: SurfaceMesh): Rows {
  const rows: Rows = { width: 3 }
  const add = (size: number): number => (rows.width += size) - size
  if (uvs) rows.uvs = add(2)
  if (normals) rows.normals = add(3)
  if (colours) rows.colours = add(4)
  return rows
}

/** The source's triangles by part, one run each. */
function sourceMesh(
  { Mesh, Manifold: { reserveIDs } }: ManifoldToplevel,
  source: SurfaceMesh,
  rows: Rows,
): { mesh: ManifoldMesh; parts: Map<number, number> } {
  const count = source.positions.length / 3
  const values = new Float32Array(count * rows.width)
  const put = (own: ArrayLike<number> | undefined, size: number, from: number | undefined): void => {
    if (own && from !== undefined)
      for (let n = 0; n < count; n++)
        for (let k = 0; k < size; k++) values[n * rows.width + from + k] = own[n * size + k] as number
  }
  put(source.positions, 3, 0)
  put(source.uvs, 2, rows.uvs)
  put(source.normals, 3, rows.normals)
  put(source.colours, 4, rows.colours)
  const partOf = (t: number): number => source.parts?.[t] ?? 0
  const order = Array.from({ length: source.indices.length / 3 }, (_, t) => t)
  order.sort((a, b) => partOf(a) - partOf(b) || a - b)
  const used = [...new Set(order.map(partOf))]
  const first = reserveIDs(used.length)
  const inward = signedVolume(source) < 0
  const triVerts = Uint32Array.from(
    order.flatMap((t) => {
      const [a, b, c] = source.indices.subarray(3 * t, 3 * t + 3) as unknown as [number, number, number]
      return inward ? [a, c, b] : [a, b, c]
    }),
  )
  const starts = used.map((part) => 3 * order.findIndex((t) => partOf(t) === part))
  const mesh = new Mesh({
    numProp: rows.width,
    vertProperties: values,
    triVerts,
    runIndex: Uint32Array.from([...starts, triVerts.length]),
    runOriginalID: Uint32Array.from(used.map((_, n) => first + n)),
  })
  mesh.merge()
  return { mesh, parts: new Map(used.map((part, n) => [first + n, part])) }
}

function signedVolume({ positions, indices }: SurfaceMesh): number {
  let six = 0
  const at = (n: number, a: number): number => positions[3 * (indices[n] as number) + a] as number
  for (let t = 0; t < indices.length; t += 3)
    for (let a = 0; a < 3; a++) {
      const [b, c] = [(a + 1) % 3, (a + 2) % 3]
      six += at(t, a) * (at(t + 1, b) * at(t + 2, c) - at(t + 1, c) * at(t + 2, b))
    }
  return six / 6
}

/** A convex cell; triangles know which of its faces they are of. */
function cellManifold({ Mesh, Manifold }: ManifoldToplevel, { corners, faces }: Convex, id: number): Manifold {
  const triVerts: number[] = []
  const faceID: number[] = []
  faces.forEach(({ ring }, n) => {
    for (let k = 2; k < ring.length; k++) {
      triVerts.push(ring[0] as number, ring[k - 1] as number, ring[k] as number)
      faceID.push(n)
    }
  })
  return new Manifold(
    new Mesh({
      numProp: 3,
      vertProperties: Float32Array.from(corners.flat()),
      triVerts: Uint32Array.from(triVerts),
      runIndex: Uint32Array.from([0, triVerts.length]),
      runOriginalID: Uint32Array.from([id]),
      faceID: Uint32Array.from(faceID),
    }),
  )
}

/** What of a source each cell holds: the source is halved towards the cells, so that each meets a small part of it. The source itself is given back. */
function intersected(engine: ManifoldToplevel, source: Manifold, cells: readonly Convex[], id: number): Manifold[] {
  const out: Manifold[] = []
  const boxes = cells.map((cell) => boundsOfBodies([cell]))
  const middle = (n: number, a: 0 | 1 | 2): number => {
    const { low, high } = boxes[n] as (typeof boxes)[number]
    return (low[a] + high[a]) / 2
  }
  const halve = (part: Manifold, own: boolean, list: number[]): void => {
    if (list.length <= LEAF) {
      for (const n of list) {
        const cell = cellManifold(engine, cells[n] as Convex, id)
        const made = part.intersect(cell)
        // It is worked out only when it is asked for: then, while its cell is there.
        made.numTri()
        cell.delete()
        out[n] = made
      }
    } else {
      const spans = ([0, 1, 2] as const).map((a) => {
        const middles = list.map((n) => middle(n, a))
        return Math.max(...middles) - Math.min(...middles)
      })
      const axis = spans.indexOf(Math.max(...spans)) as 0 | 1 | 2
      const sorted = [...list].sort((a, b) => middle(a, axis) - middle(b, axis) || a - b)
      const half = sorted.length >> 1
      const [before, after] = [sorted.slice(0, half), sorted.slice(half)]
      const way = (sign: number): Vec3 => [0, 1, 2].map((a) => (a === axis ? sign : 0)) as unknown as Vec3
      const end = Math.max(...before.map((n) => (boxes[n] as (typeof boxes)[number]).high[axis]))
      const begin = Math.min(...after.map((n) => (boxes[n] as (typeof boxes)[number]).low[axis]))
      for (const [piece, rest] of [
        [part.trimByPlane(way(-1), -(end + OVER)), before],
        [part.trimByPlane(way(1), begin - OVER), after],
      ] as const) {
        // Cutting what is empty spoils all that follows.
        if (piece.isEmpty()) piece.delete()
        else halve(piece, true, rest)
      }
    }
    if (own) part.delete()
  }
  halve(source, false, [...cells.keys()])
  return out
}

/** Its triangles as a surface; places where the cut laid it open have no normal yet. */
function surfaceOfPart(
  { numProp, vertProperties, triVerts, runIndex, runOriginalID }: ManifoldMesh,
  rows: Rows,
  parts: ReadonlyMap<number, number>,
): SurfaceMesh {
  const count = vertProperties.length / numProp
  const take = (size: number, from: number | undefined): Float32Array | undefined => {
    if (from === undefined) return undefined
    const own = new Float32Array(count * size)
    for (let n = 0; n < count; n++)
      for (let k = 0; k < size; k++) own[n * size + k] = vertProperties[n * numProp + from + k] as number
    return own
  }
  const [positions, uvs, normals, colours] = [
    take(3, 0),
    take(2, rows.uvs),
    take(3, rows.normals),
    take(4, rows.colours),
  ]
  const own = new Uint16Array(triVerts.length / 3)
  for (let run = 0; run + 1 < runIndex.length; run++) {
    const part = parts.get(runOriginalID[run] as number) ?? LAID_OPEN
    own.fill(part, (runIndex[run] as number) / 3, (runIndex[run + 1] as number) / 3)
  }
  return {
    positions: positions ?? new Float32Array(),
    indices: triVerts.slice(),
    parts: own,
    ...(uvs ? { uvs } : {}),
    ...(normals ? { normals } : {}),
    ...(colours ? { colours: Uint8Array.from(colours, (value) => Math.min(255, Math.max(0, Math.round(value)))) } : {}),
  }
}

function hullOf(piece: Manifold): Convex {
  const hull = piece.hull()
  const { numProp, vertProperties, triVerts } = hull.getMesh()
  hull.delete()
  return {
    corners: Array.from({ length: vertProperties.length / numProp }, (_, n): Vec3 => {
      const at = (a: number): number => vertProperties[n * numProp + a] as number
      return [at(0), at(1), at(2)]
    }),
    faces: Array.from({ length: triVerts.length / 3 }, (_, t) => ({
      beyond: SIDES[0],
      ring: Array.from(triVerts.subarray(3 * t, 3 * t + 3)),
    })),
  }
}

interface Part {
  piece: Piece
  cell: number
  /** Triangles that were laid open, by the cell's face. */
  open: Map<number, Vec3[][]>
}

function partOf(piece: Manifold, cell: number, rows: Rows, parts: ReadonlyMap<number, number>): Part | undefined {
  const volume = piece.volume()
  if (volume < SLIVER) return undefined
  const made = piece.getMesh()
  const mesh = surfaceOfPart(made, rows, parts)
  const open = new Map<number, Vec3[][]>()
  const corner = (n: number): Vec3 => {
    const k = 3 * (mesh.indices[n] as number)
    return [mesh.positions[k] as number, mesh.positions[k + 1] as number, mesh.positions[k + 2] as number]
  }
  mesh.parts?.forEach((part, t) => {
    if (part !== LAID_OPEN) return
    const face = made.faceID[t] as number
    const triangle = [corner(3 * t), corner(3 * t + 1), corner(3 * t + 2)]
    const there = open.get(face)
    if (there) there.push(triangle)
    else open.set(face, [triangle])
  })
  const hull = hullOf(piece)
  const { volume: whole, middle } = measureConvex(hull)
  if (!(whole > 0)) return undefined
  return { piece: { bodies: [hull], volume, middle, mesh, fill: Math.min(1, volume / whole) }, cell, open }
}

/** Where parts of neighbouring cells touch: what both laid open of the face that the cells share. */
function contactsOfParts(parts: readonly Part[], cells: readonly Convex[]): Contact[] {
  const byCell = new Map<number, number[]>()
  parts.forEach(({ cell }, n) => byCell.set(cell, [...(byCell.get(cell) ?? []), n]))
  const shared = (part: number, face: number, ring: readonly Vec3[], normal: Vec3): { area: number; middle: Vec3 } => {
    let [area, sum]: [number, [number, number, number]] = [0, [0, 0, 0]]
    for (const triangle of (parts[part] as Part).open.get(face) ?? []) {
      const own = ringArea(clipRing(triangle, ring, normal), normal)
      if (!(own.area > 0)) continue
      area += own.area
      sum = sum.map((value, a) => value + own.area * (own.middle[a] as number)) as typeof sum
    }
    return { area, middle: area > 0 ? [sum[0] / area, sum[1] / area, sum[2] / area] : [0, 0, 0] }
  }
  return meetingsOf(cells).flatMap(({ a, b, faces, ring, normal }) =>
    (byCell.get(a) ?? []).flatMap((one) =>
      (byCell.get(b) ?? []).flatMap((two): Contact[] => {
        const here = shared(one, faces[0], ring, normal)
        const there = shared(two, faces[1], [...ring].reverse(), [-normal[0], -normal[1], -normal[2]])
        const area = Math.min(here.area, there.area)
        const { middle } = here.area <= there.area ? here : there
        return area > LEAST_AREA ? [{ a: one, b: two, area, middle, normal }] : []
      }),
    ),
  )
}

/** Pieces, and where they touch. */
export interface Cut {
  pieces: Piece[]
  contacts: Contact[]
}

const cutOf = (parts: readonly Part[], cells: readonly Convex[]): Cut => ({
  pieces: parts.map(({ piece }) => piece),
  contacts: contactsOfParts(parts, cells),
})

/** Parts of cells of one group as one piece; a group of one cell stays as many pieces as it has parts. */
function united(parts: readonly Part[], grouped: readonly Cell[], cells: readonly Convex[]): Cut {
  const { contacts } = cutOf(parts, cells)
  const several = new Set(byGroup(grouped).flatMap((group) => (group.length > 1 ? group : [])))
  const names = new Map<string, number>()
  const to = parts.map(({ cell }, n) => {
    const name = several.has(cell) ? `group ${grouped[cell]?.group}` : `part ${n}`
    const own = names.get(name) ?? names.size
    names.set(name, own)
    return own
  })
  const pieces = [...names.values()].map((own) => uniteParts(parts.filter((_, n) => to[n] === own)))
  return {
    pieces,
    contacts: contacts.flatMap((contact) => {
      const [a, b] = [to[contact.a] as number, to[contact.b] as number]
      return a === b ? [] : [{ ...contact, a, b }]
    }),
  }
}

function uniteParts(parts: readonly Part[]): Piece {
  const all = parts.map(({ piece }) => piece)
  const { volume: hulls, middle, bodies } = measured(all.flatMap((piece) => piece.bodies))
  const volume = all.reduce((sum, piece) => sum + piece.volume, 0)
  const meshes = all.flatMap(({ mesh }) => mesh ?? [])
  return { bodies, volume, middle, mesh: joined(meshes), fill: Math.min(1, volume / hulls) }
}

/** Meshes that carry the same as one mesh. */
function joined(meshes: readonly SurfaceMesh[]): SurfaceMesh {
  const floats = (name: 'positions' | 'normals' | 'uvs'): Float32Array =>
    Float32Array.from(meshes.flatMap((mesh) => [...(mesh[name] ?? [])]))
  let first = 0
  const indices = meshes.flatMap((mesh) => {
    const own = [...mesh.indices].map((n) => n + first)
    first += mesh.positions.length / 3
    return own
  })
  return {
    positions: floats('positions'),
    indices: Uint32Array.from(indices),
    parts: Uint16Array.from(meshes.flatMap(({ parts }) => [...(parts ?? [])])),
    ...(meshes[0]?.normals ? { normals: floats('normals') } : {}),
    ...(meshes[0]?.uvs ? { uvs: floats('uvs') } : {}),
    ...(meshes[0]?.colours ? { colours: Uint8Array.from(meshes.flatMap(({ colours }) => [...(colours ?? [])])) } : {}),
  }
}

/**
 * Cuts a closed mesh into pieces, each in one part; their outsides keep what vertices carry, what was laid open is part LAID_OPEN. Bodies are hulls.
 * Throws LanternError 'mesh-open' or 'mesh-crosses' on what is no solid, 'cut-empty' where it has no volume or nothing is left, 'cut-many' beyond MOST_PIECES.
 */
export async function cutMesh(source: SurfaceMesh, settings: CutSettings): Promise<Cut> {
  const { low, high } = checkSolid(source)
  const engine = await load()
  const rows = rowsOf(source)
  const { mesh, parts: runs } = sourceMesh(engine, source, rows)
  const whole = new engine.Manifold(mesh)
  try {
    const volume = whole.volume()
    const box = [0, 1, 2].reduce((all, a) => all * ((high[a] as number) - (low[a] as number)), 1)
    if (!(volume > SLIVER))
      throw new LanternError('cut-empty', 'What is to break has no volume.', 'Make it larger.', { field: 'piece' })
    const over = ([0, 1, 2] as const).map((a) => MARGIN * (high[a] - low[a])) as unknown as Vec3
    const number = Math.round(settings.number * Math.min(MOST_MORE, pow(box / volume, MORE)))
    const grouped = cutCells(
      [low[0] - over[0], low[1] - over[1], low[2] - over[2]],
      [high[0] + over[0], high[1] + over[1], high[2] + over[2]],
      { ...settings, number },
    )
    const cells = grouped.map(({ body }) => body)
    checkCount(cells.length / MOST_MORE)
    const id = engine.Manifold.reserveIDs(1)
    const parts = intersected(engine, whole, cells, id).flatMap((made, cell) => {
      const all = made.isEmpty() ? [] : made.decompose()
      made.delete()
      return all.flatMap((one) => {
        const part = partOf(one, cell, rows, runs)
        one.delete()
        return part ?? []
      })
    })
    if (parts.length === 0) throw nothingLeft()
    checkCount(parts.length)
    return grouped.length > byGroup(grouped).length ? united(parts, grouped, cells) : cutOf(parts, cells)
  } finally {
    whole.delete()
  }
}
