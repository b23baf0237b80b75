import { useEffect, useState } from 'react'
import type { Press } from '../picture/PlateLayer.tsx'
import { useShot } from '../shot/shotStore.ts'
import { movesNow } from './rideChoices.ts'
import {
  down,
  move,
  press,
  type ShapeContext,
  type ShapeResult,
  type ShapeState,
  START,
  twice,
  up,
} from './shapeTool.ts'

/** Joins the shape tool to the screen: what the hand and the keys do becomes previews, edits and choices of the shot that is open. */
export function useShapeHand(frame: number) {
  const state = useShot()
  const { shot, chosen, tool, shape: shapeId, scope, set, edit, preview } = state
  const [hand, setHand] = useState<ShapeState>(START)
  const [reach, setReach] = useState(0)
  const drawing = tool === 'matte-shape'
  // biome-ignore lint/correctness/useExhaustiveDependencies: another matte, shape or tool begins anew
  useEffect(() => setHand(START), [tool, chosen, frame])
  const moves = movesNow(state, chosen, frame)
  const contextOf = (at: number): ShapeContext | undefined =>
    shot && {
      document: shot.document,
      matte: chosen,
      shape: shapeId,
      drawing,
      frame,
      scope,
      reach: at,
      moves,
      fresh: () => crypto.randomUUID().slice(0, 6),
    }
  const take = (result: ShapeResult | undefined): boolean => {
    if (!result) return false
    setHand(result.state)
    if (result.preview) preview(result.preview)
    if (result.edit) edit(result.edit)
    if (result.chosen)
      set({ chosen: result.chosen.matte, shape: result.chosen.shape, ...(drawing ? { tool: 'choose' } : {}) })
    return true
  }
  const by = (step: typeof down) => (pressed: Press) => {
    const context = contextOf(pressed.reach)
    if (context) take(step(context, hand, [...pressed.at]))
  }
  const steps = {
    measured: setReach,
    down: by(down),
    move: by(move),
    up: by(up),
    twice: by(twice as typeof down),
    keyed(key: string, shift: boolean): boolean {
      const context = contextOf(reach)
      return context !== undefined && take(press(context, hand, key, shift))
    },
  }
  return { hand, steps, drawing, moves, reach }
}
