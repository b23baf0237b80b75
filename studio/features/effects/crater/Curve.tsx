'use client'
import { Box } from '@chakra-ui/react'
import { stopsAt } from '@lantern/core/data'
import { type KeyboardEvent, type PointerEvent, useRef } from 'react'
import { COLOURS } from '@/ui/theme.ts'

type Stop = [number, number]
const [WIDE, TALL, ROOM] = [250, 84, 7]
const MOST = 12
const APART = 0.02

const clamp = (value: number, low: number, high: number): number => Math.min(high, Math.max(low, value))

/** Stops with one of them moved: the ends stay at the ends, the others between their neighbours. */
function movedStop(stops: readonly (readonly [number, number])[], n: number, [a, b]: Stop): Stop[] {
  const next = stops.map(([at, value]): Stop => [at, value])
  const [low, high] = [(next[n - 1]?.[0] ?? 0) + APART, (next[n + 1]?.[0] ?? 1) - APART]
  const end = n === 0 || n === next.length - 1
  next[n] = [end ? (stops[n]?.[0] ?? 0) : Math.round(1000 * clamp(a, low, high)) / 1000, Math.round(1000 * b) / 1000]
  return next
}
const KEY_STEPS: Readonly<Record<string, Stop>> = {
  ArrowUp: [0, 0.02],
  ArrowDown: [0, -0.02],
  ArrowRight: [0.02, 0],
  ArrowLeft: [-0.02, 0],
}

/** A curve from the floor to the rim whose stops are dragged; double click adds one, or takes one away. */
export function Curve({
  stops,
  disabled,
  onChange,
}: {
  stops: readonly (readonly [number, number])[]
  disabled?: boolean
  onChange: (stops: Stop[], final: boolean) => void
}) {
  const field = useRef<SVGSVGElement>(null)
  const held = useRef(-1)
  const x = (share: number): number => ROOM + share * (WIDE - 2 * ROOM)
  const y = (share: number): number => TALL - ROOM - share * (TALL - 2 * ROOM)
  const placeOf = ({ clientX, clientY }: { clientX: number; clientY: number }): Stop => {
    const box = field.current?.getBoundingClientRect()
    if (!box) return [0, 0]
    const [px, py] = [((clientX - box.left) / box.width) * WIDE, ((clientY - box.top) / box.height) * TALL]
    return [clamp((px - ROOM) / (WIDE - 2 * ROOM), 0, 1), clamp((TALL - ROOM - py) / (TALL - 2 * ROOM), 0, 1)]
  }
  const all = (): Stop[] => stops.map(([a, b]) => [a, b])
  const down = (n: number) => (event: PointerEvent) => {
    if (disabled) return
    held.current = n
    event.currentTarget.setPointerCapture(event.pointerId)
  }
  const move = (event: PointerEvent): void => {
    if (held.current >= 0) onChange(movedStop(stops, held.current, placeOf(event)), false)
  }
  const up = (event: PointerEvent): void => {
    if (held.current >= 0) onChange(movedStop(stops, held.current, placeOf(event)), true)
    held.current = -1
  }
  const twice = (event: { clientX: number; clientY: number }): void => {
    if (disabled) return
    const [a, b] = placeOf(event)
    const near = stops.findIndex(([at, value]) => Math.hypot(x(at) - x(a), y(value) - y(b)) < 9)
    if (near > 0 && near < stops.length - 1)
      return onChange(
        all().filter((_, n) => n !== near),
        true,
      )
    if (near < 0 && stops.length < MOST && stops.every(([at]) => Math.abs(at - a) > APART))
      onChange(
        [...all(), [Math.round(1000 * a) / 1000, Math.round(1000 * b) / 1000] as Stop].sort((p, q) => p[0] - q[0]),
        true,
      )
  }
  const keyed = (n: number) => (event: KeyboardEvent) => {
    const step = KEY_STEPS[event.key]
    const [a, b] = stops[n] ?? [0, 0]
    if (!step || disabled) return
    event.preventDefault()
    onChange(movedStop(stops, n, [a + (step[0] ?? 0), clamp(b + (step[1] ?? 0), 0, 1)]), true)
  }
  const path = Array.from(
    { length: 61 },
    (_, n) => `${n === 0 ? 'M' : 'L'}${x(n / 60).toFixed(1)} ${y(stopsAt(stops, n / 60)).toFixed(1)}`,
  ).join('')
  return (
    <Box padding="4px 14px">
      {/* biome-ignore lint/a11y/useSemanticElements: a drawn curve is no fieldset */}
      <svg
        ref={field}
        viewBox={`0 0 ${WIDE} ${TALL}`}
        width="100%"
        role="group"
        aria-label="Curve from the floor to the rim"
        style={{ background: COLOURS.well, touchAction: 'none', display: 'block' }}
        onPointerMove={move}
        onPointerUp={up}
        onDoubleClick={twice}
      >
        <path d={`M${x(0)} ${y(0)}H${x(1)}M${x(0)} ${y(1)}H${x(1)}`} stroke={COLOURS.hair} fill="none" />
        <path data-curve d={path} stroke={COLOURS.text} strokeWidth={1.4} fill="none" />
        {stops.map(([a, b], n) => (
          <rect
            // biome-ignore lint/suspicious/noArrayIndexKey: stops are told by their order
            key={n}
            x={x(a) - 4}
            y={y(b) - 4}
            width={8}
            height={8}
            fill={COLOURS.panel}
            stroke={COLOURS.text}
            role="slider"
            aria-label={`Stop ${n + 1}`}
            aria-valuenow={Math.round(100 * b)}
            aria-valuetext={`${Math.round(100 * a)} % out, ${Math.round(100 * b)} % up`}
            tabIndex={disabled ? -1 : 0}
            style={{ cursor: disabled ? 'default' : 'grab' }}
            onPointerDown={down(n)}
            onKeyDown={keyed(n)}
          />
        ))}
      </svg>
    </Box>
  )
}
