import type { Place } from './outline.ts'

// Exact coverage of pixels by closed rings: the area under every edge is added up (Catmull 1978; the accumulation is Levien's).

/** Signed areas of a picture, a column more than it is wide. */
export class Areas {
  readonly width: number
  readonly height: number
  readonly #sums: Float64Array
  constructor(width: number, height: number) {
    this.width = width
    this.height = height
    this.#sums = new Float64Array((width + 2) * height)
  }

  /** Adds a ring; x, y: where the picture begins. What lies beyond its left counts, what lies beyond its top and foot does not. */
  add(ring: readonly Place[], x = 0, y = 0): void {
    let a = ring.at(-1)
    for (const b of ring) {
      if (a && a[1] !== b[1]) {
        if (a[1] < b[1]) this.#edge(1, a[0] - x, a[1] - y, b[0] - x, b[1] - y)
        else this.#edge(-1, b[0] - x, b[1] - y, a[0] - x, a[1] - y)
      }
      a = b
    }
  }

  /** An edge from its upper end to its lower one. */
  #edge(down: number, left: number, top: number, right: number, foot: number): void {
    const slope = (right - left) / (foot - top)
    const from = Math.max(0, top)
    const to = Math.min(this.height, foot)
    for (let y = Math.floor(from); y < to; y++) {
      const y0 = Math.max(from, y)
      const y1 = Math.min(to, y + 1)
      const x0 = left + (y0 - top) * slope
      const x1 = left + (y1 - top) * slope
      this.#row(y, down * (y1 - y0), Math.min(x0, x1), Math.max(x0, x1))
    }
  }

  /** An edge's part within one row: so much of the row's height, between two places across. */
  #row(y: number, share: number, left: number, right: number): void {
    const { width } = this
    const sums = this.#sums
    const at = y * (width + 2)
    const x0 = Math.min(width, Math.max(0, left))
    const x1 = Math.min(width, Math.max(0, right))
    const first = Math.floor(x0)
    if (x1 <= first + 1 || right - left < 1e-12) {
      const middle = (x0 + x1) / 2 - first
      sums[at + first] = (sums[at + first] ?? 0) + share * (1 - middle)
      sums[at + first + 1] = (sums[at + first + 1] ?? 0) + share * middle
      return
    }
    // What lies beyond the sides counts as on them.
    const whole = right - left
    const before = Math.max(0, Math.min(right, 0) - left) / whole
    const beyond = Math.max(0, right - Math.max(left, width)) / whole
    if (before > 0) sums[at] = (sums[at] ?? 0) + share * before
    if (beyond > 0) sums[at + width] = (sums[at + width] ?? 0) + share * beyond
    for (let x = first; x < x1; x++) {
      const [p, q] = [Math.max(x0, x), Math.min(x1, x + 1)]
      const part = (share * (q - p)) / whole
      const middle = (p + q) / 2 - x
      sums[at + x] = (sums[at + x] ?? 0) + part * (1 - middle)
      sums[at + x + 1] = (sums[at + x + 1] ?? 0) + part * middle
    }
  }

  /** Adds a weight times the coverage to a picture's values, and is empty again. */
  addTo(values: Float32Array, weight: number): void {
    const { width, height } = this
    const sums = this.#sums
    for (let y = 0; y < height; y++) {
      let sum = 0
      const at = y * (width + 2)
      for (let x = 0; x < width; x++) {
        const step = sums[at + x] ?? 0
        sum += step
        if (sum !== 0) values[y * width + x] = (values[y * width + x] ?? 0) + weight * Math.min(1, Math.abs(sum))
      }
    }
    sums.fill(0)
  }
}
