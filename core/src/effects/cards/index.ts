import type { ItemDocument } from '../../settings/index.ts'
import type { Effect, Preset, PresetPlace } from '../effect.ts'
import { drawCard } from './draw.ts'
import { type CardLook, cardClips, cardInstances } from './instances.ts'
import { type CardItem, cardSchema, isCard } from './schema.ts'

export * from './draw.ts'
export * from './instances.ts'
export * from './schema.ts'

const preset = (id: string, name: string, hint: string, over: Partial<CardItem>): Preset => ({
  id,
  name,
  hint,
  tool: 'place',
  place(document: ItemDocument, made: string, { position, frame }: PresetPlace) {
    const items = Object.values(document.items)
    const count = items.filter((item) => item.kind === 'card' && item.name.startsWith(name)).length
    return {
      items: {
        [made]: cardSchema.parse({
          kind: 'card',
          name: count > 0 ? `${name} ${count + 1}` : name,
          order: Math.max(0, ...items.map(({ order }) => order)) + 1,
          position,
          begins: frame,
          ...over,
        }),
      },
    }
  },
})

/** Filmed elements on cards. */
export const cardsEffect = {
  kind: 'card',
  bakes: () => false,
  drawn: ['card'],
  itemSchemas: { card: cardSchema },
  versions: {},
  presets: [
    preset(
      'card',
      'Filmed on black',
      'A clip of smoke, dust or water on black, stood in the set; click where, then choose it.',
      {},
    ),
    preset(
      'card-fire',
      'Filmed fire',
      'Fire, a blast or sparks on black, which light set, things and people; click where, then choose the clip.',
      { light: 1 },
    ),
    preset(
      'card-keyed',
      'Filmed on a colour',
      'A clip before a coloured backing; click where it stands, then choose it.',
      {
        there: 'keyed',
      },
    ),
    preset(
      'card-sky',
      'Far away',
      'A moon, a cloud, far smoke: turns with the camera alone; click anywhere, then choose it.',
      {
        far: 'in the sky',
      },
    ),
  ],
  figures: [],
  frameFigures: [],
  resolve: () => [],
  instances: cardInstances,
  clips: (document, id, frame) => (isCard(document.items[id]) ? cardClips(document, id, frame) : []),
  camerasOf: (document, id) => {
    const item = document.items[id]
    return isCard(item) && item.stuck?.takes === 'travel' ? [item.stuck.frame] : []
  },
  ownExposure: true,
  decode: () => undefined,
  draw: drawCard,
} as const satisfies Effect<undefined, CardLook>
