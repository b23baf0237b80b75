import { isMatte } from '../../mattes/index.ts'
import { type ItemDocument, itemsInOrder } from '../../settings/index.ts'
import type { Effect, Preset, PresetPlace } from '../effect.ts'
import { keptMattes } from '../keptMattes.ts'
import { isRelight, mattesOf, type RelightItem, relightSchema } from './schema.ts'

export * from './schema.ts'

const preset = (id: string, name: string, hint: string, over: Partial<RelightItem>): Preset => ({
  id,
  name,
  hint,
  tool: 'at once',
  place(document: ItemDocument, made: string, _: PresetPlace) {
    const items = itemsInOrder(document)
    const count = items.filter(([, item]) => isRelight(item)).length
    const matte = items.find(([, item]) => isMatte(item) && item.shown)?.[0] ?? ''
    return {
      items: {
        [made]: relightSchema.parse({
          kind: 'relight',
          name: count > 0 ? `${name} ${count + 1}` : name,
          order: Math.max(0, ...items.map(([, { order }]) => order)) + 1,
          matte,
          ...over,
        }),
      },
    }
  },
})

/** Light on what was filmed, inside a matte. */
export const relightEffect = {
  kind: 'relight',
  station: 'Light',
  bakes: () => false,
  drawn: ['relight'],
  itemSchemas: { relight: relightSchema },
  versions: {},
  presets: [
    preset('relight', 'Relit by the shot', 'Who or what a matte covers is lit by the shot’s fires and lamps.', {}),
    preset('relight-side', 'Relit from a side', 'Who or what a matte covers is lit from a side.', { by: 'a side' }),
  ],
  figures: [],
  frameFigures: [],
  resolve: () => [],
  instances: (document, id, frame) => {
    const item = document.items[id]
    return isRelight(item) ? mattesOf(item).flatMap((matte) => keptMattes(document, id, matte, frame)) : []
  },
  showsAgain: (item, id) => isRelight(item) && mattesOf(item).includes(id),
  ownExposure: true,
  decode: () => undefined,
  draw: () => [],
} as const satisfies Effect<undefined, null>
