import { join } from 'node:path'
import type { Store } from '@lantern/store'
import { z } from 'zod'

export const uploadId = z.uuid()
/** A file's own name: no folders, no hidden files, of a length every disk takes. */
export const fileName = z
  .string()
  .min(1)
  .max(255, 'A file name has at most 255 characters.')
  .regex(/^[^/\\\p{Cc}]+$/u, 'A file name has no slashes.')
  .refine((name) => !name.startsWith('.'), 'Hidden files are not taken in.')
export const uploadFolder = (store: Store, id: string): string => join(store.data, 'uploads', uploadId.parse(id))
