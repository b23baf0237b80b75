'use client'
import { type Camera, projectPoint } from '@lantern/core/data'
import { isBreaking } from '@lantern/core/effects/breaking'
import { shotPoint } from '@lantern/core/pipeline'
import { itemAt, type ShotItem } from '@lantern/core/shot'
import { COLOURS } from '@/ui/theme.ts'
import { CutLines } from '../effects/breaking/CutLines.tsx'
import { viewOf } from '../items/index.ts'
import { useShownMatch } from '../match/matchData.ts'
import { useShot } from '../shot/shotStore.ts'
import { chainPath } from './lines.ts'

/** A solve's points, seen from elsewhere. */
export function Points({ camera, unit }: { camera: Camera; unit: number }) {
  const shown = useShownMatch()
  const path = [...shown.points.values()]
    .map((at) => projectPoint(camera, shotPoint(shown.by, at)))
    .map((p) => (p ? `M${p.x.toFixed(1)} ${p.y.toFixed(1)}h${unit.toFixed(2)}` : ''))
    .join('')
  return <path data-points={shown.points.size} d={path} stroke={COLOURS.fact} strokeWidth={1.6 * unit} fill="none" />
}

/** What of an effect is not its outline: its way through the shot, the area that was drawn for it, the piece or gas that it hangs on. */
export function Extras({
  camera,
  id,
  item,
  unit,
  outside,
  on,
}: {
  camera: Camera
  id: string
  item: ShotItem
  unit: number
  outside: boolean
  on: boolean
}) {
  const state = useShot()
  const { shot, frame } = state
  if (!shot) return null
  const { document } = shot
  const { first, last } = document.plate
  const moves = 'motion' in item ? item.motion : undefined
  const way =
    moves && on
      ? Array.from({ length: 61 }, (_, n) => itemAt(document, item, first + ((last - first) * n) / 60, {}).position)
      : []
  const area = !outside && 'drawn' in item && item.drawn?.frame === frame ? item.drawn.shapes : []
  const piece =
    on && 'piece' in item && 'shape' in item && item.shape === 'piece' ? document.items[item.piece] : undefined
  return (
    <>
      {way.length > 0 && <path data-way={id} d={chainPath(camera, way)} strokeOpacity={0.8} strokeWidth={unit} />}
      {moves &&
        on &&
        moves.keys.length < 200 &&
        moves.keys.map((key) => {
          const p = projectPoint(camera, key.position)
          return (
            p && (
              <rect
                key={key.frame}
                x={p.x - 2.5 * unit}
                y={p.y - 2.5 * unit}
                width={5 * unit}
                height={5 * unit}
                fill={key.frame === frame ? COLOURS.text : COLOURS.lamp}
                stroke="none"
              />
            )
          )
        })}
      {area.map((shape) => (
        <path key={shape.join()} d={`M${shape.map(([x, y]) => `${x} ${y}`).join('L')}Z`} />
      ))}
      {on && isBreaking(item) && <CutLines camera={camera} id={id} item={item} unit={unit} />}
      {piece && <path d={viewOf(piece).outline(camera, itemAt(document, piece, frame, {}))} strokeOpacity={0.7} />}
    </>
  )
}
