'use client'
import { projectPoint, solveCameraAt } from '@lantern/core/data'
import { isBox } from '@lantern/core/set'
import { COLOURS } from '@/ui/theme.ts'
import { viewOf } from '../../items/index.ts'
import { useShotParts } from '../../shot/shotStore.ts'
import { keepOutPath } from '../exclusionMasks.ts'
import { useMatchFiles } from '../matchData.ts'

/** Things that move by themselves: their regions, their solved points where the thing is at a frame, and its geometry riding on it. */
export function MovingObjectMarks({ frame, unit }: { frame: number; unit: number }) {
  const { shot, status, chosen } = useShotParts('shot', 'status', 'chosen')
  const { solves } = useMatchFiles()
  if (!shot) return null
  const { match, items } = shot.document
  return (
    <g data-things={Object.keys(match.things).length}>
      {Object.entries(match.things).map(([id, thing]) => {
        if (!thing.shown) return null
        const on = chosen === `thing.${id}`
        const solve = solves[status?.match.things[id]?.solve.key ?? '']
        const n = frame - (solve?.first ?? 0)
        const camera = solve?.cameras[n] ? solveCameraAt(solve, n) : undefined
        const dots =
          camera && solve
            ? solve.points.flatMap(({ at }) => {
                const p = projectPoint(camera, at)
                return p ? [`M${(p.x - 1.4 * unit).toFixed(1)} ${p.y.toFixed(1)}h${(2.8 * unit).toFixed(1)}`] : []
              })
            : []
        const box = items[thing.geometry?.item ?? '']
        const rides = camera && isBox(box) ? viewOf(box).outline(camera, box) : ''
        return (
          <g key={id} data-thing={id}>
            <path
              d={keepOutPath(thing, frame)}
              fill="none"
              stroke={on ? COLOURS.text : COLOURS.soft}
              strokeWidth={1.3 * unit}
              strokeDasharray={`${7 * unit} ${3 * unit} ${1.5 * unit} ${3 * unit}`}
            />
            <path data-thing-points={dots.length} d={dots.join('')} stroke={COLOURS.fact} strokeWidth={2 * unit} />
            {rides && <path data-thing-box d={rides} stroke={COLOURS.lamp} strokeWidth={1.4 * unit} fill="none" />}
          </g>
        )
      })}
    </g>
  )
}
