import type { Item, ItemDocument } from '../../settings/index.ts'
import type { Effect } from '../effect.ts'
import { drawRender, type RenderLook, renderClips, renderInstances } from './draw.ts'
import { isRender, renderSchema } from './schema.ts'

export * from './draw.ts'
export * from './passes.ts'
export * from './schema.ts'

/** The item whose shape a render has. */
const shapeOf = (item: Item): readonly string[] => (isRender(item) && item.standIn ? [item.standIn] : [])

/** Others' renders: multi-layer EXR sequences. */
export const rendersEffect = {
  kind: 'render',
  bakes: () => false,
  drawn: ['render'],
  itemSchemas: { render: renderSchema },
  versions: {},
  presets: [
    {
      id: 'render',
      name: 'Another program’s render',
      hint: 'A multi-layer EXR sequence with alpha and depth: hides and is hidden, and is lit by the shot.',
      tool: 'at once',
      place(document: ItemDocument, made: string) {
        const items = Object.values(document.items)
        const count = items.filter(({ kind }) => kind === 'render').length
        const order = Math.max(0, ...items.map((item) => item.order)) + 1
        return {
          items: {
            [made]: renderSchema.parse({ kind: 'render', name: `Render${count > 0 ? ` ${count + 1}` : ''}`, order }),
          },
        }
      },
    },
  ],
  figures: [],
  frameFigures: [],
  resolve: () => [],
  instances: renderInstances,
  clips: renderClips,
  shapesOf: shapeOf,
  meshes: shapeOf,
  ownExposure: true,
  decode: () => undefined,
  draw: drawRender,
} as const satisfies Effect<undefined, RenderLook>
