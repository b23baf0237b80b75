/** A matte of one frame as it is kept: what it covers within a box of the picture; nothing beyond it. */
export interface MatteFrame {
  /** Of the whole picture. */
  width: number
  height: number
  /** The box: from (x, y), so wide and high; empty where nothing is covered. */
  x: number
  y: number
  wide: number
  high: number
  /** Share of each pixel that is covered, to 255. */
  alpha: Uint8Array
  /** 1 where a pixel counts as inside when it is carried on. */
  inside: Uint8Array
}

/** What lies behind a kept matte, in its box: CIE L*a*b*, how far frames that tell of it differ, and whether any do. */
export interface MatteBackground {
  lab: Float32Array
  deviation: Float32Array
  known: Uint8Array
}

/** Alpha of 0 to 1 at a place of the whole picture (px, pixel centres at + 0.5), by straight lines. */
export function matteFrameAt({ x, y, wide, high, alpha }: MatteFrame, px: number, py: number): number {
  const [a, b] = [px - 0.5 - x, py - 0.5 - y]
  if (!(a > -1 && b > -1 && a < wide && b < high)) return 0
  const [i, j] = [Math.floor(a), Math.floor(b)]
  const [fx, fy] = [a - i, b - j]
  const at = (k: number, l: number): number =>
    k < 0 || l < 0 || k >= wide || l >= high ? 0 : (alpha[l * wide + k] as number)
  return (
    ((at(i, j) * (1 - fx) + at(i + 1, j) * fx) * (1 - fy) + (at(i, j + 1) * (1 - fx) + at(i + 1, j + 1) * fx) * fy) /
    255
  )
}

/** What counts as inside, over the whole picture. */
export function insideOfWhole({ width, height, x, y, wide, high, inside }: MatteFrame): Uint8Array {
  const out = new Uint8Array(width * height)
  for (let row = 0; row < high; row++) out.set(inside.subarray(row * wide, (row + 1) * wide), (row + y) * width + x)
  return out
}
