import { z } from 'zod'
import { LanternError, recipeKey, textKey } from '../../../src/base/index.ts'
import type { Effect, Run } from '../../../src/effects/effect.ts'
import { common, type Item, itemOf, vec3 } from '../../../src/settings/index.ts'

// A small effect for tests whose frames are made each by itself: the mean of a tally over the two frames before and after.

const schema = z
  .object({
    ...common,
    kind: z.literal('average'),
    position: vec3.default([0, 0, 0]).meta({ label: 'Place', unit: 'm', hint: 'Where it is shown.', group: 'Average' }),
    of: itemOf(['tally', 'average'], { label: 'Of', hint: 'What it averages.', group: 'Average', still: true }),
  })
  .strict()
type AverageItem = z.infer<typeof schema>
const isAverage = (item: Item | undefined): item is AverageItem => item?.kind === 'average'

const REACH = 2

function runOf(item: AverageItem, id: string, tally: Run): Run {
  const { first, last } = tally
  const recipe = { kind: 'average', version: 1, settings: { reach: REACH }, inputs: [tally.key] }
  const near = (frame: number): number[] =>
    Array.from({ length: 2 * REACH + 1 }, (_, n) => frame - REACH + n).filter((one) => one >= first && one <= last)
  return {
    item: id,
    name: item.name,
    output: 'average',
    recipe,
    key: recipeKey(recipe),
    first,
    last,
    preRoll: 0,
    inputs: [tally],
    needs: (frame) => [{ input: 0, frames: near(frame) }],
    frameKeys: new Map(
      [...tally.frameKeys.keys()].map((frame) => [
        frame,
        textKey(`average:${near(frame).map((one) => tally.frameKeys.get(one))}`),
      ]),
    ),
    checkMemory: () => undefined,
    bake: {
      way: 'frames',
      prepare: async () => ({
        async frame(_, inputs) {
          const mean = inputs.reduce((sum, { figures }) => sum + Number(figures.sum), 0) / inputs.length
          const bytes = new Uint8Array(Float64Array.of(mean).buffer)
          return { bytes, mediaType: 'application/octet-stream', figures: { mean } }
        },
      }),
    },
  }
}

export const average = {
  kind: 'average',
  drawn: [],
  itemSchemas: { average: schema },
  versions: { average: 1 },
  presets: [],
  figures: [],
  frameFigures: ['mean'],
  resolve(document, id, context) {
    const item = document.items[id]
    const tally = isAverage(item) ? context.result?.(item.of) : undefined
    if (!isAverage(item) || !tally)
      throw new LanternError('no-input', `“${item?.name}” averages nothing.`, 'Choose a tally.', { field: 'of' })
    return [runOf(item, id, tally)]
  },
  instances: () => [],
  decode: (bytes) => bytes,
  draw: () => [],
} as const satisfies Effect<Uint8Array>
