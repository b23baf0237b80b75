import { z } from 'zod'
import { canonicalJson, LanternError, recipeKey, textKey } from '../../../src/base/index.ts'
import type { Effect, InputFrame, Run } from '../../../src/effects/effect.ts'
import { common, type Item, itemOf, number, vec3 } from '../../../src/settings/index.ts'

// A small effect for tests that goes from frame to frame: it adds up a gas's heat, and counts two frames before it begins.

const schema = z
  .object({
    ...common,
    kind: z.literal('tally'),
    position: vec3.default([0, 0, 0]).meta({ label: 'Place', unit: 'm', hint: 'Where it is shown.', group: 'Tally' }),
    of: itemOf(['gas', 'tally'], { label: 'Of', hint: 'The gas whose heat it adds up.', group: 'Tally', still: true }),
    start: number(0, 1e6, 0, { label: 'Start', hint: 'What it starts with.', group: 'Tally', still: true }),
  })
  .strict()
type TallyItem = z.infer<typeof schema>
const isTally = (item: Item | undefined): item is TallyItem => item?.kind === 'tally'

const PRE_ROLL = 2
const asBytes = (value: number): Uint8Array => new Uint8Array(Float64Array.of(value).buffer)
const asNumber = (bytes: Uint8Array | undefined): number =>
  bytes ? (new Float64Array(bytes.slice().buffer)[0] ?? 0) : 0

function runOf(item: TallyItem, id: string, gas: Run): Run {
  const recipe = { kind: 'tally', version: 1, settings: { start: item.start }, inputs: [gas.key] }
  let frameKey = textKey(canonicalJson(recipe.settings))
  const frameKeys = new Map<number, string>()
  for (const [frame, key] of gas.frameKeys) frameKeys.set(frame, (frameKey = textKey(`${frameKey}:${key}`)))
  const { first, last } = gas
  return {
    item: id,
    name: item.name,
    output: 'tally',
    recipe,
    key: recipeKey(recipe),
    first,
    last,
    preRoll: PRE_ROLL,
    inputs: [gas],
    needs: (frame) => (frame < first ? [] : [{ input: 0, frames: [frame] }]),
    frameKeys,
    checkMemory: () => undefined,
    bake: {
      way: 'steps',
      readState: (done, small) => {
        const parts = [asBytes(0)]
        return { parts, state: { done, small, parts } }
      },
      async prepare(_, state) {
        let [done, sum] = [state?.done ?? 0, state ? asNumber(state.parts[0]) : item.start]
        function* add(inputs: readonly InputFrame[]): Generator<void, number> {
          yield
          sum += inputs.reduce((total, { figures }) => total + Number(figures.heatKw), 0)
          done++
          return 1
        }
        return {
          get done() {
            return done
          },
          advance: async (inputs) => add(inputs),
          encode: () => ({ bytes: asBytes(sum), mediaType: 'application/octet-stream', figures: { sum } }),
          state: () => ({ done, small: {}, parts: [asBytes(sum)] }),
        }
      },
    },
  }
}

export const tally = {
  kind: 'tally',
  drawn: [],
  itemSchemas: { tally: schema },
  versions: { tally: 1 },
  presets: [],
  figures: [],
  frameFigures: ['sum'],
  resolve(document, id, context) {
    const item = document.items[id]
    if (!isTally(item)) return []
    const gas = context.result?.(item.of)
    if (!gas)
      throw new LanternError('no-input', `“${item.name}” adds up no gas.`, 'Choose one that is shown.', { field: 'of' })
    return [runOf(item, id, gas)]
  },
  instances: () => [],
  decode: asNumber,
  draw: () => [],
} as const satisfies Effect<number>
