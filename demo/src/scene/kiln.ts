import type { Vec3 } from '@lantern/core/math'
import { type Brick, bond, brickColour, brickFace, COURSE, type Face, finish, weathered } from './brick.ts'
import { type ChartSpec, planar, type Skin } from './builder.ts'
import { clamp, grain, rough, smooth } from './noise.ts'
import { ARCHES, type Arch, inArch, KILN, springing } from './places.ts'

/** Soot that years of firing left above and round the doors, 0 to 1. */
export function sootAt(x: number, y: number): number {
  let most = 0
  for (const arch of ARCHES) {
    const dx =
      (x - arch.x - 0.12 * grain(71, y * 1.3, arch.x)) / (arch.width * (0.52 + 0.14 * Math.max(0, y - arch.height)))
    const plume =
      Math.exp(-dx * dx) *
      smooth(arch.height - 0.75, arch.height + 0.1, y) *
      smooth(arch.height + 1.9, arch.height + 0.1, y + 0.35 * rough(72, x * 2.5, y * 2.5, 3))
    most = Math.max(most, plume)
  }
  return most
}

const RING = 0.115
const RINGS = 2

/** Brick of an arch's rings at (x, y), if it lies in them. */
function ringBrick(x: number, y: number, brick: Brick): Arch | undefined {
  for (const arch of ARCHES) {
    const spring = springing(arch)
    if (y < spring - 0.02) continue
    const dx = x - arch.x
    const dy = y - spring
    const radius = Math.hypot(dx, dy)
    const half = arch.width / 2
    if (radius < half || radius > half + RING * RINGS) continue
    const ring = Math.floor((radius - half) / RING)
    const a = Math.atan2(dy, dx) * (half + RING * (ring + 0.5))
    const column = Math.floor(a / COURSE + 0.5 * ring)
    const across = a + 0.5 * ring * COURSE - column * COURSE
    const along = radius - half - ring * RING
    brick.edge = Math.min(across, COURSE - across, along, RING - along)
    brick.key = 900001 + column * 31 + ring * 7 + Math.round(arch.x * 100)
    brick.header = true
    return arch
  }
  return undefined
}

export interface WallSpec {
  name: string
  seed: number
  corner: Vec3
  along: Vec3
  width: number
  height: number
  texel: number
  step: number
  /** Where the wall starts along X, for walls with arches. */
  x?: number
  /** Height of its foot and of the whole wall's top. */
  foot?: number
  top?: number
  soot?: (u: number, y: number) => number
  dark?: number
}

/** A brick wall as one chart; its rows run down from the top. */
export function brickWall(spec: WallSpec): ChartSpec {
  const { seed, texel, width, height: tall } = spec
  const columns = Math.max(2, Math.round(width / texel))
  const rows = Math.max(2, Math.round(tall / texel))
  const foot = spec.foot ?? 0
  const top = spec.top ?? foot + tall
  const height = new Float32Array(columns * rows)
  const mortar = new Uint8Array(columns * rows)
  const spall = new Uint8Array(columns * rows)
  const keys = new Int32Array(columns * rows)
  const brick: Brick = { edge: 0, key: 0, header: false }
  const face: Face = { relief: 0, mortar: false, spall: 0 }
  const x0 = spec.x
  for (let j = 0; j < rows; j++)
    for (let i = 0; i < columns; i++) {
      const u = (i + 0.5) * texel
      const y = foot + tall - (j + 0.5) * texel
      if (x0 === undefined || !ringBrick(x0 + u, y, brick)) bond(u, y, brick)
      brickFace(seed, brick, u, y, face)
      const n = j * columns + i
      // Walls lean and belly, but meet at their corners.
      const free = smooth(0, 0.4, Math.min(u, width - u))
      height[n] =
        face.relief +
        0.028 * free * rough(seed + 41, u * 0.3, y * 0.3, 2) +
        0.006 * rough(seed + 42, u * 1.6, y * 1.6, 2)
      mortar[n] = face.mortar ? 1 : 0
      spall[n] = 255 * face.spall
      keys[n] = brick.key
    }
  const paint = (i: number, j: number, skin: Skin): void => {
    const n = j * columns + i
    const u = (i + 0.5) * texel
    const y = foot + tall - (j + 0.5) * texel
    brick.key = keys[n] ?? 0
    face.mortar = mortar[n] === 1
    face.spall = (spall[n] ?? 0) / 255
    skin.film = 0
    brickColour(seed, brick, face, u, y, skin)
    weathered(seed, u, y, top, skin, face.mortar)
    const soot = spec.soot ? spec.soot(u, y) : x0 === undefined ? 0 : sootAt(x0 + u, y)
    finish(skin, clamp(soot * (0.78 + 0.35 * rough(seed + 43, u * 7, y * 7, 3)), 0, 0.9))
    if (spec.dark) {
      skin.r *= spec.dark
      skin.g *= spec.dark
      skin.b *= spec.dark
    }
    skin.hollow = face.mortar ? 0.72 : 1
  }
  const there =
    x0 === undefined
      ? undefined
      : (u: number, v: number): boolean => !ARCHES.some((arch) => inArch(arch, x0 + u, foot + tall - v, -0.012))
  return {
    name: spec.name,
    columns,
    rows,
    texel,
    step: spec.step,
    ...planar(spec.corner, spec.along, [0, -1, 0]),
    height,
    paint,
    there,
  }
}

/** The inside of an arch: its profile swept back by `deep`. */
function reveal(arch: Arch, deep: number, texel: number): ChartSpec {
  const spring = springing(arch)
  const half = arch.width / 2
  const length = 2 * spring + Math.PI * half
  const columns = Math.max(2, Math.round(deep / texel))
  const rows = Math.max(2, Math.round(length / texel))
  const place = (v: number): { x: number; y: number; nx: number; ny: number } => {
    if (v < spring) return { x: arch.x - half, y: v, nx: 1, ny: 0 }
    if (v > spring + Math.PI * half) return { x: arch.x + half, y: length - v, nx: -1, ny: 0 }
    const a = Math.PI - (v - spring) / half
    return { x: arch.x + half * Math.cos(a), y: spring + half * Math.sin(a), nx: -Math.cos(a), ny: -Math.sin(a) }
  }
  const height = new Float32Array(columns * rows)
  const mortar = new Uint8Array(columns * rows)
  const keys = new Int32Array(columns * rows)
  const brick: Brick = { edge: 0, key: 0, header: false }
  const face: Face = { relief: 0, mortar: false, spall: 0 }
  const seed = 300 + Math.round(arch.x * 10)
  for (let j = 0; j < rows; j++)
    for (let i = 0; i < columns; i++) {
      bond((i + 0.5) * texel, (j + 0.5) * texel, brick)
      brickFace(seed, brick, (i + 0.5) * texel, (j + 0.5) * texel, face)
      const n = j * columns + i
      height[n] = face.relief
      mortar[n] = face.mortar ? 1 : 0
      keys[n] = brick.key
    }
  const paint = (i: number, j: number, skin: Skin): void => {
    const u = (i + 0.5) * texel
    const v = (j + 0.5) * texel
    const { y } = place(v)
    brick.key = keys[j * columns + i] ?? 0
    face.mortar = mortar[j * columns + i] === 1
    face.spall = 0
    skin.film = 0
    brickColour(seed, brick, face, u, v, skin)
    weathered(seed, u, y, 9, skin, face.mortar)
    finish(
      skin,
      clamp(
        0.25 + 0.65 * smooth(0.5, 1.9, y) + 0.4 * smooth(0.3, 1.2, u) + 0.2 * rough(seed + 44, u * 5, v * 5, 3),
        0,
        0.92,
      ),
    )
    skin.hollow = face.mortar ? 0.75 : 1
  }
  return {
    name: 'reveal',
    columns,
    rows,
    texel,
    step: 3,
    height,
    paint,
    at: (u, v) => {
      const { x, y } = place(v)
      return [x, y, -u + 0.012]
    },
    out: (_, v) => {
      const { nx, ny } = place(v)
      return [nx, ny, 0]
    },
  }
}

/** The kiln: face, reveals, coping, what lies in its doors, and its other sides. */
export function kilnCharts(detail: number): ChartSpec[] {
  const width = KILN.to - KILN.from
  const t = (texel: number): number => texel / detail
  const charts: ChartSpec[] = [
    brickWall({
      name: 'kiln',
      seed: 100,
      corner: [KILN.from, KILN.height, 0],
      along: [1, 0, 0],
      width,
      height: KILN.height + 0.12,
      texel: t(0.0055),
      step: 2,
      x: KILN.from,
      foot: -0.12,
      top: KILN.height,
    }),
    brickWall({
      name: 'kiln end',
      seed: 140,
      corner: [KILN.from, KILN.height, -KILN.depth],
      along: [0, 0, 1],
      width: KILN.depth,
      height: KILN.height + 0.1,
      texel: t(0.011),
      step: 2,
      foot: -0.1,
      top: KILN.height,
    }),
    brickWall({
      name: 'kiln far end',
      seed: 150,
      corner: [KILN.to, KILN.height, 0],
      along: [0, 0, -1],
      width: KILN.depth,
      height: KILN.height + 0.1,
      texel: t(0.022),
      step: 3,
      foot: -0.1,
      top: KILN.height,
    }),
  ]
  // Coping: two courses that stand out, over the face and the end.
  const proud = 0.055
  for (const [course, out] of [
    [0, proud],
    [1, proud * 0.5],
  ] as const) {
    const y = KILN.height + 0.075 - course * COURSE
    charts.push(
      brickWall({
        name: 'coping',
        seed: 160 + course,
        corner: [KILN.from - out, y, out],
        along: [1, 0, 0],
        width: width + 2 * out,
        height: COURSE,
        texel: t(0.0055),
        step: 2,
        foot: y - COURSE,
        top: y + 0.3,
      }),
    )
    charts.push(
      brickWall({
        name: 'coping end',
        seed: 170 + course,
        corner: [KILN.from - out, y, -KILN.depth],
        along: [0, 0, 1],
        width: KILN.depth + out,
        height: COURSE,
        texel: t(0.011),
        step: 2,
        foot: y - COURSE,
        top: y + 0.3,
      }),
    )
  }
  for (const [n, arch] of ARCHES.entries()) {
    const deep = n === 0 ? 3.2 : arch.reveal
    charts.push(reveal(arch, deep + 0.03, t(n === 0 ? 0.008 : 0.0055)))
    const wall = (name: string, seed: number, dark: number): ChartSpec =>
      brickWall({
        name,
        seed,
        corner: [arch.x - arch.width / 2 - 0.05, arch.height + 0.05, -deep],
        along: [1, 0, 0],
        width: arch.width + 0.1,
        height: arch.height + 0.15,
        texel: t(0.0055),
        step: 2,
        foot: -0.1,
        top: 9,
        dark,
        soot: (_, y) => 0.3 + 0.5 * smooth(0.6, 2, y),
      })
    if (n !== 1) charts.push(wall(n === 0 ? 'kiln inside' : 'bricked-up door', 200 + n * 20, n === 0 ? 0.6 : 1))
  }
  return charts
}
