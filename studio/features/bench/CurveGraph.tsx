'use client'
import { Box, Flex, Text } from '@chakra-ui/react'
import type { GradeCurves } from '@lantern/core/shot'
import { curveValue } from '@lantern/core/sit'
import { useMemo, useState } from 'react'
import { Press } from '@/ui/Press.tsx'
import { COLOURS } from '@/ui/theme.ts'
import { useShotParts } from '../shot/shotStore.ts'
import { type CurveChannel, type CurveHand, GRAPH, useCurveHand } from './curveHand.ts'
import { histogramOf } from './curvePoints.ts'

const { wide: WIDE, high: HIGH } = GRAPH
const CHANNELS: readonly CurveChannel[] = ['all', 'red', 'green', 'blue']
const SEGMENTS = 68

/** How often the shown plate's values are, darkest at the left. */
function Histogram({ channel }: { channel: CurveChannel }) {
  const { plateBytes } = useShotParts('plateBytes')
  const counts = useMemo(
    () => plateBytes && histogramOf(plateBytes, CHANNELS.indexOf(channel) - 1),
    [plateBytes, channel],
  )
  if (!counts) return null
  const tops = counts.map((v, n) => `${((n + 0.5) / counts.length) * WIDE},${(1 - v) * HIGH}`)
  return (
    <polygon data-histogram fill={COLOURS.fact} opacity="0.22" points={`0,${HIGH} ${tops.join(' ')} ${WIDE},${HIGH}`} />
  )
}

function Line({ hand: { points, held } }: { hand: CurveHand }) {
  const line = Array.from({ length: SEGMENTS + 1 }, (_, n) => {
    const x = n / SEGMENTS
    return `${(x * WIDE).toFixed(1)},${((1 - curveValue(points, x)) * HIGH).toFixed(1)}`
  })
  return (
    <>
      <line x1="0" y1={HIGH} x2={WIDE} y2="0" stroke={COLOURS.line} strokeWidth="1" />
      <polyline points={line.join(' ')} fill="none" stroke={COLOURS.text} strokeWidth="1.6" />
      {points.map(([x, y], n) => (
        <rect
          // biome-ignore lint/suspicious/noArrayIndexKey: a point is its place in the row
          key={n}
          x={x * WIDE - 3}
          y={(1 - y) * HIGH - 3}
          width="6"
          height="6"
          fill={held === n ? COLOURS.text : COLOURS.floor}
          stroke={COLOURS.text}
        />
      ))}
    </>
  )
}

/** A curve of a layer's grade over the histogram of the plate that it lies on. Display values, black at the left. */
export function CurveGraph({
  curves,
  path,
  locked,
}: {
  curves: GradeCurves
  path: readonly string[]
  locked: boolean
}) {
  const [channel, setChannel] = useState<CurveChannel>('all')
  const hand = useCurveHand(curves[channel], channel, path, locked)
  const point = hand.held === undefined ? undefined : hand.points[hand.held]
  return (
    <Box
      as="section"
      aria-label="Curves"
      padding="8px 14px"
      data-hint="What display values become. Press the line for a point, drag it; a double press or Delete takes it away."
    >
      <Flex gap="4px" align="center" marginBottom="5px">
        <Text color="soft" fontWeight="600" flex="1">
          Curves
        </Text>
        {CHANNELS.map((one) => (
          <Press key={one} plain aria-pressed={channel === one} onClick={() => (setChannel(one), hand.let())}>
            {channel === one ? `[ ${one} ]` : one}
          </Press>
        ))}
      </Flex>
      <svg
        ref={hand.box}
        viewBox={`0 0 ${WIDE} ${HIGH}`}
        width="100%"
        role="application"
        aria-label={`Curve of ${channel}, ${hand.points.length} points`}
        data-curve={channel}
        // biome-ignore lint/a11y/noNoninteractiveTabindex: its points are moved by keys
        tabIndex={0}
        style={{
          background: COLOURS.floor,
          display: 'block',
          touchAction: 'none',
          cursor: locked ? 'default' : 'crosshair',
        }}
        onPointerDown={hand.press}
        onPointerMove={hand.drag}
        onPointerUp={hand.drop}
        onDoubleClick={hand.takeAway}
        onKeyDown={hand.byKey}
      >
        {[0.25, 0.5, 0.75].map((v) => (
          <g key={v} stroke={COLOURS.hair} strokeWidth="1">
            <line x1={v * WIDE} x2={v * WIDE} y1="0" y2={HIGH} />
            <line x1="0" x2={WIDE} y1={v * HIGH} y2={v * HIGH} />
          </g>
        ))}
        <Histogram channel={channel} />
        <Line hand={hand} />
      </svg>
      <Flex justify="space-between" className="num" color="faint" marginTop="3px">
        <span>{point ? `${point[0].toFixed(2)} becomes ${point[1].toFixed(2)}` : 'over the plate’s own values'}</span>
        <Press plain padding="0" disabled={locked} onClick={hand.straighten}>
          Straight
        </Press>
      </Flex>
    </Box>
  )
}
