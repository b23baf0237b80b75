import { hash01 } from '../../base/index.ts'
import type { SurfaceMesh, Texture } from '../../data/index.ts'
import { noise3 } from '../../math/index.ts'

// What broken stuff looks like inside: made patterns that go on without a seam, multiplied with the inside's colour.

export const INNER_SURFACES = ['even', 'brick', 'concrete', 'wood', 'rust'] as const
export type InnerSurface = (typeof INNER_SURFACES)[number]

const SIDE = 256
/** m that one tile of a pattern covers. */
const TILE = 0.4
/** Grains of stone in a tile of concrete. */
const STONES = 90

/** Noise of so many waves across a tile that goes on past its edges: blended with itself a tile on. */
function tiled(seed: number, u: number, v: number, across: number, down: number): number {
  const at = (x: number, y: number): number => noise3(seed, x * across, y * down, 0.5)
  const [a, b] = [at(u, v), at(u - 1, v)]
  const [c, d] = [at(u, v - 1), at(u - 1, v - 1)]
  const top = a * (1 - u) + b * u
  const low = c * (1 - u) + d * u
  // Blending evens it out: as strong as one alone.
  return (top * (1 - v) + low * v) / Math.sqrt((u * u + (1 - u) * (1 - u)) * (v * v + (1 - v) * (1 - v)))
}

interface Stone {
  x: number
  y: number
  radius: number
  level: number
}
const stones = (): Stone[] =>
  Array.from({ length: STONES }, (_, n) => ({
    x: hash01(7, n, 0, 71),
    y: hash01(7, n, 1, 71),
    radius: 0.012 + 0.035 * hash01(7, n, 2, 71) ** 3,
    level: 0.6 + 0.55 * hash01(7, n, 3, 71),
  }))

/** Level of r g b at a place of a tile, 1 as the inside's own colour. */
function levelAt(
  surface: InnerSurface,
  u: number,
  v: number,
  all: readonly Stone[],
): readonly [number, number, number] {
  const fine = tiled(3, u, v, 90, 90)
  const middle = tiled(4, u, v, 22, 22)
  const coarse = tiled(5, u, v, 6, 6)
  if (surface === 'wood') {
    const streak = tiled(8, u, v, 60, 3) + 0.6 * tiled(9, u, v, 140, 8)
    const level = 0.82 + 0.28 * streak + 0.08 * fine
    return [level, level * (0.97 - 0.05 * coarse), level * (0.94 - 0.1 * coarse)]
  }
  if (surface === 'rust') {
    const share = Math.min(1, Math.max(0, 0.5 + 0.8 * coarse + 0.5 * middle))
    const level = 0.75 + 0.2 * fine + 0.15 * middle
    return [level * (0.55 + 0.55 * share), level * (0.6 + 0.2 * share), level * (0.75 - 0.3 * share)]
  }
  if (surface === 'concrete') {
    const away = (a: number, b: number): number => Math.min(Math.abs(a - b), 1 - Math.abs(a - b))
    const stone = all.find(({ x, y, radius }) => away(u, x) ** 2 + away(v, y) ** 2 < (radius * (1 + 0.3 * middle)) ** 2)
    const level = stone ? stone.level + 0.06 * fine : 0.88 + 0.14 * fine + 0.1 * middle
    return stone ? [level, level * 0.98, level * 0.95] : [level, level, level]
  }
  // Burnt clay: grit, and flecks that are paler or darker.
  const flecks = middle > 0.42 ? 0.25 : middle < -0.45 ? -0.35 : 0
  const level = 0.86 + 0.16 * fine + 0.1 * coarse + flecks * Math.abs(middle)
  return [level, level * (0.96 + 0.06 * middle), level * (0.94 + 0.08 * middle)]
}

const made = new Map<InnerSurface, Texture>()
/** The picture of an inside; none of an even one. */
export function innerTexture(surface: InnerSurface): Texture | undefined {
  if (surface === 'even') return undefined
  const known = made.get(surface)
  if (known) return known
  const data = new Uint8Array(SIDE * SIDE * 4).fill(255)
  const all = surface === 'concrete' ? stones() : []
  for (let j = 0; j < SIDE; j++)
    for (let i = 0; i < SIDE; i++) {
      const level = levelAt(surface, (i + 0.5) / SIDE, (j + 0.5) / SIDE, all)
      // Half of what a byte holds is 1, so that flecks may be brighter than the colour.
      level.forEach((value, c) => (data[4 * (j * SIDE + i) + c] = Math.min(255, Math.max(0, Math.round(HALF * value)))))
    }
  const texture: Texture = { width: SIDE, height: SIDE, data, srgb: false, wrap: ['repeat', 'repeat'] }
  made.set(surface, texture)
  return texture
}
const HALF = 140
/** What the inside's colour is multiplied with, for the texture's 1 to be 1. */
export const INNER_GAIN = 255 / HALF

/** A mesh with places in a made pattern: of all faces by one skew projection, which hardly any face lies along; those alone from a vertex on. */
export function laidOut(mesh: SurfaceMesh, wanted: (vertex: number) => boolean = () => true): SurfaceMesh {
  const { positions } = mesh
  const count = positions.length / 3
  const uvs = mesh.uvs ? mesh.uvs.slice() : new Float32Array(2 * count)
  for (let n = 0; n < count; n++) {
    if (!wanted(n)) continue
    const [x, y, z] = [positions[3 * n] ?? 0, positions[3 * n + 1] ?? 0, positions[3 * n + 2] ?? 0]
    uvs[2 * n] = (x + 0.61 * y) / TILE
    uvs[2 * n + 1] = (z + 0.47 * y) / TILE
  }
  return { ...mesh, uvs }
}
