'use client'
import { type MattePoint, type MatteShape, ringOf, shapesInOrder, softHandle, softRing } from '@lantern/core/mattes'
import { COLOURS } from '@/ui/theme.ts'
import { PlateLayer } from '../picture/PlateLayer.tsx'
import { useShotParts } from '../shot/shotStore.ts'
import { NeedOutline } from './Needs.tsx'
import { gripOf, matteOf, seenPoints } from './shapeTool.ts'
import { useShapeHand } from './useShapeHand.ts'

const two = (value: number): string => value.toFixed(2)

/** A closed curve as a path. */
function curvePath(points: readonly MattePoint[], closed = true): string {
  const [first] = points
  if (!first) return ''
  const sides = points.slice(0, closed ? undefined : -1).map((a, n) => {
    const b = points[(n + 1) % points.length] ?? a
    const [p, q] = [
      [a.at[0] + a.after[0], a.at[1] + a.after[1]],
      [b.at[0] + b.before[0], b.at[1] + b.before[1]],
    ] as const
    return `C${[...p, ...q, ...b.at].map(two).join(' ')}`
  })
  return `M${first.at.map(two).join(' ')}${sides.join('')}${closed ? 'Z' : ''}`
}
const ringPath = (ring: readonly (readonly [number, number])[]): string =>
  ring.length > 0 ? `M${ring.map((at) => at.map(two).join(' ')).join('L')}Z` : ''

/** The chosen matte's shapes over the plate, drawn and changed by hand. */
export function MatteOverlay({ frame, passive }: { frame: number; passive?: boolean }) {
  const { shot, chosen, shape: shapeId } = useShotParts('shot', 'chosen', 'shape')
  const { hand, steps, drawing, moves, reach } = useShapeHand(frame)
  if (!shot) return null
  const { width, height } = shot.document.plate
  const item = matteOf({ document: shot.document, matte: chosen })
  const unit = width / 720
  const last: MattePoint | undefined = hand.hover && { at: [...hand.hover], before: [0, 0], after: [0, 0], soft: 0 }
  const hovered: readonly MattePoint[] = last && hand.drawn.length > 0 ? [...hand.drawn, last] : hand.drawn
  return (
    <PlateLayer
      name="mattes"
      width={width}
      height={height}
      drawing={drawing}
      passive={passive}
      hovers={drawing}
      {...steps}
    >
      {!passive && <NeedOutline frame={frame} unit={unit} />}
      {item &&
        shapesInOrder(item).map(
          ([id, one]) =>
            one.shown && (
              <Lines
                key={id}
                id={id}
                shape={one}
                points={seenPoints({ moves, frame }, id, one)}
                frame={frame}
                unit={unit}
                on={id === shapeId}
                grips={!passive}
                reach={reach}
                chosen={hand.point}
              />
            ),
        )}
      {drawing && (
        <g fill="none" stroke={COLOURS.text} strokeWidth={unit}>
          <path d={curvePath(hovered, false)} />
          {[...hand.drawn.entries()].map(([n, point]) => (
            <rect
              key={n}
              x={point.at[0] - 2.5 * unit}
              y={point.at[1] - 2.5 * unit}
              width={5 * unit}
              height={5 * unit}
              fill={n === 0 ? COLOURS.text : COLOURS.floor}
            />
          ))}
        </g>
      )}
    </PlateLayer>
  )
}

/** One shape over the plate: its curve, how far it is soft, and where it is taken. */
function Lines({
  id,
  shape,
  points,
  frame,
  unit,
  on,
  grips,
  reach,
  chosen,
}: {
  id: string
  shape: MatteShape
  points: readonly MattePoint[]
  frame: number
  unit: number
  on: boolean
  grips: boolean
  reach: number
  chosen?: number
}) {
  const keyed = shape.keys.some((key) => key.frame === frame)
  return (
    <g data-shape={id} fill="none" stroke={COLOURS.text} strokeWidth={unit * (on ? 1.4 : 0.9)}>
      <path
        d={curvePath(points)}
        fill={COLOURS.text}
        fillOpacity={on ? 0.16 : 0.08}
        strokeDasharray={shape.way === 'add' ? undefined : `${5 * unit} ${3 * unit}`}
      />
      {points.some(({ soft }) => soft > 0) && (
        <path
          d={ringPath(softRing(ringOf(points), 1))}
          strokeOpacity={0.6}
          strokeDasharray={`${2 * unit} ${2 * unit}`}
        />
      )}
      {on && grips && <Grips points={points} unit={unit} reach={reach} chosen={chosen} keyed={keyed} />}
    </g>
  )
}

/** A shape's points, the chosen one's handles and soft edge, and the grip that turns and scales it. */
function Grips({
  points,
  unit,
  reach,
  chosen,
  keyed,
}: {
  points: readonly MattePoint[]
  unit: number
  reach: number
  chosen?: number
  keyed: boolean
}) {
  const own = chosen === undefined ? undefined : points[chosen]
  const grip = gripOf(points, reach)
  const soft = own && chosen !== undefined ? softHandle(points, chosen) : undefined
  return (
    <>
      {[...points.entries()].map(([n, point]) => (
        <rect
          key={n}
          data-point={n}
          x={point.at[0] - 2.5 * unit}
          y={point.at[1] - 2.5 * unit}
          width={5 * unit}
          height={5 * unit}
          fill={n === chosen ? COLOURS.text : keyed ? COLOURS.soft : COLOURS.floor}
          transform={point.after.some((part) => part !== 0) ? `rotate(45 ${point.at[0]} ${point.at[1]})` : undefined}
        />
      ))}
      {own &&
        ([own.before, own.after] as const).map(
          (handle, n) =>
            handle.some((part) => part !== 0) && (
              <g key={n === 0 ? 'before' : 'after'}>
                <path d={`M${own.at.join(' ')}l${handle.join(' ')}`} strokeOpacity={0.7} />
                <circle cx={own.at[0] + handle[0]} cy={own.at[1] + handle[1]} r={2.2 * unit} fill={COLOURS.floor} />
              </g>
            ),
        )}
      {own && soft && (
        <g data-soft={chosen}>
          <path
            d={`M${own.at.join(' ')}L${soft.join(' ')}`}
            strokeOpacity={0.5}
            strokeDasharray={`${unit} ${2 * unit}`}
          />
          <circle cx={soft[0]} cy={soft[1]} r={2.6 * unit} />
        </g>
      )}
      <rect
        data-grip
        x={grip[0] - 3 * unit}
        y={grip[1] - 3 * unit}
        width={6 * unit}
        height={6 * unit}
        fill={COLOURS.floor}
      />
    </>
  )
}
