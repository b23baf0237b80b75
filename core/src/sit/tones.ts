/** Where a picture's darkest and brightest tones lie, per channel of linear light: the values that the asked shares of its pixels lie below and above. */
export interface Tones {
  black: readonly [number, number, number]
  white: readonly [number, number, number]
}

const LOW = 0.002
const HIGH = 0.998

/** Black and white points of a picture, or of a part of it. rgb: linear, three a pixel. */
export function tonesOf(rgb: Float32Array): Tones {
  const pixels = rgb.length / 3
  const sorted = [0, 1, 2].map((c) => Float32Array.from({ length: pixels }, (_, n) => rgb[3 * n + c] as number).sort())
  const at = (share: number): [number, number, number] =>
    [0, 1, 2].map((c) => sorted[c]?.[Math.min(pixels - 1, Math.floor(share * pixels))] ?? Number.NaN) as [
      number,
      number,
      number,
    ]
  return { black: at(LOW), white: at(HIGH) }
}
