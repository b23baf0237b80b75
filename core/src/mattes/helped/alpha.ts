import { type Motion, motionAt } from '../../data/index.ts'
import { type Box, blurred, heightOf, squaredDistance, widthOf } from './area.ts'
import type { Background } from './background.ts'
import { labOf } from './cut.ts'
import { type LabPicture, linearOf } from './lab.ts'

// The share of each pixel of a frame's rim that is covered. Inside and outside of a band around the labels' rim it is 1 and 0; in the band it is told by how far the picture lies between
// the background and the colour inside, in linear light clipped at white, and, as far as these are alike, by the labels softened and smeared along their own motion.

const BAND = { px: 2, ofMotion: 0.25 } as const
/** How much of alpha the picture tells where colours are apart, and where they are wholly so: as a dark figure before a bright sky. */
const TOLD = { apart: 0.7, wholly: 1 } as const
/** Shares of telling between which it goes from the one to the other. */
const WHOLLY = [0.85, 0.97] as const
/** Squared difference of colours, in roots of light, at which they tell half of it. */
const ALIKE = 0.02
const SMEAR = { steps: 7, reach: 0.25 } as const

/** The alpha of a box of a frame. */
export interface AlphaPart {
  box: Box
  alpha: Float32Array
  /** Pixels between surely in and surely out, and how much the picture tells of each, 0 to 1. */
  band: Uint8Array
  told: Float32Array
  background: Background | undefined
}

/** Lab as linear light, clipped at white and black. */
function linearPart(lab: Float32Array): Float32Array {
  const out = new Float32Array(lab.length)
  for (let n = 0; n < lab.length; n += 3) linearOf(lab[n] as number, lab[n + 1] as number, lab[n + 2] as number, out, n)
  for (let n = 0; n < out.length; n++) out[n] = Math.min(1, Math.max(0, out[n] as number))
  return out
}

/** The colour inside, as it goes on outward: of every pixel that of the surely inside nearest to it, softened there. */
function insideColours(light: Float32Array, sure: Uint8Array, w: number, h: number): Float32Array {
  const weight = blurred(Float32Array.from(sure), w, h, 2)
  const soft = [0, 1, 2].map((c) => {
    const plane = new Float32Array(w * h)
    for (let n = 0; n < plane.length; n++) plane[n] = sure[n] ? (light[3 * n + c] as number) : 0
    return blurred(plane, w, h, 2)
  })
  const nearest = nearestOf(sure, w, h)
  const out = new Float32Array(light.length)
  for (let n = 0; n < nearest.length; n++) {
    const m = nearest[n] as number
    if (m < 0) continue
    for (let c = 0; c < 3; c++)
      out[3 * n + c] = ((soft[c] as Float32Array)[m] as number) / Math.max(1e-3, weight[m] as number)
  }
  return out
}

/** The place of the set pixel nearest to each, by two sweeps over the neighbours (Danielsson 1980); -1 where none is. */
function nearestOf(mask: Uint8Array, w: number, h: number): Int32Array {
  const out = new Int32Array(w * h).fill(-1)
  const far = (n: number, m: number): number => {
    const [dx, dy] = [(n % w) - (m % w), Math.floor(n / w) - Math.floor(m / w)]
    return dx * dx + dy * dy
  }
  for (let n = 0; n < mask.length; n++) if (mask[n]) out[n] = n
  const look = (n: number, from: number): void => {
    const m = out[from] as number
    if (m < 0) return
    const own = out[n] as number
    if (own < 0 || far(n, m) < far(n, own)) out[n] = m
  }
  for (let y = 0; y < h; y++) {
    for (let x = 0; x < w; x++) {
      const n = y * w + x
      if (y > 0) for (let d = x > 0 ? -1 : 0; d <= (x < w - 1 ? 1 : 0); d++) look(n, n - w + d)
      if (x > 0) look(n, n - 1)
    }
    for (let x = w - 2; x >= 0; x--) look(y * w + x, y * w + x + 1)
  }
  for (let y = h - 2; y >= 0; y--) {
    for (let x = w - 1; x >= 0; x--) {
      const n = y * w + x
      for (let d = x > 0 ? -1 : 0; d <= (x < w - 1 ? 1 : 0); d++) look(n, n + w + d)
      if (x < w - 1) look(n, n + 1)
    }
    for (let x = 1; x < w; x++) look(y * w + x, y * w + x - 1)
  }
  return out
}

/** Alpha in a box around a frame's labels. motions: the plate's own there, and that of the background; without them nothing moves. */
export function alphaPart(
  picture: LabPicture,
  labels: Uint8Array,
  box: Box,
  background: Background | undefined,
  motions?: { own: Motion; behind: Motion },
): AlphaPart {
  const [w, h] = [widthOf(box), heightOf(box)]
  const inside = new Uint8Array(w * h)
  for (let y = 0; y < h; y++)
    inside.set(labels.subarray((y + box.y0) * picture.width + box.x0, (y + box.y0) * picture.width + box.x1), y * w)
  const outside = inside.map((one) => 1 - one)
  const [toIn, toOut] = [squaredDistance(inside, w, h), squaredDistance(outside, w, h)]
  const relU = new Float32Array(w * h)
  const relV = new Float32Array(w * h)
  const [a, b] = [
    { u: 0, v: 0 },
    { u: 0, v: 0 },
  ]
  const band = new Uint8Array(w * h)
  for (let y = 0; y < h; y++)
    for (let x = 0; x < w; x++) {
      const n = y * w + x
      if (motions) {
        motionAt(motions.own, x + box.x0 + 0.5, y + box.y0 + 0.5, a)
        motionAt(motions.behind, x + box.x0 + 0.5, y + box.y0 + 0.5, b)
      }
      relU[n] = a.u - b.u
      relV[n] = a.v - b.v
      const wide = BAND.px + BAND.ofMotion * Math.sqrt((a.u - b.u) ** 2 + (a.v - b.v) ** 2)
      const away = Math.sqrt(Math.max(toIn[n] as number, toOut[n] as number)) - 0.5
      if (away <= wide) band[n] = 1
    }
  const light = linearPart(labOf(picture, box))
  const smeared = smear(Float32Array.from(inside), blurred(relU, w, h, 3), blurred(relV, w, h, 3), w, h)
  const sure = inside.map((one, n) => (one && !band[n] ? 1 : 0))
  const front = insideColours(light, sure, w, h)
  const back = background && linearPart(background.lab)
  const alpha = new Float32Array(w * h)
  const told = new Float32Array(w * h)
  for (let n = 0; n < alpha.length; n++) {
    if (!band[n]) {
      alpha[n] = inside[n] as number
      continue
    }
    let [sum, between, apart] = [0, 0, 0]
    if (back && background.known[n])
      for (let c = 3 * n; c < 3 * n + 3; c++) {
        const d = (front[c] as number) - (back[c] as number)
        sum += d * d
        apart += (Math.sqrt(front[c] as number) - Math.sqrt(back[c] as number)) ** 2
        between += ((light[c] as number) - (back[c] as number)) * d
      }
    const share = apart / (apart + ALIKE)
    const seen = Math.min(1, Math.max(0, between / Math.max(1e-4, sum)))
    told[n] = share
    const wholly = Math.min(1, Math.max(0, (share - WHOLLY[0]) / (WHOLLY[1] - WHOLLY[0])))
    const weight = share * (TOLD.apart + (TOLD.wholly - TOLD.apart) * wholly)
    alpha[n] = weight * seen + (1 - weight) * (smeared[n] as number)
  }
  return { box, alpha, band, told, background }
}

/** Labels softened, and smeared along a motion over the open half of a frame. */
function smear(labels: Float32Array, u: Float32Array, v: Float32Array, w: number, h: number): Float32Array {
  const soft = blurred(labels, w, h, 0.8)
  const out = new Float32Array(w * h)
  const at = (x: number, y: number): number => {
    const a = Math.min(Math.max(x, 0), w - 1)
    const b = Math.min(Math.max(y, 0), h - 1)
    const i = Math.min(Math.floor(a), w - 2)
    const j = Math.min(Math.floor(b), h - 2)
    const [fx, fy] = [a - i, b - j]
    const n = j * w + i
    return (
      ((soft[n] as number) * (1 - fx) + (soft[n + 1] as number) * fx) * (1 - fy) +
      ((soft[n + w] as number) * (1 - fx) + (soft[n + w + 1] as number) * fx) * fy
    )
  }
  for (let y = 0; y < h; y++)
    for (let x = 0; x < w; x++) {
      const n = y * w + x
      let sum = 0
      for (let k = 0; k < SMEAR.steps; k++) {
        const t = SMEAR.reach * ((2 * k) / (SMEAR.steps - 1) - 1)
        sum += at(x + t * (u[n] as number), y + t * (v[n] as number))
      }
      out[n] = sum / SMEAR.steps
    }
  return out
}

/** The middle of three alphas in the band: a frame's own and its neighbours', brought here along the motion. */
export function steadied(own: AlphaPart, others: readonly { part: AlphaPart; motion: Motion }[]): Float32Array {
  const { box, alpha, band } = own
  if (others.length < 2) return alpha
  const w = widthOf(box)
  const out = alpha.slice()
  const at = { u: 0, v: 0 }
  const values = [0, 0, 0]
  for (let y = box.y0; y < box.y1; y++)
    for (let x = box.x0; x < box.x1; x++) {
      const n = (y - box.y0) * w + x - box.x0
      if (!band[n]) continue
      values[0] = alpha[n] as number
      others.slice(0, 2).forEach(({ part, motion }, k) => {
        motionAt(motion, x + 0.5, y + 0.5, at)
        values[k + 1] = valueAt(part, x + at.u, y + at.v)
      })
      const [p, q, r] = values as [number, number, number]
      out[n] = Math.max(Math.min(p, q), Math.min(Math.max(p, q), r))
    }
  return out
}

function valueAt({ box, alpha }: AlphaPart, x: number, y: number): number {
  const [w, h] = [widthOf(box), heightOf(box)]
  const [a, b] = [x - box.x0, y - box.y0]
  if (!(a > -1 && b > -1 && a < w && b < h)) return 0
  const [i, j] = [Math.floor(a), Math.floor(b)]
  const [fx, fy] = [a - i, b - j]
  const value = (k: number, l: number): number =>
    k < 0 || l < 0 || k >= w || l >= h ? 0 : (alpha[l * w + k] as number)
  return (
    (value(i, j) * (1 - fx) + value(i + 1, j) * fx) * (1 - fy) +
    (value(i, j + 1) * (1 - fx) + value(i + 1, j + 1) * fx) * fy
  )
}
