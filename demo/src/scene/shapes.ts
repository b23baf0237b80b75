import type { Vec3 } from '@lantern/core/math'
import { type Mesh, type Tint, vertex } from './builder.ts'

// Simple bodies for things lit at their corners; all are cut finely enough for light to vary over them.
export type Place = (p: Vec3) => Vec3

/** Turned about Y by `turn` radians, then moved to `at`; `lean` tips it about its own Z first. */
export function placed(at: Vec3, turn = 0, lean = 0): { point: Place; way: Place } {
  const [c, s, cl, sl] = [Math.cos(turn), Math.sin(turn), Math.cos(lean), Math.sin(lean)]
  const way = ([x, y, z]: Vec3): Vec3 => {
    const lx = cl * x - sl * y
    return [c * lx + s * z, sl * x + cl * y, -s * lx + c * z]
  }
  return { way, point: (p) => way(p).map((v, n) => v + (at[n] ?? 0)) as unknown as Vec3 }
}

/** A grid of vertices over (a, b) in [0, 1]. */
export function sheet(
  mesh: Mesh,
  across: number,
  down: number,
  at: (a: number, b: number) => { p: Vec3; n: Vec3 },
  tint: Tint,
  both = false,
): void {
  const first = mesh.vertices.length / 12
  for (let j = 0; j <= down; j++)
    for (let i = 0; i <= across; i++) {
      const { p, n } = at(i / across, j / down)
      vertex(mesh, p, n, tint(p, n), both)
    }
  for (let j = 0; j < down; j++)
    for (let i = 0; i < across; i++) {
      const a = first + j * (across + 1) + i
      mesh.triangles.push(a, a + 1, a + across + 1, a + across + 2, a + across + 1, a + 1)
    }
}

const crossed = (a: Vec3, b: Vec3): Vec3 => [
  a[1] * b[2] - a[2] * b[1],
  a[2] * b[0] - a[0] * b[2],
  a[0] * b[1] - a[1] * b[0],
]
const unit = (v: Vec3): Vec3 => {
  const n = Math.hypot(...v) || 1
  return [v[0] / n, v[1] / n, v[2] / n]
}

/** A box with edges `size`, its foot's middle at the place's origin. */
export function box(
  mesh: Mesh,
  { point, way }: ReturnType<typeof placed>,
  size: Vec3,
  tint: Tint,
  cut = 0.12,
  centre: Vec3 = [0, size[1] / 2, 0],
): void {
  const half: Vec3 = [size[0] / 2, size[1] / 2, size[2] / 2]
  for (let axis = 0; axis < 3; axis++)
    for (const side of [-1, 1]) {
      const u = (axis + 1) % 3
      const v = (axis + 2) % 3
      const n: Vec3 = [0, 1, 2].map((c) => (c === axis ? side : 0)) as unknown as Vec3
      const cuts = (c: number): number => Math.max(1, Math.min(64, Math.round((size[c] ?? 0) / cut)))
      sheet(
        mesh,
        cuts(u),
        cuts(v),
        (a, b) => {
          const p: [number, number, number] = [...centre]
          p[axis] = (centre[axis] ?? 0) + side * (half[axis] ?? 0)
          p[u] = (centre[u] ?? 0) + (2 * a - 1) * (half[u] ?? 0)
          p[v] = (centre[v] ?? 0) + (2 * b - 1) * (half[v] ?? 0)
          return { p: point(p), n: way(n) }
        },
        tint,
      )
    }
}

/** A round body about the place's Y axis: radius along heights in [0, 1] of its profile. */
export function lathe(
  mesh: Mesh,
  { point, way }: ReturnType<typeof placed>,
  profile: readonly (readonly [radius: number, height: number])[],
  round: number,
  tint: Tint,
  both = false,
): void {
  const last = profile.length - 1
  sheet(
    mesh,
    round,
    last,
    (a, b) => {
      const k = Math.min(last, Math.round(b * last))
      const [r, y] = profile[k] ?? [0, 0]
      const [r0, y0] = profile[Math.max(0, k - 1)] ?? [0, 0]
      const [r1, y1] = profile[Math.min(last, k + 1)] ?? [0, 0]
      const angle = a * 2 * Math.PI
      const n = unit([(y1 - y0) * Math.cos(angle), r0 - r1, (y1 - y0) * Math.sin(angle)])
      return { p: point([r * Math.cos(angle), y, r * Math.sin(angle)]), n: way(n) }
    },
    tint,
    both,
  )
}

/** A tube along points with a radius at each; flat ends left open. squash: its second half-axis as a share of the first. */
export function tube(
  mesh: Mesh,
  path: readonly Vec3[],
  radii: readonly number[],
  round: number,
  tint: Tint,
  bumps?: (a: number, k: number) => number,
  side: Vec3 = [0, 0, 1],
  squash = 1,
): void {
  const frames = path.map((p, k) => {
    const before = path[Math.max(0, k - 1)] ?? p
    const after = path[Math.min(path.length - 1, k + 1)] ?? p
    const along = unit([after[0] - before[0], after[1] - before[1], after[2] - before[2]])
    const q = Math.abs(along[0] * side[0] + along[1] * side[1] + along[2] * side[2]) > 0.95 ? ([1, 0, 0] as Vec3) : side
    const u = unit(crossed(q, along))
    return { p, u, w: crossed(along, u) }
  })
  const last = path.length - 1
  const at = (angle: number, row: number): Vec3 => {
    const k = Math.max(0, Math.min(last, row))
    const { p, u, w } = frames[k] as { p: Vec3; u: Vec3; w: Vec3 }
    const r = (radii[k] ?? 0) + (bumps ? bumps(angle, k) : 0)
    const [c, s] = [r * Math.cos(angle), r * squash * Math.sin(angle)]
    return [p[0] + c * u[0] + s * w[0], p[1] + c * u[1] + s * w[1], p[2] + c * u[2] + s * w[2]]
  }
  const half = Math.PI / round
  const less = (a: Vec3, b: Vec3): Vec3 => [a[0] - b[0], a[1] - b[1], a[2] - b[2]]
  sheet(
    mesh,
    round,
    last,
    (a, b) => {
      const k = Math.min(last, Math.round(b * last))
      const angle = a * 2 * Math.PI
      const p = at(angle, k)
      // Across the skin as it is, bumps and all.
      const n = unit(crossed(less(at(angle + half, k), at(angle - half, k)), less(at(angle, k + 1), at(angle, k - 1))))
      const out = less(p, frames[k]?.p ?? p)
      const side = n[0] * out[0] + n[1] * out[1] + n[2] * out[2] < 0 ? -1 : 1
      return { p, n: [n[0] * side, n[1] * side, n[2] * side] }
    },
    tint,
  )
}
