'use client'
import { useState } from 'react'
import { COLOURS } from '@/ui/theme.ts'
import { cornersPath } from '../match/exclusionMasks.ts'
import { PlateLayer, type Press } from '../picture/PlateLayer.tsx'
import { useShot } from '../shot/shotStore.ts'
import { boxOf, holds, movedArea } from './areaHand.ts'
import { areaNow } from './checkStore.ts'
import { takeHaze } from './haze.ts'

type Corner = readonly [number, number]
type Drag = { kind: 'draw'; start: Corner; to: Corner } | { kind: 'move'; start: Corner; corners: Corner[]; to: Corner }

/** The area beside the effect, over the picture: drawn by a drag, moved by a drag. */
export function AreaOverlay({ frame, passive }: { frame: number; passive?: boolean }) {
  const state = useShot()
  const { shot, tool, set, edit, chosen } = state
  const [drag, setDrag] = useState<Drag>()
  if (!shot) return null
  const { width, height } = shot.document.plate
  const layer = /^layer\./.test(chosen) ? chosen.slice(6) : undefined
  const corners = areaNow(state, frame, layer)
  const drawing = tool === 'sit-area'
  const hazes = /^haze-/.test(tool)
  const down = ({ at }: Press): void => {
    if (hazes) void takeHaze(at)
    else if (drawing) setDrag({ kind: 'draw', start: at, to: at })
    else if (corners && holds(corners, at)) setDrag({ kind: 'move', start: at, corners, to: at })
  }
  const now =
    drag?.kind === 'draw' ? boxOf(drag.start, drag.to) : drag ? movedArea(drag.corners, drag.start, drag.to) : corners
  const up = (): void => {
    setDrag(undefined)
    if (!drag || !now) return
    const far = Math.hypot(drag.to[0] - drag.start[0], drag.to[1] - drag.start[1])
    if (far < 3) return
    const area = { frame, corners: now }
    edit({ sit: layer === undefined ? { area } : { layers: { [layer]: { area } } } })
    if (drawing) set({ tool: 'choose' })
  }
  const unit = width / 720
  return (
    <PlateLayer
      name={passive ? 'sit-passive' : 'sit'}
      width={width}
      height={height}
      drawing={drawing || hazes}
      passive={passive || (!drawing && !hazes && !corners)}
      down={down}
      move={({ at }) => drag && setDrag({ ...drag, to: at })}
      up={up}
    >
      {now && (
        <g data-area>
          <path
            d={cornersPath(now)}
            stroke={COLOURS.fact}
            strokeWidth={1.3 * unit}
            fill={COLOURS.fact}
            fillOpacity={0.06}
          />
          <text
            x={(now[0]?.[0] ?? 0) + 4 * unit}
            y={(now[0]?.[1] ?? 0) + 11 * unit}
            fill={COLOURS.fact}
            style={{ fontSize: 9.5 * unit }}
          >
            beside
          </text>
        </g>
      )}
    </PlateLayer>
  )
}
