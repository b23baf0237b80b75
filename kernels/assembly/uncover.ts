// What comes to light of a layer where those before it are laid with less of them. Optical depths add up; what each of the others is worth is its own, times how surely it lies before.

/** Alphas beyond this count as it: what is wholly hidden has no depth. */
const MOST: f32 = 0.999
/** Mean distances nearer to each other than this, m, say less and less which is before the other. */
const NEAR: f32 = 0.5
/** Where no other one lies before the layer by its mean distance, those that do not count after all. */
const LEAST: f32 = 0.0001

// @ts-ignore: decorator
@inline
function depthOf(alpha: f32): f32 {
  return -NativeMathf.log(1 - min<f32>(MOST, max<f32>(0, alpha)))
}

/**
 * Adds to the optical depths before a layer those of another one: as that is laid, and whole. sums: 2 floats a pixel of the layer's part. own, other: alpha and distance x alpha of the two alone, 2 floats a pixel; the other's part lies at (x, y) of the layer's and is `across` by `down`.
 * amount: how much of the other one is laid. Items are rows of the layer's part.
 */
export function sumBefore(sums: usize, own: usize, width: i32, other: usize, x: i32, y: i32, across: i32, down: i32, amount: f32, from: i32, to: i32): void {
  for (let j = max(from, y); j < min(to, y + down); j++)
    for (let i = max(0, x); i < min(width, x + across); i++) {
      const b = other + ((<usize>((j - y) * across + i - x)) << 3), alpha = load<f32>(b)
      if (alpha <= 0) continue
      const at = (<usize>(j * width + i)) << 3
      const mine = load<f32>(own + at)
      let sure: f32 = 0.5
      if (mine > 1e-4) sure = max<f32>(LEAST, min<f32>(1, 0.5 + (load<f32>(own + at, 4) / mine - load<f32>(b, 4) / alpha) / (2 * NEAR)))
      store<f32>(sums + at, load<f32>(sums + at) + sure * depthOf(alpha * amount))
      store<f32>(sums + at, load<f32>(sums + at, 4) + sure * depthOf(alpha), 4)
    }
}

/**
 * Of what is hidden of a layer, how much comes to light. seen: share of the layer that is seen where all is laid whole, one float a pixel; sums: of sumBefore. out: one float a pixel, below 0 where less is seen than before. Items are pixels.
 * Of optical depth d the share s is left, so exp(-s d) is seen in place of exp(-d).
 */
export function shareUncovered(out: usize, seen: usize, sums: usize, from: i32, to: i32): void {
  for (let n = from; n < to; n++) {
    const now = load<f32>(sums + ((<usize>n) << 3)), whole = load<f32>(sums + ((<usize>n) << 3), 4)
    const was = max<f32>(1 - MOST, load<f32>(seen + ((<usize>n) << 2)))
    let share: f32 = 0
    if (whole > 1e-6 && was < MOST) share = (NativeMathf.exp(NativeMathf.log(was) * (now / whole)) - was) / (1 - was)
    store<f32>(out + ((<usize>n) << 2), share)
  }
}
