'use client'
import { type MatteFrame, matteFrameAt } from '@lantern/core/data'
import type { HelpedStroke } from '@lantern/core/mattes'
import { useEffect, useRef, useState } from 'react'
import { COLOURS } from '@/ui/theme.ts'
import { PlateLayer } from '../picture/PlateLayer.tsx'
import { useShot, useShotParts } from '../shot/shotStore.ts'
import { useMatteFrames } from './matteFrames.ts'
import {
  canCut,
  down,
  helpedOf,
  move,
  NO_STROKE,
  openOf,
  type StrokeContext,
  type StrokeState,
  up,
} from './strokeTool.ts'

const FILM = 66
const RIM = 235
const CHANGED = 190

/** Lays a matte over a canvas of its own size: a light film on what it covers, its rim, and a grain where it differs from what was carried. */
function paint(canvas: HTMLCanvasElement, frame: MatteFrame, before: MatteFrame | undefined): void {
  const { width, height } = frame
  if (canvas.width !== width || canvas.height !== height) Object.assign(canvas, { width, height })
  const context = canvas.getContext('2d')
  if (!context) return
  context.clearRect(0, 0, width, height)
  const all = [frame, ...(before ? [before] : [])].filter(({ wide, high }) => wide * high > 0)
  if (all.length === 0) return
  const x0 = Math.max(0, Math.min(...all.map(({ x }) => x)) - 1)
  const y0 = Math.max(0, Math.min(...all.map(({ y }) => y)) - 1)
  const [w, h] = [
    Math.min(width, Math.max(...all.map(({ x, wide }) => x + wide)) + 1) - x0,
    Math.min(height, Math.max(...all.map(({ y, high }) => y + high)) + 1) - y0,
  ]
  const image = context.createImageData(w, h)
  const at = (one: MatteFrame, x: number, y: number): number => matteFrameAt(one, x + 0.5, y + 0.5)
  for (let y = 0; y < h; y++)
    for (let x = 0; x < w; x++) {
      const [px, py] = [x + x0, y + y0]
      const alpha = at(frame, px, py)
      const rim =
        alpha >= 0.5 &&
        [at(frame, px - 1, py), at(frame, px + 1, py), at(frame, px, py - 1), at(frame, px, py + 1)].some(
          (one) => one < 0.5,
        )
      const changed = before !== undefined && Math.abs(at(before, px, py) - alpha) > 0.5 && (px + py) % 3 === 0
      const n = 4 * (y * w + x)
      image.data.fill(255, n, n + 3)
      image.data[n + 3] = rim ? RIM : changed ? CHANGED : FILM * alpha
    }
  context.putImageData(image, x0, y0)
}

const pathOf = (points: readonly (readonly [number, number])[]): string => {
  const [first] = points
  if (!first) return ''
  return points.length === 1 ? `M${first.join(' ')}h0.01` : `M${points.map((at) => at.join(' ')).join('L')}`
}

/** Inside: a solid line; outside: a hollow one. */
function Stroke({
  points,
  inside,
  width,
  unit,
  faint,
}: Pick<HelpedStroke, 'points' | 'inside' | 'width'> & { unit: number; faint?: boolean }) {
  const path = pathOf(points)
  const wide = Math.max(width, 2.4 * unit)
  const common = { d: path, fill: 'none', strokeLinecap: 'round', strokeLinejoin: 'round' } as const
  return (
    <g data-stroke={inside ? 'inside' : 'outside'} opacity={faint ? 0.45 : 1}>
      <path {...common} stroke={inside ? COLOURS.text : COLOURS.text} strokeWidth={wide + (inside ? 0 : 1.6 * unit)} />
      {!inside && <path {...common} stroke={COLOURS.floor} strokeWidth={wide} />}
    </g>
  )
}

/** The chosen matte as it is carried or cut, and its strokes on this frame, drawn by hand. */
export function HelpedOverlay({ frame, passive }: { frame: number; passive?: boolean }) {
  const { shot, chosen, tool, strokeWidth, edit, ask, set } = useShotParts(
    'shot',
    'chosen',
    'tool',
    'strokeWidth',
    'edit',
    'ask',
    'set',
  )
  const canvas = useRef<HTMLCanvasElement>(null)
  const [hand, setHand] = useState<StrokeState>(NO_STROKE)
  const { carried, cut } = useMatteFrames(chosen, frame)
  const shown = cut ?? carried
  useEffect(() => {
    const own = canvas.current
    if (!own) return
    if (shown) paint(own, shown, cut && carried)
    else own.getContext('2d')?.clearRect(0, 0, own.width, own.height)
  }, [shown, cut, carried])
  if (!shot) return null
  const { width, height } = shot.document.plate
  const helped = helpedOf(shot.document, chosen)?.helped
  const drawing = tool === 'stroke-inside' || tool === 'stroke-outside'
  const inside = tool === 'stroke-inside'
  const unit = width / 720
  const context: StrokeContext = {
    document: shot.document,
    matte: chosen,
    frame,
    inside,
    width: strokeWidth,
    step: 1.5 * unit,
    fresh: () => crypto.randomUUID().slice(0, 6),
  }
  const lift = (): void => {
    const result = up(context, hand)
    setHand(result.state)
    if (!result.edit || !result.stroked) return
    edit(result.edit)
    set({ chosen: result.stroked })
    const now = useShot.getState().shot
    const own = now && helpedOf(now.document, result.stroked)
    if (own && canCut(own.helped, frame)) void ask({ what: 'stroke', item: result.stroked, frame })
  }
  const strokes = Object.entries(helped?.strokes ?? {})
    .filter(([, one]) => one.frame === frame)
    .sort(([, a], [, b]) => a.order - b.order)
  const open = new Set(helped ? openOf(helped, frame).map(([id]) => id) : [])
  const full = { position: 'absolute', inset: 0, width: '100%', height: '100%' } as const
  return (
    <>
      <canvas
        ref={canvas}
        data-matte={shown ? (cut ? 'cut' : 'carried') : 'none'}
        style={{ ...full, pointerEvents: 'none' }}
      />
      <PlateLayer
        name="strokes"
        width={width}
        height={height}
        drawing={drawing}
        passive={!drawing || passive}
        down={({ at }) => setHand(down(context, hand, at).state)}
        move={({ at }) => setHand(move(context, hand, at).state)}
        up={lift}
      >
        {strokes.map(([id, one]) => (
          <Stroke key={id} {...one} unit={unit} faint={!open.has(id)} />
        ))}
        {hand.drawn.length > 0 && (
          <Stroke points={hand.drawn as [number, number][]} inside={inside} width={strokeWidth} unit={unit} />
        )}
      </PlateLayer>
    </>
  )
}
