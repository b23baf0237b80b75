import { recipeKey } from '../../base/index.ts'
import type { MatteFrame } from '../../data/index.ts'
import { readMatteFrame } from '../../formats/index.ts'
import { isMatte, matteSchema } from '../../mattes/index.ts'
import { AT_HOME } from '../../picture/index.ts'
import type { Item, ItemDocument } from '../../settings/index.ts'
import type { Effect, EffectInstance, FigureTable, Run } from '../effect.ts'
import { helpedBake } from './bake.ts'
import {
  frameKeyOf,
  helpedRecipe,
  helpedSteps,
  MATTE_VERSIONS,
  type MattePlate,
  matteFrames,
  stepFrameKeys,
} from './steps.ts'

export * from './bake.ts'
export * from './steps.ts'

/** The plate of a document: more of it than items are usually told of. */
const plateOf = ({ plate }: ItemDocument): MattePlate => plate as ItemDocument['plate'] & MattePlate

/** The run of a helped matte that has been carried; none of a drawn one. */
function resolveMatte(document: ItemDocument, id: string): readonly Run[] {
  const item = document.items[id]
  const plate = plateOf(document)
  const helped = isMatte(item) ? item.helped : undefined
  const steps = helped ? helpedSteps(helped, plate) : []
  const last = steps.at(-1)
  if (!item || !helped || !last) return []
  const begin = helpedRecipe(helped, plate)
  const frameKeys = stepFrameKeys(steps, helped, plate)
  // What is accepted as it is changes nothing.
  const others = [...frameKeys].filter(([frame, key]) => !steps.some((step) => key === frameKeyOf(step.key, frame)))
  const settings = { ...(begin.settings as object), steps: steps.map(({ key }) => key), others }
  const recipe = { ...begin, settings }
  return [
    {
      item: id,
      name: item.name,
      output: 'helped',
      recipe,
      key: recipeKey(recipe),
      ...matteFrames(helped, plate),
      preRoll: 0,
      inputs: [],
      needs: () => [],
      frameKeys,
      checkMemory: () => undefined,
      bake: helpedBake(helped, plate, steps),
    },
  ]
}

/** The kept frames that a matte is drawn with at a frame: its own, where it is wanted there, and those of the mattes that it takes. */
function carriedInstances(
  document: ItemDocument,
  id: string,
  frame: number,
  around: readonly string[],
): EffectInstance<null>[] {
  const item = document.items[id]
  if (!isMatte(item) || around.includes(id)) return []
  const taken = Object.values(item.takes).flatMap(({ of, shown }) =>
    shown ? carriedInstances(document, of, frame, [...around, id]) : [],
  )
  const { helped } = item
  const wanted =
    helped &&
    helpedSteps(helped, plateOf(document)).length > 0 &&
    frame >= Math.min(helped.from, helped.to) &&
    frame <= Math.max(helped.from, helped.to)
  const own = { item: id, of: id, frames: [{ frame, weight: 1, ahead: 0 }], place: AT_HOME, look: null }
  return wanted ? [own, ...taken] : taken
}
const matteInstances = (document: ItemDocument, id: string, frame: number): EffectInstance<null>[] => {
  const item = document.items[id]
  return isMatte(item) && item.stands !== 'nowhere' ? carriedInstances(document, id, frame, []) : []
}

const kept =
  (name: string) =>
  (table: FigureTable, frame: number): number | undefined => {
    const value = table.get(frame)?.[name]
    return typeof value === 'number' ? value : undefined
  }

/** Mattes: drawn ones are made as they are looked at, helped ones are carried and kept. */
export const matteEffect = {
  kind: 'matte',
  station: 'Mattes',
  bakes: (item: Item) => isMatte(item) && (item.helped?.carried ?? 0) > 0,
  drawn: [],
  itemSchemas: { matte: matteSchema },
  versions: MATTE_VERSIONS,
  presets: [],
  figures: [
    { name: 'uncertain', label: 'Uncertain share of its rim', unit: '', value: kept('uncertain') },
    { name: 'footX', label: 'Foot, across, share of the width', unit: '', value: kept('footX') },
    { name: 'footY', label: 'Foot, down, share of the height', unit: '', value: kept('footY') },
  ],
  frameFigures: ['uncertain', 'footX', 'footY'],
  resolve: resolveMatte,
  instances: matteInstances,
  showsAgain: (item, id) => isMatte(item) && Object.values(item.takes).some(({ of, shown }) => shown && of === id),
  decode: readMatteFrame,
  draw: () => [],
} as const satisfies Effect<MatteFrame, null>
