import { z } from 'zod'
import { forceSchema } from '../../air/index.ts'
import { common, type Item, itemOf, settingsOf } from '../../settings/index.ts'
import { REUSE_SETTINGS, reuseSchema } from '../again.ts'
import { gasSchema } from './gasSchema.ts'
import { sourceFields } from './sourceFields.ts'
import { takenSchema } from './takenSchema.ts'

// Gases, what feeds them, what pushes them, and kept runs that are shown again.

export { FORCES, forceSchema } from '../../air/index.ts'
export { gasSchema, MATTERS } from './gasSchema.ts'
export { takenSchema } from './takenSchema.ts'

export const sourceSchema = z
  .object({
    ...common,
    kind: z.literal('source'),
    feeds: itemOf(['gas'], {
      label: 'Feeds',
      hint: 'The gas that it feeds.',
      group: 'Source',
      touches: 'gas',
      still: true,
    }),
    ...sourceFields,
  })
  .strict()

export type GasItem = z.infer<typeof gasSchema>
export type SourceItem = z.infer<typeof sourceSchema>
export type ForceItem = z.infer<typeof forceSchema>
/** What a gas and a source item have in common. */
export type SourceSettings = Pick<GasItem, keyof typeof sourceFields>

/** Schemas of the kinds of item that this effect has. */
export const GAS_SCHEMAS = { gas: gasSchema, source: sourceSchema, force: forceSchema, reuse: reuseSchema } as const
export const GAS_SETTINGS = {
  gas: settingsOf(gasSchema),
  source: settingsOf(sourceSchema),
  force: settingsOf(forceSchema),
  reuse: REUSE_SETTINGS,
  taken: settingsOf(takenSchema),
} as const

export const isGas = (item: Item | undefined): item is GasItem => item?.kind === 'gas'
export const isSource = (item: Item | undefined): item is SourceItem => item?.kind === 'source'
export const isForce = (item: Item | undefined): item is ForceItem => item?.kind === 'force'
