'use client'
import { placeAt, projectPoint } from '@lantern/core/data'
import { shotPoint } from '@lantern/core/pipeline'
import { COLOURS } from '@/ui/theme.ts'
import type { ShownMatch } from '../matchData.ts'

/** Frames of a track's tail; error from which a track is shown as wrong, px. */
const TAIL = 4
const WRONG_PX = 1
const MOST_SHOWN_ERRORS = 12
const ERROR_TIMES = 20

/** Tracks of a frame: where each is and was, in blue-green; without a point faint, far off in red. */
export function Tracks({ shown, n, unit, chosen }: { shown: ShownMatch; n: number; unit: number; chosen: string }) {
  const paths = { good: '', faint: '', wrong: '' }
  const bad = new Map(shown.worst.map(({ track, px }) => [track, px]))
  let bracket: readonly [number, number] | undefined
  for (const track of shown.tracks) {
    const at = placeAt(track, n)
    if (!at) continue
    const kind = !shown.solve
      ? 'good'
      : !shown.points.has(track.id)
        ? 'faint'
        : (bad.get(track.id) ?? 0) > WRONG_PX
          ? 'wrong'
          : 'good'
    if (chosen === `track.${track.id}`) bracket = at
    let path = ''
    for (let k = Math.max(track.first, n - TAIL); k <= n; k++) {
      const p = placeAt(track, k)
      if (p) path += `${path ? 'L' : 'M'}${p[0].toFixed(1)} ${p[1].toFixed(1)}`
    }
    paths[kind] += `${path}M${(at[0] - 1.6 * unit).toFixed(1)} ${at[1].toFixed(1)}h${(3.2 * unit).toFixed(1)}`
  }
  const r = 9 * unit
  return (
    <g data-tracks={shown.tracks.filter((track) => placeAt(track, n)).length}>
      <path d={paths.faint} fill="none" stroke={COLOURS.soft} strokeOpacity={0.5} strokeWidth={unit} />
      <path d={paths.good} fill="none" stroke={COLOURS.fact} strokeWidth={1.3 * unit} />
      <path d={paths.wrong} fill="none" stroke={COLOURS.wrong} strokeWidth={1.6 * unit} />
      {bracket && (
        <path
          data-chosen-track
          d={`M${bracket[0] - r + 4 * unit} ${bracket[1] - r}h${-4 * unit}v${2 * r}h${4 * unit}M${bracket[0] + r - 4 * unit} ${bracket[1] - r}h${4 * unit}v${2 * r}h${-4 * unit}`}
          fill="none"
          stroke={COLOURS.text}
          strokeWidth={1.5 * unit}
        />
      )}
    </g>
  )
}

/** The largest errors of a frame, drawn out twenty times from the track to where its point lands. */
export function Errors({ shown, n, unit }: { shown: ShownMatch; n: number; unit: number }) {
  const camera = shown.cameras[n]
  if (!camera) return null
  const errors = shown.tracks.flatMap((track) => {
    const [at, point] = [placeAt(track, n), shown.points.get(track.id)]
    const p = at && point && projectPoint(camera, shotPoint(shown.by, point))
    return at && p ? [{ at, dx: p.x - at[0], dy: p.y - at[1] }] : []
  })
  const worst = errors.sort((a, b) => Math.hypot(b.dx, b.dy) - Math.hypot(a.dx, a.dy)).slice(0, MOST_SHOWN_ERRORS)
  return (
    <path
      data-errors={worst.length}
      d={worst.map(({ at, dx, dy }) => `M${at[0]} ${at[1]}l${dx * ERROR_TIMES} ${dy * ERROR_TIMES}`).join('')}
      stroke={COLOURS.wrong}
      strokeWidth={1.6 * unit}
      fill="none"
    />
  )
}
