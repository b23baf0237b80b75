import { isMatte } from '../../mattes/index.ts'
import { type ItemDocument, itemsInOrder } from '../../settings/index.ts'
import type { Effect, Preset, PresetPlace } from '../effect.ts'
import { drawCard } from './draw.ts'
import { type CardLook, cardCameras, cardClips, cardInstances, cardMattes } from './instances.ts'
import { type CardItem, type ClipOfCard, cardSchema, clipSchema, isCard } from './schema.ts'

export * from './draw.ts'
export * from './instances.ts'
export * from './motion.ts'
export * from './schema.ts'
export * from './textures.ts'

/** The shot's own plate as a clip. */
export function plateClip({ plate, ...document }: ItemDocument): ClipOfCard | undefined {
  const whole = clipSchema.safeParse({
    ...Object.fromEntries(
      Object.entries(plate).filter(([key]) =>
        ['asset', 'file', 'first', 'last', 'width', 'height', 'encoding'].includes(key),
      ),
    ),
    shot: '',
    rate: plate.rate[0] / plate.rate[1],
    curve: (document as { sit?: { curve?: unknown } }).sit?.curve ?? 'clip',
  })
  return whole.data
}

/** What a matte covers, lifted out of the plate. */
const LIFTED: Preset = {
  id: 'card-lifted',
  name: 'Lifted out of the plate',
  hint: 'Who or what a matte covers, cut out of the plate: it can stand nearer, farther or elsewhere, and once more.',
  tool: 'at once',
  place(document: ItemDocument, made: string) {
    const items = itemsInOrder(document)
    const [matte, of] = items.find(([, item]) => isMatte(item) && item.shown) ?? ['', undefined]
    return {
      items: {
        [made]: cardSchema.parse({
          kind: 'card',
          name: of ? `${of.name}, lifted out`.slice(0, 80) : 'Lifted out',
          order: Math.max(0, ...items.map(([, { order }]) => order)) + 1,
          position: [0, 0, 0],
          clip: plateClip(document),
          there: 'by a matte',
          cutBy: matte,
          far: 'as filmed',
          between: 'nearest',
          fade: 0,
        }),
      },
    }
  },
}

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
    LIFTED,
  ],
  figures: [],
  frameFigures: [],
  resolve: () => [],
  instances: cardInstances,
  clips: (document, id, frame) => (isCard(document.items[id]) ? cardClips(document, id, frame) : []),
  camerasOf: cardCameras,
  mattesOf: cardMattes,
  showsAgain: (item, id) => isCard(item) && (item.cutBy === id || item.inside === id),
  ownExposure: true,
  decode: () => undefined,
  draw: drawCard,
} as const satisfies Effect<undefined, CardLook | null>
