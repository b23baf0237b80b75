import { type Camera, projectPoint } from '@lantern/core/data'
import { add, normalise, rotate, scale, type Vec3 } from '@lantern/core/math'
import { type PieceItem, sizeOf, turnOf } from '@lantern/core/set'

const PIECES = 12

/** A world segment as an SVG path in plate pixels, bent by the lens; broken where it leaves the camera's front. */
export function segmentPath(camera: Camera, a: Vec3, b: Vec3, pieces = PIECES): string {
  let path = ''
  let open = false
  for (let n = 0; n <= pieces; n++) {
    const t = n / pieces
    const p = projectPoint(camera, [a[0] + (b[0] - a[0]) * t, a[1] + (b[1] - a[1]) * t, a[2] + (b[2] - a[2]) * t])
    const far = !p || p.depth < 0.05 || Math.abs(p.x) > camera.width * 8 || Math.abs(p.y) > camera.height * 8
    if (far) open = false
    else {
      path += `${open ? 'L' : 'M'}${p.x.toFixed(1)} ${p.y.toFixed(1)}`
      open = true
    }
  }
  return path
}

/** Straight pieces from point to point. */
export const chainPath = (camera: Camera, points: readonly Vec3[], pieces = 2): string =>
  points
    .slice(1)
    .map((p, n) => segmentPath(camera, points[n] ?? p, p, pieces))
    .join('')

/** A grid of one-metre squares on the level `y`, round the camera's foot. */
export function gridPath(camera: Camera, y: number, reach = 24): string {
  const cx = Math.round(camera.position[0])
  const cz = Math.round(camera.position[2])
  let path = ''
  for (let n = -reach; n <= reach; n++) {
    path += segmentPath(camera, [cx + n, y, cz - reach], [cx + n, y, cz + reach], 48)
    path += segmentPath(camera, [cx - reach, y, cz + n], [cx + reach, y, cz + n], 48)
  }
  return path
}

export const circlePoints = (centre: Vec3, radius: number, count = 48): Vec3[] =>
  Array.from({ length: count + 1 }, (_, n) => [
    centre[0] + radius * Math.cos((n / count) * 2 * Math.PI),
    centre[1],
    centre[2] + radius * Math.sin((n / count) * 2 * Math.PI),
  ])

/** Corners of a piece, bottom four then top four (a flat one has only the first four). */
export function cornersOf(item: PieceItem): Vec3[] {
  const turn = turnOf(item)
  const [width, height, depth] = sizeOf(item)
  const heights = height === 0 ? [0] : [0, height]
  const base = [
    [-1, -1],
    [1, -1],
    [1, 1],
    [-1, 1],
  ] as const
  return heights.flatMap((h) =>
    base.map(([x, z]) => add(item.position, rotate(turn, [(x * width) / 2, h, (z * depth) / 2]))),
  )
}

/** The twelve edges of a block, from its bottom four and top four corners. */
export function blockPath(camera: Camera, c: readonly Vec3[]): string {
  const edge = (a: number, b: number): string => (c[a] && c[b] ? segmentPath(camera, c[a], c[b], 16) : '')
  const ring = (o: number): string => edge(o, o + 1) + edge(o + 1, o + 2) + edge(o + 2, o + 3) + edge(o + 3, o)
  return c.length < 8 ? ring(0) : ring(0) + ring(4) + edge(0, 4) + edge(1, 5) + edge(2, 6) + edge(3, 7)
}

/** An arrow from a point along a direction. */
export function arrowPath(camera: Camera, from: Vec3, along: Vec3, length: number): string {
  const way = normalise(along)
  const tip = add(from, scale(way, length))
  const side = normalise(Math.abs(way[1]) > 0.9 ? [1, 0, 0] : [way[2], 0, -way[0]])
  const back = add(tip, scale(way, -0.2 * length))
  return (
    segmentPath(camera, from, tip, 4) +
    segmentPath(camera, tip, add(back, scale(side, 0.1 * length)), 2) +
    segmentPath(camera, tip, add(back, scale(side, -0.1 * length)), 2)
  )
}

/** A camera seen from outside as a small pyramid, and its path. */
export function cameraGlyph(view: Camera, camera: Camera, size = 0.5): string {
  const half = [camera.width / 2 / camera.focalPx, camera.height / 2 / camera.focalPx] as const
  const corner = (x: number, y: number): Vec3 =>
    add(camera.position, rotate(camera.rotation, [x * half[0] * size, y * half[1] * size, -size]))
  const corners = [corner(-1, -1), corner(1, -1), corner(1, 1), corner(-1, 1)]
  return corners
    .map((c, n) => segmentPath(view, camera.position, c, 2) + segmentPath(view, c, corners[(n + 1) % 4] ?? c, 2))
    .join('')
}
