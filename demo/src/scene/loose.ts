import type { Vec3 } from '@lantern/core/math'
import { type Mesh, skinOf, type Tint, vertex } from './builder.ts'
import { lie } from './ground.ts'
import { ironTint } from './iron.ts'
import { rough, spot } from './noise.ts'
import { ARCHES, BARROW, KILN } from './places.ts'
import { box, placed, tube } from './shapes.ts'

const woodTint =
  (seed: number, dark = 1): Tint =>
  (p) => {
    const t =
      dark * (1 + 0.4 * rough(seed, p[0] * 14 + p[2] * 9, p[1] * 90, 3) + 0.2 * rough(seed + 1, p[0] * 3, p[2] * 3, 2))
    return skinOf(0.125 * t, 0.102 * t, 0.08 * t, 0.9)
  }

/** Bricks that fell or were left: a small stack, and some strewn along the wall. */
function bricks(mesh: Mesh): void {
  const tint = (key: number): Tint => {
    const tone = spot(701, key, 1)
    const fire = spot(702, key, 2)
    return (p) => {
      const t = (0.8 + 0.4 * rough(703 + key, p[0] * 30 + p[1] * 17, p[2] * 30, 3)) * (0.75 + 0.5 * tone)
      const k = t * (0.85 + 0.35 * rough(707, p[0] * 60 + p[1] * 83, p[2] * 60 + p[1] * 20, 2))
      return skinOf(0.165 * k, 0.165 * k * (0.46 + 0.14 * fire), 0.165 * k * (0.32 + 0.14 * fire), 0.92)
    }
  }
  const one = (at: Vec3, turn: number, lean: number, key: number): void =>
    box(mesh, placed(at, turn, lean), [0.215, 0.065, 0.1025], tint(key), 0.055)
  const stack: Vec3 = [1.05, 0, 0.72]
  for (let layer = 0, key = 0; layer < 6; layer++)
    for (let n = 0; n < (layer === 5 ? 3 : 8); n++, key++) {
      const across = layer % 2 === 0
      const [i, j] = across ? [n % 2, n >> 1] : [n >> 1, n % 2]
      const x = across ? (i - 0.5) * 0.225 : (i - 1.5) * 0.112
      const z = across ? (j - 1.5) * 0.112 : (j - 0.5) * 0.225
      one(
        [
          stack[0] + x + 0.008 * (spot(704, key, 1) - 0.5),
          0.004 + layer * 0.067,
          stack[2] + z + 0.008 * (spot(704, key, 2) - 0.5),
        ],
        (across ? 0 : Math.PI / 2) + 0.06 * (spot(704, key, 3) - 0.5) + 0.12,
        0,
        key,
      )
    }
  for (let n = 0; n < 46; n++) {
    const near = n < 16 ? 1 : 0
    const x = near ? ARCHES[n % 2 === 0 ? 0 : 1].x + (spot(705, n, 1) - 0.5) * 2.6 : KILN.from + spot(705, n, 1) * 13
    const z = near ? 0.25 + spot(705, n, 2) ** 2 * 1.6 : 0.14 + 0.35 * spot(705, n, 2) ** 2
    const broken = spot(705, n, 5) < 0.45
    box(
      mesh,
      placed(
        [x, lie(x, z) - 0.012 + 0.01 * spot(705, n, 6), z],
        spot(705, n, 3) * 6.283,
        (spot(705, n, 4) - 0.5) * (spot(705, n, 4) < 0.25 ? 0.9 : 0.25),
      ),
      [broken ? 0.07 + 0.09 * spot(705, n, 7) : 0.215, 0.065, 0.1025],
      tint(100 + n),
      0.05,
    )
  }
}

/** A hand barrow: slatted bed, two handles, one iron-tyred wheel. */
function barrow(mesh: Mesh): void {
  const here = placed(BARROW, -0.55)
  const wood = woodTint(720)
  const at = (x: number, y: number, z: number): Vec3 => here.point([x, y, z])
  for (const side of [-1, 1]) {
    tube(
      mesh,
      [
        at(-0.75, 0.3, 0.13 * side),
        at(-0.2, 0.36, 0.19 * side),
        at(0.4, 0.46, 0.26 * side),
        at(0.95, 0.62, 0.32 * side),
      ],
      [0.026, 0.03, 0.03, 0.02],
      8,
      wood,
    )
    tube(
      mesh,
      [at(0.32, 0.45, 0.25 * side), at(0.36, 0.2, 0.27 * side), at(0.4, 0.0, 0.28 * side)],
      [0.024, 0.022, 0.02],
      8,
      wood,
    )
  }
  const bed = placed(here.point([0, 0, 0]), -0.55, 0.17)
  for (let n = 0; n < 7; n++)
    box(mesh, bed, [0.11, 0.022, 0.5 + 0.014 * n], woodTint(730 + n, 0.8 + 0.4 * spot(731, n, 0)), 0.03, [
      -0.34 + n * 0.125,
      0.41,
      0,
    ])
  for (const side of [-1, 1]) box(mesh, bed, [0.86, 0.16, 0.022], woodTint(740 + side), 0.016, [0.02, 0.5, 0.27 * side])
  box(mesh, bed, [0.022, 0.26, 0.5], woodTint(744), 0.016, [-0.42, 0.54, 0])
  const hub = at(-0.78, 0.22, 0)
  const ring: Vec3[] = Array.from({ length: 37 }, (_, k) => {
    const a = (k / 36) * 2 * Math.PI
    return here.point([-0.78 + 0.2 * Math.cos(a), 0.22 + 0.2 * Math.sin(a), 0])
  })
  tube(
    mesh,
    ring,
    ring.map(() => 0.022),
    8,
    ironTint(750, 0.35),
    undefined,
    here.way([0, 0, 1]),
  )
  for (let k = 0; k < 5; k++) {
    const a = (k / 5) * Math.PI + 0.3
    const [c, s] = [0.19 * Math.cos(a), 0.19 * Math.sin(a)]
    tube(
      mesh,
      [here.point([-0.78 - c, 0.22 - s, 0]), hub, here.point([-0.78 + c, 0.22 + s, 0])],
      [0.014, 0.018, 0.014],
      6,
      wood,
    )
  }
  tube(mesh, [at(-0.78, 0.22, -0.15), hub, at(-0.78, 0.22, 0.15)], [0.02, 0.035, 0.02], 8, ironTint(751, 0.3))
}

/** A coil of rope on the ground, and one hung from a peg by the first door. */
function rope(mesh: Mesh): void {
  const tint: Tint = (p) => {
    const t = 0.8 + 0.35 * rough(760, p[0] * 70 + p[1] * 60, p[2] * 70, 2)
    return skinOf(0.23 * t, 0.175 * t, 0.105 * t, 0.95)
  }
  const twist = (angle: number, k: number): number => 0.0022 * Math.cos(3 * angle + k * 1.35)
  const ground: Vec3[] = []
  const [cx, cz] = [-0.72, 4.35]
  for (let k = 0; k <= 520; k++) {
    const a = k * 0.075
    const turn = a / 6.283
    const r = 0.2 + 0.035 * Math.sin(turn * 2.3) + 0.02 * Math.sin(a * 1.7)
    ground.push([
      cx + r * Math.cos(a),
      lie(cx, cz) + 0.012 + 0.021 * turn + 0.006 * Math.sin(a * 2 + turn),
      cz + r * Math.sin(a),
    ])
  }
  for (let k = 0; k <= 60; k++) {
    const a = k / 60
    const from = ground[520] as Vec3
    const x = from[0] + 0.55 * a
    const z = from[2] + 0.22 * Math.sin(a * 4)
    ground.push([x, from[1] * (1 - a) ** 3 + lie(x, z) + 0.012, z])
  }
  tube(
    mesh,
    ground,
    ground.map(() => 0.0125),
    9,
    tint,
    twist,
  )
  const hung: Vec3[] = []
  for (let k = 0; k <= 300; k++) {
    const a = k * 0.12
    const turn = Math.floor(a / 6.283)
    hung.push([
      -0.35 + 0.1 * Math.sin(a) + 0.012 * turn,
      1.55 + 0.27 * Math.cos(a) - 0.01 * turn,
      0.05 + 0.012 * turn + 0.01 * Math.sin(a * 2),
    ])
  }
  tube(
    mesh,
    hung,
    hung.map(() => 0.011),
    8,
    tint,
    twist,
  )
  tube(
    mesh,
    [
      [-0.35, 1.8, -0.02],
      [-0.35, 1.81, 0.14],
    ],
    [0.014, 0.014],
    8,
    ironTint(765, 0.5),
  )
}

/** Weeds along the foot of the wall and in corners: curved blades and broad leaves, some dry. */
function weeds(mesh: Mesh, detail: number): void {
  const tufts = Math.round(150 * Math.min(1, detail * detail))
  for (let n = 0; n < tufts; n++) {
    const corner = n % 5 === 0
    const x = corner ? -3.75 - 2.2 * spot(770, n, 1) : KILN.from + spot(770, n, 1) * 12.8
    if (ARCHES.some((arch) => Math.abs(x - arch.x) < 0.55)) continue
    const z = corner ? -1 + 2.2 * spot(770, n, 2) : 0.05 + 0.22 * spot(770, n, 2) ** 2
    const tall = 0.1 + 0.34 * spot(770, n, 3) ** 2
    const dry = spot(770, n, 4) < 0.4 ? 0.8 : 0.15
    const blades = 9 + Math.floor(16 * spot(770, n, 5))
    for (let k = 0; k < blades; k++) {
      const a = spot(771, n, k) * 6.283
      const lean = 0.15 + 0.75 * spot(772, n, k)
      const length = tall * (0.5 + 0.7 * spot(773, n, k))
      const broad = (spot(774, n, k) < 0.3 ? 0.011 : 0.0038) * (0.7 + 0.6 * spot(775, n, k))
      const skin = skinOf(
        0.05 + 0.17 * dry * spot(776, n, k),
        0.075 + 0.09 * dry * spot(776, n, k),
        0.022 + 0.04 * dry,
        0.7,
      )
      const [bx, bz] = [x + 0.05 * (spot(777, n, k) - 0.5), z + 0.05 * (spot(778, n, k) - 0.5)]
      const rows: number[][] = []
      for (let s = 0; s <= 5; s++) {
        const q = s / 5
        const away = lean * length * q * q
        const p: Vec3 = [
          bx + away * Math.cos(a),
          lie(bx, bz) - 0.01 + length * (q - 0.35 * lean * q * q),
          bz + away * Math.sin(a),
        ]
        const w = broad * (1 - q) ** 0.7
        const side: Vec3 = [-Math.sin(a) * w, 0, Math.cos(a) * w]
        const normal: Vec3 = [Math.cos(a) * 0.6, 0.8, Math.sin(a) * 0.6]
        rows.push([
          vertex(mesh, [p[0] - side[0], p[1], p[2] - side[2]], normal, skin, true),
          vertex(mesh, [p[0] + side[0], p[1], p[2] + side[2]], normal, skin, true),
        ])
      }
      for (let s = 0; s < 5; s++) {
        const [a0, b0] = rows[s] as [number, number]
        const [a1, b1] = rows[s + 1] as [number, number]
        mesh.triangles.push(a0, b0, a1, b1, a1, b0)
      }
    }
  }
}

/** Small stones, chips of brick and twigs, so that the ground is never clean. */
function litter(mesh: Mesh, detail: number): void {
  const count = Math.round(1300 * Math.min(1, detail))
  for (let n = 0; n < count; n++) {
    const x = -6 + 13 * spot(780, n, 1)
    const z = 0.08 + 7 * spot(780, n, 2) ** 1.8
    const s = 0.006 + 0.022 * spot(780, n, 3) ** 3
    const brick = spot(780, n, 4) < 0.5
    const tone = 0.6 + 0.8 * spot(780, n, 5)
    const skin = brick ? skinOf(0.2 * tone, 0.09 * tone, 0.06 * tone) : skinOf(0.13 * tone, 0.12 * tone, 0.1 * tone)
    const twig = spot(780, n, 7) < 0.12
    box(
      mesh,
      placed([x, lie(x, z) - 0.002, z], spot(780, n, 6) * 6.283, 0.5 * (spot(780, n, 8) - 0.5)),
      twig ? [0.07 + 0.12 * spot(780, n, 9), 0.006, 0.006] : [s * 1.3, s * 0.8, s],
      () => (twig ? skinOf(0.08, 0.06, 0.04) : skin),
      1,
    )
  }
}

export function looseThings(mesh: Mesh, detail: number): void {
  bricks(mesh)
  barrow(mesh)
  rope(mesh)
  weeds(mesh, detail)
  litter(mesh, detail)
  // Poles leant against the wall.
  for (let n = 0; n < 4; n++)
    tube(
      mesh,
      [
        [6.9 + 0.14 * n, 0, 0.75 + 0.05 * n],
        [7.05 + 0.11 * n, 1.3, 0.42],
        [7.2 + 0.1 * n, 2.7 + 0.2 * n, 0.06],
      ],
      [0.038, 0.034, 0.026],
      9,
      woodTint(790 + n),
    )
}
