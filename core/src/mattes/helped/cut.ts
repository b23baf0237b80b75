import type { Crew } from '../../base/index.ts'
import { exp } from '../../math/index.ts'
import { type Box, blurred, boundsOf, eachPart, heightOf, reachedFromRim, squaredDistance, widthOf } from './area.ts'
import type { Background } from './background.ts'
import { LAB_STEPS, type LabPicture } from './lab.ts'
import { logDensity, type Mixture } from './mixture.ts'
import type { StrokeMasks } from './strokes.ts'

// Which pixels are inside, as the least of an energy: colours, the background, labels carried from other frames, and a price for edges where the picture has none (Boykov & Jolly 2001),
// found by a minimum cut.

/** How much each tells; the prices of a cut. */
const COLOUR = { alone: 0.5, beside: 0.2, most: 4 } as const
const BACKGROUND = {
  weight: 1.6,
  from: 1.15,
  steep: 1.5,
  least: -2,
  most: 4,
  deviation: 0.5,
  mostDeviation: 4,
} as const
const CARRIED = { weight: 1.6, blur: 2.5 } as const
const EDGE = { price: 2, least: 0.05 } as const
/** Px around carried labels in which a cut may lie. */
export const BAND = 22
const ISLAND = 25
const HARD = 1e4

/** Labels brought from another frame, in their own box. */
export interface Prior {
  box: Box
  weight: number
  /** Share of each pixel that is inside. */
  share: Float32Array
  /** How much it is to be trusted. */
  trust: Float32Array
}

/** What a frame's picture says by itself in a box: the price of being outside less that of being inside, and the price of edges to four neighbours. */
export interface FrameTerms {
  box: Box
  unary: Float32Array
  pairs: Float32Array
  background: Background | undefined
}

/** The lightness, red-green and yellow-blue of a box, as numbers. */
export function labOf({ data, width }: LabPicture, box: Box): Float32Array {
  const w = widthOf(box)
  const out = new Float32Array(3 * w * heightOf(box))
  for (let y = box.y0; y < box.y1; y++)
    for (let x = 0, n = 3 * (y * width + box.x0), m = 3 * (y - box.y0) * w; x < 3 * w; x++, n++, m++)
      out[m] = (data[n] as number) / LAB_STEPS
  return out
}

/** How far a picture lies from its background, the nearest within a pixel around counted. */
function difference(lab: Float32Array, { lab: behind, box }: Background): Float32Array {
  const [w, h] = [widthOf(box), heightOf(box)]
  const out = new Float32Array(w * h)
  for (let y = 0; y < h; y++)
    for (let x = 0; x < w; x++) {
      const n = 3 * (y * w + x)
      const [l, a, b] = [lab[n] as number, lab[n + 1] as number, lab[n + 2] as number]
      let least = Infinity
      for (let dy = -1; dy <= 1; dy++) {
        const row = Math.min(h - 1, Math.max(0, y + dy)) * w
        for (let dx = -1; dx <= 1; dx++) {
          const m = 3 * (row + Math.min(w - 1, Math.max(0, x + dx)))
          const d = Math.max(
            0.6 * Math.abs(l - (behind[m] as number)),
            Math.abs(a - (behind[m + 1] as number)),
            Math.abs(b - (behind[m + 2] as number)),
          )
          if (d < least) least = d
        }
      }
      out[y * w + x] = least
    }
  return blurred(out, w, h, 1)
}

const STEPS = [
  [1, 0],
  [0, 1],
  [1, 1],
  [-1, 1],
] as const

/** The prices of edges: low where the picture has one that the background does not have. */
function edgePrices(lab: Float32Array, box: Box, background: Background | undefined): Float32Array {
  const [w, h] = [widthOf(box), heightOf(box)]
  const out = new Float32Array(4 * w * h)
  const squared = (values: Float32Array, n: number, m: number): number =>
    ((values[3 * n] as number) - (values[3 * m] as number)) ** 2 +
    ((values[3 * n + 1] as number) - (values[3 * m + 1] as number)) ** 2 +
    ((values[3 * n + 2] as number) - (values[3 * m + 2] as number)) ** 2
  // First the differences, then their price by the mean of all.
  let sum = 0
  let count = 0
  STEPS.forEach(([dx, dy], k) => {
    for (let y = 0; y + dy < h; y++)
      for (let x = 0; x < w; x++) {
        if (x + dx < 0 || x + dx >= w) continue
        const [n, m] = [y * w + x, (y + dy) * w + x + dx]
        let d = squared(lab, n, m)
        sum += d
        count++
        if (background?.known[n] && background.known[m]) {
          const z = Math.min(squared3(lab, background.lab, n), squared3(lab, background.lab, m))
          d /= 1 + (squared(background.lab, n, m) / 16) * exp(-z / 64)
        }
        out[k * w * h + n] = d
      }
  })
  const beta = 1 / Math.max(1e-6, (2 * sum) / Math.max(1, count))
  STEPS.forEach(([dx, dy], k) => {
    const price = EDGE.price / Math.sqrt(dx * dx + dy * dy)
    for (let n = k * w * h; n < (k + 1) * w * h; n++)
      out[n] = price * (EDGE.least + (1 - EDGE.least) * exp(-beta * (out[n] as number)))
  })
  return out
}
const squared3 = (a: Float32Array, b: Float32Array, n: number): number =>
  ((a[3 * n] as number) - (b[3 * n] as number)) ** 2 +
  ((a[3 * n + 1] as number) - (b[3 * n + 1] as number)) ** 2 +
  ((a[3 * n + 2] as number) - (b[3 * n + 2] as number)) ** 2

export interface Colours {
  inside: Mixture | undefined
  outside: Mixture | undefined
}

/** What a frame's picture says in a box. */
export function frameTerms(
  picture: LabPicture,
  box: Box,
  { inside, outside }: Colours,
  background: Background | undefined,
): FrameTerms {
  const lab = labOf(picture, box)
  const unary = new Float32Array(lab.length / 3)
  const far = background && difference(lab, background)
  for (let n = 0; n < unary.length; n++) {
    const [l, a, b] = [lab[3 * n] as number, lab[3 * n + 1] as number, lab[3 * n + 2] as number]
    const g =
      inside && outside
        ? Math.min(COLOUR.most, Math.max(-COLOUR.most, logDensity(inside, l, a, b) - logDensity(outside, l, a, b)))
        : 0
    if (far && background?.known[n]) {
      const t =
        (far[n] as number) /
        (2 + BACKGROUND.deviation * Math.min(BACKGROUND.mostDeviation, background.deviation[n] as number))
      const told = Math.min(BACKGROUND.most, Math.max(BACKGROUND.least, BACKGROUND.steep * (t - BACKGROUND.from)))
      unary[n] = COLOUR.beside * g + BACKGROUND.weight * told
    } else unary[n] = COLOUR.alone * g
  }
  return { box, unary, pairs: edgePrices(lab, box, background), background }
}

/** Adds a prior's say to unary terms of a box; returns nothing where it does not reach. */
function addPrior(unary: Float32Array, box: Box, { box: own, weight, share, trust }: Prior): void {
  const [w, ow, oh] = [widthOf(box), widthOf(own), heightOf(own)]
  const soft = blurred(share, ow, oh, CARRIED.blur)
  for (let y = box.y0; y < box.y1; y++)
    for (let x = box.x0; x < box.x1; x++) {
      const inside = x >= own.x0 && x < own.x1 && y >= own.y0 && y < own.y1
      const m = (y - own.y0) * ow + x - own.x0
      const n = (y - box.y0) * w + x - box.x0
      const [p, sure] = inside ? [soft[m] as number, trust[m] as number] : [0, 1]
      unary[n] = (unary[n] as number) + weight * CARRIED.weight * (2 * p - 1) * sure
    }
}

/** The box in which a cut can lie by priors and strokes; undefined where nothing says inside. */
export function cutBox(
  priors: readonly Prior[],
  strokes: StrokeMasks | undefined,
  width: number,
  height: number,
): Box | undefined {
  let box: Box | undefined
  const add = (one: Box | undefined): void => {
    if (one)
      box = box
        ? {
            x0: Math.min(box.x0, one.x0),
            y0: Math.min(box.y0, one.y0),
            x1: Math.max(box.x1, one.x1),
            y1: Math.max(box.y1, one.y1),
          }
        : one
  }
  for (const { box: own, weight, share } of priors)
    if (weight > 0) add(boundsOf(share, widthOf(own), heightOf(own), Math.min(0.5, 0.05 / weight), own.x0, own.y0))
  if (strokes) {
    add(boundsOf(strokes.inside, width, height))
    if (priors.length === 0) add(boundsOf(strokes.outside, width, height))
  }
  if (!box) return undefined
  const by = priors.length > 0 ? BAND + 4 : 2
  return {
    x0: Math.max(0, box.x0 - by),
    y0: Math.max(0, box.y0 - by),
    x1: Math.min(width, box.x1 + by),
    y1: Math.min(height, box.y1 + by),
  }
}

/** What priors together hold for inside, more than half, in a box. */
function heldInside(priors: readonly Prior[], box: Box): Uint8Array {
  const [w, h] = [widthOf(box), heightOf(box)]
  const sum = new Float32Array(w * h)
  for (const { box: own, weight, share } of priors)
    for (let y = Math.max(box.y0, own.y0); y < Math.min(box.y1, own.y1); y++)
      for (let x = Math.max(box.x0, own.x0); x < Math.min(box.x1, own.x1); x++) {
        const n = (y - box.y0) * w + x - box.x0
        sum[n] = (sum[n] as number) + weight * (share[(y - own.y0) * widthOf(own) + x - own.x0] as number)
      }
  const out = new Uint8Array(w * h)
  for (let n = 0; n < out.length; n++) out[n] = (sum[n] as number) > 0.5 ? 1 : 0
  return out
}

/** Sets what strokes say beyond doubt: themselves, and, of a first cut whose outside stroke goes round, all beyond it. */
function holdStrokes(unary: Float32Array, box: Box, strokes: StrokeMasks, width: number, first: boolean): void {
  const [w, h] = [widthOf(box), heightOf(box)]
  const part = (mask: Uint8Array): Uint8Array => {
    const out = new Uint8Array(w * h)
    for (let y = 0; y < h; y++)
      out.set(mask.subarray((y + box.y0) * width + box.x0, (y + box.y0) * width + box.x1), y * w)
    return out
  }
  const [inside, outside] = [part(strokes.inside), part(strokes.outside)]
  if (first) {
    const beyond = reachedFromRim(outside, w, h)
    // A loop that is open, or one that something inside lies beyond, tells nothing of what is beyond it.
    const goesRound = !beyond.some((one, n) => one && inside[n]) && beyond.some((one, n) => !one && !outside[n])
    if (goesRound) for (let n = 0; n < unary.length; n++) if (beyond[n]) unary[n] = -HARD
  }
  for (let n = 0; n < unary.length; n++) {
    if (inside[n]) unary[n] = HARD
    if (outside[n]) unary[n] = -HARD
  }
}

/**
 * Cuts a frame: labels of width x height, 1 inside. priors: labels brought from other frames; without any it is a first cut by strokes alone.
 * Also the energy's own say, for how sure it is.
 */
export function cutFrame(
  crew: Crew,
  terms: FrameTerms,
  priors: readonly Prior[],
  strokes: StrokeMasks | undefined,
  width: number,
  height: number,
): { labels: Uint8Array; unary: Float32Array } {
  const { box, pairs } = terms
  const [w, h] = [widthOf(box), heightOf(box)]
  const unary = terms.unary.slice()
  for (const prior of priors) addPrior(unary, box, prior)
  if (priors.length > 0) {
    const away = squaredDistance(heldInside(priors, box), w, h)
    for (let n = 0; n < unary.length; n++) if ((away[n] as number) > BAND * BAND) unary[n] = -HARD
  }
  if (strokes) holdStrokes(unary, box, strokes, width, priors.length === 0)
  const cut = minimumCut(crew, unary, pairs, w, h)
  eachPart(cut, w, h, (pixels) => {
    if (pixels.length >= ISLAND) return
    const stroked =
      strokes && pixels.some((n) => strokes.inside[(Math.floor(n / w) + box.y0) * width + (n % w) + box.x0])
    if (!stroked) for (const n of pixels) cut[n] = 0
  })
  const labels = new Uint8Array(width * height)
  for (let y = 0; y < h; y++) labels.set(cut.subarray(y * w, (y + 1) * w), (y + box.y0) * width + box.x0)
  return { labels, unary }
}

/** Bytes of scratch a pixel of the kernel's grid, its rim counted. */
const CUT_BYTES = 64

/** The minimum cut of a grid with eight neighbours (the kernel `minCut`). unary: positive for inside; pairs: planes of edges to the right, below, below right, below left. */
export function minimumCut(crew: Crew, unary: Float32Array, pairs: Float32Array, w: number, h: number): Uint8Array {
  const { heap } = crew
  const mark = heap.mark()
  try {
    const [u, p, out] = [heap.alloc(unary.byteLength), heap.alloc(pairs.byteLength), heap.alloc(w * h)]
    const scratch = heap.alloc(CUT_BYTES * (w + 2) * (h + 2))
    heap.f32(u, unary.length).set(unary)
    heap.f32(p, pairs.length).set(pairs)
    crew.run('minCut', { width: w, height: h, unary: u, pairs: p, scratch, out }, 1)
    return heap.u8(out, w * h).slice()
  } finally {
    heap.release(mark)
  }
}
