'use client'
import { type Camera, projectPoint } from '@lantern/core/data'
import { pickLevel, pickSurface, itemsInOrder, shotPoint } from '@lantern/core/pipeline'
import { makeItem, type ShotItem } from '@lantern/core/shot'
import { type PointerEvent, useRef, useState } from 'react'
import { COLOURS } from '@/ui/theme.ts'
import { useShownMatch } from '../match/matchData.ts'
import { Proofs } from '../match/overlay/Proofs.tsx'
import { useShot } from '../shot/shotStore.ts'
import { cameraGlyph, gridPath, outlinePath, segmentPath } from './lines.ts'

type Point = readonly [number, number]
interface HandleDrag {
  kind: 'move' | 'height' | 'turn'
  id: string
  start: Point
  item: ShotItem
}
type Drag = HandleDrag | { kind: 'box'; start: Point }

const WALL = { height: 2.5, depth: 0.3 } as const
const LEAST_WALL = 0.2
/** Frames between the cameras drawn along a path seen from outside. */
const GLYPH_EVERY = 8

/** Lines and handles over a picture, in plate pixels, through `camera`. `outside`: seen from elsewhere, with the shot's camera drawn. */
export function Overlay({ camera, path, outside }: { camera: Camera; path?: readonly Camera[]; outside?: boolean }) {
  const { shot, station, chosen, tool, set, edit, preview, frame } = useShot()
  const svg = useRef<SVGSVGElement>(null)
  const drag = useRef<Drag>(undefined)
  const [band, setBand] = useState<{ from: Point; to: Point }>()
  if (!shot) return null
  const { document } = shot
  const { width, height } = camera
  const unit = width / 720
  const at = (event: PointerEvent): Point => {
    const box = svg.current?.getBoundingClientRect()
    return box ? [((event.clientX - box.left) / box.width) * width, ((event.clientY - box.top) / box.height) * height] : [0, 0]
  }
  const groundAt = ([x, y]: Point, level = 0) => pickLevel(camera, x, y, level)
  const items = itemsInOrder(document)
  const showsGrid = outside || (station === 'Match' && document.camera.kind === 'typed') || station === 'Set' || tool !== 'choose'
  const id = chosen
  const item = document.items[id]

  const placeFire = (point: Point): void => {
    const hit = pickSurface(document, camera, point[0], point[1])
    if (!hit) return set({ message: { text: 'That is above the horizon: click where the ground or a piece is.', good: false } })
    const made = `fire-${crypto.randomUUID().slice(0, 6)}`
    const position = hit.point.map((part) => Math.round(part * 1000) / 1000)
    edit({ items: { [made]: makeItem('gas', { name: `Fire ${items.filter(([, one]) => one.kind === 'gas').length + 1}`, order: items.length + 1, position }) } })
    set({ chosen: made, tool: 'choose', station: 'Effects' })
  }
  const finishBox = (from: Point, to: Point): void => {
    const [a, b] = [groundAt(from), groundAt(to)]
    setBand(undefined)
    if (!a || !b) return set({ message: { text: 'Draw the wall’s foot on the ground, below the horizon.', good: false } })
    const wide = Math.hypot(b[0] - a[0], b[2] - a[2])
    if (wide < LEAST_WALL) return
    const made = `box-${crypto.randomUUID().slice(0, 6)}`
    const turn = (-Math.atan2(b[2] - a[2], b[0] - a[0]) * 180) / Math.PI
    const round = (v: number): number => Math.round(v * 1000) / 1000
    edit({ items: { [made]: makeItem('box', { name: `Wall ${items.filter(([, one]) => one.kind === 'box').length + 1}`, order: items.length + 1, position: [round((a[0] + b[0]) / 2), 0, round((a[2] + b[2]) / 2)], width: round(wide), turn: round(turn), ...WALL }) } })
    set({ chosen: made, tool: 'choose' })
  }
  const changeFor = (move: HandleDrag, point: Point): Record<string, unknown> | undefined => {
    const { item: before, start } = move
    const level = before.position[1]
    if (move.kind === 'height' && before.kind === 'box') {
      const foot = projectPoint(camera, before.position)
      if (!foot) return undefined
      return { height: Math.max(0.05, Math.round((before.height + ((start[1] - point[1]) * foot.depth) / camera.focalPx) * 100) / 100) }
    }
    const [a, b] = [groundAt(start, level), groundAt(point, level)]
    if (!a || !b) return undefined
    if (move.kind === 'turn' && before.kind !== 'gas') {
      const angle = (p: readonly [number, number, number]): number => Math.atan2(p[2] - before.position[2], p[0] - before.position[0])
      return { turn: Math.round((before.turn - ((angle(b) - angle(a)) * 180) / Math.PI) * 10) / 10 }
    }
    return { position: [Math.round((before.position[0] + b[0] - a[0]) * 1000) / 1000, level, Math.round((before.position[2] + b[2] - a[2]) * 1000) / 1000] }
  }
  const handle = (kind: 'move' | 'height' | 'turn', x: number, y: number, label: string) => (
    <rect
      key={kind} data-handle={kind} aria-label={label} x={x - 5 * unit} y={y - 5 * unit} width={10 * unit} height={10 * unit} fill={COLOURS.floor} stroke={COLOURS.text} strokeWidth={1.5 * unit} style={{ cursor: kind === 'height' ? 'ns-resize' : 'move', pointerEvents: 'all' }}
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
    if (!item || tool !== 'choose') return null
    const foot = projectPoint(camera, item.position)
    if (!foot) return null
    const list = [handle('move', foot.x, foot.y, `Move ${item.name}`)]
    if (item.kind === 'box') {
      const top = projectPoint(camera, [item.position[0], item.position[1] + item.height, item.position[2]])
      if (top) list.push(handle('height', top.x, top.y, `Height of ${item.name}`))
      const angle = (-item.turn * Math.PI) / 180
      const side = projectPoint(camera, [item.position[0] + (Math.cos(angle) * item.width) / 2, item.position[1], item.position[2] + (Math.sin(angle) * item.width) / 2])
      if (side) list.push(handle('turn', side.x, side.y, `Turn ${item.name}`))
    }
    return list
  }
  return (
    <svg
      ref={svg} viewBox={`0 0 ${width} ${height}`} preserveAspectRatio="none" aria-hidden data-overlay={outside ? 'outside' : 'camera'}
      style={{ position: 'absolute', inset: 0, width: '100%', height: '100%', cursor: tool === 'choose' ? 'default' : 'crosshair', touchAction: 'none', overflow: 'hidden' }}
      onPointerDown={(event) => {
        if (event.button !== 0) return
        const point = at(event)
        if (tool === 'fire') placeFire(point)
        else if (tool === 'box') {
          drag.current = { kind: 'box', start: point }
          svg.current?.setPointerCapture(event.pointerId)
        } else if (!outside && station !== 'Sit') {
          const hit = pickSurface(document, camera, point[0], point[1])
          const near = items.find(([, one]) => one.kind === 'gas' && outlineHit(camera, one, point, unit))
          const found = near?.[0] ?? hit?.item
          if (found && (station === 'Set' || station === 'Effects')) set({ chosen: found })
        }
      }}
      onPointerMove={(event) => {
        const move = drag.current
        if (!move) return
        const point = at(event)
        if (move.kind === 'box') setBand({ from: move.start, to: point })
        else {
          const change = changeFor(move, point)
          if (change) preview({ items: { [move.id]: change } })
        }
      }}
      onPointerUp={(event) => {
        const move = drag.current
        drag.current = undefined
        if (!move) return
        if (move.kind === 'box') finishBox(move.start, at(event))
        else {
          const change = changeFor(move, at(event))
          if (change) edit({ items: { [move.id]: change } })
        }
      }}
    >
      {showsGrid && <path d={gridPath(camera, 0)} fill="none" stroke="#d8d8d8" strokeOpacity={outside ? 0.25 : 0.4} strokeWidth={unit * 0.8} />}
      {outside && path && <path d={path.filter((_, n) => n % GLYPH_EVERY === 0).map((one) => cameraGlyph(camera, one, 0.25)).join('')} fill="none" stroke={COLOURS.faint} strokeWidth={unit * 0.7} />}
      {outside && path?.[frame - document.plate.first] && <path d={cameraGlyph(camera, path[frame - document.plate.first] as Camera, 0.9)} fill="none" stroke={COLOURS.text} strokeWidth={unit * 1.2} />}
      {outside && <Points camera={camera} unit={unit} />}
      {outside && station === 'Match' && <Proofs camera={camera} unit={unit} />}
      {items.map(([key, one]) => {
        const on = key === chosen
        const wanted = outside || on || (station === 'Set' && one.kind !== 'gas') || (station === 'Effects' && one.kind === 'gas')
        if (!wanted || !one.shown || (one.kind === 'ground' && !on && !outside)) return null
        return <path key={key} d={outlinePath(camera, one)} fill="none" stroke={one.kind === 'gas' ? COLOURS.lamp : COLOURS.text} strokeOpacity={on ? 1 : 0.55} strokeWidth={unit * (on ? 1.6 : 1)} strokeDasharray={one.kind === 'gas' ? `${4 * unit} ${3 * unit}` : undefined} />
      })}
      {band && (() => {
        const [a, b] = [groundAt(band.from), groundAt(band.to)]
        return a && b ? <path d={segmentPath(camera, a, b, 24)} stroke={COLOURS.text} strokeWidth={unit * 2} fill="none" /> : <line x1={band.from[0]} y1={band.from[1]} x2={band.to[0]} y2={band.to[1]} stroke={COLOURS.wrong} strokeWidth={unit * 1.5} />
      })()}
      {handles()}
    </svg>
  )
}

/** A solve's points, seen from elsewhere. */
function Points({ camera, unit }: { camera: Camera; unit: number }) {
  const shown = useShownMatch()
  const path = [...shown.points.values()].map((at) => projectPoint(camera, shotPoint(shown.by, at))).map((p) => (p ? `M${p.x.toFixed(1)} ${p.y.toFixed(1)}h${unit.toFixed(2)}` : '')).join('')
  return <path data-points={shown.points.size} d={path} stroke={COLOURS.fact} strokeWidth={1.6 * unit} fill="none" />
}

function outlineHit(camera: Camera, item: ShotItem, [x, y]: Point, unit: number): boolean {
  const foot = projectPoint(camera, item.position)
  return foot !== undefined && Math.hypot(foot.x - x, foot.y - y) < 26 * unit
}
