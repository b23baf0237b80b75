import { type Motion, motionAt } from '../../data/index.ts'
import { exp } from '../../math/index.ts'
import { type Box, grown, heightOf, labelBounds, union, widthOf } from './area.ts'
import type { Prior } from './cut.ts'
import { roundTrip } from './plate.ts'

// What other labels say of a frame's.

/** Px that motion may carry labels a frame. */
const CARRIED_REACH = 64

/** Labels of a neighbouring frame brought to this one along the motion. there: the motion from this frame to that one; home: back. Undefined where nothing is inside. */
export function carriedPrior(
  labels: Uint8Array,
  width: number,
  height: number,
  { there, home }: { there: Motion; home: Motion },
  weight: number,
): Prior | undefined {
  const around = labelBounds(labels, width, height)
  if (!around) return undefined
  const box = grown(around, farthest(home, around), width, height)
  const w = widthOf(box)
  const share = new Float32Array(w * heightOf(box))
  const trust = new Float32Array(share.length)
  const at = { u: 0, v: 0 }
  const label = (x: number, y: number): number =>
    x >= 0 && y >= 0 && x < width && y < height ? (labels[y * width + x] as number) : 0
  for (let y = box.y0; y < box.y1; y++)
    for (let x = box.x0; x < box.x1; x++) {
      const n = (y - box.y0) * w + x - box.x0
      motionAt(there, x + 0.5, y + 0.5, at)
      const [a, b] = [x + at.u, y + at.v]
      const [i, j] = [Math.floor(a), Math.floor(b)]
      const [fx, fy] = [a - i, b - j]
      share[n] =
        (label(i, j) * (1 - fx) + label(i + 1, j) * fx) * (1 - fy) +
        (label(i, j + 1) * (1 - fx) + label(i + 1, j + 1) * fx) * fy
      const miss = roundTrip(there, home, x + 0.5, y + 0.5)
      trust[n] = 0.2 + 0.8 * exp((-miss * miss) / 9)
    }
  return { box, weight, share, trust }
}

/** A frame's own labels as a prior. trust: by the place's number in the frame; reach: px around them; stroked: what else is in reach. */
export function ownPrior(
  labels: Uint8Array,
  width: number,
  height: number,
  trust: (n: number) => number,
  reach: number,
  stroked?: Box,
): Prior {
  const own = labelBounds(labels, width, height)
  const around = stroked ? union(own, stroked) : (own ?? { x0: 0, y0: 0, x1: 1, y1: 1 })
  const box = grown(around, reach, width, height)
  const w = widthOf(box)
  const share = new Float32Array(w * heightOf(box))
  const trusted = new Float32Array(share.length)
  for (let y = box.y0; y < box.y1; y++)
    for (let x = box.x0; x < box.x1; x++) {
      const n = (y - box.y0) * w + x - box.x0
      share[n] = labels[y * width + x] as number
      trusted[n] = trust(y * width + x)
    }
  return { box, weight: 1, share, trust: trusted }
}

/** How far a motion goes at most in a box, px, and a little more. */
function farthest({ width, height, u, v }: Motion, box: Box): number {
  let most = 0
  for (let y = box.y0 >> 1; y < Math.min(height, (box.y1 + 1) >> 1); y++)
    for (let x = box.x0 >> 1, n = y * width + x; x < Math.min(width, (box.x1 + 1) >> 1); x++, n++)
      most = Math.max(most, Math.abs(u[n] as number), Math.abs(v[n] as number))
  return Math.min(CARRIED_REACH, Math.ceil(most) + 3)
}
