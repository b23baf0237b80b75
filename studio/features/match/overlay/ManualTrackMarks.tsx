'use client'
import { fitPlane, throughHomography } from '@lantern/core/math'
import { COLOURS } from '@/ui/theme.ts'
import { useShotParts } from '../../shot/shotStore.ts'
import { type Corner, cornersPath } from '../exclusionMasks.ts'
import { placesOf } from '../manualTracks.ts'
import type { ShownMatch } from '../matchData.ts'

const UNIT_SQUARE: readonly Corner[] = [
  [0, 0],
  [1, 0],
  [1, 1],
  [0, 1],
]
const TILES = 4

/** A chequer that lies in a flat patch, in its perspective. */
export function chequerIn(corners: readonly Corner[]): string {
  const plane = fitPlane('perspective', UNIT_SQUARE, corners)
  if (!plane) return ''
  let path = ''
  for (let a = 0; a < TILES; a++)
    for (let b = 0; b < TILES; b++)
      if ((a + b) % 2 === 0)
        path += cornersPath(
          (
            [
              [a, b],
              [a + 1, b],
              [a + 1, b + 1],
              [a, b + 1],
            ] as const
          ).map(([x, y]) => throughHomography(plane, x / TILES, y / TILES)),
        )
  return path
}

/** Tracks set by hand at a frame: a point's square and search, a patch's outline; where `stuck`, with a chequer stuck to each patch. */
export function ManualTrackMarks({
  shown,
  frame,
  unit,
  stuck,
  grips,
}: {
  shown: ShownMatch
  frame: number
  unit: number
  stuck: boolean
  /** The chosen one can be taken. */
  grips: boolean
}) {
  const { shot, chosen } = useShotParts('shot', 'chosen')
  if (!shot) return null
  const { plate, match } = shot.document
  return (
    <g data-hands={Object.keys(match.hands).length}>
      {Object.entries(match.hands).map(([id, hand]) => {
        const places = placesOf(hand, shown.hands[id], frame, plate.first)
        const [x, y] = places?.[0] ?? [0, 0]
        if (!places) return null
        const on = chosen === `hand.${id}`
        const colour = on ? COLOURS.text : COLOURS.fact
        if (places.length === 4)
          return (
            <g key={id} data-hand={id}>
              {stuck && <path data-stuck d={chequerIn(places)} fill={COLOURS.lamp} fillOpacity={0.55} />}
              <path d={cornersPath(places)} fill="none" stroke={colour} strokeWidth={1.4 * unit} />
              {on &&
                grips &&
                places.map(([a, b], c) => (
                  <rect
                    // biome-ignore lint/suspicious/noArrayIndexKey: a corner is its place in the patch, and stays it while it is dragged
                    key={c}
                    data-hand-corner={c}
                    x={a - 3.5 * unit}
                    y={b - 3.5 * unit}
                    width={7 * unit}
                    height={7 * unit}
                    fill={COLOURS.floor}
                    stroke={COLOURS.text}
                    strokeWidth={1.3 * unit}
                    style={{ cursor: 'move', pointerEvents: 'all' }}
                  />
                ))}
            </g>
          )
        const [p, s] = [hand.pattern, hand.search + hand.pattern]
        return (
          <g key={id} data-hand={id}>
            <path
              d={`M${x - 4 * unit} ${y}h${8 * unit}M${x} ${y - 4 * unit}v${8 * unit}`}
              stroke={colour}
              strokeWidth={1.3 * unit}
            />
            {on && (
              <rect
                x={x - p}
                y={y - p}
                width={2 * p}
                height={2 * p}
                fill="none"
                stroke={COLOURS.text}
                strokeWidth={1.2 * unit}
                style={{ cursor: 'move', pointerEvents: grips ? 'all' : 'none' }}
              />
            )}
            {on && (
              <rect
                x={x - s}
                y={y - s}
                width={2 * s}
                height={2 * s}
                fill="none"
                stroke={COLOURS.text}
                strokeOpacity={0.4}
                strokeWidth={unit}
                strokeDasharray={`${4 * unit} ${4 * unit}`}
              />
            )}
          </g>
        )
      })}
    </g>
  )
}
