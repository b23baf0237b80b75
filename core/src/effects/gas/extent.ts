import { type GasFrame, halfTable, TILE, tileCounts } from '../../data/index.ts'

/** Soot from which smoke is seen, g/m^3, and heat from which burning is, K above the air. */
const SEEN_SOOT = 0.02
const SEEN_HEAT = 400
/** Boxes that are told at most. */
const MOST_BOXES = 800
const CELLS = TILE ** 3

/** Where something is seen of a kept gas, in its own space: boxes of x y z of the lower corner, then of the upper one, m. Its tiles, or twos, fours and so on of them where they would be too many. */
export function gasExtent({ box, tiles, channels }: GasFrame): number[] {
  const table = halfTable()
  const [nx, ny] = tileCounts(box)
  const [soot, heat] = [channels[0], channels[1]]
  const seen: number[] = []
  tiles.forEach((tile, n) => {
    for (let k = n * CELLS; k < (n + 1) * CELLS; k++)
      if ((table[soot?.[k] ?? 0] ?? 0) > SEEN_SOOT || (table[heat?.[k] ?? 0] ?? 0) > SEEN_HEAT) {
        seen.push(tile)
        return
      }
  })
  for (let step = 1; ; step *= 2) {
    const blocks = new Map<string, [number, number, number]>()
    for (const tile of seen) {
      const at: [number, number, number] = [
        Math.floor((tile % nx) / step),
        Math.floor((Math.floor(tile / nx) % ny) / step),
        Math.floor(Math.floor(tile / (nx * ny)) / step),
      ]
      blocks.set(at.join(), at)
    }
    if (blocks.size > MOST_BOXES) continue
    const edge = TILE * step * box.cell
    return [...blocks.values()].flatMap((at) => {
      const low = at.map((value, a) => (box.origin[a] as number) * box.cell + value * edge)
      return [...low, ...low.map((value) => value + edge)]
    })
  }
}
