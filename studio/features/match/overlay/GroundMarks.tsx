'use client'
import { projectPoint } from '@lantern/core/data'
import type { PicturePlace } from '@lantern/core/shot'
import { COLOURS } from '@/ui/theme.ts'
import { useShot } from '../../shot/shotStore.ts'
import { type ShownMatch, standsAt } from '../matchData.ts'

/** What is said of the ground: its points, axis, origin and known distance, wherever they are seen from this frame. */
export function GroundMarks({ shown, n, unit }: { shown: ShownMatch; n: number; unit: number }) {
  const ground = useShot((state) => state.shot?.document.match.ground)
  const camera = shown.cameras[n]
  if (!ground || !shown.solve) return null
  const first = shown.solve.first
  const at = (place: PicturePlace): readonly [number, number] | undefined => {
    if (place.frame === first + n) return [place.x, place.y]
    const p = standsAt(shown, place)
    const seen = p && camera && projectPoint(camera, p)
    return seen && [seen.x, seen.y]
  }
  const s = 3.4 * unit
  const mark = ([x, y]: readonly [number, number]): string =>
    `M${x - s} ${y}L${x} ${y - s}L${x + s} ${y}L${x} ${y + s}Z`
  const line = (pair: readonly [PicturePlace, PicturePlace]): string => {
    const [a, b] = [at(pair[0]), at(pair[1])]
    return a && b ? `M${a[0]} ${a[1]}L${b[0]} ${b[1]}${mark(a)}${mark(b)}` : ''
  }
  const origin = ground.origin && at(ground.origin)
  const ends = ground.distance && [at(ground.distance.from), at(ground.distance.to)]
  return (
    <g data-ground={ground.points.length}>
      <path
        d={ground.points
          .flatMap((place) => at(place) ?? [])
          .reduce((path, _, k, all) => (k % 2 === 0 ? path + mark([all[k] ?? 0, all[k + 1] ?? 0]) : path), '')}
        fill={COLOURS.text}
        fillOpacity={0.85}
        stroke={COLOURS.floor}
        strokeWidth={0.8 * unit}
      />
      {ground.axis && (
        <path
          d={line(ground.axis)}
          stroke={COLOURS.text}
          strokeWidth={1.6 * unit}
          strokeDasharray={`${6 * unit} ${3 * unit}`}
          fill="none"
        />
      )}
      {ground.distance && (
        <path
          d={line([ground.distance.from, ground.distance.to])}
          stroke={COLOURS.fact}
          strokeWidth={1.6 * unit}
          fill="none"
        />
      )}
      {ends?.[0] && ends[1] && (
        <text
          x={(ends[0][0] + ends[1][0]) / 2 + 6 * unit}
          y={(ends[0][1] + ends[1][1]) / 2 - 6 * unit}
          fill={COLOURS.fact}
          style={{ fontSize: `${12 * unit}px`, fontFamily: 'var(--font-number)' }}
        >
          {ground.distance?.metres} m
        </text>
      )}
      {origin && (
        <path
          d={`M${origin[0] - 3 * s} ${origin[1]}h${6 * s}M${origin[0]} ${origin[1] - 3 * s}v${6 * s}`}
          stroke={COLOURS.text}
          strokeWidth={1.6 * unit}
        />
      )}
    </g>
  )
}
