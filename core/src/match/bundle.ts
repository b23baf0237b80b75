import { type Bundle, bundleCost, movePose } from './bundleCost.ts'
import { linearise, newNormal } from './normalEquations.ts'
import { step } from './normalStep.ts'

export interface BundleResult {
  cost: number
  steps: number
  converged: boolean
}

const FIRST_DAMPING = 1e-3
const MOST_DAMPING = 1e8
const SETTLED = 1e-7

/** Betters poses, points and lens in place until the loss no longer falls, at most `most` steps. `stop` is asked before each step. */
export function adjustBundle(b: Bundle, most: number, stop: () => void = () => undefined): BundleResult {
  const n = newNormal(b)
  let cost = bundleCost(b)
  let damp = FIRST_DAMPING
  let steps = 0
  let converged = false
  while (steps < most && !converged) {
    stop()
    linearise(b, n)
    steps++
    for (;;) {
      const found = step(b, n, damp)
      if (found) {
        const poses = b.poses.slice()
        for (const [frame, at] of n.column.entries())
          if (at >= 0) movePose(b.poses, poses, frame, found.big, at, n.breadth[frame] === 6)
        const lens = b.lens.map((value, l) =>
          (n.lensColumn[l] as number) >= 0 ? value + (found.big[n.lensColumn[l] as number] as number) : value,
        )
        const points = b.freePoints ? b.points.map((value, k) => value + (found.small[k] as number)) : b.points
        const next = (lens[0] as number) > 0 ? bundleCost(b, poses, points, lens) : Infinity
        if (next < cost) {
          converged = cost - next < SETTLED * cost
          b.poses.set(poses)
          b.lens.set(lens)
          if (b.freePoints) b.points.set(points)
          cost = next
          damp = Math.max(1e-9, damp / 5)
          break
        }
      }
      damp *= 4
      if (damp > MOST_DAMPING) {
        converged = true
        break
      }
    }
  }
  return { cost, steps, converged }
}
