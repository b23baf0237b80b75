'use client'
import { conjugate, rotate, type Vec3 } from '@lantern/core/math'
import { isFlat, isPiece } from '@lantern/core/set'
import { itemsInOrder } from '@lantern/core/settings'
import { itemAt } from '@lantern/core/shot'
import { useEffect, useRef, useState } from 'react'
import { COLOURS } from '@/ui/theme.ts'
import { placed } from '../effects/placing.ts'
import { viewOf } from '../items/index.ts'
import { cornersOf } from '../picture/lines.ts'
import { cameraNow, useShot } from '../shot/shotStore.ts'

const TICKS = [1, 2, 4, 8, 16, 32, 64] as const
const NEAR = 0.7
const FAR = 90

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
  const y = (metres: number): number =>
    height - 26 - ((height - 48) * Math.log(Math.min(FAR, Math.max(NEAR, metres)) / NEAR)) / Math.log(FAR / NEAR)
  const depthOf = (p: Vec3): number =>
    camera
      ? -rotate(conjugate(camera.rotation), [
          p[0] - camera.position[0],
          p[1] - camera.position[1],
          p[2] - camera.position[2],
        ])[2]
      : 0
  const bars =
    !shot || !camera
      ? []
      : itemsInOrder(shot.document)
          .filter(([, item]) => item.shown && !(isPiece(item) && isFlat(item)))
          .map(([id, still], n) => {
            const item = itemAt(shot.document, still, frame)
            const r = viewOf(item).radius(item)
            const depths = isPiece(item)
              ? cornersOf(item).map(depthOf)
              : [depthOf(item.position) - r, depthOf(item.position) + r]
            return { id, item, near: Math.min(...depths), far: Math.max(...depths), x: 25 + (n % 4) * 5 }
          })
  const moved = (event: React.PointerEvent): { id: string; position: number[] } | undefined => {
    const move = drag.current
    if (!move || !camera) return undefined
    const depth = move.depth * (FAR / NEAR) ** ((move.y - event.clientY) / (height - 48))
    const forward = rotate(camera.rotation, [0, 0, -1])
    const flat = Math.hypot(forward[0], forward[2]) || 1
    const by = depth - move.depth
    return {
      id: move.id,
      position: [
        move.position[0] + (forward[0] / flat) * by,
        move.position[1],
        move.position[2] + (forward[2] / flat) * by,
      ].map((v) => Math.round(v * 1000) / 1000),
    }
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
        width: 46,
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
      <svg width="46" height={height} aria-hidden style={{ display: 'block' }}>
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
              height={Math.max(4, y(Math.max(NEAR, near)) - y(far))}
              fill={id === chosen ? COLOURS.text : isPiece(item) ? COLOURS.faint : COLOURS.lamp}
              style={{ cursor: 'ns-resize' }}
              onPointerDown={(event) => {
                set({ chosen: id })
                if (item.locked) return
                drag.current = { id, y: event.clientY, position: item.position, depth: depthOf(item.position) }
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
