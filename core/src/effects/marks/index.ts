import { type MarkLook, type MarksItem, marksSchema } from '../../set/index.ts'
import type { ItemDocument } from '../../settings/index.ts'
import type { Effect, Preset, PresetPlace } from '../effect.ts'
import { drawMark } from './draw.ts'
import { markInstances } from './instances.ts'

export * from './draw.ts'
export * from './instances.ts'

const preset = (
  id: string,
  name: string,
  hint: string,
  size: readonly [number, number],
  over: Partial<MarksItem>,
): Preset => ({
  id,
  name,
  hint,
  tool: 'place',
  place(document: ItemDocument, made: string, { position, frame, camera }: PresetPlace) {
    const items = Object.values(document.items)
    const count = items.filter((item) => item.kind === 'marks' && item.name.startsWith(name)).length
    const orders = items.map(({ order }) => order)
    // What chars comes under all else that is laid on the plate.
    const order = over.mark === 'scorch' ? Math.min(1, ...orders) - 0.5 : Math.max(0, ...orders) + 1
    return {
      items: {
        [made]: marksSchema.parse({
          kind: 'marks',
          name: count > 0 ? `${name} ${count + 1}` : name,
          order,
          position,
          width: size[0],
          height: size[1],
          stamped: frame,
          ...(camera ? { camera } : {}),
          ...over,
        }),
      },
    }
  },
})

/** Scorch, cracks, wet, dirt, and pictures that lie on the set. */
export const marksEffect = {
  kind: 'marks',
  bakes: () => false,
  drawn: ['marks'],
  itemSchemas: { marks: marksSchema },
  versions: {},
  presets: [
    preset('scorch', 'Scorch', 'Soot as fire leaves it, longer above; click the set.', [1.6, 1.9], { mark: 'scorch' }),
    preset('cracks', 'Cracks', 'Lines that run out from where it is struck, and branch; click the set.', [1.4, 1.4], {
      mark: 'cracks',
      blur: 5,
      amount: 90,
    }),
    preset('wet', 'Wet patch', 'Darker and shining, with an edge; click the set.', [1.5, 1.5], {
      mark: 'wet',
      amount: 50,
      blur: 12,
      gloss: 75,
      colour: [0.004, 0.004, 0.004],
    }),
    preset('dirt', 'Dirt', 'Speckled, over what is under it; click the set.', [1.2, 1.2], {
      mark: 'dirt',
      laid: 'over',
      amount: 75,
      colour: [0.09, 0.06, 0.04],
    }),
    preset(
      'stamp',
      'A picture',
      'Stamped through the camera: soot, paint, a sign; click the set, then choose it.',
      [1, 1],
      {
        mark: 'picture',
      },
    ),
  ],
  figures: [],
  frameFigures: [],
  resolve: () => [],
  instances: markInstances,
  decode: () => undefined,
  draw: drawMark,
} as const satisfies Effect<undefined, MarkLook>
