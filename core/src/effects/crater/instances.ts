import type { Dug } from '../../data/index.ts'
import { AT_HOME } from '../../picture/index.ts'
import { craterAt, dugOf, groundOf, isCrater, piecesAt } from '../../set/index.ts'
import type { ItemDocument, SignalInputs } from '../../settings/index.ts'
import type { EffectInstance } from '../effect.ts'

type Rgb = readonly [number, number, number]
/** How a crater looks, and what it is. */
export interface CraterLook {
  dug: Dug
  /** Height of the ground, m. */
  level: number
  /** At the top, half way down, and on the floor. */
  colours: readonly [Rgb, Rgb, Rgb]
  /** Share by which it varies, and the height at which it covers the plate, m. */
  speckle: number
  edge: number
  holdsOut: boolean
  receives: boolean
}

/** What a crater shows at a frame: nothing before it opens, or without a ground. */
export function craterInstances(
  document: ItemDocument,
  id: string,
  frame: number,
  inputs: SignalInputs,
): EffectInstance<CraterLook>[] {
  const item = document.items[id]
  if (!isCrater(item)) return []
  const now = craterAt(document, item, frame, inputs)
  const dug = dugOf(now, frame)
  const named = groundOf(document, item)
  const ground = piecesAt(document, frame, inputs).find(([key]) => key === named)?.[1]
  if (!dug || ground?.kind !== 'ground') return []
  const { topColour, middleColour, floorColour, speckle, edge } = now
  return [
    {
      item: id,
      of: id,
      frames: [],
      place: AT_HOME,
      look: {
        dug,
        level: ground.position[1],
        colours: [topColour, middleColour, floorColour],
        speckle: speckle / 100,
        edge: edge / 1000,
        holdsOut: ground.roles.holdsOut,
        receives: ground.roles.receives,
      },
    },
  ]
}
