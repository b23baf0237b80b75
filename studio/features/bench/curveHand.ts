import type { GradeCurves, GradePoint } from '@lantern/core/shot'
import { type RefObject, useRef, useState } from 'react'
import { useShotParts } from '../shot/shotStore.ts'
import { movedPoint, putPoint, withoutPoint } from './curvePoints.ts'

export const GRAPH = { wide: 272, high: 170 } as const
export type CurveChannel = keyof GradeCurves
/** A press so near a point takes hold of it, px. */
const NEAR = 9
const STEP = 0.01

/** A channel's curve under the hand: its points as they are drawn, and what presses, drags and keys do to them. */
export interface CurveHand {
  box: RefObject<SVGSVGElement | null>
  points: readonly GradePoint[]
  held: number | undefined
  straighten(): void
  press(event: React.PointerEvent): void
  drag(event: React.PointerEvent): void
  drop(): void
  takeAway(): void
  byKey(event: React.KeyboardEvent): void
  let(): void
}

export function useCurveHand(
  curve: readonly GradePoint[],
  channel: CurveChannel,
  path: readonly string[],
  locked: boolean,
): CurveHand {
  const { edit, preview } = useShotParts('edit', 'preview')
  const [held, setHeld] = useState<number>()
  const [drawn, setDrawn] = useState<GradePoint[]>()
  const box = useRef<SVGSVGElement>(null)
  /** The curve as it was when the pointer went down: what is previewed is in the document already. */
  const begun = useRef(curve)
  const points = drawn ?? curve
  const patch = (next: readonly GradePoint[]): Record<string, unknown> =>
    path.reduceRight((inner: Record<string, unknown>, step) => ({ [step]: inner }), { curves: { [channel]: next } })
  const keep = (next: GradePoint[]): void => {
    setDrawn(undefined)
    if (JSON.stringify(next) !== JSON.stringify(drawn ? begun.current : curve)) edit(patch(next))
  }
  const draw = (next: GradePoint[]): void => {
    setDrawn(next)
    preview(patch(next))
  }
  const at = ({ clientX, clientY }: { clientX: number; clientY: number }): GradePoint => {
    const { left, top, width, height } = box.current?.getBoundingClientRect() ?? {
      left: 0,
      top: 0,
      width: 1,
      height: 1,
    }
    return [(clientX - left) / width, 1 - (clientY - top) / height]
  }
  return {
    box,
    points,
    held,
    straighten: () => (
      setHeld(undefined),
      keep([
        [0, 0],
        [1, 1],
      ])
    ),
    press(event) {
      if (locked) return
      const [x, y] = at(event)
      const near = points.findIndex(
        ([u, v]) => Math.abs(u - x) * GRAPH.wide < NEAR && Math.abs(v - y) * GRAPH.high < NEAR,
      )
      const put = near >= 0 ? { points: [...points], at: near } : putPoint(points, [x, y])
      if (put.at < 0) return
      box.current?.setPointerCapture(event.pointerId)
      begun.current = curve
      setHeld(put.at)
      draw(put.points)
    },
    drag(event) {
      if (held !== undefined && drawn) draw(movedPoint(drawn, held, at(event)))
    },
    drop: () => drawn && keep(drawn),
    takeAway: () => held !== undefined && !locked && keep(withoutPoint(curve, held)),
    byKey(event) {
      if (held === undefined || locked) return
      const way = { ArrowLeft: [-STEP, 0], ArrowRight: [STEP, 0], ArrowUp: [0, STEP], ArrowDown: [0, -STEP] }[event.key]
      const point = curve[held]
      if (way && point) keep(movedPoint(curve, held, [point[0] + (way[0] ?? 0), point[1] + (way[1] ?? 0)]))
      else if (event.key === 'Delete' || event.key === 'Backspace') keep(withoutPoint(curve, held))
      else return
      event.preventDefault()
      event.stopPropagation()
    },
    let: () => setHeld(undefined),
  }
}
