/** Whether a place lies within corners (even-odd rule; fewer than three hold nothing). */
export function insidePolygon(corners: readonly (readonly [number, number])[], x: number, y: number): boolean {
  let inside = false
  for (let n = 0, m = corners.length - 1; n < corners.length; m = n++) {
    const [a, b] = [corners[n] as readonly [number, number], corners[m] as readonly [number, number]]
    if (a[1] > y !== b[1] > y && x < ((b[0] - a[0]) * (y - a[1])) / (b[1] - a[1]) + a[0]) inside = !inside
  }
  return inside
}
