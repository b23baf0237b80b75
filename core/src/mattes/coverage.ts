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

  /** Adds a ring, px of the picture. What lies to its left counts, what lies beyond the picture's top and foot does not. */
  add(ring: readonly Place[]): void {
    ring.forEach((a, n) => {
      const b = ring[(n + 1) % ring.length]
      if (b && a[1] !== b[1]) this.#edge(a, b)
    })
  }

  #edge(a: Place, b: Place): void {
    const down = a[1] < b[1] ? 1 : -1
    const [top, foot] = down > 0 ? [a, b] : [b, a]
    const slope = (foot[0] - top[0]) / (foot[1] - top[1])
    const [from, to] = [Math.max(0, top[1]), Math.min(this.height, foot[1])]
    for (let y = Math.floor(from); y < to; y++) {
      const [y0, y1] = [Math.max(from, y), Math.min(to, y + 1)]
      const x0 = top[0] + (y0 - top[1]) * slope
      const x1 = top[0] + (y1 - top[1]) * slope
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
