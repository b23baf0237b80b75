import type { Vec3 } from '@lantern/core/math'
import { type ChartSpec, type Mesh, planar, type Skin, skinOf, type Tint } from './builder.ts'
import { DRAIN, lie } from './ground.ts'
import { clamp, grain, rough, smooth, spot } from './noise.ts'
import { ARCHES, DRUM, DRUM_SIZE, LAMP_POST } from './places.ts'
import { box, lathe, placed } from './shapes.ts'

/** Old iron: dark scale, rust in blooms, rubbed edges. */
export const ironTint =
  (seed: number, rusty: number): Tint =>
  (p) => {
    const a = rough(seed, p[0] * 9 + p[2] * 7, p[1] * 9, 4)
    const rust = smooth(0.25 - rusty, 0.9 - rusty, a + 0.5)
    const t =
      1 +
      0.45 * rough(seed + 3, p[0] * 50 + p[2] * 41, p[1] * 50, 2) +
      0.3 * rough(seed + 4, p[0] * 6 + p[2] * 5, p[1] * 2.2, 3)
    return skinOf(t * (0.042 + 0.085 * rust), t * (0.04 + 0.028 * rust), t * (0.04 + 0.004 * rust), 0.55 + 0.35 * rust)
  }

/** The middle arch's cast-iron door: two leaves of framed panels with straps, rivets and a bar, rusted, heat-scaled at the top. */
export function ironDoor(detail: number): ChartSpec {
  const arch = ARCHES[1]
  const texel = 0.0045 / detail
  const width = arch.width + 0.1
  const tall = arch.height + 0.1
  const columns = Math.max(2, Math.round(width / texel))
  const rows = Math.max(2, Math.round(tall / texel))
  const height = new Float32Array(columns * rows)
  const rivet = (u: number, v: number): number => {
    const strap = Math.abs(((((v + 0.28) % 0.56) + 0.56) % 0.56) - 0.28)
    const du = Math.abs(((u + 0.055) % 0.11) - 0.055)
    return Math.hypot(du, strap)
  }
  for (let j = 0; j < rows; j++)
    for (let i = 0; i < columns; i++) {
      const u = (i + 0.5) * texel
      const v = (j + 0.5) * texel
      const x = Math.abs(u - width / 2)
      const strap = Math.abs(((((v + 0.28) % 0.56) + 0.56) % 0.56) - 0.28)
      let h = 0.004 * rough(601, u * 2, v * 2, 2) + 0.0007 * rough(602, u * 60, v * 60, 3)
      if (x < 0.004) h -= 0.02
      else if (x < 0.055 || x > width / 2 - 0.1) h += 0.012 * smooth(0, 0.006, Math.min(Math.abs(x - 0.004), 0.02))
      if (strap < 0.04) h += 0.012
      const r = rivet(u, v)
      if (r < 0.013) h += 0.009 * Math.sqrt(1 - (r / 0.013) ** 2)
      if (Math.abs(v - 1.05) < 0.028 && x < 0.4) h += 0.03
      height[j * columns + i] = h
    }
  const paint = (i: number, j: number, skin: Skin): void => {
    const u = (i + 0.5) * texel
    const v = (j + 0.5) * texel
    const mid = rough(603, u * 6, v * 6, 4)
    const fine = rough(604, u * 45, v * 45, 3)
    const run = grain(605, u * 24, v * 0.8) * 0.5 + grain(606, u * 60, v * 1.4) * 0.3
    const rust = smooth(-0.25, 0.55, mid + 0.4 * fine + 0.5 * run + 0.5 * smooth(1.2, 2.1, v) - 0.1)
    const scale = smooth(0.8, 0.1, v) * smooth(-0.2, 0.3, mid)
    const t = 1 + 0.35 * fine + 0.12 * grain(607, u * 190, v * 190)
    skin.r = clamp(t * (0.043 + 0.115 * rust + 0.03 * scale), 0.015, 0.5)
    skin.g = clamp(t * (0.041 + 0.03 * rust + 0.028 * scale), 0.014, 0.5)
    skin.b = clamp(t * (0.042 - 0.004 * rust + 0.027 * scale), 0.012, 0.5)
    skin.rough = clamp(0.5 + 0.42 * rust + 0.1 * fine, 0.3, 1)
    skin.film = 0
    skin.hollow = Math.abs(u - width / 2) < 0.004 ? 0.2 : 1
  }
  return {
    name: 'iron door',
    columns,
    rows,
    texel,
    step: 2,
    ...planar([arch.x - width / 2, arch.height + 0.06, -arch.reveal], [1, 0, 0], [0, -1, 0]),
    height,
    paint,
  }
}

/** Round tie plates on the kiln's face with a nut each, a drum that burns, a lamp post, bands of the chimney are elsewhere. */
export function ironThings(mesh: Mesh): void {
  for (const x of [-2.6, 0.35, 3.9, 7.4])
    for (const y of [3.05]) {
      const face = placed([x, y, 0.02])
      const turned = { point: ([a, b, c]: Vec3) => face.point([a, c, b]), way: ([a, b, c]: Vec3): Vec3 => [a, c, b] }
      lathe(
        mesh,
        turned,
        [
          [0.17, -0.03],
          [0.17, 0],
          [0.165, 0.018],
          [0.11, 0.024],
          [0.05, 0.028],
          [0.05, 0.046],
          [0.045, 0.05],
          [0.001, 0.05],
        ],
        28,
        ironTint(620 + Math.round(x * 10), 0.5),
      )
      box(mesh, face, [0.055, 0.055, 0.03], ironTint(630, 0.3), 0.05, [0, 0, 0.06])
    }
  // What the coping rests on and its top.
  for (const [out, y] of [
    [0.055, 4.2],
    [0.0275, 4.125],
  ] as const)
    box(mesh, placed([2.9, y + 0.002, 0]), [13.1, 0.071, 2 * out - 0.004], () => skinOf(0.1, 0.07, 0.055), 0.2)
  for (const [out, y] of [
    [0.055, 4.2],
    [0.0275, 4.125],
  ] as const)
    box(mesh, placed([-3.6, y + 0.002, -3]), [2 * out - 0.004, 0.071, 6], () => skinOf(0.1, 0.07, 0.055), 0.2)
  // Behind the corner's joint.
  box(mesh, placed([-3.556, 0, -0.044]), [0.06, 4.19, 0.06], () => skinOf(0.13, 0.075, 0.055), 0.1)
  drum(mesh)
  lampPost(mesh)
  // A drain's grate let into the cobbles.
  const tint = ironTint(680, 0.25)
  const [gx, gz] = DRAIN
  const level = lie(gx + 0.4, gz) + 0.004
  for (const side of [-1, 1]) {
    box(mesh, placed([gx + 0.24 * side, level - 0.03, gz]), [0.05, 0.04, 0.53], tint, 0.03)
    box(mesh, placed([gx, level - 0.03, gz + 0.24 * side]), [0.53, 0.04, 0.05], tint, 0.03)
  }
  for (let n = 0; n < 8; n++)
    box(mesh, placed([gx - 0.19 + n * 0.054, level - 0.03, gz]), [0.024, 0.036, 0.46], tint, 0.03)
  box(mesh, placed([gx, level - 0.16, gz]), [0.44, 0.01, 0.44], () => skinOf(0.012, 0.011, 0.01), 0.1)
}

/** An oil drum, open at the top, dented, with air holes low down; burnt to scale and rust. */
function drum(mesh: Mesh): void {
  const { radius, height } = DRUM_SIZE
  const tint: Tint = (p) => {
    const y = p[1] / height
    const a = Math.atan2(p[2] - DRUM[2], p[0] - DRUM[0])
    const mid = rough(640, a * 2.2, y * 5, 4)
    const burnt = smooth(0.35, 0.95, y + 0.25 * mid)
    const rust = smooth(-0.3, 0.4, mid + 0.3 * rough(641, a * 9, y * 20, 3))
    const hole = y > 0.1 && y < 0.2 && Math.abs((((((a / (2 * Math.PI)) * 9) % 1) + 1) % 1) - 0.5) < 0.12
    const t = 1 + 0.25 * rough(642, a * 14, y * 30, 2)
    if (hole) return skinOf(0.012, 0.01, 0.01, 1)
    return skinOf(
      t * (0.05 + 0.09 * rust * (1 - 0.5 * burnt)),
      t * (0.044 + 0.024 * rust * (1 - 0.6 * burnt)),
      t * (0.045 - 0.008 * rust),
      0.7,
    )
  }
  const dent = (a: number, y: number): number => 0.008 * rough(643, Math.cos(a) * 1.6, Math.sin(a) * 1.6 + y * 2.4, 2)
  const skinned = (inner: number) => {
    const rows = 40
    return Array.from({ length: rows + 1 }, (_, k) => {
      const y = (k / rows) * height
      const hoop = Math.max(
        0,
        1 - Math.abs(y - height / 3) / 0.018,
        1 - Math.abs(y - (2 * height) / 3) / 0.018,
        1 - Math.abs(y - height) / 0.014,
      )
      return [radius - inner + 0.011 * hoop, y] as const
    })
  }
  const here = placed(DRUM)
  const bent = {
    way: here.way,
    point: ([x, y, z]: Vec3): Vec3 => {
      const a = Math.atan2(z, x)
      const k = 1 + dent(a, y) / radius
      return here.point([x * k, y, z * k])
    },
  }
  lathe(mesh, bent, skinned(0), 64, tint)
  lathe(mesh, bent, skinned(0.006).reverse(), 64, () => skinOf(0.03, 0.026, 0.024, 0.95))
  // The bed of ash and wood a hand's breadth under the rim.
  for (let n = 0; n < 26; n++) {
    const a = spot(650, n, 1) * 6.283
    const r = 0.2 * Math.sqrt(spot(650, n, 2))
    const long = 0.16 + 0.22 * spot(650, n, 3)
    box(
      mesh,
      placed(
        [DRUM[0] + r * Math.cos(a), height - 0.2 + 0.09 * spot(650, n, 4), DRUM[2] + r * Math.sin(a)],
        spot(650, n, 5) * 6.283,
        (spot(650, n, 6) - 0.5) * 0.9,
      ),
      [long, 0.04, 0.045],
      () => skinOf(0.025, 0.022, 0.02),
      0.1,
    )
  }
}

/** A cast-iron post with a fluted foot and a four-sided lantern, unlit. */
function lampPost(mesh: Mesh): void {
  const here = placed(LAMP_POST)
  const tint = ironTint(660, 0.12)
  lathe(
    mesh,
    here,
    [
      [0.17, -0.05],
      [0.17, 0.05],
      [0.13, 0.09],
      [0.105, 0.2],
      [0.1, 0.5],
      [0.115, 0.56],
      [0.07, 0.62],
      [0.055, 0.7],
      [0.052, 1.2],
      [0.05, 1.8],
      [0.048, 2.4],
      [0.046, 2.9],
      [0.06, 2.94],
      [0.044, 2.98],
      [0.04, 3.3],
      [0.055, 3.36],
      [0.02, 3.44],
    ].flatMap((pair, k, all): [number, number][] => {
      const next = all[k + 1]
      const p: [number, number] = [pair[0] ?? 0, pair[1] ?? 0]
      // Cut finely, so that rust and dirt have room to vary.
      const cuts = next ? Math.max(1, Math.round(((next[1] ?? 0) - p[1]) / 0.025)) : 1
      return Array.from({ length: cuts }, (_, c) => [
        p[0] + ((next?.[0] ?? 0) - p[0]) * (c / cuts),
        p[1] + ((next?.[1] ?? 0) - p[1]) * (c / cuts),
      ])
    }),
    28,
    tint,
  )
  const ladder = placed([LAMP_POST[0], 3.02, LAMP_POST[2]], 0.5)
  box(mesh, ladder, [0.5, 0.025, 0.025], tint, 0.1)
  for (const [x, z] of [
    [-1, -1],
    [1, -1],
    [1, 1],
    [-1, 1],
  ] as const)
    box(mesh, placed([LAMP_POST[0] + 0.13 * x, 3.46, LAMP_POST[2] + 0.13 * z]), [0.018, 0.36, 0.018], tint, 0.1)
  box(mesh, placed([LAMP_POST[0], 3.43, LAMP_POST[2]]), [0.26, 0.025, 0.26], tint, 0.1)
  lathe(
    mesh,
    placed([LAMP_POST[0], 3.82, LAMP_POST[2]]),
    [
      [0.23, 0],
      [0.2, 0.04],
      [0.1, 0.15],
      [0.05, 0.2],
      [0.05, 0.26],
      [0.001, 0.3],
    ],
    4,
    tint,
  )
}
