import type { Vec3 } from '@lantern/core/math'
import { type ChartSpec, planar, type Skin } from './builder.ts'
import { clamp, grain, rough, smooth, spot } from './noise.ts'
import { CRATES } from './places.ts'

interface Boards {
  seed: number
  /** Boards run along u (true) or v; their breadth, m. */
  along: boolean
  breadth: number
  /** Battens round the rim, m; 0: none. */
  rim: number
}

/** A place on a board, in the board's own axes: l along the grain, c across it; key of the board; e: metres to its edge; lift of its face; head: metres to the nearest nail. */
interface OnBoard {
  l: number
  c: number
  key: number
  e: number
  lift: number
  head: number
}

function boardAt(u: number, v: number, width: number, tall: number, spec: Boards): OnBoard {
  const { seed, breadth, rim } = spec
  const inRim = rim > 0 && (u < rim || u > width - rim || v < rim || v > tall - rim)
  if (inRim) {
    const side = u < rim || u > width - rim
    const c = side ? (u < rim ? u : width - u) : v < rim ? v : tall - v
    const l = side ? v : u
    const key = side ? (u < rim ? 501 : 502) : v < rim ? 503 : 504
    const nail = Math.hypot(((l + 0.05) % 0.16) - 0.08, c - rim / 2)
    return {
      l,
      c,
      key,
      e: Math.min(c + 0.004, rim - c, side ? 1 : Math.min(u - rim, width - rim - u)),
      lift: 0,
      head: nail,
    }
  }
  const across = spec.along ? v : u
  const l = spec.along ? u : v
  const key = Math.floor(across / breadth)
  const c = across - key * breadth
  const ends = Math.min(l - rim, (spec.along ? width : tall) - rim - l)
  const nail = Math.hypot(ends - 0.03, Math.min(Math.abs(c - breadth * 0.25), Math.abs(c - breadth * 0.75)))
  return {
    l,
    c,
    key,
    e: Math.min(c, breadth - c) - 0.0025 - 0.002 * spot(seed + 1, key, 3),
    lift: rim > 0 ? -0.02 - 0.004 * spot(seed, key, 9) : -0.003 * spot(seed, key, 9),
    head: nail,
  }
}

/** The rings of the grain, bent round knots. */
function ringsAt(l: number, c: number, key: number, { seed, breadth }: Boards): number {
  const knot = Math.exp(
    -(((l - 0.6 * spot(seed + 2, key, 5)) / 0.03) ** 2) - ((c - breadth * spot(seed + 3, key, 5)) / 0.016) ** 2,
  )
  return (
    grain(
      seed + 4,
      l * 2.2 + 10 * spot(seed, key, 1),
      (c + 0.02 * grain(seed + 5, l * 3, key) + 0.02 * knot) * 210 + key * 17,
    ) +
    1.5 * knot
  )
}

/** Weathered sawn boards between battens. v runs down. */
function boards(
  name: string,
  corner: Vec3,
  along: Vec3,
  down: Vec3,
  width: number,
  tall: number,
  texel: number,
  spec: Boards,
): ChartSpec {
  const columns = Math.max(8, Math.round(width / texel))
  const rows = Math.max(8, Math.round(tall / texel))
  const height = new Float32Array(columns * rows)
  const gap = new Float32Array(columns * rows)
  const { seed, breadth, rim } = spec
  for (let j = 0; j < rows; j++)
    for (let i = 0; i < columns; i++) {
      const u = (i + 0.5) * texel
      const v = (j + 0.5) * texel
      const b = boardAt(u, v, width, tall, spec)
      const n = j * columns + i
      const edge = b.e + 0.002 * grain(seed + 6, u * 40, v * 40)
      const worn = 0.0035 * smooth(0.006, 0, edge)
      const open = edge < 0
      gap[n] = open ? 1 : 0
      const nail = b.head < 0.0045 ? -0.0012 : 0
      const cup = 0.003 * (spot(seed + 7, b.key, 2) - 0.5) * Math.sin((b.c / breadth) * Math.PI)
      height[n] = open
        ? b.lift < 0
          ? -0.034
          : -0.004
        : b.lift - worn + cup + 0.0009 * ringsAt(b.l, b.c, b.key, spec) + nail
      if (rim > 0 && (i < 1 || j < 1 || i >= columns - 1 || j >= rows - 1)) height[n] = 0
    }
  const paint = (i: number, j: number, skin: Skin): void => {
    const u = (i + 0.5) * texel
    const v = (j + 0.5) * texel
    const b = boardAt(u, v, width, tall, spec)
    const n = j * columns + i
    const tone = spot(seed + 8, b.key, 4)
    const ring = ringsAt(b.l, b.c, b.key, spec)
    const grey = clamp(0.5 + 0.5 * rough(seed + 9, u * 3, v * 3, 3) + 0.3 * (tone - 0.5))
    const light = (0.62 + 0.62 * tone) * (1 + 0.2 * ring + 0.14 * grain(seed + 10, u * 150, v * 150))
    let r = light * (0.25 * (1 - grey) + 0.19 * grey)
    let g = light * (0.17 * (1 - grey) + 0.168 * grey)
    let bl = light * (0.098 * (1 - grey) + 0.14 * grey)
    // Nails bleed rust along the grain; ends and feet are dark with wet and hands.
    const rust = Math.exp(-((b.head / 0.016) ** 2))
    r = r * (1 - 0.5 * rust) + 0.05 * rust * 0.5
    g = g * (1 - 0.65 * rust) + 0.022 * rust * 0.5
    bl *= 1 - 0.75 * rust
    const foot = smooth(0.25, 0, tall - v)
    const edge = smooth(0.03, 0, Math.min(u, v, width - u, tall - v))
    const stain = smooth(-0.15, 0.5, rough(seed + 11, u * 2.6, v * 4, 4) + 0.3 * (spot(seed + 12, b.key, 6) - 0.5))
    const hands = smooth(0.2, 0.6, rough(seed + 13, u * 9, v * 9, 3))
    const dirt = (1 - 0.5 * foot) * (1 - 0.48 * stain) * (1 - 0.25 * hands) * (1 - 0.3 * edge * (0.5 + 0.5 * hands))
    skin.r = clamp(b.head < 0.0045 ? 0.045 : r * dirt, 0.02, 0.6)
    skin.g = clamp(b.head < 0.0045 ? 0.035 : g * dirt, 0.018, 0.6)
    skin.b = clamp(b.head < 0.0045 ? 0.03 : bl * dirt, 0.015, 0.6)
    skin.rough = 0.85
    skin.film = 0
    skin.hollow = gap[n] ? 0.35 : 1 - 0.4 * smooth(0.012, 0, b.e)
  }
  return { name, columns, rows, texel, step: 3, ...planar(corner, along, down), height, paint }
}

/** Stacked crates, each of five battened sides. */
export function crateCharts(detail: number): ChartSpec[] {
  return CRATES.flatMap(({ at, size, turn }, n) => {
    const [c, s] = [Math.cos(turn), Math.sin(turn)]
    const place = (x: number, y: number, z: number): Vec3 => [at[0] + c * x + s * z, at[1] + y, at[2] - s * x + c * z]
    const way = (x: number, z: number): Vec3 => [c * x + s * z, 0, -s * x + c * z]
    const [w, h, d] = size
    const texel = 0.0045 / detail
    const spec = (k: number): Boards => ({
      seed: 400 + n * 40 + k * 7,
      along: true,
      breadth: n % 2 ? 0.095 : 0.125,
      rim: 0.075,
    })
    const down: Vec3 = [0, -1, 0]
    return [
      boards('crate front', place(-w / 2, h, d / 2), way(1, 0), down, w, h, texel, spec(0)),
      boards('crate back', place(w / 2, h, -d / 2), way(-1, 0), down, w, h, texel * 2, spec(1)),
      boards('crate right', place(w / 2, h, d / 2), way(0, -1), down, d, h, texel, spec(2)),
      boards('crate left', place(-w / 2, h, -d / 2), way(0, 1), down, d, h, texel, spec(3)),
      boards('crate top', place(-w / 2, h, -d / 2), way(1, 0), way(0, 1), w, d, texel, { ...spec(4), rim: 0 }),
    ]
  })
}
