'use client'
import type { Camera } from '@lantern/core/data'
import { pickLevel, pickSurface } from '@lantern/core/pipeline'
import { isFlat, isPiece } from '@lantern/core/set'
import { itemsInOrder } from '@lantern/core/settings'
import { itemAt, kindInfo, type ShotItem } from '@lantern/core/shot'
import { useEffect, useState } from 'react'
import { COLOURS } from '@/ui/theme.ts'
import { finishBreakTool } from '../effects/breaking/tools.ts'
import { drawsBy, finishDrawing, footHit, placeAt, pointsWanted } from '../effects/placing.ts'
import { viewOf } from '../items/index.ts'
import { SunLines } from '../light/SunLines.tsx'
import { finishLightTool } from '../light/tools.ts'
import { Proofs } from '../match/overlay/Proofs.tsx'
import { cutAlong } from '../set/trim.ts'
import { useShot, useShotParts } from '../shot/shotStore.ts'
import { inputsNow } from '../shot/world.ts'
import { cameraGlyph, gridPath, segmentPath } from './lines.ts'
import { Extras, Points } from './OverlayExtras.tsx'
import { PlateLayer, type Press } from './PlateLayer.tsx'
import { draggedTo, HANDLE_HALF, type HandleDrag, handleAt, handlesOf, regionOf, wallBetween } from './setTool.ts'

type Point = readonly [number, number]
type Drag = HandleDrag | { kind: 'box' | 'region'; start: Point }

/** Frames between the cameras drawn along a path seen from outside. */
const GLYPH_EVERY = 8

/** Joins placing, drawing and dragging in the set to the screen. */
function useSetHand(camera: Camera, items: readonly (readonly [string, ShotItem])[]) {
  const { shot, station, chosen, tool, set, edit, preview, frame } = useShotParts(
    'shot',
    'station',
    'chosen',
    'tool',
    'set',
    'edit',
    'preview',
    'frame',
  )
  const [drag, setDrag] = useState<Drag>()
  const [band, setBand] = useState<{ from: Point; to: Point }>()
  const [drawn, setDrawn] = useState<readonly Point[]>([])
  const way = drawsBy(tool)
  // biome-ignore lint/correctness/useExhaustiveDependencies: another tool begins anew
  useEffect(() => setDrawn([]), [tool])
  const putWall = (from: Point, to: Point): void => {
    setBand(undefined)
    const wall = shot && wallBetween(shot.document, camera, from, to)
    if (wall === undefined)
      return set({ message: { text: 'Draw the wall’s foot on the ground, below the horizon.', good: false } })
    if (!wall) return
    const made = `box-${crypto.randomUUID().slice(0, 6)}`
    edit({ items: { [made]: wall } })
    set({ chosen: made, tool: 'choose' })
  }
  const takePoint = (point: Point): void => {
    const all = [...drawn, point]
    if (all.length < pointsWanted(tool)) return setDrawn(all)
    setDrawn([])
    if (tool === 'trim') cutAlong(camera, all)
    else if (tool === 'cut' || tool === 'brick') finishBreakTool(camera, tool, all)
    else finishLightTool(camera, tool, all)
  }
  const takeCorner = ({ at, reach }: Press): void => {
    const [start] = drawn
    const closes = start && drawn.length > 2 && way === 'area'
    if (closes && Math.hypot(start[0] - at[0], start[1] - at[1]) < reach) finishDrawing(camera, tool, drawn)
    else setDrawn([...drawn, at])
  }
  const choose = (at: Point): void => {
    if (!shot) return
    const hit = pickSurface(shot.document, camera, at[0], at[1], frame)
    const near = items.find(
      ([, one]) => kindInfo(one).station !== 'Set' && one.shown && footHit(camera, one, at, (26 * camera.width) / 720),
    )
    const found = near?.[0] ?? hit?.item
    if (found && (station === 'Set' || station === 'Effects' || (station === 'Light' && near))) set({ chosen: found })
  }
  const down = (press: Press): void => {
    const { at } = press
    const item = items.find(([key]) => key === chosen)?.[1]
    const handle = tool === 'choose' && item && !item.locked ? handleAt(camera, item, at) : undefined
    if (handle && item) setDrag({ kind: handle.kind, id: chosen, start: at, item })
    else if (way === 'click') placeAt(camera, tool, at)
    else if (way === 'points') takePoint(at)
    else if (way) takeCorner(press)
    else if (tool === 'box' || tool === 'region') setDrag({ kind: tool, start: at })
    else if (station !== 'Sit') choose(at)
  }
  const changed = (move: HandleDrag, at: Point): Record<string, unknown> | undefined => {
    const change = shot && draggedTo(shot.document, camera, move, at, frame)
    return change && { items: { [move.id]: change } }
  }
  const move = ({ at }: Press): void => {
    if (!drag) return
    if ('id' in drag) {
      const change = changed(drag, at)
      if (change) preview(change)
    } else if (drag.kind === 'region') set({ region: regionOf(camera, drag.start, at) })
    else setBand({ from: drag.start, to: at })
  }
  const up = ({ at }: Press): void => {
    setDrag(undefined)
    if (!drag) return
    if ('id' in drag) {
      const change = changed(drag, at)
      if (change) edit(change)
    } else if (drag.kind === 'region') set({ tool: 'choose', region: regionOf(camera, drag.start, at) })
    else putWall(drag.start, at)
  }
  const keyed = (key: string): boolean => {
    if ((way !== 'line' && way !== 'area') || drawn.length === 0) return false
    if (key === 'Enter') finishDrawing(camera, tool, drawn)
    else if (key === 'Backspace') setDrawn(drawn.slice(0, -1))
    return key === 'Enter' || key === 'Backspace'
  }
  const twice = (): void => {
    if (way === 'line' && drawn.length > 2) finishDrawing(camera, tool, drawn.slice(0, -1))
  }
  return { way, drawn, band, steps: { down, move, up, keyed, twice } }
}

/** Lines and handles over a picture, in plate pixels, through `camera`. `outside`: seen from elsewhere, with the shot's camera drawn. */
export function Overlay({ camera, path, outside }: { camera: Camera; path?: readonly Camera[]; outside?: boolean }) {
  const state = useShot()
  const { shot, station, chosen, tool, frame } = state
  const inputs = inputsNow(state)
  const document = shot?.document
  const items = document
    ? itemsInOrder(document).map(([key, one]): [string, ShotItem] => [key, itemAt(document, one, frame, inputs)])
    : []
  const { way, drawn, band, steps } = useSetHand(camera, items)
  if (!document) return null
  const { width, height } = camera
  const unit = width / 720
  const showsGrid =
    outside || (station === 'Match' && document.camera.kind === 'typed') || station === 'Set' || tool !== 'choose'
  const item = items.find(([key]) => key === chosen)?.[1]
  const handles = item && tool === 'choose' ? handlesOf(camera, item) : []
  const half = HANDLE_HALF * unit
  return (
    <PlateLayer
      name={outside ? 'outside' : 'camera'}
      width={width}
      height={height}
      drawing={tool !== 'choose'}
      {...steps}
    >
      {showsGrid && (
        <path
          d={gridPath(camera, 0)}
          fill="none"
          stroke="#d8d8d8"
          strokeOpacity={outside ? 0.25 : 0.4}
          strokeWidth={unit * 0.8}
        />
      )}
      {outside && path && (
        <path
          d={path
            .filter((_, n) => n % GLYPH_EVERY === 0)
            .map((one) => cameraGlyph(camera, one, 0.25))
            .join('')}
          fill="none"
          stroke={COLOURS.faint}
          strokeWidth={unit * 0.7}
        />
      )}
      {outside && path?.[frame - document.plate.first] && (
        <path
          d={cameraGlyph(camera, path[frame - document.plate.first] as Camera, 0.9)}
          fill="none"
          stroke={COLOURS.text}
          strokeWidth={unit * 1.2}
        />
      )}
      {outside && <Points camera={camera} unit={unit} />}
      {outside && station === 'Match' && <Proofs camera={camera} unit={unit} />}
      {items.map(([key, one]) => {
        const on = key === chosen
        const effect = kindInfo(one).station !== 'Set'
        const wanted = outside || on || station === kindInfo(one).station
        if (!wanted || !one.shown || (isPiece(one) && isFlat(one) && !on && !outside)) return null
        return (
          <g
            key={key}
            data-outline={key}
            fill="none"
            stroke={effect ? COLOURS.lamp : COLOURS.text}
            strokeOpacity={on ? 1 : 0.55}
            strokeWidth={unit * (on ? 1.6 : 1)}
          >
            <path
              d={viewOf(one).outline(camera, one)}
              strokeDasharray={effect ? `${4 * unit} ${3 * unit}` : undefined}
            />
            <Extras
              camera={camera}
              id={key}
              item={document.items[key] ?? one}
              unit={unit}
              outside={outside === true}
              on={on}
            />
          </g>
        )
      })}
      {!outside && station === 'Light' && <SunLines unit={unit} />}
      {drawn.length > 0 && (
        <path
          data-drawing
          d={`M${drawn.map(([x, y]) => `${x.toFixed(1)} ${y.toFixed(1)}`).join('L')}${way === 'area' && drawn.length > 2 ? 'Z' : ''}`}
          fill={way === 'area' ? `${COLOURS.lamp}22` : 'none'}
          stroke={COLOURS.lamp}
          strokeWidth={unit * 1.5}
        />
      )}
      {drawn.map(([x, y]) => (
        <rect
          key={`${x},${y}`}
          x={x - 2.5 * unit}
          y={y - 2.5 * unit}
          width={5 * unit}
          height={5 * unit}
          fill={COLOURS.lamp}
        />
      ))}
      {band &&
        (() => {
          const [a, b] = [pickLevel(camera, ...band.from, 0), pickLevel(camera, ...band.to, 0)]
          return a && b ? (
            <path d={segmentPath(camera, a, b, 24)} stroke={COLOURS.text} strokeWidth={unit * 2} fill="none" />
          ) : (
            <line
              x1={band.from[0]}
              y1={band.from[1]}
              x2={band.to[0]}
              y2={band.to[1]}
              stroke={COLOURS.wrong}
              strokeWidth={unit * 1.5}
            />
          )
        })()}
      {state.region && !outside && (
        <rect
          data-region
          x={state.region.x * width}
          y={state.region.y * height}
          width={state.region.width * width}
          height={state.region.height * height}
          fill="none"
          stroke={COLOURS.lamp}
          strokeWidth={1.4 * unit}
        />
      )}
      {handles.map(({ kind, at: [x, y], label }) => (
        <rect
          key={kind}
          data-handle={kind}
          aria-label={label}
          x={x - half}
          y={y - half}
          width={2 * half}
          height={2 * half}
          fill={COLOURS.floor}
          stroke={COLOURS.text}
          strokeWidth={1.5 * unit}
          style={{ cursor: kind === 'height' ? 'ns-resize' : 'move' }}
        >
          <title>{label}</title>
        </rect>
      ))}
    </PlateLayer>
  )
}
