'use client'
import { readingArea } from '@lantern/core/pipeline'
import { useEffect, useState } from 'react'
import { COLOURS } from '@/ui/theme.ts'
import { cornersPath } from '../match/exclusionMasks.ts'
import { PlateLayer, type Press } from '../picture/PlateLayer.tsx'
import { cameraNow, useShot } from '../shot/shotStore.ts'
import { makeReading, setArea } from './readings.ts'
import {
  down,
  move,
  NO_READING,
  press,
  type ReadingContext,
  type ReadingResult,
  type ReadingState,
  up,
} from './readingTool.ts'

/** Areas that are read, over the picture, and the tools that set them. */
export function ReadingOverlay({ frame, passive }: { frame: number; passive?: boolean }) {
  const state = useShot()
  const { shot, tool, chosen, set, preview } = state
  const [hand, setHand] = useState<ReadingState>(NO_READING)
  // biome-ignore lint/correctness/useExhaustiveDependencies: another tool begins anew
  useEffect(() => setHand(NO_READING), [tool])
  if (!shot) return null
  const { plate, readings } = shot.document
  const { width, height } = plate
  const unit = width / 720
  const camera = cameraNow(state, frame)
  const take = (result: ReadingResult | undefined): boolean => {
    if (!result) return false
    setHand(result.state)
    if (result.preview) preview({ readings: { [result.preview.id]: { area: result.preview.area } } })
    if (result.moved) setArea(result.moved.id, result.moved.area)
    if (result.made) makeReading(result.made)
    if (result.chosen !== undefined) set({ chosen: result.chosen })
    if (result.tool) set({ tool: result.tool })
    if (result.wrong) set({ message: { text: result.wrong, good: false } })
    return true
  }
  const contextOf = ({ reach, shift }: Pick<Press, 'reach' | 'shift'>): ReadingContext => ({
    document: shot.document,
    camera,
    tool,
    reach,
    shift,
  })
  const by = (step: typeof down) => (pressed: Press) => void take(step(contextOf(pressed), hand, pressed.at))
  const { drawn, band } = hand
  return (
    <PlateLayer
      name={passive ? 'readings-passive' : 'readings'}
      width={width}
      height={height}
      drawing={tool !== 'choose'}
      passive={passive}
      down={by(down)}
      move={by(move)}
      up={by(up)}
      keyed={(key) => take(press(contextOf({ reach: 0, shift: false }), hand, key))}
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
    </PlateLayer>
  )
}
