import { type Motion, motionAt } from '../../data/index.ts'
import { pushPull } from '../../math/index.ts'
import { type Box, cropped, dilated, grown, heightOf, labelBounds, widthOf } from './area.ts'
import { LAB_STEPS } from './lab.ts'
import type { PlateWindow } from './plate.ts'

// The scene without what the matte covers, from other frames: the motion of the background is the plate's, filled in where the matte is; frames around are brought here along it.

/** How far frames are that it is taken from. */
export const SAMPLED = [4, 7, 10, 14, 18] as const
export const REACH = 18
const GROWN = { motion: 7, sample: 5 } as const
const ROUND = 60

/** The background in a part of a frame: Lab, how far samples lie from it, whether two or more tell of it. */
export interface Background {
  box: Box
  lab: Float32Array
  deviation: Float32Array
  known: Uint8Array
}

/** The motion of what lies behind, as it is where the matte is not and filled in smoothly where it is: by push and pull over halves (Gortler et al. 1996). */
export function backgroundMotion(motion: Motion, labels: Uint8Array, width: number, height: number): Motion {
  const { width: w, height: h } = motion
  const around = labelBounds(labels, width, height)
  if (!around) return motion
  const wide = grown(around, ROUND, width, height)
  const box: Box = {
    x0: wide.x0 >> 1,
    y0: wide.y0 >> 1,
    x1: Math.min(w, (wide.x1 + 1) >> 1),
    y1: Math.min(h, (wide.y1 + 1) >> 1),
  }
  const [bw, bh] = [widthOf(box), heightOf(box)]
  const mask = new Uint8Array(bw * bh)
  for (let y = 0; y < bh; y++)
    for (let x = 0; x < bw; x++) {
      const n = 2 * (y + box.y0) * width + 2 * (x + box.x0)
      if (labels[n] || labels[n + 1] || labels[n + width] || labels[n + width + 1]) mask[y * bw + x] = 1
    }
  const hidden = dilated(mask, bw, bh, Math.ceil(GROWN.motion / 2))
  const out: Motion = { width: w, height: h, u: motion.u.slice(), v: motion.v.slice() }
  for (const plane of [out.u, out.v]) {
    const part = new Float32Array(bw * bh)
    for (let y = 0; y < bh; y++) part.set(plane.subarray((y + box.y0) * w + box.x0, (y + box.y0) * w + box.x1), y * bw)
    pushPull(part, hidden, bw, bh)
    for (let y = 0; y < bh; y++) plane.set(part.subarray(y * bw, (y + 1) * bw), (y + box.y0) * w + box.x0)
  }
  return out
}

/** Middle value of the first `count` values; `list` is room to sort them in. */
function medianOf(values: Float32Array, count: number, list: Float32Array): number {
  for (let a = 0; a < count; a++) {
    const value = values[a] as number
    let b = a - 1
    while (b >= 0 && (list[b] as number) > value) {
      list[b + 1] = list[b] as number
      b--
    }
    list[b + 1] = value
  }
  const half = count >> 1
  return count & 1 ? (list[half] as number) : 0.5 * ((list[half - 1] as number) + (list[half] as number))
}

/** What the background is made from: labels by frame, and the motions behind them, remembered between two changes of labels. */
export interface BackgroundSources {
  window: PlateWindow
  labels(frame: number): Uint8Array | undefined
  /** The motion of what lies behind, between neighbouring frames. */
  behind(from: number, to: number): Motion
  /** Labels grown, with bounds. */
  grownLabels(frame: number): Uint8Array
}

/** Makes a frame's labels grown, as samples leave them out. */
export function grownForSamples(labels: Uint8Array, width: number, height: number): Uint8Array {
  const own = labelBounds(labels, width, height)
  if (!own) return labels
  const box = grown(own, GROWN.sample, width, height)
  const [w, h] = [widthOf(box), heightOf(box)]
  const part = dilated(cropped(labels, width, box, new Uint8Array(w * h)), w, h, GROWN.sample)
  const out = new Uint8Array(width * height)
  for (let y = 0; y < h; y++) out.set(part.subarray(y * w, (y + 1) * w), (y + box.y0) * width + box.x0)
  return out
}

interface Sample {
  frame: number
  /** Where each place of the box's half grid lies in that frame. */
  x: Float32Array
  y: Float32Array
}

/** Follows the background from a frame's box to the frames that it is sampled from. */
function samplesOf({ window, labels, behind }: BackgroundSources, frame: number, box: Box): Sample[] {
  const { first, last } = window.plate
  const [gw, gh] = [(widthOf(box) >> 1) + 2, (heightOf(box) >> 1) + 2]
  const samples: Sample[] = []
  const step = { u: 0, v: 0 }
  for (const way of [1, -1]) {
    const x = new Float32Array(gw * gh)
    const y = new Float32Array(gw * gh)
    for (let n = 0; n < x.length; n++) {
      x[n] = box.x0 + 2 * (n % gw) + 0.5
      y[n] = box.y0 + 2 * Math.floor(n / gw) + 0.5
    }
    for (let k = 1, at = frame; k <= REACH; k++, at += way) {
      const next = at + way
      if (next < first || next > last || !labels(next)) break
      const motion = behind(at, next)
      for (let n = 0; n < x.length; n++) {
        motionAt(motion, x[n] as number, y[n] as number, step)
        x[n] = (x[n] as number) + step.u
        y[n] = (y[n] as number) + step.v
      }
      if (SAMPLED.some((one) => one === k)) samples.push({ frame: next, x: x.slice(), y: y.slice() })
    }
  }
  return samples
}

/** The background of a part of a frame; undefined where fewer than two frames can tell of it. */
export function backgroundOf(sources: BackgroundSources, frame: number, box: Box): Background | undefined {
  const { window } = sources
  const { width, height } = window.plate
  const samples = samplesOf(sources, frame, box)
  if (samples.length < 2) return undefined
  const [w, h] = [widthOf(box), heightOf(box)]
  const gw = (w >> 1) + 2
  const out: Background = {
    box,
    lab: new Float32Array(3 * w * h),
    deviation: new Float32Array(w * h).fill(9),
    known: new Uint8Array(w * h),
  }
  const pictures = samples.map(({ frame: n }) => ({ data: window.lab(n).data, hidden: sources.grownLabels(n) }))
  const [L, A, B] = [0, 1, 2].map(() => new Float32Array(samples.length)) as [Float32Array, Float32Array, Float32Array]
  const [away, list] = [new Float32Array(samples.length), new Float32Array(samples.length)]
  for (let y = 0; y < h; y++)
    for (let x = 0; x < w; x++) {
      const n = y * w + x
      const g = (y >> 1) * gw + (x >> 1)
      // Between the half grid's places.
      const [ex, ey] = [x & 1 ? 1 : 0, y & 1 ? gw : 0]
      let count = 0
      for (let k = 0; k < samples.length; k++) {
        const { x: sx, y: sy } = samples[k] as Sample
        const px =
          0.25 * ((sx[g] as number) + (sx[g + ex] as number) + (sx[g + ey] as number) + (sx[g + ex + ey] as number))
        const py =
          0.25 * ((sy[g] as number) + (sy[g + ex] as number) + (sy[g + ey] as number) + (sy[g + ex + ey] as number))
        if (!(px >= 0 && py >= 0 && px < width && py < height)) continue
        const { data, hidden } = pictures[k] as { data: Int16Array; hidden: Uint8Array }
        if (hidden[Math.floor(py) * width + Math.floor(px)]) continue
        const a = Math.min(Math.max(px - 0.5, 0), width - 1)
        const b = Math.min(Math.max(py - 0.5, 0), height - 1)
        const i = Math.min(Math.floor(a), width - 2)
        const j = Math.min(Math.floor(b), height - 2)
        const [fx, fy] = [a - i, b - j]
        const m = 3 * (j * width + i)
        const q = m + 3 * width
        const [w00, w10, w01, w11] = [(1 - fx) * (1 - fy), fx * (1 - fy), (1 - fx) * fy, fx * fy]
        L[count] =
          w00 * (data[m] as number) +
          w10 * (data[m + 3] as number) +
          w01 * (data[q] as number) +
          w11 * (data[q + 3] as number)
        A[count] =
          w00 * (data[m + 1] as number) +
          w10 * (data[m + 4] as number) +
          w01 * (data[q + 1] as number) +
          w11 * (data[q + 4] as number)
        B[count] =
          w00 * (data[m + 2] as number) +
          w10 * (data[m + 5] as number) +
          w01 * (data[q + 2] as number) +
          w11 * (data[q + 5] as number)
        count++
      }
      if (count < 2) continue
      const [l, a, b] = [medianOf(L, count, list), medianOf(A, count, list), medianOf(B, count, list)]
      for (let k = 0; k < count; k++)
        away[k] = Math.max(
          Math.abs((L[k] as number) - l),
          Math.abs((A[k] as number) - a),
          Math.abs((B[k] as number) - b),
        )
      out.known[n] = 1
      out.lab[3 * n] = l / LAB_STEPS
      out.lab[3 * n + 1] = a / LAB_STEPS
      out.lab[3 * n + 2] = b / LAB_STEPS
      out.deviation[n] = medianOf(away, count, list) / LAB_STEPS
    }
  return out
}

/** A background in another box; beyond its own nothing is known. */
export function backgroundWithin(own: Background, box: Box): Background {
  const [w, h, wide] = [widthOf(box), heightOf(box), widthOf(own.box)]
  const out: Background = {
    box,
    lab: new Float32Array(3 * w * h),
    deviation: new Float32Array(w * h).fill(9),
    known: new Uint8Array(w * h),
  }
  for (let y = Math.max(box.y0, own.box.y0); y < Math.min(box.y1, own.box.y1); y++)
    for (let x = Math.max(box.x0, own.box.x0); x < Math.min(box.x1, own.box.x1); x++) {
      const [n, m] = [(y - box.y0) * w + x - box.x0, (y - own.box.y0) * wide + x - own.box.x0]
      for (let c = 0; c < 3; c++) out.lab[3 * n + c] = own.lab[3 * m + c] as number
      out.deviation[n] = own.deviation[m] as number
      out.known[n] = own.known[m] as number
    }
  return out
}
