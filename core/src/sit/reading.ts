import { LanternError } from '../base/index.ts'

type Corner = readonly [number, number]

/** An area of a picture: what lies within corners (three or more), or within a radius of a place, px. */
export type Area = { corners: readonly Corner[] } | { middle: Corner; radius: number }

/** What an area holds in one frame: linear r g b and their brightness (Rec. 709) each; NaN where none of it is in the picture. */
export interface AreaFigures {
  mean: readonly [number, number, number, number]
  peak: readonly [number, number, number, number]
  /** The value that the asked share of its pixels lie below. */
  percentile: readonly [number, number, number, number]
  /** Pixels in it. */
  pixels: number
}

const NONE: AreaFigures = {
  mean: [Number.NaN, Number.NaN, Number.NaN, Number.NaN],
  peak: [Number.NaN, Number.NaN, Number.NaN, Number.NaN],
  percentile: [Number.NaN, Number.NaN, Number.NaN, Number.NaN],
  pixels: 0,
}

/** Spans of pixel centres within an area on row y: pairs from, to (not included). */
function spansOn(area: Area, y: number, width: number): [number, number][] {
  if ('middle' in area) {
    const d = y + 0.5 - area.middle[1]
    const half2 = area.radius * area.radius - d * d
    if (half2 < 0) return []
    const half = Math.sqrt(half2)
    return [
      [
        Math.max(0, Math.ceil(area.middle[0] - half - 0.5)),
        Math.min(width, Math.floor(area.middle[0] + half - 0.5) + 1),
      ],
    ]
  }
  const crossings: number[] = []
  for (const [n, a] of area.corners.entries()) {
    const b = area.corners[(n + 1) % area.corners.length] as Corner
    if (a[1] > y + 0.5 !== b[1] > y + 0.5) crossings.push(a[0] + ((y + 0.5 - a[1]) * (b[0] - a[0])) / (b[1] - a[1]))
  }
  crossings.sort((p, q) => p - q)
  return Array.from({ length: crossings.length >> 1 }, (_, n) => [
    Math.max(0, Math.ceil((crossings[2 * n] as number) - 0.5)),
    Math.min(width, Math.ceil((crossings[2 * n + 1] as number) - 0.5)),
  ])
}

/**
 * Reads an area of one frame. rgb: linear, rows from the top left; share: of the percentile, 0 to 1. A point is a radius of about one pixel.
 * Throws LanternError 'area' for fewer than three corners.
 */
export function readArea(rgb: Float32Array, width: number, height: number, area: Area, share: number): AreaFigures {
  if ('corners' in area && area.corners.length < 3)
    throw new LanternError('area', 'An area needs three corners.', 'Draw it again.', { field: 'area' })
  const ys =
    'middle' in area ? [area.middle[1] - area.radius, area.middle[1] + area.radius] : area.corners.map((p) => p[1])
  const values: [number[], number[], number[], number[]] = [[], [], [], []]
  for (let y = Math.max(0, Math.floor(Math.min(...ys))); y < Math.min(height, Math.ceil(Math.max(...ys))); y++)
    for (const [from, to] of spansOn(area, y, width))
      for (let x = from; x < to; x++) {
        const k = (y * width + x) * 3
        const [r, g, b] = [rgb[k] as number, rgb[k + 1] as number, rgb[k + 2] as number]
        values[0].push(r)
        values[1].push(g)
        values[2].push(b)
        values[3].push(0.2126 * r + 0.7152 * g + 0.0722 * b)
      }
  const pixels = values[3].length
  if (pixels === 0) return NONE
  const each = (figure: (list: number[]) => number): [number, number, number, number] => [
    figure(values[0]),
    figure(values[1]),
    figure(values[2]),
    figure(values[3]),
  ]
  return {
    pixels,
    mean: each((list) => list.reduce((sum, v) => sum + v, 0) / pixels),
    peak: each((list) => list.reduce((most, v) => Math.max(most, v), -Infinity)),
    percentile: each(
      (list) => Float64Array.from(list).sort()[Math.min(pixels - 1, Math.floor(share * pixels))] as number,
    ),
  }
}

/** What a whole picture holds: its figures as readings keep them. */
export function readWhole(
  rgb: Float32Array,
  width: number,
  height: number,
  share: number,
): Record<'mean' | 'peak' | 'percentile', [number, number, number, number]> {
  const corners: Corner[] = [
    [0, 0],
    [width, 0],
    [width, height],
    [0, height],
  ]
  const { mean, peak, percentile } = readArea(rgb, width, height, { corners }, share)
  return { mean: [...mean], peak: [...peak], percentile: [...percentile] }
}
