'use client'
import type { Vec3 } from '@lantern/core/math'
import { isPiece } from '@lantern/core/set'
import { useEffect, useRef, useState } from 'react'
import { COLOURS } from '@/ui/theme.ts'
import { placed } from '../effects/placing.ts'
import { cameraNow, useShot } from '../shot/shotStore.ts'
import { depthBars, depthOf, draggedDepth, heightOf, movedInDepth } from './depths.ts'

const TICKS = [1, 2, 4, 8, 16, 32, 64] as const

/** The depth rail: how far from the camera each thing begins and ends at this frame, in metres on a logarithmic scale. Dragging a bar moves its thing along the view. */
export function DepthRail() {
  const state = useShot()
  const { shot, frame, chosen, set, edit, preview } = state
  const place = useRef<HTMLDivElement>(null)
  const [height, setHeight] = useState(400)
  const drag = useRef<{ id: string; y: number; position: Vec3; depth: number }>(undefined)
  const camera = cameraNow(state, frame)
  useEffect(() => {
    if (!place.current) return
    const watch = new ResizeObserver(([entry]) => entry && setHeight(entry.contentRect.height))
    watch.observe(place.current)
    return () => watch.disconnect()
  }, [])
  const y = (metres: number): number => heightOf(metres, height)
  const bars = shot && camera ? depthBars(shot.document, camera, frame) : []
  const moved = (event: React.PointerEvent): { id: string; position: number[] } | undefined => {
    const move = drag.current
    if (!move || !camera) return undefined
    const depth = draggedDepth(move.depth, move.y - event.clientY, height)
    return { id: move.id, position: movedInDepth(camera, move.position, depth - move.depth) }
  }
  const change = (to: { id: string; position: number[] }): Record<string, unknown> => {
    const item = shot?.document.items[to.id]
    return item ? placed(item, { position: to.position as [number, number, number] }, frame) : {}
  }
  return (
    <div
      ref={place}
      aria-label="Depth rail"
      role="toolbar"
      style={{
        width: 34,
        flex: 'none',
        background: COLOURS.panel,
        borderRight: `1px solid ${COLOURS.hair}`,
        touchAction: 'none',
      }}
      onPointerMove={(event) => {
        const to = moved(event)
        if (to) preview({ items: { [to.id]: change(to) } })
      }}
      onPointerUp={(event) => {
        const to = moved(event)
        drag.current = undefined
        if (to) edit({ items: { [to.id]: change(to) } })
      }}
    >
      <svg width="34" height={height} aria-hidden style={{ display: 'block' }}>
        {TICKS.map((m) => (
          <g key={m}>
            <line x1="0" x2="6" y1={y(m)} y2={y(m)} stroke={COLOURS.faint} />
            <text x="8" y={y(m) + 3.5} fill={COLOURS.faint} style={{ fontFamily: 'var(--font-number)', fontSize: 9.5 }}>
              {m}
            </text>
          </g>
        ))}
        <text x="4" y={height - 8} fill={COLOURS.faint} style={{ fontSize: 9.5 }}>
          metres
        </text>
        {bars
          .filter((bar) => bar.far > 0)
          .map(({ id, item, near, far, x }) => (
            <rect
              key={id}
              x={x}
              y={y(far)}
              width={id === chosen ? 5 : 3}
              height={Math.max(4, y(near) - y(far))}
              fill={id === chosen ? COLOURS.text : isPiece(item) ? COLOURS.faint : COLOURS.lamp}
              style={{ cursor: 'ns-resize' }}
              onPointerDown={(event) => {
                set({ chosen: id })
                if (item.locked || !camera) return
                drag.current = { id, y: event.clientY, position: item.position, depth: depthOf(camera, item.position) }
                place.current?.setPointerCapture(event.pointerId)
              }}
            >
              <title>{`${item.name}: ${near.toFixed(1)} to ${far.toFixed(1)} m`}</title>
            </rect>
          ))}
      </svg>
    </div>
  )
}
