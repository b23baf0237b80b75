import { type GasFrame, halfTable, mixtureOf, TILE, tileCounts } from '../data/index.ts'
import { exp, pow } from '../math/index.ts'
import { GLOW_ENTRIES, GLOW_FROM, GLOW_STEP } from './blackBody.ts'
import {
  alightAt,
  burntRise,
  innerExtinction,
  innerKelvin,
  SHEET_AT,
  SHEET_INTEGRAL,
  SHEET_KELVIN,
  sheetStrength,
} from './flame.ts'

/** A small glowing ball that stands for a part of the fire. intensity: plate value x m^2. */
export interface Emitter {
  at: [number, number, number]
  intensity: [number, number, number]
  radius: number
}

/** Smoke extinction of light per soot, m^2/kg (Mulholland & Croarkin 2000: 8700 for flame smoke). */
export const SOOT_EXTINCTION = 8700

interface Lump {
  power: [number, number, number]
  place: [number, number, number]
  weight: number
  /** Extinction x volume, and its first and second moments about the lattice's origin, cells. */
  depth: number
  moments: [number, number, number, number, number, number]
}

/** Of a tile: which cube of `factor` tiles per edge it lies in. */
const lumpKey = (tile: number, tx: number, ty: number, factor: number): number =>
  (Math.floor(tile / (tx * ty) / factor) * 4096 + Math.floor((Math.floor(tile / tx) % ty) / factor)) * 4096 +
  Math.floor((tile % tx) / factor)

/** Numbers of the kept tiles in which anything glows. */
function glowingTiles({ tiles, channels, ambient }: GasFrame): number[] {
  const heat = channels[1]
  const values = halfTable()
  const glows = (n: number): boolean => {
    for (let o = n * TILE ** 3; o < (n + 1) * TILE ** 3; o++)
      if (ambient + (values[heat?.[o] ?? 0] ?? 0) > GLOW_FROM) return true
    return false
  }
  return Array.from(tiles.keys()).filter(glows)
}

/** What a cell gives of itself: plate value x m^2 to all sides, and its extinction x volume. */
type CellGlow = (o: number, i: number, j: number, k: number) => { light: readonly number[]; depth: number } | undefined

/** A row of a table by temperature, between two entries. */
function tableAt(table: Float32Array, kelvin: number): [number, number, number] {
  const place = Math.min(GLOW_ENTRIES - 1.001, Math.max(0, (kelvin - GLOW_FROM) / GLOW_STEP))
  const entry = Math.floor(place)
  const f = place - entry
  return [0, 1, 2].map((c) => (table[entry * 4 + c] ?? 0) * (1 - f) + (table[entry * 4 + 4 + c] ?? 0) * f) as [
    number,
    number,
    number,
  ]
}

/** Cells that glow by the soot they hold, at their own temperature. */
function sootGlow(
  { box, channels, ambient }: GasFrame,
  glow: Float32Array,
  albedo: number,
  extinctionPerSoot: number,
): CellGlow {
  const [soot, heat] = channels
  const values = halfTable()
  const volume = box.cell ** 3
  return (o) => {
    const kelvin = ambient + (values[heat?.[o] ?? 0] ?? 0)
    if (kelvin <= GLOW_FROM) return undefined
    const extinction = ((values[soot?.[o] ?? 0] ?? 0) / 1000) * extinctionPerSoot
    const absorption = extinction * (1 - albedo) * volume
    return { light: tableAt(glow, kelvin).map((part) => part * absorption), depth: extinction * volume }
  }
}

/**
 * Cells that flames stand in. The sheet's area in a cell is its volume times the mixture's gradient over the range of mixtures that the cell spans (the coarea formula, Federer 1959), so that the sum is the
 * sheets' whole area however large the cells are.
 */
function flameGlow({ box, channels, ambient }: GasFrame, mixture: Float32Array, bodies: Float32Array): CellGlow {
  const heat = channels[1]
  const values = halfTable()
  const [nx, ny] = box.size
  const sx = nx + 2
  const sxy = sx * (ny + 2)
  const volume = box.cell ** 3
  return (o, i, j, k) => {
    const e = (k + 1) * sxy + (j + 1) * sx + i + 1
    const eta = mixture[e] ?? 0
    const warm = values[heat?.[o] ?? 0] ?? 0
    const alight = eta > 0.02 ? alightAt(eta, warm) : 0
    if (alight === 0) return undefined
    const along = (step: number): number => ((mixture[e + step] ?? 0) - (mixture[e - step] ?? 0)) / (2 * box.cell)
    const slope = Math.sqrt(along(1) ** 2 + along(sx) ** 2 + along(sxy) ** 2)
    const span = Math.max(0.05, slope * box.cell)
    const hat = Math.max(0, 1 - Math.abs(eta - SHEET_AT) / span) / span
    const progress = Math.min(1, warm / Math.max(60, burntRise(eta)))
    const sheet = volume * slope * hat * SHEET_INTEGRAL * sheetStrength(slope) * alight
    const inner = volume * innerExtinction(eta) * alight
    const [a, b] = [
      tableAt(bodies, ambient + (SHEET_KELVIN - ambient) * (0.8 + 0.2 * progress)),
      tableAt(bodies, ambient + (innerKelvin(eta) - ambient) * (0.75 + 0.25 * progress)),
    ]
    return { light: a.map((part, c) => part * sheet + (b[c] ?? 0) * inner), depth: sheet + inner }
  }
}

/** Merges cubes of `factor` tiles per edge; glowing: the tiles that count. */
function lumpsOf(frame: GasFrame, glowing: readonly number[], glowOf: CellGlow, factor: number): Map<number, Lump> {
  const { box, tiles } = frame
  const [tx, ty] = tileCounts(box)
  const lumps = new Map<number, Lump>()
  for (const n of glowing) {
    const tile = tiles[n] ?? 0
    const [i0, j0, k0] = [(tile % tx) * TILE, (Math.floor(tile / tx) % ty) * TILE, Math.floor(tile / (tx * ty)) * TILE]
    const key = lumpKey(tile, tx, ty, factor)
    let lump = lumps.get(key)
    for (let at = 0; at < TILE ** 3; at++) {
      const [i, j, k] = [i0 + (at % TILE), j0 + (Math.floor(at / TILE) % TILE), k0 + Math.floor(at / (TILE * TILE))]
      if (i >= box.size[0] || j >= box.size[1] || k >= box.size[2]) continue
      const found = glowOf(n * TILE ** 3 + at, i, j, k)
      if (!found) continue
      if (!lump) {
        lump = { power: [0, 0, 0], place: [0, 0, 0], weight: 0, depth: 0, moments: [0, 0, 0, 0, 0, 0] }
        lumps.set(key, lump)
      }
      let sum = 0
      for (let c = 0; c < 3; c++) {
        const value = found.light[c] ?? 0
        lump.power[c] = (lump.power[c] ?? 0) + value
        sum += value
      }
      lump.weight += sum
      lump.depth += found.depth
      for (const [axis, c] of [i, j, k].entries()) {
        const at = (box.origin[axis] ?? 0) + c + 0.5
        lump.moments[axis] = (lump.moments[axis] ?? 0) + found.depth * at
        lump.moments[3 + axis] = (lump.moments[3 + axis] ?? 0) + found.depth * at * at
      }
      lump.place[0] += sum * (box.origin[0] + i + 0.5)
      lump.place[1] += sum * (box.origin[1] + j + 0.5)
      lump.place[2] += sum * (box.origin[2] + k + 0.5)
    }
  }
  return lumps
}

/** Share of a flame's light that its own soot lets out, on the mean over all sides: that of a body of as much depth (extinction x volume) over as large a shadow, an ellipsoid of the soot's moments, between a full one and a shell. */
function flameEscape(lumps: readonly Lump[], cell: number): number {
  const sum = (part: (lump: Lump) => number): number => lumps.reduce((total, lump) => total + part(lump), 0)
  const weight = sum(({ depth }) => depth)
  if (!(weight > 0)) return 1
  const axes = [0, 1, 2].map((axis) => {
    const middle = sum(({ moments }) => moments[axis] ?? 0) / weight
    const spread = sum(({ moments }) => moments[3 + axis] ?? 0) / weight - middle * middle
    return cell * Math.sqrt(3.5 * Math.max(0.25, spread))
  }) as [number, number, number]
  // Mean shadow of an ellipsoid: a quarter of its surface, that by Thomsen's formula (within 1.1 %).
  const p = 1.6075
  const [a, b, c] = axes.map((half) => pow(half, p)) as [number, number, number]
  const shadow = Math.PI * pow((a * b + a * c + b * c) / 3, 1 / p)
  const t = weight / shadow
  return t > 1e-3 ? (1 - exp(-t)) / t : 1 - t / 2
}

/**
 * The fire's light as at most `most` emitters: of its flames' sheets where it holds them, else of its soot. glow: glowTable's; bodies: blackBodyTable's; albedo: the smoke's; extinctionPerSoot: m^2/kg.
 * What a flame's soot keeps in is taken off for the flame as a whole (flameEscape); of soot alone by the mean escape from a lump's cube, (1 - exp(-t)) / t with t = extinction x mean chord (2/3 of the edge).
 */
export function gatherEmitters(
  frame: GasFrame,
  glow: Float32Array,
  albedo: number,
  most: number,
  extinctionPerSoot = SOOT_EXTINCTION,
  bodies?: Float32Array,
): Emitter[] {
  const glowing = glowingTiles(frame)
  const mixture = bodies && mixtureOf(frame)
  const glowOf = mixture ? flameGlow(frame, mixture, bodies) : sootGlow(frame, glow, albedo, extinctionPerSoot)
  const [tx, ty] = tileCounts(frame.box)
  for (let factor = 1; ; factor *= 2) {
    if (factor < 64 && new Set(glowing.map((n) => lumpKey(frame.tiles[n] ?? 0, tx, ty, factor))).size > most) continue
    const lumps = lumpsOf(frame, glowing, glowOf, factor)
    const edge = TILE * factor * frame.box.cell
    const shining = [...lumps.entries()]
      .sort(([a], [b]) => a - b)
      .flatMap(([, lump]) => (lump.weight > 0 ? [lump] : []))
    const whole = mixture && flameEscape(shining, frame.box.cell)
    return shining.map((lump) => {
      const t = (lump.depth / edge ** 3) * edge * (2 / 3)
      const escaping = whole ?? (t > 1e-3 ? (1 - exp(-t)) / t : 1 - t / 2)
      const at = lump.place.map((sum) => (sum / lump.weight) * frame.box.cell) as [number, number, number]
      return {
        at,
        intensity: lump.power.map((part) => part * escaping) as [number, number, number],
        radius: edge * 0.35,
      }
    })
  }
}
