'use client'
import { type Camera, projectPoint } from '@lantern/core/data'
import { isMatte } from '@lantern/core/mattes'
import { pickLevel, pickSurface } from '@lantern/core/pipeline'
import { isBox, isFlat, isForm, isLamp, isPiece, isThing, sizeOf, thingSize } from '@lantern/core/set'
import { itemsInOrder } from '@lantern/core/settings'
import { itemAt, kindInfo, makeItem, type ShotItem } from '@lantern/core/shot'
import { type PointerEvent, useEffect, useRef, useState } from 'react'
import { COLOURS } from '@/ui/theme.ts'
import { drawsBy, finishDrawing, footHit, placeAt, placed, pointsWanted } from '../effects/placing.ts'
import { viewOf } from '../items/index.ts'
import { draggedLamp } from '../light/lamps.ts'
import { SunLines } from '../light/SunLines.tsx'
import { finishLightTool } from '../light/tools.ts'
import { Proofs } from '../match/overlay/Proofs.tsx'
import { cutAlong } from '../set/trim.ts'
import { type ShotState, useShot } from '../shot/shotStore.ts'
import { inputsNow } from '../shot/world.ts'
import { cameraGlyph, gridPath, segmentPath } from './lines.ts'
import { Extras, Points } from './OverlayExtras.tsx'

type Point = readonly [number, number]
type HandleKind = 'move' | 'height' | 'turn' | 'aim'
interface HandleDrag {
  kind: HandleKind
  id: string
  start: Point
  item: ShotItem
}
type Drag = HandleDrag | { kind: 'box' | 'region'; start: Point }

const WALL = { height: 2.5, depth: 0.3 } as const
const LEAST_WALL = 0.2
/** Frames between the cameras drawn along a path seen from outside. */
const GLYPH_EVERY = 8

/** The part of the picture between two places; undefined where it is too small to be meant. */
function regionOf({ width, height }: Camera, from: Point, to: Point): ShotState['region'] {
  const [x, y] = [Math.max(0, Math.min(from[0], to[0]) / width), Math.max(0, Math.min(from[1], to[1]) / height)]
  const [right, bottom] = [
    Math.min(1, Math.max(from[0], to[0]) / width),
    Math.min(1, Math.max(from[1], to[1]) / height),
  ]
  return right - x < 0.01 || bottom - y < 0.01 ? undefined : { x, y, width: right - x, height: bottom - y }
}

/** Lines and handles over a picture, in plate pixels, through `camera`. `outside`: seen from elsewhere, with the shot's camera drawn. */
export function Overlay({ camera, path, outside }: { camera: Camera; path?: readonly Camera[]; outside?: boolean }) {
  const state = useShot()
  const { shot, station, chosen, tool, set, edit, preview, frame } = state
  const svg = useRef<SVGSVGElement>(null)
  const drag = useRef<Drag>(undefined)
  const [band, setBand] = useState<{ from: Point; to: Point }>()
  const [drawn, setDrawn] = useState<readonly Point[]>([])
  const way = drawsBy(tool)
  // biome-ignore lint/correctness/useExhaustiveDependencies: another tool begins anew
  useEffect(() => setDrawn([]), [tool])
  useEffect(() => {
    if ((way !== 'line' && way !== 'area') || drawn.length === 0) return
    const press = (event: KeyboardEvent): void => {
      if (event.key === 'Enter') finishDrawing(camera, tool, drawn)
      else if (event.key === 'Backspace') setDrawn(drawn.slice(0, -1))
    }
    window.addEventListener('keydown', press)
    return () => window.removeEventListener('keydown', press)
  })
  if (!shot) return null
  const { document } = shot
  const { width, height } = camera
  const unit = width / 720
  const at = (event: PointerEvent): Point => {
    const box = svg.current?.getBoundingClientRect()
    return box
      ? [((event.clientX - box.left) / box.width) * width, ((event.clientY - box.top) / box.height) * height]
      : [0, 0]
  }
  const groundAt = ([x, y]: Point, level = 0) => pickLevel(camera, x, y, level)
  const inputs = inputsNow(state)
  const items = itemsInOrder(document).map(([key, one]): [string, ShotItem] => [
    key,
    itemAt(document, one, frame, inputs),
  ])
  const showsGrid =
    outside || (station === 'Match' && document.camera.kind === 'typed') || station === 'Set' || tool !== 'choose'
  const id = chosen
  const item = items.find(([key]) => key === id)?.[1]

  const finishBox = (from: Point, to: Point): void => {
    const [a, b] = [groundAt(from), groundAt(to)]
    setBand(undefined)
    if (!a || !b)
      return set({ message: { text: 'Draw the wall’s foot on the ground, below the horizon.', good: false } })
    const wide = Math.hypot(b[0] - a[0], b[2] - a[2])
    if (wide < LEAST_WALL) return
    const made = `box-${crypto.randomUUID().slice(0, 6)}`
    const turn = (-Math.atan2(b[2] - a[2], b[0] - a[0]) * 180) / Math.PI
    const round = (v: number): number => Math.round(v * 1000) / 1000
    edit({
      items: {
        [made]: makeItem('box', {
          name: `Wall ${items.filter(([, one]) => isBox(one)).length + 1}`,
          order: items.length + 1,
          position: [round((a[0] + b[0]) / 2), 0, round((a[2] + b[2]) / 2)],
          width: round(wide),
          turn: round(turn),
          ...WALL,
        }),
      },
    })
    set({ chosen: made, tool: 'choose' })
  }
  const changeFor = (move: HandleDrag, point: Point): Record<string, unknown> | undefined => {
    const { item: before, start } = move
    const level = before.position[1]
    if (move.kind === 'height' && (isBox(before) || isForm(before))) {
      const foot = projectPoint(camera, before.position)
      if (!foot) return undefined
      return {
        height: Math.max(
          0.05,
          Math.round((before.height + ((start[1] - point[1]) * foot.depth) / camera.focalPx) * 100) / 100,
        ),
      }
    }
    if (isLamp(before)) {
      const change = draggedLamp(document, camera, before, move.kind, start, point, frame)
      if (change) return placed(before, change, frame)
    }
    if (move.kind === 'height' && isThing(before)) {
      const foot = projectPoint(camera, before.position)
      const tall = Math.max(0.01, thingSize(before)[1])
      if (!foot) return undefined
      const grown = 1 + ((start[1] - point[1]) * foot.depth) / camera.focalPx / tall
      return { scale: Math.min(1e4, Math.max(1e-4, Number((before.scale * Math.max(0.02, grown)).toPrecision(4)))) }
    }
    const [a, b] = [groundAt(start, level), groundAt(point, level)]
    if (!a || !b) return undefined
    if (move.kind === 'turn' && (isPiece(before) || isThing(before))) {
      const angle = (p: readonly [number, number, number]): number =>
        Math.atan2(p[2] - before.position[2], p[0] - before.position[0])
      return placed(
        before,
        { turn: Math.round((before.turn - ((angle(b) - angle(a)) * 180) / Math.PI) * 10) / 10 },
        frame,
      )
    }
    return placed(
      before,
      {
        position: [
          Math.round((before.position[0] + b[0] - a[0]) * 1000) / 1000,
          level,
          Math.round((before.position[2] + b[2] - a[2]) * 1000) / 1000,
        ],
      },
      frame,
    )
  }
  const handle = (kind: HandleKind, x: number, y: number, label: string) => (
    <rect
      key={kind}
      data-handle={kind}
      aria-label={label}
      x={x - 5 * unit}
      y={y - 5 * unit}
      width={10 * unit}
      height={10 * unit}
      fill={COLOURS.floor}
      stroke={COLOURS.text}
      strokeWidth={1.5 * unit}
      style={{ cursor: kind === 'height' ? 'ns-resize' : 'move', pointerEvents: 'all' }}
      onPointerDown={(event) => {
        if (!item || item.locked) return
        event.stopPropagation()
        drag.current = { kind, id, start: at(event), item }
        svg.current?.setPointerCapture(event.pointerId)
      }}
    >
      <title>{label}</title>
    </rect>
  )
  const handles = (): React.ReactNode => {
    // Only a matte that stands at a place has one.
    if (!item || tool !== 'choose' || (isMatte(item) && item.stands !== 'place')) return null
    const foot = projectPoint(camera, item.position)
    if (!foot) return null
    const list = [handle('move', foot.x, foot.y, `Move ${item.name}`)]
    if (isLamp(item)) {
      list.push(handle('height', foot.x, foot.y - 26 * unit, `Height of ${item.name}`))
      const aim = item.shape === 'point' ? undefined : projectPoint(camera, item.aim)
      if (aim) list.push(handle('aim', aim.x, aim.y, `Aim of ${item.name}`))
    }
    if (isBox(item) || isForm(item) || isThing(item)) {
      const [wide, tall] = isThing(item) ? thingSize(item) : sizeOf(item)
      const top = projectPoint(camera, [item.position[0], item.position[1] + tall, item.position[2]])
      if (top) list.push(handle('height', top.x, top.y, `${isThing(item) ? 'Size' : 'Height'} of ${item.name}`))
      const angle = (-item.turn * Math.PI) / 180
      const side = projectPoint(camera, [
        item.position[0] + (Math.cos(angle) * wide) / 2,
        item.position[1],
        item.position[2] + (Math.sin(angle) * wide) / 2,
      ])
      if (side) list.push(handle('turn', side.x, side.y, `Turn ${item.name}`))
    }
    return list
  }
  return (
    <svg
      ref={svg}
      viewBox={`0 0 ${width} ${height}`}
      preserveAspectRatio="none"
      aria-hidden
      data-overlay={outside ? 'outside' : 'camera'}
      style={{
        position: 'absolute',
        inset: 0,
        width: '100%',
        height: '100%',
        cursor: tool === 'choose' ? 'default' : 'crosshair',
        touchAction: 'none',
        overflow: 'hidden',
      }}
      onDoubleClick={() => {
        if (way === 'line' && drawn.length > 2) finishDrawing(camera, tool, drawn.slice(0, -1))
      }}
      onPointerDown={(event) => {
        if (event.button !== 0) return
        const point = at(event)
        if (way === 'click') placeAt(camera, tool, point)
        else if (way === 'points') {
          const all = [...drawn, point]
          setDrawn(all.length < pointsWanted(tool) ? all : [])
          if (all.length === pointsWanted(tool))
            tool === 'trim' ? cutAlong(camera, all) : finishLightTool(camera, tool, all)
        } else if (way) {
          const [start] = drawn
          if (
            start &&
            drawn.length > 2 &&
            way === 'area' &&
            Math.hypot(start[0] - point[0], start[1] - point[1]) < 9 * unit
          )
            finishDrawing(camera, tool, drawn)
          else setDrawn([...drawn, point])
        } else if (tool === 'box' || tool === 'region') {
          drag.current = { kind: tool, start: point }
          svg.current?.setPointerCapture(event.pointerId)
        } else if (station !== 'Sit') {
          const hit = pickSurface(document, camera, point[0], point[1], frame)
          const near = items.find(
            ([, one]) => kindInfo(one).station !== 'Set' && one.shown && footHit(camera, one, point, 26 * unit),
          )
          const found = near?.[0] ?? hit?.item
          if (found && (station === 'Set' || station === 'Effects' || (station === 'Light' && near)))
            set({ chosen: found })
        }
      }}
      onPointerMove={(event) => {
        const move = drag.current
        if (!move) return
        const point = at(event)
        if (!('id' in move) && move.kind === 'region') set({ region: regionOf(camera, move.start, point) })
        else if (!('id' in move)) setBand({ from: move.start, to: point })
        else {
          const change = changeFor(move, point)
          if (change) preview({ items: { [move.id]: change } })
        }
      }}
      onPointerUp={(event) => {
        const move = drag.current
        drag.current = undefined
        if (!move) return
        if (!('id' in move) && move.kind === 'region')
          set({ tool: 'choose', region: regionOf(camera, move.start, at(event)) })
        else if (!('id' in move)) finishBox(move.start, at(event))
        else {
          const change = changeFor(move, at(event))
          if (change) edit({ items: { [move.id]: change } })
        }
      }}
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
          const [a, b] = [groundAt(band.from), groundAt(band.to)]
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
      {handles()}
    </svg>
  )
}
