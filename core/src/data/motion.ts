/** Dense motion from one picture to another, on a grid of half the picture's size; u across, v down, px of the whole picture. */
export interface Motion {
  /** Of the grid. */
  width: number
  height: number
  u: Float32Array
  v: Float32Array
}

/** A motion at a place of the picture (px, pixel centres at + 0.5), by straight lines between the grid's places; held beyond the rim. out: (u, v). */
export function motionAt({ width, height, u, v }: Motion, x: number, y: number, out: { u: number; v: number }): void {
  const a = Math.min(Math.max(0.5 * x - 0.5, 0), width - 1)
  const b = Math.min(Math.max(0.5 * y - 0.5, 0), height - 1)
  const i = Math.min(Math.floor(a), width - 2)
  const j = Math.min(Math.floor(b), height - 2)
  const [fx, fy] = [a - i, b - j]
  const n = j * width + i
  const m = n + width
  out.u =
    ((u[n] as number) * (1 - fx) + (u[n + 1] as number) * fx) * (1 - fy) +
    ((u[m] as number) * (1 - fx) + (u[m + 1] as number) * fx) * fy
  out.v =
    ((v[n] as number) * (1 - fx) + (v[n + 1] as number) * fx) * (1 - fy) +
    ((v[m] as number) * (1 - fx) + (v[m + 1] as number) * fx) * fy
}
