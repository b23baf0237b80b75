'use client'
import { Box, Flex } from '@chakra-ui/react'
import { memo, useEffect, useRef, useState } from 'react'
import { Press } from '@/ui/Press.tsx'
import { COLOURS } from '@/ui/theme.ts'
import { useMatchFiles, useShownMatch } from '../match/matchData.ts'
import { useNeeds } from '../mattes/needs.ts'
import { usePlateFiles } from '../plate/plateFiles.ts'
import { useShared } from '../shot/sharing.ts'
import { useShot } from '../shot/shotStore.ts'
import { type StripRow, stripRows } from './rows.ts'

const ROW = 25
const RULER = 28
const INSET = 14

/** Frames that were checked: as tall as they are off, rust beyond the limit. */
function drawChecks(
  context: CanvasRenderingContext2D,
  values: ReadonlyMap<number, number>,
  top: number,
  x: (frame: number) => number,
): void {
  for (const [frame, off] of values) {
    const tall = Math.max(2, Math.min(18, 9 * off))
    context.fillStyle = off > 1 ? COLOURS.wrong : COLOURS.fact
    context.fillRect(x(frame) - 2, top + 21 - tall, 4, tall)
  }
}

function drawRow(
  context: CanvasRenderingContext2D,
  row: StripRow,
  top: number,
  x: (frame: number) => number,
  step: number,
  first: number,
  last: number,
): void {
  if (row.kind === 'curve') {
    const path = new Path2D()
    let begun = false
    for (let frame = first; frame <= last; frame++) {
      const value = row.values.get(frame)
      if (value === undefined) continue
      const y = top + 21 - (18 * (value - (row.bottom ?? 0))) / (row.top - (row.bottom ?? 0))
      if (begun) path.lineTo(x(frame), y)
      else path.moveTo(x(frame), y)
      begun = true
    }
    context.strokeStyle = row.added ? COLOURS.lamp : COLOURS.fact
    context.lineWidth = 1.3
    context.stroke(path)
    return
  }
  if (row.kind === 'check') return drawChecks(context, row.values, top, x)
  let next = first
  while (row.kept.has(next)) next++
  for (let frame = first; frame <= last; frame++) {
    const left = x(frame) - step / 2 + Math.min(0.7, step * 0.1)
    const wide = Math.max(0.6, step - Math.min(1.4, step * 0.2))
    context.fillStyle = row.kept.has(frame) ? '#9a9a9a' : row.running && frame === next ? COLOURS.lamp : '#303030'
    context.fillRect(left, top + 6, wide, 11)
    if (row.stale.has(frame)) {
      context.strokeStyle = '#9a9a9a'
      context.lineWidth = 1
      context.beginPath()
      for (let d = 0; d < wide + 11; d += 4) {
        context.moveTo(left + Math.max(0, d - 11), top + 6 + Math.min(d, 11))
        context.lineTo(left + Math.min(d, wide), top + 6 + Math.max(0, d - wide))
      }
      context.stroke()
    }
  }
}

/** The strip's measures: px, and frames of the plate. */
interface StripScale {
  width: number
  height: number
  first: number
  last: number
  /** px a frame. */
  step: number
  x: (frame: number) => number
  loop: readonly [number, number]
  frame: number
}

function drawStrip(
  context: CanvasRenderingContext2D,
  rows: readonly StripRow[],
  { width, height, first, last, step, x, loop, frame }: StripScale,
): void {
  context.fillStyle = COLOURS.panel
  context.fillRect(0, 0, width, height)
  context.font = '10px var(--font-number), monospace'
  context.fillStyle = '#343434'
  if (loop[0] > first || loop[1] < last)
    context.fillRect(x(loop[0]) - step / 2, 0, x(loop[1]) - x(loop[0]) + step, RULER - 2)
  const every = Math.max(1, Math.ceil(60 / step / 10) * 10)
  for (let at = first; at <= last; at++) {
    const big = at === first || at % every === 0
    if (!big && step < 4) continue
    context.fillStyle = big ? COLOURS.faint : COLOURS.line
    context.fillRect(x(at), big ? 14 : 20, 1, big ? 10 : 4)
    if (big && (at === first || at - first > 30 / step)) {
      // The last number stands before its mark where it would leave the strip.
      const wide = context.measureText(String(at)).width
      context.fillText(String(at), x(at) + 3 + wide > width ? x(at) - 3 - wide : x(at) + 3, 16)
    }
  }
  rows.forEach((row, n) => {
    context.fillStyle = COLOURS.hair
    context.fillRect(0, RULER + n * ROW - 1, width, 1)
    drawRow(context, row, RULER + n * ROW, x, step, first, last)
  })
  context.fillStyle = COLOURS.text
  context.fillRect(x(frame), 0, 1, height)
  context.beginPath()
  context.moveTo(x(frame) - 5, 0)
  context.lineTo(x(frame) + 5, 0)
  context.lineTo(x(frame), 6)
  context.fill()
}

/** The rows' names, and what they are at the shown frame. */
const RowNames = memo(function RowNames({ rows }: { rows: readonly StripRow[] }) {
  return rows.map((row) => (
    <Flex
      key={`${row.kind}${row.name}`}
      height={`${ROW}px`}
      align="center"
      justify="space-between"
      paddingX="14px"
      gap="6px"
      data-row={row.name}
    >
      <Box truncate>{row.name}</Box>
      <span className="num" style={{ color: COLOURS.soft, whiteSpace: 'nowrap' }}>
        {row.figure}
      </span>
    </Flex>
  ))
})

/** The strip: the frame axis with a row per signal and per kept result. Dragging scrubs; with Shift it sets the loop. */
export function Strip() {
  const state = useShot()
  const { shot, frame, playing, loop, set, moveTo } = state
  const canvas = useRef<HTMLCanvasElement>(null)
  const [width, setWidth] = useState(1072)
  const place = useRef<HTMLDivElement>(null)
  const loopFrom = useRef<number>(undefined)
  useEffect(() => {
    if (!place.current) return
    const watch = new ResizeObserver(([entry]) => entry && setWidth(Math.floor(entry.contentRect.width)))
    watch.observe(place.current)
    return () => watch.disconnect()
  }, [])
  // Rows of mattes are told by what they are needed for.
  useNeeds()
  const rows = useShared(stripRows(state, useShownMatch(), { ...usePlateFiles(), ...useMatchFiles() }))
  const first = shot?.document.plate.first ?? 0
  const last = shot?.document.plate.last ?? 1
  const step = (width - INSET * 2 - 14) / Math.max(1, last - first)
  const height = Math.max(186, RULER + rows.length * ROW)
  useEffect(() => {
    const context = canvas.current?.getContext('2d')
    if (!context || !canvas.current) return
    const ratio = window.devicePixelRatio || 1
    canvas.current.width = width * ratio
    canvas.current.height = height * ratio
    context.setTransform(ratio, 0, 0, ratio, 0, 0)
    const x = (at: number): number => INSET + (at - first) * step
    drawStrip(context, rows, { width, height, first, last, step, x, loop, frame })
  }, [rows, width, height, first, last, step, loop, frame])
  if (!shot) return null
  const rate = shot.document.plate.rate[0] / shot.document.plate.rate[1]
  const frameAt = (event: React.PointerEvent): number => {
    const box = canvas.current?.getBoundingClientRect()
    return Math.min(last, Math.max(first, Math.round(first + (event.clientX - (box?.left ?? 0) - INSET) / step)))
  }
  return (
    <Box
      as="section"
      aria-label="Strip"
      display="grid"
      gridTemplateColumns="208px minmax(0, 1fr)"
      background="panel"
      borderTopWidth="1px"
      borderColor="line"
      height="100%"
      overflowY="auto"
    >
      <Box borderRightWidth="1px" borderColor="line">
        <Flex className="num" gap="8px" align="center" height={`${RULER - 1}px`} paddingX="12px">
          <Press plain aria-label={playing ? 'Stop' : 'Play'} onClick={() => set({ playing: playing ? 0 : 1 })}>
            {playing ? '■' : '▶'}
          </Press>
          <span data-frame>{frame}</span>
          <span style={{ color: COLOURS.faint }}>{rate.toFixed(rate % 1 ? 3 : 1)}/s</span>
          {(loop[0] > first || loop[1] < last) && (
            <Press plain onClick={() => set({ loop: [first, last] })} title="Loop the whole plate again">
              {loop[0]}–{loop[1]}
            </Press>
          )}
        </Flex>
        <RowNames rows={rows} />
      </Box>
      <Box ref={place} minWidth="0">
        <canvas
          ref={canvas}
          role="slider"
          tabIndex={0}
          aria-label="Frame"
          aria-valuemin={first}
          aria-valuemax={last}
          aria-valuenow={frame}
          style={{ width, height, display: 'block', touchAction: 'none' }}
          onPointerDown={(event) => {
            event.currentTarget.setPointerCapture(event.pointerId)
            const at = frameAt(event)
            if (event.shiftKey) loopFrom.current = at
            else moveTo(at)
          }}
          onPointerMove={(event) => {
            if (!(event.buttons & 1)) return
            const at = frameAt(event)
            if (loopFrom.current !== undefined)
              set({ loop: [Math.min(at, loopFrom.current), Math.max(at, loopFrom.current)] })
            else moveTo(at)
          }}
          onPointerUp={() => (loopFrom.current = undefined)}
        />
      </Box>
    </Box>
  )
}
