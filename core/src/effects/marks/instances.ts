import { AT_HOME } from '../../picture/index.ts'
import { type MarkLook, markLookAt } from '../../set/index.ts'
import type { ItemDocument, SignalInputs } from '../../settings/index.ts'
import type { EffectInstance } from '../effect.ts'

/** What a mark shows at a frame: nothing before it begins. */
export function markInstances(
  document: ItemDocument,
  id: string,
  frame: number,
  inputs: SignalInputs,
): EffectInstance<MarkLook>[] {
  const look = markLookAt(document, id, frame, inputs)
  return look ? [{ item: id, of: id, frames: [], place: AT_HOME, look }] : []
}
