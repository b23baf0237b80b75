'use client'
import { pickSurface, readingArea } from '@lantern/core/pipeline'
import type { Reading } from '@lantern/core/shot'
import { type PointerEvent, useEffect, useRef, useState } from 'react'
import { COLOURS } from '@/ui/theme.ts'
import { type Corner, cornersPath, movedBy, tidy } from '../match/exclusionMasks.ts'
import { cameraNow, useShot } from '../shot/shotStore.ts'
import { makeReading, setArea } from './readings.ts'

const LEAST_BOX = 2
const REACH = 9
type Drag = { kind: 'box'; start: Corner } | { kind: 'move'; id: string; start: Corner; area: Reading['area'] }

const placed = (points: readonly Corner[]): [number, number][] => points.map(([x, y]) => [tidy(x), tidy(y)])
const moved = (area: Reading['area'], dx: number, dy: number): Reading['area'] =>
  area.kind === 'point'
    ? { ...area, x: tidy(area.x + dx), y: tidy(area.y + dy) }
    : area.kind === 'shape'
      ? { ...area, points: placed(movedBy(area.points, dx, dy)) }
      : area

/** Areas that are read, over the picture, and the tools that set them. */
export function ReadingOverlay({ frame, passive }: { frame: number; passive?: boolean }) {
  const state = useShot()
  const { shot, tool, chosen, set, preview } = state
  const svg = useRef<SVGSVGElement>(null)
  const drag = useRef<Drag>(undefined)
  const [drawn, setDrawn] = useState<Corner[]>([])
  const [band, setBand] = useState<[Corner, Corner]>()
  // biome-ignore lint/correctness/useExhaustiveDependencies: another tool begins anew
  useEffect(() => setDrawn([]), [tool])
  useEffect(() => {
    if (tool !== 'read-shape' || passive) return
    const press = (event: KeyboardEvent): void => {
      if (event.key === 'Enter') finish(drawn)
      else if (event.key === 'Backspace') setDrawn(drawn.slice(0, -1))
    }
    window.addEventListener('keydown', press)
    return () => window.removeEventListener('keydown', press)
  })
  if (!shot) return null
  const { plate, readings } = shot.document
  const { width, height } = plate
  const unit = width / 720
  const camera = cameraNow(state, frame)
  const at = (event: PointerEvent): Corner => {
    const box = svg.current?.getBoundingClientRect()
    return box
      ? [((event.clientX - box.left) / box.width) * width, ((event.clientY - box.top) / box.height) * height]
      : [0, 0]
  }
  const reach = (): number => (REACH * width) / (svg.current?.getBoundingClientRect().width || width)
  const finish = (points: readonly Corner[]): void => {
    setDrawn([])
    if (points.length > 2) makeReading({ kind: 'shape', points: placed(points) })
    else set({ tool: 'choose' })
  }
  const hit = ([x, y]: Corner): string | undefined =>
    Object.entries(readings).find(([, reading]) => {
      const area = readingArea(reading, camera)
      if (!area) return false
      if ('middle' in area) return Math.hypot(area.middle[0] - x, area.middle[1] - y) < Math.max(area.radius, reach())
      const [xs, ys] = [area.corners.map((p) => p[0]), area.corners.map((p) => p[1])]
      return x > Math.min(...xs) && x < Math.max(...xs) && y > Math.min(...ys) && y < Math.max(...ys)
    })?.[0]
  const down = (point: Corner): void => {
    if (tool === 'read-point') return makeReading({ kind: 'point', x: tidy(point[0]), y: tidy(point[1]), radius: 2 })
    if (tool === 'read-pin') {
      const found = camera && pickSurface(shot.document, camera, ...point)
      return found
        ? makeReading({ kind: 'pin', at: [found.point[0], found.point[1], found.point[2]], radius: 0.15 })
        : set({
            message: {
              text: 'Nothing of the set lies there, nor level ground. Choose a place below the horizon.',
              good: false,
            },
          })
    }
    if (tool === 'read-shape') {
      const start = drawn[0]
      if (start && drawn.length > 2 && Math.hypot(start[0] - point[0], start[1] - point[1]) < reach()) finish(drawn)
      else setDrawn([...drawn, point])
      return
    }
    if (tool === 'read-box') drag.current = { kind: 'box', start: point }
    else {
      const id = hit(point)
      set({ chosen: id ? `reading.${id}` : '' })
      const area = id ? readings[id]?.area : undefined
      if (id && area && area.kind !== 'pin') drag.current = { kind: 'move', id, start: point, area }
    }
  }
  return (
    <svg
      ref={svg}
      viewBox={`0 0 ${width} ${height}`}
      preserveAspectRatio="none"
      aria-hidden
      data-overlay={passive ? 'readings-passive' : 'readings'}
      style={{
        position: 'absolute',
        inset: 0,
        width: '100%',
        height: '100%',
        cursor: tool === 'choose' ? 'default' : 'crosshair',
        touchAction: 'none',
        overflow: 'hidden',
        pointerEvents: passive ? 'none' : undefined,
      }}
      onPointerDown={(event) => {
        if (event.button !== 0 || event.altKey) return
        down(at(event))
        if (drag.current) svg.current?.setPointerCapture(event.pointerId)
      }}
      onPointerMove={(event) => {
        const move = drag.current
        if (!move) return
        const [x, y] = at(event)
        if (move.kind === 'box') setBand([move.start, [x, y]])
        else preview({ readings: { [move.id]: { area: moved(move.area, x - move.start[0], y - move.start[1]) } } })
      }}
      onPointerUp={(event) => {
        const move = drag.current
        drag.current = undefined
        setBand(undefined)
        if (!move) return
        const [x, y] = at(event)
        if (move.kind === 'move') {
          if (Math.hypot(x - move.start[0], y - move.start[1]) > 0.5)
            setArea(move.id, moved(move.area, x - move.start[0], y - move.start[1]))
          return
        }
        const [x0, x1, y0, y1] = [
          Math.min(move.start[0], x),
          Math.max(move.start[0], x),
          Math.min(move.start[1], y),
          Math.max(move.start[1], y),
        ]
        if (x1 - x0 > LEAST_BOX && y1 - y0 > LEAST_BOX)
          makeReading({
            kind: 'shape',
            points: placed([
              [x0, y0],
              [x1, y0],
              [x1, y1],
              [x0, y1],
            ]),
          })
      }}
    >
      {Object.entries(readings).map(([id, reading]) => {
        const area = reading.shown ? readingArea(reading, camera) : undefined
        if (!area) return null
        const on = chosen === `reading.${id}`
        const stroke = {
          stroke: on ? COLOURS.text : COLOURS.fact,
          strokeWidth: 1.3 * unit,
          fill: on ? COLOURS.text : COLOURS.fact,
          fillOpacity: 0.08,
        }
        const [x, y] = 'middle' in area ? area.middle : (area.corners[0] ?? [0, 0])
        return (
          <g key={id} data-reading={id}>
            {'middle' in area ? (
              <circle cx={x} cy={y} r={Math.max(area.radius, 3.5 * unit)} {...stroke} />
            ) : (
              <path d={cornersPath(area.corners)} {...stroke} />
            )}
            <text
              x={x + 6 * unit}
              y={y - 6 * unit}
              fill={stroke.stroke}
              stroke={COLOURS.floor}
              strokeWidth={2.4 * unit}
              paintOrder="stroke"
              style={{ fontSize: `${11 * unit}px`, fontFamily: 'var(--font-label)' }}
            >
              {reading.name}
            </text>
          </g>
        )
      })}
      {band && (
        <rect
          x={Math.min(band[0][0], band[1][0])}
          y={Math.min(band[0][1], band[1][1])}
          width={Math.abs(band[0][0] - band[1][0])}
          height={Math.abs(band[0][1] - band[1][1])}
          fill="none"
          stroke={COLOURS.text}
          strokeWidth={unit}
        />
      )}
      {drawn.length > 0 && (
        <path
          data-drawing={drawn.length}
          d={cornersPath(drawn).replace('Z', '')}
          fill="none"
          stroke={COLOURS.text}
          strokeWidth={1.5 * unit}
        />
      )}
      {drawn.map(([x, y]) => (
        <rect
          key={`${x},${y}`}
          x={x - 2.5 * unit}
          y={y - 2.5 * unit}
          width={5 * unit}
          height={5 * unit}
          fill={COLOURS.floor}
          stroke={COLOURS.text}
          strokeWidth={unit}
        />
      ))}
    </svg>
  )
}
