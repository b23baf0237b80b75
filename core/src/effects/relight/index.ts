import { isMatte } from '../../mattes/index.ts'
import { AT_HOME } from '../../picture/index.ts'
import { type ItemDocument, itemsInOrder } from '../../settings/index.ts'
import type { Effect, EffectInstance, Preset, PresetPlace } from '../effect.ts'
import { isRelight, mattesOf, type RelightItem, relightSchema } from './schema.ts'

export * from './schema.ts'

/** The kept frames of the mattes that it needs at a frame, of those that these take too. */
function carried(
  document: ItemDocument,
  own: string,
  matte: string,
  frame: number,
  around: readonly string[],
): EffectInstance<null>[] {
  const item = document.items[matte]
  if (!isMatte(item) || around.includes(matte)) return []
  const { helped, takes } = item
  const taken = Object.values(takes).flatMap(({ of, shown }) =>
    shown ? carried(document, own, of, frame, [...around, matte]) : [],
  )
  const wanted =
    helped &&
    helped.carried > 0 &&
    frame >= Math.min(helped.from, helped.to) &&
    frame <= Math.max(helped.from, helped.to)
  const there = { item: own, of: matte, frames: [{ frame, weight: 1, ahead: 0 }], place: AT_HOME, look: null }
  return wanted ? [there, ...taken] : taken
}

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
    return isRelight(item) ? mattesOf(item).flatMap((matte) => carried(document, id, matte, frame, [])) : []
  },
  showsAgain: (item, id) => isRelight(item) && mattesOf(item).includes(id),
  ownExposure: true,
  decode: () => undefined,
  draw: () => [],
} as const satisfies Effect<undefined, null>
