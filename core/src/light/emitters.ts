import { type GasFrame, halfTable, TILE, tileCounts } from '../data/index.ts'
import { exp } from '../math/index.ts'
import { GLOW_ENTRIES, GLOW_FROM, GLOW_STEP } from './blackBody.ts'

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
  spread: number
  weight: number
  /** Extinction x volume. */
  depth: number
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

/** Merges cubes of `factor` tiles per edge; glowing: the tiles that count. */
function lumpsOf(
  frame: GasFrame,
  glowing: readonly number[],
  glow: Float32Array,
  albedo: number,
  extinctionPerSoot: number,
  factor: number,
): Map<number, Lump> {
  const { box, tiles, channels, ambient } = frame
  const [soot, heat] = channels
  const values = halfTable()
  const [tx, ty] = tileCounts(box)
  const volume = box.cell ** 3
  const lumps = new Map<number, Lump>()
  if (!soot || !heat) return lumps
  for (const n of glowing) {
    const tile = tiles[n] ?? 0
    const ti = tile % tx
    const tj = Math.floor(tile / tx) % ty
    const tk = Math.floor(tile / (tx * ty))
    const key = lumpKey(tile, tx, ty, factor)
    let lump = lumps.get(key)
    for (let at = 0; at < TILE ** 3; at++) {
      const o = n * TILE ** 3 + at
      const kelvin = ambient + (values[heat[o] ?? 0] ?? 0)
      if (kelvin <= GLOW_FROM) continue
      const extinction = ((values[soot[o] ?? 0] ?? 0) / 1000) * extinctionPerSoot
      const absorption = extinction * (1 - albedo) * volume
      const place = Math.min(GLOW_ENTRIES - 1.001, (kelvin - GLOW_FROM) / GLOW_STEP)
      const entry = Math.floor(place)
      const f = place - entry
      if (!lump) {
        lump = { power: [0, 0, 0], place: [0, 0, 0], spread: 0, weight: 0, depth: 0 }
        lumps.set(key, lump)
      }
      let sum = 0
      for (let c = 0; c < 3; c++) {
        const value = absorption * ((glow[entry * 4 + c] ?? 0) * (1 - f) + (glow[entry * 4 + 4 + c] ?? 0) * f)
        lump.power[c] = (lump.power[c] ?? 0) + value
        sum += value
      }
      lump.weight += sum
      lump.depth += extinction * volume
      lump.place[0] += sum * (box.origin[0] + ti * TILE + (at % TILE) + 0.5)
      lump.place[1] += sum * (box.origin[1] + tj * TILE + (Math.floor(at / TILE) % TILE) + 0.5)
      lump.place[2] += sum * (box.origin[2] + tk * TILE + Math.floor(at / (TILE * TILE)) + 0.5)
    }
  }
  return lumps
}

/**
 * The fire's light as at most `most` emitters. glow: glowTable's; albedo: the smoke's; extinctionPerSoot: m^2/kg. The power that a lump's own soot keeps in is taken off by the
 * mean escape from a cube, (1 - exp(-t)) / t with t = extinction x mean chord (2/3 of the edge).
 */
export function gatherEmitters(
  frame: GasFrame,
  glow: Float32Array,
  albedo: number,
  most: number,
  extinctionPerSoot = SOOT_EXTINCTION,
): Emitter[] {
  const glowing = glowingTiles(frame)
  const [tx, ty] = tileCounts(frame.box)
  for (let factor = 1; ; factor *= 2) {
    if (factor < 64 && new Set(glowing.map((n) => lumpKey(frame.tiles[n] ?? 0, tx, ty, factor))).size > most) continue
    const lumps = lumpsOf(frame, glowing, glow, albedo, extinctionPerSoot, factor)
    const edge = TILE * factor * frame.box.cell
    return [...lumps.entries()]
      .sort(([a], [b]) => a - b)
      .filter(([, lump]) => lump.weight > 0)
      .map(([, lump]) => {
        const t = (lump.depth / edge ** 3) * edge * (2 / 3)
        const escaping = t > 1e-3 ? (1 - exp(-t)) / t : 1 - t / 2
        const at = lump.place.map((sum) => (sum / lump.weight) * frame.box.cell) as [number, number, number]
        return {
          at,
          intensity: lump.power.map((part) => part * escaping) as [number, number, number],
          radius: edge * 0.35,
        }
      })
  }
}
