import type { CutOut } from './matte.ts'

// The light that a filmed element gives: where in its frame it shines, and how strongly.

/** A part of a frame that shines. x, y: its middle, shares of the frame from its upper left corner; wide: how far it reaches about that, shares of its height; light: sum of its colours over the frame's area, shares of that. */
export interface Glow {
  x: number
  y: number
  wide: number
  light: readonly [number, number, number]
}

/** A frame's light as so many parts, one above the other; those that are dark are left out. */
export function glowsOf({ width, height, data }: CutOut, parts: number): Glow[] {
  const area = width * height
  return Array.from({ length: parts }, (_, part): Glow | undefined => {
    const [from, to] = [Math.floor((part * height) / parts), Math.floor(((part + 1) * height) / parts)]
    const light: [number, number, number] = [0, 0, 0]
    let [sx, sy, sxx, syy, whole] = [0, 0, 0, 0, 0]
    for (let y = from; y < to; y++)
      for (let x = 0; x < width; x++) {
        const n = 4 * (y * width + x)
        const alpha = data[n + 3] ?? 0
        let own = 0
        for (let c = 0; c < 3; c++) {
          const value = alpha * (data[n + c] ?? 0)
          light[c] = (light[c] ?? 0) + value / area
          own += value
        }
        const [u, v] = [x + 0.5, y + 0.5]
        sx += own * u
        sy += own * v
        sxx += own * u * u
        syy += own * v * v
        whole += own
      }
    if (whole <= 0) return undefined
    const [mx, my] = [sx / whole, sy / whole]
    const spread = Math.max(0, sxx / whole - mx * mx) + Math.max(0, syy / whole - my * my)
    return { x: mx / width, y: my / height, wide: Math.sqrt(Math.max(1, spread)) / height, light }
  }).filter((glow): glow is Glow => glow !== undefined)
}
