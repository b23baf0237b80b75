import { exp } from '../../math/index.ts'

// Small work on parts of a picture: boxes, masks, blur, distances, connected parts.

/** Part of a picture: columns [x0, x1), rows [y0, y1). */
export interface Box {
  x0: number
  y0: number
  x1: number
  y1: number
}

export const widthOf = ({ x0, x1 }: Box): number => x1 - x0
export const heightOf = ({ y0, y1 }: Box): number => y1 - y0
export const contains = (a: Box, b: Box): boolean => a.x0 <= b.x0 && a.y0 <= b.y0 && a.x1 >= b.x1 && a.y1 >= b.y1
export const union = (a: Box | undefined, b: Box): Box =>
  a ? { x0: Math.min(a.x0, b.x0), y0: Math.min(a.y0, b.y0), x1: Math.max(a.x1, b.x1), y1: Math.max(a.y1, b.y1) } : b
/** A box grown on all sides, held inside a picture. */
export const grown = (b: Box, by: number, width: number, height: number): Box => ({
  x0: Math.max(0, b.x0 - by),
  y0: Math.max(0, b.y0 - by),
  x1: Math.min(width, b.x1 + by),
  y1: Math.min(height, b.y1 + by),
})

/** The smallest box around what is set of a mask of w x h, itself at (x0, y0); undefined where nothing is. */
export function boundsOf(mask: ArrayLike<number>, w: number, h: number, least = 0, x0 = 0, y0 = 0): Box | undefined {
  let [left, top, right, bottom] = [w, h, -1, -1]
  for (let y = 0; y < h; y++)
    for (let x = 0, n = y * w; x < w; x++, n++)
      if ((mask[n] as number) > least) {
        if (x < left) left = x
        if (x > right) right = x
        if (y < top) top = y
        bottom = y
      }
  return right < 0 ? undefined : { x0: x0 + left, y0: y0 + top, x1: x0 + right + 1, y1: y0 + bottom + 1 }
}

/** A part of a whole picture's values; beyond the picture nothing. */
export function cropped<T extends Float32Array | Uint8Array>(whole: T, width: number, box: Box, out: T): T {
  const w = widthOf(box)
  for (let y = box.y0; y < box.y1; y++)
    out.set(whole.subarray(y * width + box.x0, y * width + box.x1) as never, (y - box.y0) * w)
  return out
}

/** A Gauss filter of values of w x h, the edge's values held beyond it. */
export function blurred(values: Float32Array, w: number, h: number, sigma: number): Float32Array {
  const reach = Math.max(1, Math.ceil(3 * sigma))
  const weights = Float32Array.from({ length: 2 * reach + 1 }, (_, n) => exp(-0.5 * ((n - reach) / sigma) ** 2))
  const whole = weights.reduce((sum, weight) => sum + weight, 0)
  for (let n = 0; n < weights.length; n++) weights[n] = (weights[n] as number) / whole
  const across = new Float32Array(w * h)
  const out = new Float32Array(w * h)
  const line = new Float32Array(w + 2 * reach)
  for (let y = 0; y < h; y++) {
    line.fill(values[y * w] as number, 0, reach)
    line.set(values.subarray(y * w, (y + 1) * w), reach)
    line.fill(values[(y + 1) * w - 1] as number, reach + w)
    for (let x = 0; x < w; x++) {
      let sum = 0
      for (let k = 0; k < weights.length; k++) sum += (weights[k] as number) * (line[x + k] as number)
      across[y * w + x] = sum
    }
  }
  for (let y = 0; y < h; y++)
    for (let k = -reach; k <= reach; k++) {
      const weight = weights[k + reach] as number
      const row = Math.min(h - 1, Math.max(0, y + k)) * w
      for (let x = 0, n = y * w; x < w; x++, n++) out[n] = (out[n] as number) + weight * (across[row + x] as number)
    }
  return out
}

/** The squared distance of every pixel to the nearest that is set, px (Felzenszwalb & Huttenlocher 2012); `far` squared where none is. */
export function squaredDistance(mask: Uint8Array, w: number, h: number, far = 1e4): Float32Array {
  const out = new Float32Array(w * h)
  const most = far * far
  // Down the columns by counting, then along the rows by the lower hull of parabolas.
  for (let x = 0; x < w; x++) {
    let d = far
    for (let y = 0, n = x; y < h; y++, n += w) {
      d = mask[n] ? 0 : Math.min(far, d + 1)
      out[n] = d
    }
    d = far
    for (let y = h - 1, n = (h - 1) * w + x; y >= 0; y--, n -= w) {
      d = mask[n] ? 0 : Math.min(far, d + 1)
      const up = Math.min(out[n] as number, d)
      out[n] = up >= far ? most : up * up
    }
  }
  const row = new Float64Array(w)
  const at = new Int32Array(w)
  const from = new Float64Array(w + 1)
  for (let y = 0; y < h; y++) {
    for (let x = 0; x < w; x++) row[x] = out[y * w + x] as number
    let k = 0
    at[0] = 0
    from[0] = -1e20
    from[1] = 1e20
    for (let q = 1; q < w; q++) {
      const height = (row[q] as number) + q * q
      let p = at[k] as number
      let s = (height - ((row[p] as number) + p * p)) / (2 * (q - p))
      while (s <= (from[k] as number)) {
        k--
        p = at[k] as number
        s = (height - ((row[p] as number) + p * p)) / (2 * (q - p))
      }
      k++
      at[k] = q
      from[k] = s
      from[k + 1] = 1e20
    }
    k = 0
    for (let x = 0; x < w; x++) {
      while ((from[k + 1] as number) < x) k++
      const p = at[k] as number
      out[y * w + x] = Math.min(most, (x - p) * (x - p) + (row[p] as number))
    }
  }
  return out
}

/** A mask grown by so many px, along rows and columns alike. */
export function dilated(mask: Uint8Array, w: number, h: number, by: number): Uint8Array {
  const across = new Uint8Array(w * h)
  for (let y = 0; y < h; y++) {
    let last = -1e9
    for (let x = 0; x < w; x++) {
      if (mask[y * w + x]) last = x
      if (x - last <= by) across[y * w + x] = 1
    }
    last = 1e9
    for (let x = w - 1; x >= 0; x--) {
      if (mask[y * w + x]) last = x
      if (last - x <= by) across[y * w + x] = 1
    }
  }
  const out = new Uint8Array(w * h)
  for (let x = 0; x < w; x++) {
    let last = -1e9
    for (let y = 0; y < h; y++) {
      if (across[y * w + x]) last = y
      if (y - last <= by) out[y * w + x] = 1
    }
    last = 1e9
    for (let y = h - 1; y >= 0; y--) {
      if (across[y * w + x]) last = y
      if (last - y <= by) out[y * w + x] = 1
    }
  }
  return out
}

/** Calls with every part of a mask that hangs together over eight neighbours: its pixels' places in the mask. */
export function eachPart(mask: Uint8Array, w: number, h: number, each: (pixels: Int32Array) => void): void {
  const seen = new Uint8Array(w * h)
  const stack = new Int32Array(w * h)
  for (let start = 0; start < mask.length; start++) {
    if (!mask[start] || seen[start]) continue
    let [read, written] = [0, 1]
    stack[0] = start
    seen[start] = 1
    while (read < written) {
      const n = stack[read++] as number
      const [x, y] = [n % w, Math.floor(n / w)]
      for (let dy = -1; dy <= 1; dy++)
        for (let dx = -1; dx <= 1; dx++) {
          if (x + dx < 0 || x + dx >= w || y + dy < 0 || y + dy >= h) continue
          const m = n + dy * w + dx
          if (!mask[m] || seen[m]) continue
          seen[m] = 1
          stack[written++] = m
        }
    }
    each(stack.subarray(0, written))
  }
}

const bounds = new WeakMap<Uint8Array, { box: Box | undefined }>()
/** The box around labels of a whole frame, remembered: they are not changed once they are made. */
export function labelBounds(labels: Uint8Array, width: number, height: number): Box | undefined {
  let known = bounds.get(labels)
  if (!known) {
    known = { box: boundsOf(labels, width, height) }
    bounds.set(labels, known)
  }
  return known.box
}

/** What of a mask can be reached from its rim without crossing `walls`, over four neighbours. */
export function reachedFromRim(walls: Uint8Array, w: number, h: number): Uint8Array {
  const out = new Uint8Array(w * h)
  const stack: number[] = []
  const push = (n: number): void => {
    if (walls[n] || out[n]) return
    out[n] = 1
    stack.push(n)
  }
  for (let x = 0; x < w; x++) {
    push(x)
    push((h - 1) * w + x)
  }
  for (let y = 0; y < h; y++) {
    push(y * w)
    push(y * w + w - 1)
  }
  for (let n = stack.pop(); n !== undefined; n = stack.pop()) {
    const x = n % w
    if (x > 0) push(n - 1)
    if (x < w - 1) push(n + 1)
    if (n >= w) push(n - w)
    if (n < (h - 1) * w) push(n + w)
  }
  return out
}
