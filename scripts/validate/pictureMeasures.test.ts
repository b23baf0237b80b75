import { describe, expect, it } from 'vitest'
import { fineStructure, foundAgain, type Grey, outlineDimension, structureAt } from './pictureMeasures.ts'

const [WIDTH, HEIGHT] = [240, 240]
const drawn = (value: (x: number, y: number) => number): Grey => ({
  width: WIDTH,
  height: HEIGHT,
  data: Float32Array.from({ length: WIDTH * HEIGHT }, (_, n) => value(n % WIDTH, Math.floor(n / WIDTH))),
})

/** Koch's curve of so many divisions. */
function koch(divisions: number): [number, number][] {
  let points: [number, number][] = [
    [20, 180],
    [220, 180],
    [120, 7],
    [20, 180],
  ]
  for (let n = 0; n < divisions; n++)
    points = points.flatMap(([x, y], i) => {
      const [u, v] = points[i + 1] ?? [x, y]
      const [dx, dy] = [(u - x) / 3, (v - y) / 3]
      const h = Math.sqrt(3) / 2
      const tip: [number, number] = [x + 1.5 * dx - h * dy, y + 1.5 * dy + h * dx]
      return i === points.length - 1 ? [[x, y]] : [[x, y], [x + dx, y + dy], tip, [x + 2 * dx, y + 2 * dy]]
    })
  return points
}
/** A closed curve, filled. */
function filled(points: readonly (readonly [number, number])[]): Grey {
  const image = drawn(() => 0)
  for (let y = 0; y < HEIGHT; y++) {
    const crossings = points.flatMap(([a, b], n) => {
      const [c, d] = points[(n + 1) % points.length] ?? [a, b]
      return b > y !== d > y ? [a + ((y - b) / (d - b)) * (c - a)] : []
    })
    crossings.sort((a, b) => a - b)
    for (let n = 0; n + 1 < crossings.length; n += 2)
      image.data.fill(1, y * WIDTH + Math.ceil(crossings[n] ?? 0), y * WIDTH + Math.ceil(crossings[n + 1] ?? 0))
  }
  return image
}

describe('an outline', () => {
  // So few pixels tell a little less than Koch’s 1.26.
  it('of a disc has dimension 1, Koch’s curve far more', () => {
    expect(outlineDimension(drawn((x, y) => (Math.hypot(x - 120.3, y - 121.7) < 80 ? 1 : 0)))).toBeCloseTo(1, 1)
    const dimension = outlineDimension(filled(koch(4)))
    expect(dimension).toBeGreaterThan(1.13)
    expect(dimension).toBeLessThan(1.32)
  })
})

describe('structure', () => {
  const blobs = (shift: number, seed: number): Grey =>
    drawn(
      (x, y) => 1 + 0.5 * Math.sin(0.31 * (x + seed) + 2 * Math.sin(0.13 * (y + shift))) * Math.sin(0.27 * (y + shift)),
    )
  it('is found again where it has moved, and noise is not', () => {
    const [a, b] = [blobs(0, 0), blobs(4, 0)]
    const moved = foundAgain(structureAt(a, 12), structureAt(b, 12), a, 24, 6)
    expect(moved).toBeGreaterThan(0.95)
    const noise = (seed: number): Grey =>
      drawn((x, y) => 1 + Math.sin(12.9898 * x + 78.233 * y * seed + 3 * Math.sin(x * y * seed)))
    const lost = foundAgain(structureAt(noise(1), 12), structureAt(noise(1.7), 12), a, 24, 6)
    expect(lost).toBeLessThan(0.7)
  })
  it('is none in an even picture, and grows with what is in it', () => {
    expect(
      fineStructure(
        drawn(() => 2),
        6,
      ),
    ).toBeCloseTo(0, 6)
    const wave = (depth: number): Grey => drawn((x) => 1 + depth * Math.sin(x))
    expect(fineStructure(wave(0.4), 6) / fineStructure(wave(0.2), 6)).toBeCloseTo(2, 1)
  })
})
