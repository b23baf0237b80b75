import { type ChartSpec, planar, type Skin } from './builder.ts'
import { clamp, grain, rough, smooth, spot } from './noise.ts'
import { ARCHES, CHIMNEY, CRATES, DRUM, KILN } from './places.ts'

const PITCH_X = 0.138
const PITCH_Z = 0.122
const GAP = 0.011

/** How wet the day is. */
export interface Weather {
  /** Level of standing water against the mean ground, m. */
  water: number
  /** Film on everything that faces up, 0 to 1. */
  film: number
}

/** Middle of the drain. */
export const DRAIN: readonly [x: number, z: number] = [1.75, 4.75]

/** The ground's slow shape: camber, hollows, two wheel ruts that lead to the middle door, m. */
export function lie(x: number, z: number): number {
  const hollows = 0.042 * rough(11, x * 0.31, z * 0.37, 2) + 0.012 * rough(12, x * 1.1, z * 1.3, 2)
  const bend = 0.35 * grain(13, z * 0.25, 0)
  const rut = (at: number): number => Math.exp(-(((x - at - bend - 0.05 * (z - 1)) / 0.17) ** 2))
  const worn = smooth(0.5, 2.5, z)
  const drain = 0.2 * smooth(0.26, 0.215, Math.max(Math.abs(x - DRAIN[0]), Math.abs(z - DRAIN[1])))
  return (
    hollows -
    drain -
    0.012 * Math.exp(-((x - DRAIN[0]) ** 2 + (z - DRAIN[1]) ** 2) / 0.6) -
    0.017 * worn * (rut(1.45) + rut(2.85)) -
    0.018 * smooth(0.5, 0, z) -
    0.01 * Math.exp(-(((z - 4.2) / 0.3) ** 2))
  )
}

interface Stone {
  height: number
  edge: number
  key: number
  tone: number
}

/** The stone under a point: jittered setts in running rows; edge: metres from the joint. */
function stoneAt(x: number, z: number, out: Stone): void {
  const wx = x + 0.05 * grain(21, x * 0.6, z * 0.6)
  // Rows run unevenly, and some are broader: whoever laid them took the stones as they came.
  const wz =
    z +
    0.05 * grain(22, x * 0.6, z * 0.6) +
    0.006 * grain(23, x * 3, z * 3) +
    0.018 * Math.sin(z * 7.1 + 2 * grain(34, x * 0.2, z * 0.4))
  const row = Math.floor(wz / PITCH_Z)
  let best = Infinity
  let second = Infinity
  for (let r = row - 1; r <= row + 1; r++) {
    const shift = 0.5 * (r & 1) + 0.3 * (spot(24, r, 0) - 0.5)
    const pitch = PITCH_X * (0.8 + 0.4 * spot(35, r, 0))
    const column = Math.floor(wx / pitch + shift)
    for (let c = column - 1; c <= column + 1; c++) {
      const cx = (c + 0.5 - shift + 0.36 * (spot(25, c, r) - 0.5)) * pitch
      const cz = (r + 0.5 + 0.2 * (spot(26, c, r) - 0.5)) * PITCH_Z
      const dx = (wx - cx) / (pitch * (0.78 + 0.46 * spot(27, c, r)))
      const dz = (wz - cz) / (PITCH_Z * (0.84 + 0.28 * spot(28, c, r)))
      // Between a circle and a square: worn setts. |d|^3 norm without its root.
      const ax = Math.abs(dx)
      const az = Math.abs(dz)
      const d = ax * ax * ax + az * az * az
      if (d < best) {
        second = best
        best = d
        out.key = c * 7919 + r
        const lean = 0.1
        out.height =
          0.011 * (spot(29, c, r) - 0.5) +
          lean * (spot(30, c, r) - 0.5) * (wx - cx) +
          lean * (spot(31, c, r) - 0.5) * (wz - cz) -
          (spot(32, c, r) < 0.02 ? 0.03 : 0)
        out.tone = spot(33, c, r)
      } else if (d < second) second = d
    }
  }
  out.edge = (Math.cbrt(second) - Math.cbrt(best)) * 0.5 * PITCH_Z
}

/** Distance from a set-down thing on the ground, roughly. */
const nearThings = (x: number, z: number): number => {
  let near = Infinity
  for (const { at, size } of CRATES)
    if (at[1] === 0)
      near = Math.min(
        near,
        Math.hypot(Math.max(0, Math.abs(x - at[0]) - size[0] / 2), Math.max(0, Math.abs(z - at[2]) - size[2] / 2)),
      )
  return near
}

interface Area {
  name: string
  x: number
  z: number
  width: number
  depth: number
  texel: number
  step: number
}

/** Cobbles over a rectangle of the yard. */
export function cobbles(area: Area, weather: Weather): ChartSpec {
  const columns = Math.max(2, Math.round(area.width / area.texel))
  const rows = Math.max(2, Math.round(area.depth / area.texel))
  const height = new Float32Array(columns * rows)
  const edges = new Float32Array(columns * rows)
  const tones = new Float32Array(columns * rows)
  const keys = new Int32Array(columns * rows)
  const water = new Uint8Array(columns * rows)
  const stone: Stone = { height: 0, edge: 0, key: 0, tone: 0 }
  for (let j = 0; j < rows; j++)
    for (let i = 0; i < columns; i++) {
      const x = area.x + (i + 0.5) * area.texel
      const z = area.z + (j + 0.5) * area.texel
      const n = j * columns + i
      stoneAt(x, z, stone)
      const ragged = stone.edge + 0.004 * grain(41, x * 38, z * 38) + 0.002 * grain(42, x * 110, z * 110)
      const crown = clamp((ragged - GAP * 0.4) / 0.026)
      const dome = 1 - (1 - crown) * (1 - crown)
      const fill = -0.012 - 0.006 * rough(43, x * 5, z * 5, 2) + 0.003 * grain(44, x * 90, z * 90)
      const top =
        stone.height + 0.0035 * rough(45, x * 17, z * 17, 3) * (0.4 + stone.tone) + 0.0011 * grain(46, x * 140, z * 140)
      const inGap = ragged < GAP * 0.4
      const h = lie(x, z) + (inGap ? fill : Math.max(fill, fill + (top - fill) * dome))
      height[n] = h
      edges[n] = inGap ? 0 : ragged
      tones[n] = stone.tone
      keys[n] = stone.key
      if (h < weather.water) {
        height[n] = weather.water
        water[n] = 1
      }
    }
  const paint = (i: number, j: number, skin: Skin): void => {
    const n = j * columns + i
    const x = area.x + (i + 0.5) * area.texel
    const z = area.z + (j + 0.5) * area.texel
    const h = height[n] ?? 0
    const tone = tones[n] ?? 0
    const key = keys[n] ?? 0
    const edge = edges[n] ?? 0
    const slow = rough(51, x * 0.7, z * 0.7, 4)
    const mottle = rough(52, x * 22, z * 22, 4, 0.65)
    const speck = grain(53, x * 260, z * 260)
    const away = z > 0 ? z : 9
    // Stones: mostly grey, some brown, blue or pale.
    const kind = spot(54, key, 1)
    const patch = 0.035 * rough(63, x * 0.5, z * 0.5, 2)
    let r = 0.095 + patch + 0.135 * tone
    let g = r * (kind < 0.3 ? 0.9 : kind < 0.5 ? 0.97 : 0.955)
    let b = r * (kind < 0.3 ? 0.76 : kind < 0.5 ? 1 : 0.885)
    const worn = 1 + 0.42 * mottle + 0.2 * speck + 0.22 * slow + 0.25 * clamp((edge - 0.01) / 0.03) * tone
    r *= worn
    g *= worn
    b *= worn
    skin.rough = 0.62 + 0.12 * mottle - 0.12 * tone
    // Joints: earth and ash, moss where few feet go.
    const joint = edge <= 0.001 ? 1 : 1 - smooth(0.001, 0.009, edge + 0.003 * mottle)
    if (joint > 0) {
      const still = smooth(-0.1, 0.45, rough(55, x * 0.55, z * 0.55, 3) + 0.5 * smooth(1.2, 0.1, away) - 0.15)
      const moss = still * smooth(-0.25, 0.3, grain(56, x * 26, z * 26) + 0.3 * mottle)
      const soil = 0.75 + 0.4 * grain(57, x * 120, z * 120)
      r += (soil * (0.05 * (1 - moss) + 0.036 * moss) - r) * joint
      g += (soil * (0.041 * (1 - moss) + 0.055 * moss) - g) * joint
      b += (soil * (0.031 * (1 - moss) + 0.014 * moss) - b) * joint
      skin.rough += (0.95 - skin.rough) * joint
    }
    // Dust and clay that carts left, ash round the fire, soot before the doors.
    const clay = smooth(0.05, 0.6, rough(58, x * 0.9, z * 0.45, 4)) * 0.5
    r += (0.19 - r) * clay * 0.5
    g += (0.125 - g) * clay * 0.5
    b += (0.085 - b) * clay * 0.5
    let soot = 0.65 * Math.exp(-(((x - DRUM[0]) ** 2 + (z - DRUM[2]) ** 2) / 0.5))
    for (const arch of ARCHES) soot = Math.max(soot, 0.6 * Math.exp(-(((x - arch.x) / 0.8) ** 2) - (away / 0.9) ** 2))
    const dark = 1 - soot * clamp(0.75 + 0.5 * mottle)
    r *= dark
    g *= dark
    b *= dark
    // Leaves and straw, blown against walls and boxes.
    const drift = smooth(0.75, 0, Math.min(nearThings(x, z), away)) + 0.12
    const leaf = spot(
      59,
      Math.floor(x / 0.045 + 0.5 * grain(60, x * 30, z * 30)),
      Math.floor(z / 0.04 + 0.5 * grain(61, x * 30, z * 30)),
    )
    if (leaf < 0.05 * drift) {
      const hue = leaf / (0.05 * drift)
      r = 0.13 + 0.12 * hue
      g = 0.075 + 0.07 * hue
      b = 0.03 + 0.02 * hue
    }
    // Wet: near the water's level, darker, with a film.
    const above = h - weather.water
    const wet = clamp(
      Math.max(
        smooth(0.026, 0.004, above + 0.01 * slow),
        weather.film * (0.62 + 0.38 * smooth(-0.3, 0.2, slow + 0.4 * mottle)),
        0.55 * smooth(0.35, 0.55, rough(62, x * 0.4 + 3, z * 0.5, 3)),
      ),
    )
    const soak = 1 - 0.48 * wet
    r *= soak
    g *= soak * 0.99
    b *= soak * 0.98
    skin.film = 0.62 * wet * (1 - 0.8 * joint)
    skin.rough = skin.rough * (1 - 0.62 * wet) + 0.02
    if (water[n]) {
      const depth = smooth(0, 0.03, weather.water - lie(x, z) + 0.02)
      r = 0.045 + 0.02 * (1 - depth)
      g = 0.036 + 0.016 * (1 - depth)
      b = 0.026 + 0.01 * (1 - depth)
      skin.film = 1
      skin.rough = 0.015 + 0.03 * clamp(0.5 + mottle)
    }
    skin.r = clamp(r, 0.012, 0.6)
    skin.g = clamp(g, 0.012, 0.6)
    skin.b = clamp(b, 0.01, 0.6)
    skin.rough = clamp(skin.rough, 0.01, 1)
    skin.hollow = water[n] ? 1 : 0.5 + 0.5 * smooth(0, 0.016, edge)
  }
  return {
    name: area.name,
    columns,
    rows,
    texel: area.texel,
    step: area.step,
    ...planar([area.x, 0, area.z], [1, 0, 0], [0, 0, 1]),
    height,
    paint,
    flat: (i, j) => water[j * columns + i] === 1,
  }
}

/** The yard's ground: fine before the kiln, coarser round it. */
export function groundCharts(weather: Weather, detail: number): ChartSpec[] {
  const t = (texel: number): number => texel / detail
  const inside = (x: number, z: number): boolean => x > KILN.from + 0.05 && x < KILN.to - 0.05 && z < -0.3
  const outer = (name: string, x: number, z: number, width: number, depth: number): ChartSpec => ({
    ...cobbles({ name, x, z, width, depth, texel: t(0.026), step: 2 }, weather),
    there: (u, v) => !inside(x + u, z + v) && !(Math.abs(x + u - CHIMNEY.x) < 0.7 && Math.abs(z + v - CHIMNEY.z) < 0.7),
  })
  return [
    cobbles({ name: 'cobbles', x: -6.2, z: -0.24, width: 13.4, depth: 8, texel: t(0.0055), step: 3 }, weather),
    outer('cobbles left', -26, -19.76, 19.9, 28),
    outer('cobbles behind', -6.2, -19.76, 8, 19.6),
    outer('cobbles right', 7.1, -0.24, 9.1, 8),
    outer('cobbles front', -6.2, 7.66, 22, 4.1),
  ]
}
