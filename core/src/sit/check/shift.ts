// How far a picture is moved against another.

interface Level {
  width: number
  height: number
  from: Float32Array
  to: Float32Array
  mask: Uint8Array
}

/** A level half as large: means of what is in the mask. */
function halved({ width, height, from, to, mask }: Level): Level {
  const [w, h] = [width >> 1, height >> 1]
  const half: Level = {
    width: w,
    height: h,
    from: new Float32Array(w * h),
    to: new Float32Array(w * h),
    mask: new Uint8Array(w * h),
  }
  for (let y = 0; y < h; y++)
    for (let x = 0; x < w; x++) {
      let [count, a, b] = [0, 0, 0]
      for (const n of [0, 1, width, width + 1]) {
        const at = 2 * y * width + 2 * x + n
        if (mask[at] !== 1) continue
        count++
        a += from[at] ?? 0
        b += to[at] ?? 0
      }
      if (count < 3) continue
      const n = y * w + x
      half.from[n] = a / count
      half.to[n] = b / count
      half.mask[n] = 1
    }
  return half
}

const ROUNDS = 14
/** Pixels that a level needs, and by how much they must vary along each way. */
const LEAST_PIXELS = 60
const LEAST_SLOPE = 1e-6

/** One round: the step that makes both alike, by least squares with a gain and a level of their own (Lucas and Kanade 1981). */
function step({ width, height, from, to, mask }: Level, dx: number, dy: number): [number, number] | undefined {
  const [ix, iy] = [Math.floor(dx), Math.floor(dy)]
  const [fx, fy] = [dx - ix, dy - iy]
  const rows: number[] = []
  for (let y = 1; y < height - 1; y++)
    for (let x = 1; x < width - 1; x++) {
      const n = y * width + x
      const [u, v] = [x + ix, y + iy]
      if (u < 1 || v < 1 || u >= width - 2 || v >= height - 2) continue
      const m = v * width + u
      if (!mask[n] || !mask[n - 1] || !mask[n + 1] || !mask[n - width] || !mask[n + width]) continue
      if (!mask[m] || !mask[m + 1] || !mask[m + width] || !mask[m + width + 1]) continue
      const upper = (to[m] ?? 0) * (1 - fx) + (to[m + 1] ?? 0) * fx
      const lower = (to[m + width] ?? 0) * (1 - fx) + (to[m + width + 1] ?? 0) * fx
      const here = upper * (1 - fy) + lower * fy
      const gx = 0.5 * ((from[n + 1] ?? 0) - (from[n - 1] ?? 0))
      const gy = 0.5 * ((from[n + width] ?? 0) - (from[n - width] ?? 0))
      rows.push(gx, gy, here, from[n] ?? 0)
    }
  const count = rows.length / 4
  if (count < LEAST_PIXELS) return undefined
  return solved(rows, count)
}

function solved(rows: readonly number[], count: number): [number, number] | undefined {
  const mean = [0, 0, 0, 0]
  for (let n = 0; n < rows.length; n++) mean[n & 3] = (mean[n & 3] ?? 0) + (rows[n] ?? 0) / count
  let [xx, xy, yy, xe, ye, tt, tf] = [0, 0, 0, 0, 0, 0, 0]
  const off = (n: number, k: number): number => (rows[n + k] ?? 0) - (mean[k] ?? 0)
  for (let n = 0; n < rows.length; n += 4) {
    tt += off(n, 2) * off(n, 2)
    tf += off(n, 2) * off(n, 3)
  }
  const gain = tt > 0 ? Math.min(2, Math.max(0.5, tf / tt)) : 1
  for (let n = 0; n < rows.length; n += 4) {
    const [gx, gy] = [off(n, 0), off(n, 1)]
    const e = gain * off(n, 2) - off(n, 3)
    xx += gx * gx
    xy += gx * gy
    yy += gy * gy
    xe += gx * e
    ye += gy * e
  }
  const det = xx * yy - xy * xy
  if (xx / count < LEAST_SLOPE || yy / count < LEAST_SLOPE || det < 1e-3 * xx * yy) return undefined
  // `to` shows at x + d what `from` shows at x: what is left is taken off against the slopes.
  return [-(yy * xe - xy * ye) / det, -(xx * ye - xy * xe) / det]
}

/**
 * How far what `from` shows is moved in `to`, px; from coarse to fine, so that up to a dozen px are found. Both: width x height, one float a pixel; mask: 1 where both tell. Their brightness may differ by a gain and a level.
 * Undefined where there is too little to tell it by.
 */
export function shiftBetween(
  from: Float32Array,
  to: Float32Array,
  mask: Uint8Array,
  width: number,
  height: number,
): [number, number] | undefined {
  const levels: Level[] = [{ width, height, from, to, mask }]
  for (let last = levels[0]; last && levels.length < 4 && Math.min(last.width, last.height) >= 32; ) {
    last = halved(last)
    levels.push(last)
  }
  let [dx, dy] = [0, 0]
  let found = false
  for (const level of levels.reverse()) {
    ;[dx, dy] = [2 * dx, 2 * dy]
    found = false
    for (let round = 0; round < ROUNDS; round++) {
      const more = step(level, dx, dy)
      if (!more) break
      found = true
      dx += more[0]
      dy += more[1]
      if (more[0] * more[0] + more[1] * more[1] < 1e-6) break
    }
  }
  return found ? [dx, dy] : undefined
}
