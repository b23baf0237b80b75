import type { Vec3 } from '@lantern/core/math'

/** What a surface is at one spot. albedo linear; rough 0 (mirror) to 1; film: share of a water film; hollow: share of the open sky that small cracks leave. */
export interface Skin {
  r: number
  g: number
  b: number
  rough: number
  film: number
  hollow: number
}

/** A rectangular surface with texels: `at` and `out` take metres from its corner along its two edges. */
export interface ChartSpec {
  name: string
  columns: number
  rows: number
  /** Edge of a texel, m. */
  texel: number
  /** Texels per step of the triangle grid. */
  step: number
  at: (u: number, v: number) => Vec3
  out: (u: number, v: number) => Vec3
  /** Relief outward, m, for every texel. */
  height: Float32Array
  /** Fills the skin of texel (i, j). */
  paint: (i: number, j: number, skin: Skin) => void
  /** Whether the surface is there at (u, v); all of it without. */
  there?: (u: number, v: number) => boolean
  /** Upward normal kept as it is (still water). */
  flat?: (i: number, j: number) => boolean
}

/** Triangles lit at their corners. Per vertex: 3 position, 3 normal, 3 albedo, rough, film, both sides. */
export interface Mesh {
  vertices: number[]
  triangles: number[]
}
export const MESH_STRIDE = 12
export const newMesh = (): Mesh => ({ vertices: [], triangles: [] })
export type Tint = (p: Vec3, n: Vec3) => Skin

/** Adds a vertex and returns its index. */
export function vertex(mesh: Mesh, p: Vec3, n: Vec3, skin: Skin, both = false): number {
  mesh.vertices.push(p[0], p[1], p[2], n[0], n[1], n[2], skin.r, skin.g, skin.b, skin.rough, skin.film, both ? 1 : 0)
  return mesh.vertices.length / MESH_STRIDE - 1
}

export const skinOf = (r: number, g: number, b: number, rough = 0.9, film = 0): Skin => ({
  r,
  g,
  b,
  rough,
  film,
  hollow: 1,
})
export const scaled = (skin: Skin, by: number): Skin => ({ ...skin, r: skin.r * by, g: skin.g * by, b: skin.b * by })

/** Everything in the yard that stands still. */
export interface Parts {
  charts: ChartSpec[]
  mesh: Mesh
}

export const planar = (corner: Vec3, along: Vec3, down: Vec3) => ({
  at: (u: number, v: number): Vec3 => [
    corner[0] + along[0] * u + down[0] * v,
    corner[1] + along[1] * u + down[1] * v,
    corner[2] + along[2] * u + down[2] * v,
  ],
  out: (): Vec3 =>
    [
      along[1] * down[2] - along[2] * down[1],
      along[2] * down[0] - along[0] * down[2],
      along[0] * down[1] - along[1] * down[0],
    ].map((x) => -x) as unknown as Vec3,
})
