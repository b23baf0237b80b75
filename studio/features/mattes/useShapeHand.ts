import { type PointerEvent, type RefObject, useEffect, useState } from 'react'
import { useShot } from '../shot/shotStore.ts'
import { movesNow } from './rideChoices.ts'
import { press, type ShapeContext, type ShapeResult, type ShapeState, START } from './shapeTool.ts'

const REACH = 8
type Step = (context: ShapeContext, state: ShapeState, at: [number, number]) => ShapeResult

/** Joins the shape tool to the screen: what the hand and the keys do becomes previews, edits and choices of the shot that is open. */
export function useShapeHand(svg: RefObject<SVGSVGElement | null>, frame: number, passive?: boolean) {
  const state = useShot()
  const { shot, chosen, tool, shape: shapeId, scope, set, edit, preview } = state
  const [hand, setHand] = useState<ShapeState>(START)
  const drawing = tool === 'matte-shape'
  // biome-ignore lint/correctness/useExhaustiveDependencies: another matte, shape or tool begins anew
  useEffect(() => setHand(START), [tool, chosen, frame])
  const width = shot?.document.plate.width ?? 1
  const height = shot?.document.plate.height ?? 1
  const moves = movesNow(state, chosen, frame)
  const context = (): ShapeContext | undefined =>
    shot && {
      document: shot.document,
      matte: chosen,
      shape: shapeId,
      drawing,
      frame,
      scope,
      reach: (REACH * width) / (svg.current?.getBoundingClientRect().width || width),
      moves,
      fresh: () => crypto.randomUUID().slice(0, 6),
    }
  const take = (result: ShapeResult | undefined): void => {
    if (!result) return
    setHand(result.state)
    if (result.preview) preview(result.preview)
    if (result.edit) edit(result.edit)
    if (result.chosen)
      set({ chosen: result.chosen.matte, shape: result.chosen.shape, ...(drawing ? { tool: 'choose' } : {}) })
  }
  useEffect(() => {
    if (passive) return
    const key = (event: KeyboardEvent): void => {
      const own = context()
      if (!own || (event.target instanceof Element && event.target.closest('input, select, textarea'))) return
      const result = press(own, hand, event.key, event.shiftKey)
      if (!result) return
      event.preventDefault()
      event.stopImmediatePropagation()
      take(result)
    }
    window.addEventListener('keydown', key, true)
    return () => window.removeEventListener('keydown', key, true)
  })
  const at = (event: PointerEvent): [number, number] => {
    const box = svg.current?.getBoundingClientRect()
    return box
      ? [((event.clientX - box.left) / box.width) * width, ((event.clientY - box.top) / box.height) * height]
      : [0, 0]
  }
  const by = (step: Step) => (event: PointerEvent) => {
    const own = context()
    if (own) take(step(own, hand, at(event)))
  }
  return { hand, by, drawing, moves, reach: context()?.reach ?? REACH }
}
