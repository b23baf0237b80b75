import { craterAt, craterSchema, dugOf, groundOf, isCrater } from '../../set/index.ts'
import type { ItemDocument } from '../../settings/index.ts'
import type { Effect, Preset, PresetPlace } from '../effect.ts'
import { drawCrater, squareOf } from './draw.ts'
import { type CraterLook, craterInstances } from './instances.ts'

export * from './draw.ts'
export * from './instances.ts'

/** Depth (rim to floor) and rim of fresh small craters, shares of the width (Pike 1977). */
export const PIKE = { depth: 0.196, rim: 0.036 } as const

const round = (value: number): number => Math.round(value * 1000) / 1000
const preset = (id: string, name: string, hint: string, width: number, over: Record<string, unknown>): Preset => ({
  id,
  name,
  hint,
  tool: 'place',
  place(document: ItemDocument, made: string, { position, frame }: PresetPlace) {
    const items = Object.values(document.items)
    const count = items.filter((item) => item.kind === 'crater' && item.name.startsWith(name)).length
    const ground = groundOf(document, { ground: '' } as never) ?? ''
    return {
      items: {
        [made]: craterSchema.parse({
          kind: 'crater',
          name: count > 0 ? `${name} ${count + 1}` : name,
          order: Math.max(0, ...items.map(({ order }) => order)) + 1,
          position: [position[0], 0, position[2]],
          ground,
          width,
          rim: round(PIKE.rim * width),
          depth: round((PIKE.depth - PIKE.rim) * width),
          opens: document.plate.last > document.plate.first ? frame : 0,
          ...over,
        }),
      },
    }
  },
})

/** Craters and heaps in the ground. */
export const craterEffect = {
  kind: 'crater',
  bakes: () => false,
  drawn: ['crater'],
  itemSchemas: { crater: craterSchema },
  versions: {},
  presets: [
    preset('crater', 'Crater', 'A fresh crater, 2 m across, with its rim; click the ground.', 2, {}),
    preset('pit', 'Pit', 'Steep and deep, with no rim; click the ground.', 1.2, {
      rim: 0,
      depth: 0.6,
      irregular: 5,
      stops: [
        [0, 0],
        [0.7, 0.05],
        [0.9, 0.5],
        [1, 1],
      ],
    }),
    preset(
      'dug-picture',
      'From a grey picture',
      'A picture laid on the ground, dug or heaped by its brightness; click the ground, then choose it.',
      2,
      {
        form: 'picture',
        rim: 0,
        depth: 0.4,
      },
    ),
  ],
  figures: [],
  frameFigures: [],
  resolve: () => [],
  instances: craterInstances,
  opens(document, id, frame, inputs) {
    const item = document.items[id]
    if (!isCrater(item)) return undefined
    const dug = dugOf(craterAt(document, item, frame, inputs), frame)
    const ground = groundOf(document, item)
    return dug && ground ? { ground, square: squareOf(dug) } : undefined
  },
  decode: () => undefined,
  draw: drawCrater,
} as const satisfies Effect<undefined, CraterLook>
