import { type Camera, projectPoint } from '@lantern/core/data'
import { add, normalise, rotate, scale, type Vec3 } from '@lantern/core/math'
import { turnOf } from '@lantern/core/pipeline'
import { isPiece, type ShotItem } from '@lantern/core/shot'

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

/** Corners of a piece, bottom four then top four (a ground has only the first four). Other things have none. */
export function cornersOf(item: ShotItem): Vec3[] {
  if (!isPiece(item)) return []
  const turn = turnOf(item)
  const [hx, hz] = item.kind === 'ground' ? [item.size / 2, item.size / 2] : [item.width / 2, item.depth / 2]
  const heights = item.kind === 'ground' ? [0] : [0, item.height]
  return heights.flatMap((h) =>
    (
      [
        [-hx, -hz],
        [hx, -hz],
        [hx, hz],
        [-hx, hz],
      ] as const
    ).map(([x, z]) => add(item.position, rotate(turn, [x, h, z]))),
  )
}

/** The twelve edges of a block, from its bottom four and top four corners. */
function blockPath(camera: Camera, c: readonly Vec3[]): string {
  const edge = (a: number, b: number): string => (c[a] && c[b] ? segmentPath(camera, c[a], c[b], 16) : '')
  const ring = (o: number): string => edge(o, o + 1) + edge(o + 1, o + 2) + edge(o + 2, o + 3) + edge(o + 3, o)
  return c.length < 8 ? ring(0) : ring(0) + ring(4) + edge(0, 4) + edge(1, 5) + edge(2, 6) + edge(3, 7)
}

/** An arrow from a point along a direction. */
function arrowPath(camera: Camera, from: Vec3, along: Vec3, length: number): string {
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

/** What an item looks like in lines through a camera. */
export function outlinePath(camera: Camera, item: ShotItem): string {
  if (isPiece(item)) return blockPath(camera, cornersOf(item))
  const { position } = item
  if (item.kind === 'force') {
    const along =
      item.way === 'swirl' || item.way === 'blow'
        ? arrowPath(camera, position, item.axis, Math.max(0.4, item.radius * 0.6))
        : ''
    return chainPath(camera, circlePoints(position, item.radius || 0.3)) + along
  }
  if (item.kind === 'reuse')
    return (
      chainPath(camera, circlePoints(position, 0.5 * item.scale)) +
      arrowPath(
        camera,
        position,
        rotate(turnOf({ kind: 'ground', turn: item.turn } as never), [0, 0, 1]),
        0.6 * item.scale,
      )
    )
  const radius = item.diameter / 2
  const aim =
    item.speed > 0.5 && item.shape !== 'piece' && item.shape !== 'area'
      ? arrowPath(camera, position, item.aim, Math.min(2, 0.25 * item.speed))
      : ''
  if (item.shape === 'line')
    return chainPath(
      camera,
      (item.line ?? []).map((p) => add(position, p)),
      12,
    )
  if (item.shape === 'box') {
    const [hx, hy, hz] = [radius, (item.tall || item.diameter) / 2, (item.deep || item.diameter) / 2]
    return (
      blockPath(
        camera,
        [-hy, hy].flatMap((h) =>
          (
            [
              [-hx, -hz],
              [hx, -hz],
              [hx, hz],
              [-hx, hz],
            ] as const
          ).map(([x, z]) => add(position, [x, h, z])),
        ),
      ) + aim
    )
  }
  if (item.shape === 'piece' || item.shape === 'area' || item.shape === 'points') return ''
  const upright =
    item.shape === 'sphere'
      ? chainPath(
          camera,
          circlePoints([0, 0, 0], radius).map(([x, , z]) => add(position, [x, z, 0])),
        )
      : ''
  return chainPath(camera, circlePoints(position, radius)) + upright + aim
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
