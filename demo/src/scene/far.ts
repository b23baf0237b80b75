import type { Vec3 } from '@lantern/core/math'
import { type ChartSpec, type Mesh, planar, type Skin, skinOf, vertex } from './builder.ts'
import { ironTint } from './iron.ts'
import { brickWall } from './kiln.ts'
import { clamp, grain, rough, smooth, spot } from './noise.ts'
import { CHIMNEY } from './places.ts'
import { box, placed, sheet, tube } from './shapes.ts'

/** The chimney: four tapering brick faces, iron bands with bolts. */
export function chimney(mesh: Mesh, detail: number): ChartSpec[] {
  const { x, z, half, top, height } = CHIMNEY
  const lean = (half - top) / height
  const texel = 0.011 / detail
  const face = (name: string, seed: number, along: Vec3, outward: Vec3, fine: number): ChartSpec => {
    const wall = brickWall({
      name,
      seed,
      corner: [0, 0, 0],
      along,
      width: 2 * half,
      height: height + 0.1,
      texel: texel * fine,
      step: 3,
      foot: -0.1,
      top: height,
      soot: (_, y) => 0.7 * smooth(height - 3.5, height, y),
    })
    const at = (u: number, v: number): Vec3 => {
      const y = height - v
      const r = half - lean * Math.max(0, y)
      const s = (u / half - 1) * r
      return [x + along[0] * s + outward[0] * r, y, z + along[2] * s + outward[2] * r]
    }
    return { ...wall, at, out: () => outward }
  }
  const tint = ironTint(800, 0.45)
  for (let y = 2.4; y < height; y += 2.3) {
    const r = half - lean * y + 0.012
    for (const [sx, sz] of [
      [1, 0],
      [-1, 0],
      [0, 1],
      [0, -1],
    ] as const) {
      box(
        mesh,
        placed([x + sx * r, y, z + sz * r]),
        sx ? [0.014, 0.085, 2 * r + 0.02] : [2 * r + 0.02, 0.085, 0.014],
        tint,
        0.2,
      )
      for (const k of [-0.8, 0.8])
        box(
          mesh,
          placed([x + sx * (r + 0.02) + (sz ? k * r : 0), y + 0.025, z + sz * (r + 0.02) + (sx ? k * r : 0)]),
          [0.035, 0.035, 0.035],
          tint,
          1,
        )
    }
  }
  box(mesh, placed([x, height - 0.5, z]), [2 * top + 0.2, 0.16, 2 * top + 0.2], () => skinOf(0.09, 0.055, 0.045), 0.3)
  box(mesh, placed([x, height - 0.34, z]), [2 * top + 0.32, 0.2, 2 * top + 0.32], () => skinOf(0.07, 0.045, 0.038), 0.3)
  return [
    face('chimney front', 810, [1, 0, 0], [0, 0, 1], 1),
    face('chimney right', 820, [0, 0, -1], [1, 0, 0], 1),
    face('chimney back', 830, [-1, 0, 0], [0, 0, -1], 2),
    face('chimney left', 840, [0, 0, 1], [-1, 0, 0], 2),
  ]
}

/** Corrugated sheet with rust, as one chart. */
function sheetIron(
  name: string,
  seed: number,
  corner: Vec3,
  along: Vec3,
  down: Vec3,
  width: number,
  tall: number,
  texel: number,
): ChartSpec {
  const columns = Math.max(2, Math.round(width / texel))
  const rows = Math.max(2, Math.round(tall / texel))
  const height = new Float32Array(columns * rows)
  for (let j = 0; j < rows; j++)
    for (let i = 0; i < columns; i++)
      height[j * columns + i] =
        0.014 * Math.sin(((i * texel) / 0.076) * 2 * Math.PI) +
        0.01 * rough(seed, i * texel * 0.7, j * texel * 0.5, 2) -
        (Math.abs(((j * texel) % 1.4) - 0.01) < 0.012 ? 0.012 : 0)
  const paint = (i: number, j: number, skin: Skin): void => {
    const u = i * texel
    const v = j * texel
    const plate = spot(seed + 1, Math.floor(u / 0.8), Math.floor(v / 1.4))
    const rust = smooth(
      -0.2,
      0.5,
      rough(seed + 2, u * 1.2, v * 0.7, 4) + 0.35 * grain(seed + 3, u * 8, v * 0.8) + plate - 0.55,
    )
    const t = (0.85 + 0.3 * plate) * (1 + 0.2 * rough(seed + 4, u * 12, v * 12, 3))
    skin.r = clamp(t * (0.19 * (1 - rust) + 0.13 * rust), 0.02, 0.6)
    skin.g = clamp(t * (0.2 * (1 - rust) + 0.064 * rust), 0.02, 0.6)
    skin.b = clamp(t * (0.205 * (1 - rust) + 0.038 * rust), 0.02, 0.6)
    skin.rough = 0.5 + 0.4 * rust
    skin.film = 0
    skin.hollow = 1
  }
  return { name, columns, rows, texel, step: 1, ...planar(corner, along, down), height, paint }
}

/** A shed: boarded or brick walls under a corrugated roof; the corner is its front left at the ground, depth goes to -Z. */
function shed(
  mesh: Mesh,
  seed: number,
  at: Vec3,
  width: number,
  tall: number,
  depth: number,
  texel: number,
): ChartSpec[] {
  const pitch = 0.42
  const rise = depth * 0.5 * pitch
  const wall = (name: string, corner: Vec3, along: Vec3, long: number) =>
    brickWall({ name, seed, corner, along, width: long, height: tall + 0.2, texel, step: 3, foot: -0.2, top: tall })
  const gable = (x: number, side: number): void =>
    sheet(
      mesh,
      8,
      6,
      (a, b) => {
        const z = at[2] - a * depth
        const y = tall + b * rise * (1 - Math.abs(2 * a - 1))
        return { p: [x, y, z], n: [side, 0, 0] }
      },
      (p) => {
        const t = 1 + 0.3 * rough(seed + 5, p[2] * 6, p[1] * 0.6, 3)
        return skinOf(0.1 * t, 0.085 * t, 0.07 * t)
      },
    )
  gable(at[0], -1)
  gable(at[0] + width, 1)
  for (const dx of [0.22, 0.62]) {
    const x = at[0] + dx * width
    box(mesh, placed([x, 1.1, at[2] + 0.01]), [0.9, 0.9, 0.05], () => skinOf(0.016, 0.018, 0.02, 0.15), 0.3)
    for (const k of [-0.45, 0, 0.45])
      box(mesh, placed([x + k, 1.08, at[2] + 0.03]), [0.05, 0.94, 0.05], () => skinOf(0.2, 0.19, 0.17), 0.3)
    box(mesh, placed([x, 1.53, at[2] + 0.03]), [0.95, 0.05, 0.05], () => skinOf(0.2, 0.19, 0.17), 0.3)
  }
  const slope = Math.hypot(depth / 2, rise)
  const over = 0.25
  return [
    wall('shed front', [at[0], tall, at[2]], [1, 0, 0], width),
    wall('shed right', [at[0] + width, tall, at[2]], [0, 0, -1], depth),
    wall('shed left', [at[0], tall, at[2] - depth], [0, 0, 1], depth),
    sheetIron(
      'shed roof',
      seed + 9,
      [at[0] - over, tall + rise + 0.05, at[2] - depth / 2],
      [1, 0, 0],
      [0, -rise / slope, depth / 2 / slope],
      width + 2 * over,
      slope + over,
      texel,
    ),
  ]
}

/** A tree: a trunk that forks, twigs, and leaves in tufts. */
function tree(mesh: Mesh, seed: number, at: Vec3, tall: number, leafy: number, detail: number): void {
  let key = 0
  const bark = skinOf(0.075, 0.062, 0.048)
  // A coarse yard's trees keep their trunks and boughs.
  const deepest = detail < 0.1 ? 3 : 6
  const grow = (from: Vec3, way: Vec3, length: number, radius: number, depth: number): void => {
    const steps = depth < 2 ? 5 : 3
    const path: Vec3[] = [from]
    let d = way
    let p = from
    for (let s = 0; s < steps; s++) {
      key++
      d = unitOf([
        d[0] + 0.28 * (spot(seed, key, 1) - 0.5),
        d[1] + 0.2 * (spot(seed, key, 2) - 0.42),
        d[2] + 0.28 * (spot(seed, key, 3) - 0.5),
      ])
      p = [p[0] + (d[0] * length) / steps, p[1] + (d[1] * length) / steps, p[2] + (d[2] * length) / steps]
      path.push(p)
    }
    tube(
      mesh,
      path,
      path.map((_, k) => radius * (1 - (0.42 * k) / steps)),
      depth < 2 ? 8 : depth < 4 ? 5 : 3,
      () => bark,
    )
    if (depth >= deepest || radius < 0.006) {
      tuft(p, length)
      return
    }
    if (depth >= 4) tuft(p, length * 0.8)
    const forks = depth === 0 ? 4 : 2 + (spot(seed, key, 9) < 0.55 ? 1 : 0)
    for (let f = 0; f < forks; f++) {
      key++
      const a = (f / forks) * 6.283 + 2 * spot(seed, key, 4)
      const open = 0.42 + 0.45 * spot(seed, key, 5)
      const u = unitOf([d[1], -d[0], 0.2])
      const w: Vec3 = [d[1] * u[2] - d[2] * u[1], d[2] * u[0] - d[0] * u[2], d[0] * u[1] - d[1] * u[0]]
      const n = unitOf(
        [0, 1, 2].map(
          (c) => (d[c] ?? 0) + open * (Math.cos(a) * (u[c] ?? 0) + Math.sin(a) * (w[c] ?? 0)),
        ) as unknown as Vec3,
      )
      const start = path[Math.max(1, path.length - 1 - (f % 2))] ?? p
      grow(start, n, length * (0.64 + 0.2 * spot(seed, key, 6)), radius * (0.52 + 0.16 * spot(seed, key, 7)), depth + 1)
    }
  }
  const tuft = (p: Vec3, size: number): void => {
    const count = Math.round(leafy * (10 + 8 * spot(seed, key, 8)) * Math.min(1, detail))
    for (let n = 0; n < count; n++) {
      key++
      const c: Vec3 = [
        p[0] + 0.55 * size * (spot(seed, key, 1) + spot(seed, key, 11) - 1),
        p[1] + 0.5 * size * (spot(seed, key, 2) + spot(seed, key, 12) - 1),
        p[2] + 0.55 * size * (spot(seed, key, 3) + spot(seed, key, 13) - 1),
      ]
      const u = unitOf([spot(seed, key, 4) - 0.5, 0.8 * (spot(seed, key, 5) - 0.5), spot(seed, key, 6) - 0.5])
      const w = unitOf([u[1] + 0.3, -u[0], spot(seed, key, 7) - 0.5])
      const s = 0.05 + 0.05 * spot(seed, key, 8)
      const t = 0.65 + 0.7 * spot(seed, key, 9)
      const skin = skinOf(0.055 * t, 0.07 * t, 0.024 * t, 0.8)
      const nrm = unitOf([0.5 * (spot(seed, key, 14) - 0.5), 1, 0.5 * (spot(seed, key, 15) - 0.5)])
      const a = vertex(mesh, [c[0] - u[0] * s, c[1] - u[1] * s, c[2] - u[2] * s], nrm, skin, true)
      const b = vertex(mesh, [c[0] + w[0] * s * 0.5, c[1] + w[1] * s * 0.5, c[2] + w[2] * s * 0.5], nrm, skin, true)
      const e = vertex(mesh, [c[0] + u[0] * s, c[1] + u[1] * s, c[2] + u[2] * s], nrm, skin, true)
      const f = vertex(mesh, [c[0] - w[0] * s * 0.5, c[1] - w[1] * s * 0.5, c[2] - w[2] * s * 0.5], nrm, skin, true)
      mesh.triangles.push(a, b, e, e, f, a)
    }
  }
  grow(at, [0, 1, 0], tall * 0.3, tall * 0.028, 0)
}
const unitOf = (v: Vec3): Vec3 => {
  const n = Math.hypot(...v) || 1
  return [v[0] / n, v[1] / n, v[2] / n]
}

/** A lumpy bush or far crown: a ball drawn out and dented at several sizes. */
function crown(mesh: Mesh, key: number, at: Vec3, broad: number, tall: number, fine: number): void {
  sheet(
    mesh,
    2 * fine,
    fine,
    (a, b) => {
      const [u, v] = [a * 2 * Math.PI, (0.02 + 0.96 * b) * Math.PI]
      const n: Vec3 = [Math.cos(u) * Math.sin(v), Math.cos(v), Math.sin(u) * Math.sin(v)]
      const lump =
        1 +
        0.34 * rough(key, n[0] * 2.1 + n[1] * 1.3, n[2] * 2.1 - n[1], 3, 0.7) +
        0.16 * (spot(key, Math.round(n[0] * 40 + n[1] * 17), Math.round(n[2] * 40 - n[1] * 23)) - 0.5)
      return { p: [at[0] + broad * lump * n[0], at[1] + tall * lump * (n[1] + 0.75), at[2] + broad * lump * n[2]], n }
    },
    (p, n) => {
      const t = (0.5 + 0.55 * clamp(0.5 + 0.5 * n[1])) * (0.85 + 0.4 * rough(key + 1, p[0] * 1.3 + p[2], p[1] * 1.9, 3))
      return skinOf(0.046 * t, 0.056 * t, 0.025 * t)
    },
    true,
  )
}

/** Far woodland round the yard, bushes behind the kiln and along the walls, and plain earth to the horizon. */
function horizon(mesh: Mesh, detail: number): void {
  const woods = Math.round(430 * Math.min(1, detail + 0.1))
  for (let n = 0; n < woods; n++) {
    const angle = (n + spot(850, n, 1)) * (6.2832 / woods)
    const away = 70 + 80 * spot(850, n, 2)
    const size = 2.2 + 3.4 * spot(850, n, 3)
    crown(
      mesh,
      851 + n,
      [away * Math.cos(angle), -0.8, away * Math.sin(angle)],
      size * 1.25,
      size * (0.4 + 0.25 * spot(850, n, 4)),
      11,
    )
  }
  for (let n = 0; n < 34; n++) {
    const behind = n < 16
    const [x, z] = behind
      ? [-2.6 + 11 * spot(856, n, 1), -8.5 - 9 * spot(856, n, 2)]
      : [-25 + 19 * spot(856, n, 1), -18.2 - 3 * spot(856, n, 2)]
    const size = 0.5 + 0.9 * spot(856, n, 3)
    crown(mesh, 860 + n, [x, -0.25, z], size, size * 0.7, 16)
  }
  const span = 260
  for (const [x0, z0, x1, z1] of [
    [-span, -span, span, -19.7],
    [-span, -19.7, -25.9, span],
    [16.1, -19.7, span, span],
    [-25.9, 11.7, 16.1, span],
    [-3.6, -19.7, 16.1, -0.2],
  ] as const)
    sheet(
      mesh,
      90,
      90,
      (a, b) => ({ p: [x0 + (x1 - x0) * a, -0.12, z0 + (z1 - z0) * b], n: [0, 1, 0] }),
      (p) => {
        const t = 0.8 + 0.6 * rough(860, p[0] * 0.25, p[2] * 0.25, 5)
        return skinOf(0.085 * t, 0.08 * t, 0.05 * t)
      },
    )
  // Floors of the doorways, and what closes the kiln behind.
  for (const x of [-1.4, 2.1, 5.6])
    sheet(
      mesh,
      26,
      66,
      (a, b) => ({
        p: [x - 0.7 + 1.4 * a, -0.012 + 0.012 * grain(857, a * 9 + x, b * 20), -3.35 + 3.15 * b],
        n: [0, 1, 0],
      }),
      (p) => {
        const t = 0.8 + 0.5 * rough(858, p[0] * 9, p[2] * 9, 4)
        return skinOf(0.055 * t, 0.045 * t, 0.036 * t)
      },
    )
  sheet(
    mesh,
    16,
    6,
    (a, b) => ({ p: [-3.6 + 13 * a, 4.2 - 4.4 * b, -6], n: [0, 0, -1] }),
    () => skinOf(0.13, 0.075, 0.055),
  )
  // The kiln's lid keeps the sky out of it.
  sheet(
    mesh,
    20,
    10,
    (a, b) => ({ p: [-3.6 + 13 * a, 4.2, -6 * b], n: [0, 1, 0] }),
    () => skinOf(0.07, 0.065, 0.05),
  )
}

/** What stands behind: a yard wall, sheds, trees, the land beyond. */
export function farThings(mesh: Mesh, detail: number): ChartSpec[] {
  horizon(mesh, detail)
  for (const [n, x, z, tall, leafy] of [
    [0, -15.5, -24, 10.5, 1],
    [1, -9.2, -27, 8.6, 1.1],
    [2, -21, -19, 9, 0.8],
    [3, -5.6, -31, 11, 1],
    [4, -28, -24, 11, 1.1],
    [5, 14.5, -12, 9.5, 1],
    [6, 19, -6, 8, 1],
    [7, -30, -6, 9.5, 1],
    [8, -12, -33, 9, 1.2],
  ] as const)
    tree(mesh, 900 + n * 17, [x, -0.1, z], tall, leafy, detail)
  // A row of trees beyond the wall, too far off to ask for all their leaves.
  for (let n = 0; n < 14; n++)
    tree(
      mesh,
      1100 + n * 17,
      [-44 + n * 4.6 + 3 * spot(859, n, 1), -0.1, -40 - 16 * spot(859, n, 2)],
      8.5 + 4 * spot(859, n, 3),
      0.8,
      0.22 * detail,
    )
  const texel = 0.02 / detail
  return [
    ...shed(mesh, 870, [-13.6, 0, -12.2], 5.4, 2.7, 4.4, texel),
    ...shed(mesh, 880, [10.6, 0, -2.5], 4.6, 3, 6, texel),
    brickWall({
      name: 'yard wall',
      seed: 890,
      corner: [-26, 2.1, -17.2],
      along: [1, 0, 0],
      width: 34,
      height: 2.4,
      texel,
      step: 3,
      foot: -0.3,
      top: 2.1,
    }),
    brickWall({
      name: 'yard side wall',
      seed: 895,
      corner: [-21, 2.1, 9],
      along: [0, 0, -1],
      width: 26,
      height: 2.4,
      texel: texel * 1.5,
      step: 3,
      foot: -0.3,
      top: 2.1,
    }),
  ]
}
