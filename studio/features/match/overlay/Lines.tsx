'use client'
import type { Camera } from '@lantern/core/data'
import type { LineUpLines } from '@lantern/core/shot'
import { COLOURS } from '@/ui/theme.ts'
import { gridPath } from '../../picture/lines.ts'

const AXIS_NAMES = { x: 'right', y: 'up', z: 'near' } as const

/** The lines of a lining up, told apart by their dashes and names; where they give a camera, its grid of metres on the ground. */
export function Lines({
  drawn,
  unit,
  camera,
}: {
  drawn: LineUpLines | undefined
  unit: number
  camera: Camera | undefined
}) {
  const dashes = { x: undefined, y: `${9 * unit} ${4 * unit}`, z: `${2 * unit} ${4 * unit}` }
  const origin = drawn?.origin
  return (
    <g data-lines={drawn?.lines.length ?? 0} style={{ pointerEvents: 'none' }}>
      {camera && (
        <path
          data-grid
          d={gridPath(camera, 0, 12)}
          fill="none"
          stroke="#d8d8d8"
          strokeOpacity={0.35}
          strokeWidth={0.8 * unit}
        />
      )}
      {drawn?.lines.map(({ axis, ends: [x, y, u, v] }, k) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: a line is its place in the list, and stays it while its ends are dragged
        <g key={k}>
          <path d={`M${x} ${y}L${u} ${v}`} stroke={COLOURS.floor} strokeWidth={3.4 * unit} />
          <path
            data-line={axis}
            d={`M${x} ${y}L${u} ${v}`}
            stroke={COLOURS.text}
            strokeWidth={1.6 * unit}
            strokeDasharray={dashes[axis]}
          />
          <text
            x={(x + u) / 2 + 5 * unit}
            y={(y + v) / 2 - 5 * unit}
            fill={COLOURS.text}
            stroke={COLOURS.floor}
            strokeWidth={2 * unit}
            paintOrder="stroke"
            style={{ fontSize: `${11 * unit}px`, fontFamily: 'var(--font-label)' }}
          >
            {AXIS_NAMES[axis]}
          </text>
          {(
            [
              [x, y, 0],
              [u, v, 1],
            ] as const
          ).map(([a, b, end]) => (
            <rect
              key={end}
              data-end={`${k}.${end}`}
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
      ))}
      {origin && (
        <path
          data-origin
          d={`M${origin[0] - 9 * unit} ${origin[1]}h${18 * unit}M${origin[0]} ${origin[1] - 9 * unit}v${18 * unit}`}
          stroke={COLOURS.text}
          strokeWidth={1.8 * unit}
        />
      )}
      {origin && drawn?.length && (
        <>
          <path
            d={`M${origin[0]} ${origin[1]}L${drawn.length.to[0]} ${drawn.length.to[1]}`}
            stroke={COLOURS.fact}
            strokeWidth={2 * unit}
          />
          <text
            x={drawn.length.to[0] + 6 * unit}
            y={drawn.length.to[1]}
            fill={COLOURS.fact}
            stroke={COLOURS.floor}
            strokeWidth={2 * unit}
            paintOrder="stroke"
            style={{ fontSize: `${12 * unit}px`, fontFamily: 'var(--font-number)' }}
          >
            {drawn.length.metres} m
          </text>
        </>
      )}
    </g>
  )
}
