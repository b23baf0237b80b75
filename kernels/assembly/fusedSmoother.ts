import { applyDotCut, residualCut, smoothCut } from './cut'
import { applyLayer, directionLayer, dotLayer } from './pressure'
import { firstLayer, residualLayer, smoothLayer } from './sweeps'
import { prolongLayer } from './transfer'

// Several steps of the pressure's solution that go through the memory once: each follows the one before it a layer behind, so that what it reads is still near at hand. Beside another slab a step stops a layer
// earlier than the one before it; what it leaves there the seams make up for afterwards (Wonnacott 2000, time skewing). Same values, to the bit, as one step after the other.

const CORRECTION = 0, FIRST = 1, SECOND = 2, RESIDUAL = 3

/** Lowest and highest layer of a slab that step n of a pass goes through. */
// @ts-ignore: decorator
@inline
function lowest(from: i32, n: i32): i32 {
  return from == 0 ? 1 : from + 1 + n
}
// @ts-ignore: decorator
@inline
function highest(to: i32, nz: i32, n: i32): i32 {
  return to == nz ? nz : to - n
}

/** One layer of a step of smoothPass. */
function sweepStep(step: i32, k: i32, x: usize, b: usize, diag: usize, spans: usize, nx: i32, ny: i32, colour: i32, fresh: i32, partial: usize, list: usize, offsets: usize, weights: usize, t: usize, norm: usize, xc: usize, coarser: usize, cx: i32, cy: i32): void {
  if (step == CORRECTION) {
    prolongLayer(x, xc, diag, norm, spans, coarser, nx, ny, cx, cy, k - 1)
    return
  }
  if (step == RESIDUAL) {
    residualLayer(t, x, b, diag, norm, spans, nx, ny, k)
    if (list) residualCut(t, x, b, norm, list, offsets, weights, k - 1, k)
    return
  }
  const begins = step == FIRST && fresh != 0
  const own = step == FIRST ? colour : 1 - colour
  if (begins) firstLayer(x, b, diag, spans, nx, ny, own, k)
  else smoothLayer(x, b, diag, spans, nx, ny, own, k)
  if (list) smoothCut(x, b, list, offsets, weights, begins ? 1 : 0, own, k - 1, k)
  if (step == SECOND && partial) store<f64>(partial + ((<usize>(k - 1)) << 3), dotLayer(b, x, spans, nx, ny, k))
}

/**
 * Two half-sweeps, of one colour and then of the other; before them the correction from the coarser level, where xc is not 0, or after them the residual, where t is not 0.
 * fresh: from a zero guess; partial: where not 0, each layer's b . x; list, offsets, weights: cut cells (kernels/assembly/cut.ts), 0: none.
 */
export function smoothPass(x: usize, b: usize, diag: usize, spans: usize, nx: i32, ny: i32, nz: i32, colour: i32, fresh: i32, partial: usize, list: usize, offsets: usize, weights: usize, t: usize, norm: usize, xc: usize, coarser: usize, cx: i32, cy: i32, from: i32, to: i32): void {
  const begin = xc ? CORRECTION : FIRST
  const steps = xc || t ? 3 : 2
  for (let k = from + 1; k < to + steps; k++)
    for (let n = 0; n < steps; n++) {
      const layer = k - n
      if (layer < lowest(from, n) || layer > highest(to, nz, n)) continue
      sweepStep(begin + n, layer, x, b, diag, spans, nx, ny, colour, fresh, partial, list, offsets, weights, t, norm, xc, coarser, cx, cy)
    }
}

/** What smoothPass left beside the seams between slabs of `chunk` layers, four at least but the last. Items are seams. */
export function smoothSeams(x: usize, b: usize, diag: usize, spans: usize, nx: i32, ny: i32, nz: i32, colour: i32, fresh: i32, partial: usize, list: usize, offsets: usize, weights: usize, t: usize, norm: usize, xc: usize, coarser: usize, cx: i32, cy: i32, chunk: i32, from: i32, to: i32): void {
  const begin = xc ? CORRECTION : FIRST
  const steps = xc || t ? 3 : 2
  for (let seam = (from + 1) * chunk; seam <= to * chunk; seam += chunk)
    for (let n = 1; n < steps; n++)
      for (let k = seam + 1 - n, top = min(seam + n, nz); k <= top; k++)
        sweepStep(begin + n, k, x, b, diag, spans, nx, ny, colour, fresh, partial, list, offsets, weights, t, norm, xc, coarser, cx, cy)
}

function applied(q: usize, d: usize, diag: usize, partial: usize, list: usize, offsets: usize, weights: usize, spans: usize, nx: i32, ny: i32, k: i32): void {
  applyLayer(q, d, diag, partial, spans, nx, ny, k)
  if (list) applyDotCut(q, d, partial, list, offsets, weights, k - 1, k)
}

/** d = z + beta d, then q = A d and partial[layer] = d . q. */
export function directionPass(q: usize, d: usize, z: usize, diag: usize, beta: f64, partial: usize, list: usize, offsets: usize, weights: usize, spans: usize, nx: i32, ny: i32, nz: i32, from: i32, to: i32): void {
  for (let k = from + 1; k <= to + 1; k++) {
    if (k <= to) directionLayer(d, z, 1, <f32>beta, spans, nx, ny, k)
    if (k - 1 >= lowest(from, 1) && k - 1 <= highest(to, nz, 1)) applied(q, d, diag, partial, list, offsets, weights, spans, nx, ny, k - 1)
  }
}

/** What directionPass left beside the seams between slabs of `chunk` layers. Items are seams. */
export function directionSeams(q: usize, d: usize, diag: usize, partial: usize, list: usize, offsets: usize, weights: usize, spans: usize, nx: i32, ny: i32, nz: i32, chunk: i32, from: i32, to: i32): void {
  for (let seam = (from + 1) * chunk; seam <= to * chunk; seam += chunk)
    for (let k = seam; k <= min(seam + 1, nz); k++) applied(q, d, diag, partial, list, offsets, weights, spans, nx, ny, k)
}
