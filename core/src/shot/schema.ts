import { z } from 'zod'
import { id } from '../settings/index.ts'
import { cameraSchema } from './camera.ts'
import { itemSchema } from './itemKinds.ts'
import { matchSchema } from './match.ts'
import { plateLightSchema } from './plateLight.ts'
import { readingSchema } from './reading.ts'
import { signalSchema } from './signal.ts'
import { sitSchema } from './sit.ts'
import { SHOT_VERSION } from './upgrade.ts'

// The shot document. Every setting carries its label, unit, sensible range, step and a hint of one line in its schema's meta; forms, checks, defaults and
// docs are made from them. Items are a map by id with an order field, so that merge patches touch one thing.

export const plateSchema = z
  .object({
    asset: z.string(),
    file: z.string(),
    width: z.number().int().min(1).max(16384),
    height: z.number().int().min(1).max(16384),
    first: z.number().int(),
    last: z.number().int(),
    /** Frames per second as a fraction. */
    rate: z.tuple([z.number().int().min(1), z.number().int().min(1)]),
    encoding: z.enum(['srgb', 'rec709', 'linear']).default('srgb'),
  })
  .strict()

/** Files are named after a shot, with what they hold and their frame after that. */
const MOST_NAME_BYTES = 200

/** A shot's name: it becomes part of addresses and of files' names. */
export const shotNameSchema = z
  .string()
  .trim()
  .min(1, 'Give the shot a name.')
  .max(80, 'A name has at most 80 characters.')
  .regex(/^[^/\\\p{Cc}\p{Cs}]+$/u, 'A name has no slashes.')
  .regex(/[^.]/, 'A name is more than dots.')
  .refine((name) => new TextEncoder().encode(name).length <= MOST_NAME_BYTES, 'That name is too long for a file.')

export const shotSchema = z
  .object({
    version: z.literal(SHOT_VERSION),
    name: shotNameSchema,
    plate: plateSchema,
    camera: cameraSchema,
    match: matchSchema,
    light: plateLightSchema,
    sit: sitSchema,
    signals: z.record(id, signalSchema).default({}),
    readings: z.record(id, readingSchema).default({}),
    items: z.record(id, itemSchema),
  })
  .strict()

export type ShotDocument = z.infer<typeof shotSchema>
export type PlateInfo = z.infer<typeof plateSchema>
