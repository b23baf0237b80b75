/** Fills what is hidden of w x h values smoothly from what is around, in place: by push and pull over halves (Gortler et al. 1996). Nothing known: all become 0. */
export function pushPull(values: Float32Array, hidden: Uint8Array, w: number, h: number): void {
  interface Level {
    w: number
    h: number
    sum: Float32Array
    weight: Float32Array
  }
  const first: Level = { w, h, sum: new Float32Array(w * h), weight: new Float32Array(w * h) }
  for (let n = 0; n < values.length; n++)
    if (!hidden[n]) {
      first.sum[n] = values[n] as number
      first.weight[n] = 1
    }
  const levels = [first]
  for (let last = first; Math.min(last.w, last.h) > 2; ) {
    const next: Level = {
      w: (last.w + 1) >> 1,
      h: (last.h + 1) >> 1,
      sum: new Float32Array(((last.w + 1) >> 1) * ((last.h + 1) >> 1)),
      weight: new Float32Array(((last.w + 1) >> 1) * ((last.h + 1) >> 1)),
    }
    for (let y = 0; y < last.h; y++)
      for (let x = 0; x < last.w; x++) {
        const n = y * last.w + x
        const m = (y >> 1) * next.w + (x >> 1)
        next.sum[m] = (next.sum[m] as number) + 0.25 * (last.sum[n] as number)
        next.weight[m] = (next.weight[m] as number) + 0.25 * (last.weight[n] as number)
      }
    levels.push(next)
    last = next
  }
  const top = levels.at(-1) as Level
  // Where even the coarsest level knows nothing, the mean of what it knows.
  const [sums, weights] = [top.sum, top.weight].map((of) => of.reduce((sum, value) => sum + value, 0))
  const mean = (sums as number) / Math.max(1e-6, weights as number)
  let filled = top.sum.map((sum, n) => ((top.weight[n] as number) > 0 ? sum / (top.weight[n] as number) : mean))
  for (let k = levels.length - 2; k >= 0; k--) {
    const [own, coarse] = [levels[k] as Level, levels[k + 1] as Level]
    const made = new Float32Array(own.w * own.h)
    for (let y = 0; y < own.h; y++)
      for (let x = 0; x < own.w; x++) {
        const n = y * own.w + x
        const share = Math.min(1, own.weight[n] as number)
        const a = Math.min(Math.max(0.5 * x - 0.25, 0), coarse.w - 1)
        const b = Math.min(Math.max(0.5 * y - 0.25, 0), coarse.h - 1)
        const [i, j] = [Math.floor(a), Math.floor(b)]
        const [i1, j1] = [Math.min(i + 1, coarse.w - 1), Math.min(j + 1, coarse.h - 1)]
        const [fx, fy] = [a - i, b - j]
        const from =
          ((filled[j * coarse.w + i] as number) * (1 - fx) + (filled[j * coarse.w + i1] as number) * fx) * (1 - fy) +
          ((filled[j1 * coarse.w + i] as number) * (1 - fx) + (filled[j1 * coarse.w + i1] as number) * fx) * fy
        made[n] = from * (1 - share) + (own.sum[n] as number)
      }
    filled = made
  }
  values.set(filled)
}
