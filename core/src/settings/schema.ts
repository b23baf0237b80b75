import { z } from 'zod'
import type { SettingMeta } from './fields.ts'

/** One setting as the bench shows it. */
export interface Setting extends SettingMeta {
  key: string
  type: 'number' | 'vector' | 'colour' | 'choice' | 'switch' | 'roles' | 'item'
  minimum?: number
  maximum?: number
  initial?: unknown
  choices?: readonly string[]
}

const metaSchema = z.object({
  label: z.string(),
  unit: z.string().optional(),
  span: z.tuple([z.number(), z.number()]).optional(),
  step: z.number().optional(),
  hint: z.string(),
  group: z.string(),
  touches: z.string().optional(),
  when: z.record(z.string(), z.array(z.union([z.string(), z.boolean()]))).optional(),
  itemKinds: z.array(z.string()).optional(),
  none: z.string().optional(),
  still: z.boolean().optional(),
})
const shapeSchema = z.object({
  type: z.string().optional(),
  minimum: z.number().optional(),
  maximum: z.number().optional(),
  default: z.unknown().optional(),
  enum: z.array(z.string()).optional(),
})

/** The settings of an object schema, in its order; fields without a label are not settings. */
export function settingsOf(schema: z.ZodObject): Setting[] {
  const document = z.toJSONSchema(schema, { io: 'input', unrepresentable: 'any' })
  return Object.entries(document.properties ?? {}).flatMap(([key, property]) => {
    const meta = metaSchema.safeParse(property)
    const shape = shapeSchema.safeParse(property)
    if (!meta.success || !shape.success) return []
    const { type, minimum, maximum, enum: choices } = shape.data
    const kind = meta.data.itemKinds
      ? 'item'
      : choices
        ? 'choice'
        : type === 'array'
          ? key.toLowerCase().endsWith('colour') || key === 'tint'
            ? 'colour'
            : 'vector'
          : type === 'object'
            ? 'roles'
            : type === 'boolean'
              ? 'switch'
              : 'number'
    return [{ ...meta.data, key, type: kind, minimum, maximum, initial: shape.data.default, choices }]
  })
}

/** Stands for any value but none in what a setting is shown for. */
export const ANY = '*'
/** Whether a setting is shown beside the others' present values. */
export const settingShows = (setting: Setting, values: Readonly<Record<string, unknown>>): boolean =>
  Object.entries(setting.when ?? {}).every(
    ([key, wanted]) =>
      wanted.includes(values[key] as string | boolean) || (wanted.includes(ANY) && Boolean(values[key])),
  )
