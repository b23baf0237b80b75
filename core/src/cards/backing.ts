import type { FloatImage } from '../data/index.ts'
import type { CutOut } from './matte.ts'

// What a filmed element stands before, told by the border of its frame.

/** How a frame was filmed as far as its border tells, with the colour of that. */
export interface Backing {
  there: 'on black' | 'keyed' | 'all of it'
  colour: readonly [number, number, number]
}

/** Share of the frame's shorter side that counts as its border. */
const BORDER = 0.03
/** Darker than this it is black; so much less of the other colours it is a coloured backing; so much of it must be alike. */
const DARK = 0.02
const COLOURED = 0.35
const ALIKE = 0.7

/** Guesses what a frame (linear light) was filmed before. */
export function guessBacking({ width, height, channels, data }: FloatImage): Backing {
  const reach = Math.max(1, Math.round(BORDER * Math.min(width, height)))
  const ring: [number, number, number][] = []
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      if (Math.min(x, y, width - 1 - x, height - 1 - y) >= reach) continue
      const at = (y * width + x) * channels
      ring.push([data[at] ?? 0, data[at + 1] ?? 0, data[at + 2] ?? 0])
    }
  const middle = (c: 0 | 1 | 2): number => ring.map((one) => one[c]).sort((a, b) => a - b)[ring.length >> 1] ?? 0
  const colour = [middle(0), middle(1), middle(2)] as const
  const most = Math.max(...colour)
  if (most < DARK) return { there: 'on black', colour }
  const others = (colour[0] + colour[1] + colour[2] - most) / 2
  const near = ring.filter((one) => one.every((part, c) => Math.abs(part - (colour[c] ?? 0)) < 0.25 * most)).length
  if ((most - others) / most > COLOURED && near > ALIKE * ring.length) return { there: 'keyed', colour }
  return { there: 'all of it', colour }
}

/** Sides of a cut-out that are never dark: how much of it there is along each, at most: top, right, bottom, left. */
export function borders(image: CutOut): readonly [number, number, number, number] {
  const { width, height, data } = image
  const at = (x: number, y: number): number => data[4 * (y * width + x) + 3] ?? 0
  const most = (count: number, place: (n: number) => number): number =>
    Array.from({ length: count }, (_, n) => place(n)).reduce((a, b) => Math.max(a, b), 0)
  return [
    most(width, (x) => at(x, 0)),
    most(height, (y) => at(width - 1, y)),
    most(width, (x) => at(x, height - 1)),
    most(height, (y) => at(0, y)),
  ]
}
