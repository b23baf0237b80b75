import type { Vec3 } from '@lantern/core/math'
import { type Mesh, newMesh, skinOf, type Tint } from './scene/builder.ts'
import { rough } from './scene/noise.ts'
import { lathe, placed, tube } from './scene/shapes.ts'

/** How the worker walks: towards -X at an even speed, from `from` at time 0. */
export interface Walk {
  from: readonly [x: number, z: number]
  speed: number
}

/** The figure at one moment. */
export interface Figure {
  mesh: Mesh
  /** Vertices from here on glow (the lantern's glass). */
  glowFrom: number
  glowTo: number
  lantern: Vec3
  /** Balls that stand for the body where it takes sky light away. */
  balls: (readonly [x: number, y: number, z: number, r: number])[]
}

const CYCLE = 1.08
const STANCE = 0.62
const AHEAD = 0.5
const THIGH = 0.445
const SHIN = 0.435
const ANKLE = 0.085
const BALL = 0.155
const HEEL = 0.055
/** Share of the cycle in which the foot comes down from heel to sole; pitch at landing and at leaving. */
const ROLL = 0.1
const TOES_UP = 0.3
const PUSH = 0.75

const ease = (t: number): number => t * t * (3 - 2 * t)

export interface Foot {
  ankle: Vec3
  /** Toes down positive. */
  pitch: number
  z: number
  /** The sole under the ball, and whether it bears weight. */
  ball: Vec3
  bears: boolean
}

/** One foot of the walk; offset: share of a cycle by which it is ahead. A planted foot stays where it came down: it comes down on the heel and leaves over the ball, which doesn't move between. */
export function foot(walk: Walk, time: number, offset: number): Foot {
  const phase = time / CYCLE + offset
  const step = Math.floor(phase)
  const within = phase - step
  const z = walk.from[1] + (offset ? -0.085 : 0.085)
  const landed = (n: number): number => walk.from[0] - walk.speed * (n - offset) * CYCLE - AHEAD
  // A foot as the ankle over its ball: heel and ball lie HEEL behind and BALL before the ankle, ANKLE below it; it walks towards -X.
  const overBall = (ball: number, pitch: number): Vec3 => [
    ball + Math.cos(pitch) * BALL - Math.sin(pitch) * ANKLE,
    Math.sin(pitch) * BALL + Math.cos(pitch) * ANKLE,
    z,
  ]
  const ballOf = (ankle: Vec3, pitch: number): Vec3 => [
    ankle[0] - Math.cos(pitch) * BALL + Math.sin(pitch) * ANKLE,
    ankle[1] - Math.sin(pitch) * BALL - Math.cos(pitch) * ANKLE,
    z,
  ]
  // On the heel with the toes up: turned about the heel, which is where it will be when the foot lies flat.
  const overHeel = (ball: number, pitch: number): Vec3 => {
    const heel = ball + HEEL + BALL
    return [
      heel - Math.cos(pitch) * HEEL - Math.sin(pitch) * ANKLE,
      Math.cos(pitch) * ANKLE - Math.sin(pitch) * HEEL,
      z,
    ]
  }
  const ball = landed(step)
  const done = (ankle: Vec3, pitch: number, bears: boolean): Foot => ({
    ankle,
    pitch,
    z,
    ball: ballOf(ankle, pitch),
    bears,
  })
  if (within < ROLL) {
    const pitch = -TOES_UP * (1 - ease(within / ROLL))
    return done(overHeel(ball, pitch), pitch, false)
  }
  if (within < STANCE) {
    const pitch = within < 0.36 ? 0 : PUSH * ease((within - 0.36) / (STANCE - 0.36))
    return done(overBall(ball, pitch), pitch, true)
  }
  const t = (within - STANCE) / (1 - STANCE)
  const start = overBall(ball, PUSH)
  const end = overHeel(landed(step + 1), -TOES_UP)
  const s = ease(t)
  const pitch = PUSH + (-TOES_UP - PUSH) * s
  return done(
    [start[0] + (end[0] - start[0]) * s, start[1] + (end[1] - start[1]) * s + 0.06 * Math.sin(Math.PI * t), z],
    pitch,
    false,
  )
}

/** The knee between hip and ankle: two bones in the walking plane, bent forward. */
function knee(hip: Vec3, ankle: Vec3): Vec3 {
  const [dx, dy, dz] = [ankle[0] - hip[0], ankle[1] - hip[1], ankle[2] - hip[2]]
  const d = Math.min(THIGH + SHIN - 1e-4, Math.hypot(dx, dy, dz))
  const along = (d * d + THIGH * THIGH - SHIN * SHIN) / (2 * d)
  const out = Math.sqrt(Math.max(0, THIGH * THIGH - along * along))
  const [ux, uy, uz] = [dx / d, dy / d, dz / d]
  // Forward, at right angles to the leg: towards -X.
  const f = Math.hypot(uy, ux) || 1
  return [hip[0] + ux * along + (uy / f) * out, hip[1] + uy * along - (ux / f) * out, hip[2] + uz * along]
}

const between = (a: Vec3, b: Vec3, t: number): Vec3 => [
  a[0] + (b[0] - a[0]) * t,
  a[1] + (b[1] - a[1]) * t,
  a[2] + (b[2] - a[2]) * t,
]
const pathThrough = (points: readonly Vec3[], each: number): Vec3[] => {
  const out: Vec3[] = []
  for (let n = 0; n + 1 < points.length; n++)
    for (let k = 0; k < each; k++) out.push(between(points[n] as Vec3, points[n + 1] as Vec3, k / each))
  out.push(points[points.length - 1] as Vec3)
  // Rounded at the joints.
  return out.map((p, n) =>
    n === 0 || n === out.length - 1 ? p : between(p, between(out[n - 1] as Vec3, out[n + 1] as Vec3, 0.5), 0.5),
  )
}
const along = (values: readonly number[], count: number): number[] =>
  Array.from({ length: count }, (_, n) => {
    const t = (n / (count - 1)) * (values.length - 1)
    const k = Math.min(values.length - 2, Math.floor(t))
    return (values[k] ?? 0) + ((values[k + 1] ?? 0) - (values[k] ?? 0)) * ease(t - k)
  })

/** Rows of corners along each bone. */
const ROWS_A_BONE = 11
/** Slanting folds of cloth: sharp backs, round hollows. */
const folds = (seed: number, a: number, k: number): number =>
  1 -
  2 *
    Math.abs(
      Math.sin(
        0.9 * k + 1.1 * Math.sin(a + seed) + 1.5 * rough(seed + 7, Math.cos(a) + 0.2 * k, Math.sin(a) - 0.15 * k, 2),
      ),
    )

const cloth =
  (r: number, g: number, b: number, seed: number): ((a: number, k: number) => { r: number; g: number; b: number }) =>
  (a, k) => {
    const t = 1 + 0.42 * rough(seed, Math.cos(a) * 2 + k * 0.31, Math.sin(a) * 2 + k * 0.27, 3)
    return { r: r * t, g: g * t, b: b * t }
  }

/** The worker at `time` seconds: jacket, trousers, boots, cap, a storm lantern in the hand that is on the camera's side. */
export function worker(walk: Walk, time: number): Figure {
  const mesh = newMesh()
  const x = walk.from[0] - walk.speed * time
  const z = walk.from[1]
  const beat = (2 * Math.PI * time) / CYCLE
  const bob = 0.019 * Math.cos(2 * beat - 1.3)
  const sway = 0.018 * Math.sin(beat)
  const pelvis: Vec3 = [x, 0.925 + bob, z + sway]
  const twist = 0.14 * Math.sin(beat + 0.4)
  const hipOf = (side: number): Vec3 => [
    pelvis[0] + side * twist * 0.06,
    pelvis[1] - 0.01 * side * Math.sin(beat),
    pelvis[2] + 0.09 * side,
  ]
  const chest: Vec3 = [x - 0.05, 1.33 + bob, z + 0.4 * sway]
  const neck: Vec3 = [x - 0.075, 1.475 + bob, z + 0.3 * sway]
  const limb = (
    points: readonly Vec3[],
    radii: readonly number[],
    colour: ReturnType<typeof cloth>,
    seed: number,
    wrinkle: number,
    round = 18,
    squash = 1,
  ): void => {
    const path = pathThrough(points, ROWS_A_BONE)
    const r = along(radii, path.length)
    let k = 0
    const tint: Tint = () => {
      const row = Math.floor(k / (round + 1))
      const a = ((k % (round + 1)) / round) * 2 * Math.PI
      k++
      const c = colour(a, (row * 7) / ROWS_A_BONE)
      return skinOf(c.r, c.g, c.b, 0.95)
    }
    tube(
      mesh,
      path,
      r,
      round,
      tint,
      (a, row) => {
        const k = (row * 7) / ROWS_A_BONE
        return (
          wrinkle *
          (rough(seed, Math.cos(a) * 1.4 + 0.3 * k, Math.sin(a) * 1.4 - 0.55 * k, 3) + 0.45 * folds(seed, a, k))
        )
      },
      [0, 0, 1],
      squash,
    )
  }
  const trousers = cloth(0.072, 0.062, 0.05, 41)
  const jacket = cloth(0.05, 0.056, 0.066, 43)
  const boots = cloth(0.032, 0.026, 0.022, 47)
  const balls: Figure['balls'] = []
  for (const side of [1, -1]) {
    const { ankle, pitch, z: fz } = foot(walk, time, side > 0 ? 0 : 0.5)
    const hip = hipOf(side)
    const k = knee(hip, ankle)
    limb(
      [[hip[0], hip[1] + 0.05, hip[2]], k, [ankle[0], ankle[1] + 0.02, ankle[2]]],
      [0.098, 0.09, 0.066, 0.062, 0.055, 0.058],
      trousers,
      51 + side,
      0.015,
    )
    // Boot: heel to toe about the ankle.
    const [c, s] = [Math.cos(pitch), Math.sin(pitch)]
    const at = (forward: number, up: number): Vec3 => [
      ankle[0] - c * forward - s * up,
      ankle[1] - s * forward + c * up,
      fz,
    ]
    limb([at(-0.01, 0.12), at(-0.005, 0.02)], [0.058, 0.054], boots, 60, 0.003)
    limb(
      [at(-0.065, -0.045), at(0.02, -0.025), at(0.12, -0.046), at(0.205, -0.062)],
      [0.034, 0.05, 0.044, 0.022],
      boots,
      61,
      0.002,
      12,
      0.95,
    )
    balls.push(
      [k[0], k[1], k[2], 0.085],
      [(k[0] + ankle[0]) / 2, (k[1] + ankle[1]) / 2, ankle[2], 0.075],
      [ankle[0] - 0.05, Math.max(0.06, ankle[1] - 0.02), fz, 0.085],
      [(hip[0] + k[0]) / 2, (hip[1] + k[1]) / 2, hip[2], 0.1],
    )
  }
  limb(
    [
      [x + 0.005, 0.8 + bob, pelvis[2]],
      [pelvis[0] + 0.01, pelvis[1] + 0.06, pelvis[2]],
      chest,
      [neck[0] + 0.012, neck[1] - 0.035, neck[2]],
    ],
    [0.2, 0.185, 0.178, 0.19, 0.205, 0.2, 0.115],
    jacket,
    71,
    0.02,
    32,
    0.72,
  )
  balls.push(
    [pelvis[0], pelvis[1], pelvis[2], 0.17],
    [chest[0], chest[1] - 0.1, chest[2], 0.18],
    [chest[0], chest[1] + 0.08, chest[2], 0.16],
    [neck[0] - 0.02, neck[1] + 0.16, neck[2], 0.11],
  )
  const hands: Vec3[] = []
  for (const side of [1, -1]) {
    const swing = side > 0 ? 0.1 * Math.sin(beat + 0.2) : 0.46 * Math.sin(beat + 0.1)
    const shoulder: Vec3 = [chest[0] - side * 0.035 * Math.sin(beat), 1.395 + bob, chest[2] + 0.205 * side]
    const a = swing - 0.06
    const elbow: Vec3 = [shoulder[0] + 0.29 * Math.sin(a), shoulder[1] - 0.29 * Math.cos(a), shoulder[2] + 0.035 * side]
    const b = a - 0.25 - 0.22 * Math.max(0, -swing)
    const hand: Vec3 = [elbow[0] + 0.25 * Math.sin(b), elbow[1] - 0.25 * Math.cos(b), elbow[2] + 0.01 * side]
    limb(
      [[shoulder[0], shoulder[1] + 0.03, shoulder[2] - 0.05 * side], shoulder, elbow, hand],
      [0.07, 0.072, 0.062, 0.055, 0.048, 0.042],
      jacket,
      81 + side,
      0.012,
    )
    limb(
      [
        hand,
        [hand[0] + 0.045 * Math.sin(b), hand[1] - 0.045 * Math.cos(b), hand[2]],
        [hand[0] + 0.09 * Math.sin(b - 0.3), hand[1] - 0.085 * Math.cos(b), hand[2]],
      ],
      [0.034, 0.042, 0.026],
      cloth(0.25, 0.15, 0.11, 91),
      92,
      0.003,
      10,
    )
    hands.push([hand[0] + 0.06 * Math.sin(b), hand[1] - 0.075, hand[2]])
    balls.push([elbow[0], elbow[1], elbow[2], 0.07])
  }
  head(mesh, neck, bob, time)
  return { ...carried(mesh, hands[0] as Vec3, beat), mesh, balls }
}

function head(mesh: Mesh, neck: Vec3, bob: number, time: number): void {
  const look = 0.12 * Math.sin(time * 0.9)
  const here = placed([neck[0] - 0.03, neck[1] + 0.025, neck[2]], look)
  const skin: Tint = (p) => {
    const t = 1 + 0.18 * rough(95, p[1] * 40, p[2] * 40, 2)
    const beard = p[1] - neck[1] < 0.1 ? 0.72 : 1
    return skinOf(0.27 * t * beard, 0.165 * t * beard, 0.12 * t * beard, 0.7)
  }
  // The profile of a head in rows: half-length, half-breadth and how far forward, from the neck up.
  const rows: (readonly [y: number, long: number, broad: number, fore: number])[] = [
    [-0.06, 0.058, 0.056, 0.01],
    [0.01, 0.06, 0.056, 0.012],
    [0.045, 0.075, 0.058, -0.012],
    [0.075, 0.09, 0.066, -0.014],
    [0.11, 0.097, 0.072, -0.008],
    [0.145, 0.1, 0.077, -0.002],
    [0.185, 0.1, 0.078, 0.004],
    [0.22, 0.092, 0.072, 0.006],
    [0.245, 0.07, 0.055, 0.006],
  ]
  const first = mesh.vertices.length / 12
  const round = 20
  for (const [y, long, broad, fore] of rows)
    for (let k = 0; k <= round; k++) {
      const a = (k / round) * 2 * Math.PI
      const front = Math.max(0, -Math.cos(a)) ** 8
      const nose = front * 0.022 * Math.exp(-(((y - 0.118) / 0.018) ** 2))
      const p = here.point([fore + long * Math.cos(a) - nose, y, broad * Math.sin(a)])
      const hair = y > 0.1 && Math.cos(a) > -0.35
      const s = hair ? skinOf(0.04, 0.032, 0.026) : skin(p, p)
      const n = here.way([Math.cos(a) / long, (y - 0.12) * 40, Math.sin(a) / broad])
      const l = Math.hypot(...n)
      mesh.vertices.push(...p, n[0] / l, n[1] / l, n[2] / l, s.r, s.g, s.b, s.rough, 0, 0)
    }
  for (let j = 0; j + 1 < rows.length; j++)
    for (let k = 0; k < round; k++) {
      const a = first + j * (round + 1) + k
      mesh.triangles.push(a, a + 1, a + round + 1, a + round + 2, a + round + 1, a + 1)
    }
  // A flat cap: crown and peak.
  const cap: Tint = (p) => {
    const t = 1 + 0.25 * rough(97, p[0] * 50 + p[1] * 31, p[2] * 50, 2)
    return skinOf(0.075 * t, 0.066 * t, 0.055 * t, 0.97)
  }
  const crown = placed([neck[0] - 0.028, neck[1] + 0.025 + 0.195, neck[2]], look, 0.1)
  const wide = { way: crown.way, point: ([x, y, z]: Vec3): Vec3 => crown.point([x * 1.22, y, z * 0.98]) }
  lathe(
    mesh,
    wide,
    [
      [0.094, -0.025],
      [0.098, 0.004],
      [0.112, 0.018],
      [0.108, 0.04],
      [0.085, 0.06],
      [0.045, 0.068],
      [0.001, 0.07],
    ],
    22,
    cap,
  )
  const peak = {
    way: crown.way,
    point: ([x, y, z]: Vec3): Vec3 =>
      crown.point([x - 0.1 - 0.02 * (1 - (z / 0.09) ** 2), y - 0.012 - 0.03 * Math.max(0, -x / 0.07), z]),
  }
  lathe(
    mesh,
    peak,
    [
      [0.07, -0.006],
      [0.074, 0],
      [0.068, 0.006],
      [0.001, 0.009],
    ],
    18,
    cap,
  )
  void bob
}

/** A storm lantern hung from a hand: foot, glass that glows, cap, bail. */
function carried(mesh: Mesh, hand: Vec3, beat: number): { glowFrom: number; glowTo: number; lantern: Vec3 } {
  const swing = 0.1 * Math.sin(beat - 0.7)
  const here = placed([hand[0] + 0.3 * Math.sin(swing), hand[1] - 0.3 * Math.cos(swing), hand[2] + 0.015], 0, swing)
  const tin: Tint = () => skinOf(0.06, 0.056, 0.05, 0.5)
  lathe(
    mesh,
    here,
    [
      [0.001, 0],
      [0.07, 0],
      [0.074, 0.015],
      [0.06, 0.035],
      [0.04, 0.045],
    ],
    16,
    tin,
  )
  const glowFrom = mesh.vertices.length / 12
  lathe(
    mesh,
    here,
    [
      [0.034, 0.045],
      [0.046, 0.075],
      [0.047, 0.105],
      [0.036, 0.14],
    ],
    16,
    () => skinOf(0.5, 0.5, 0.5, 0.4),
  )
  const glowTo = mesh.vertices.length / 12
  lathe(
    mesh,
    here,
    [
      [0.036, 0.14],
      [0.055, 0.145],
      [0.05, 0.16],
      [0.03, 0.175],
      [0.03, 0.195],
      [0.001, 0.2],
    ],
    16,
    tin,
  )
  const bail = (a: number): Vec3 => here.point([0.06 * Math.cos(a), 0.12 + 0.17 * Math.sin(a), 0])
  tube(
    mesh,
    Array.from({ length: 11 }, (_, k) => bail((k / 10) * Math.PI)),
    Array.from({ length: 11 }, () => 0.0035),
    5,
    tin,
  )
  return { glowFrom, glowTo, lantern: here.point([0, 0.09, 0]) }
}
