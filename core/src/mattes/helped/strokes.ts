/** A stroke over the plate: inside or outside of what is wanted, px of the plate. */
export interface MatteStroke {
  frame: number
  inside: boolean
  width: number
  points: readonly (readonly [number, number])[]
}

/** What strokes of one frame say of each pixel. */
export interface StrokeMasks {
  inside: Uint8Array
  outside: Uint8Array
}

/** Pixels whose middle lies within half a width of a line from a to b. */
function layLine(
  mask: Uint8Array,
  width: number,
  height: number,
  [ax, ay]: readonly [number, number],
  [bx, by]: readonly [number, number],
  r: number,
): void {
  const [dx, dy] = [bx - ax, by - ay]
  const long = dx * dx + dy * dy
  const [x0, x1] = [Math.floor(Math.min(ax, bx) - r), Math.ceil(Math.max(ax, bx) + r)]
  const [y0, y1] = [Math.floor(Math.min(ay, by) - r), Math.ceil(Math.max(ay, by) + r)]
  for (let y = Math.max(0, y0); y < Math.min(height, y1); y++)
    for (let x = Math.max(0, x0); x < Math.min(width, x1); x++) {
      const [px, py] = [x + 0.5 - ax, y + 0.5 - ay]
      const t = long > 0 ? Math.min(1, Math.max(0, (px * dx + py * dy) / long)) : 0
      if ((px - t * dx) ** 2 + (py - t * dy) ** 2 <= r * r) mask[y * width + x] = 1
    }
}

/** Strokes as masks of width x height; scale: px of it a px of the plate. What is stroked as inside last counts over what was stroked outside before, and the other way round. Strokes outside the picture leave nothing. */
export function strokeMasks(
  strokes: readonly MatteStroke[],
  width: number,
  height: number,
  scale: number,
): StrokeMasks {
  const masks = { inside: new Uint8Array(width * height), outside: new Uint8Array(width * height) }
  for (const { inside, width: wide, points } of strokes) {
    const own = new Uint8Array(width * height)
    const radius = Math.max(0.75, (wide * scale) / 2)
    points.forEach(([x, y], n) => {
      const [bx, by] = points[n + 1] ?? (n === 0 ? [x, y] : [Number.NaN, 0])
      if (!Number.isNaN(bx)) layLine(own, width, height, [x * scale, y * scale], [bx * scale, by * scale], radius)
    })
    const [on, off] = inside ? [masks.inside, masks.outside] : [masks.outside, masks.inside]
    for (let n = 0; n < own.length; n++)
      if (own[n]) {
        on[n] = 1
        off[n] = 0
      }
  }
  return masks
}
