import type { Camera } from '@lantern/core/data'
import type { ForceItem, GasItem, ReuseItem, SourceItem } from '@lantern/core/effects/gas'
import { aboutAxis, add, radians, rotate, type Vec3 } from '@lantern/core/math'
import { arrowPath, blockPath, chainPath, circlePoints } from '../../picture/lines.ts'

/** Corners of an upright box round a middle, bottom four then top four. */
const boxCorners = (middle: Vec3, [hx, hy, hz]: Vec3): Vec3[] =>
  [-hy, hy].flatMap((h) =>
    (
      [
        [-hx, -hz],
        [hx, -hz],
        [hx, hz],
        [-hx, hz],
      ] as const
    ).map(([x, z]) => add(middle, [x, h, z])),
  )

/** Where gas comes out of, and where to. What comes from a piece, an area or points is drawn elsewhere. */
export function sourceOutline(camera: Camera, item: GasItem | SourceItem): string {
  const { position, shape } = item
  const radius = item.diameter / 2
  if (shape === 'piece' || shape === 'area' || shape === 'painted' || shape === 'points') return ''
  if (shape === 'line')
    return chainPath(
      camera,
      (item.line ?? []).map((p) => add(position, p)),
      12,
    )
  const aim = item.speed > 0.5 ? arrowPath(camera, position, item.aim, Math.min(2, 0.25 * item.speed)) : ''
  if (shape === 'box')
    return (
      blockPath(
        camera,
        boxCorners(position, [radius, (item.tall || item.diameter) / 2, (item.deep || item.diameter) / 2]),
      ) + aim
    )
  const upright =
    shape === 'sphere'
      ? chainPath(
          camera,
          circlePoints([0, 0, 0], radius).map(([x, , z]) => add(position, [x, z, 0])),
        )
      : ''
  return chainPath(camera, circlePoints(position, radius)) + upright + aim
}

export function forceOutline(camera: Camera, item: ForceItem): string {
  const directed = item.way === 'swirl' || item.way === 'blow'
  const along = directed ? arrowPath(camera, item.position, item.axis, Math.max(0.4, item.radius * 0.6)) : ''
  return chainPath(camera, circlePoints(item.position, item.radius || 0.3)) + along
}

export const reuseOutline = (camera: Camera, { position, scale, turn }: ReuseItem): string =>
  chainPath(camera, circlePoints(position, 0.5 * scale)) +
  arrowPath(camera, position, rotate(aboutAxis([0, 1, 0], radians(turn)), [0, 0, 1]), 0.6 * scale)
