type Corner = readonly [number, number]
const tidy = (value: number): number => Math.round(value * 10) / 10

/** The corners of a box between two places, px. */
export const boxOf = ([ax, ay]: Corner, [bx, by]: Corner): Corner[] => {
  const [l, r, t, b] = [Math.min(ax, bx), Math.max(ax, bx), Math.min(ay, by), Math.max(ay, by)].map(tidy)
  const [left = 0, right = 0, top = 0, bottom = 0] = [l, r, t, b]
  return [
    [left, top],
    [right, top],
    [right, bottom],
    [left, bottom],
  ]
}

/** An area put elsewhere by a drag. */
export const movedArea = (corners: readonly Corner[], from: Corner, to: Corner): Corner[] =>
  corners.map(([x, y]) => [tidy(x + to[0] - from[0]), tidy(y + to[1] - from[1])])

/** Whether a place lies within an area's bounds. */
export function holds(corners: readonly Corner[], [x, y]: Corner): boolean {
  const [xs, ys] = [corners.map((p) => p[0]), corners.map((p) => p[1])]
  return x > Math.min(...xs) && x < Math.max(...xs) && y > Math.min(...ys) && y < Math.max(...ys)
}
