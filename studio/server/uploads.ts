import { Transform } from 'node:stream'
import { LanternError } from '@lantern/core/base'
import { z } from 'zod'

export const uploadId = z.uuid()
/** A file's own name: no folders, no hidden files, of a length every disk takes. */
export const fileName = z
  .string()
  .min(1)
  .max(255, 'A file name has at most 255 characters.')
  .regex(/^[^/\\\p{Cc}\p{Cs}]+$/u, 'A file name has no slashes.')
  .refine((name) => !name.startsWith('.'), 'Hidden files are not taken in.')
  .refine((name) => new TextEncoder().encode(name).length <= 240, 'That file name is too long.')

/** Files that some page is sending at this moment: plate and name. */
const sending: Map<string, Set<string>> = ((
  globalThis as { lanternSending?: Map<string, Set<string>> }
).lanternSending ??= new Map())

export const sendingNow = (): ReadonlySet<string> => new Set(sending.keys())

/** Holds a file while it is sent; call what it returns after. Throws LanternError 'clash' where another page sends the same one. */
export function beginSending(upload: string, file: string): () => void {
  const files = sending.get(upload) ?? new Set<string>()
  if (files.has(file))
    throw new LanternError('clash', `${file} is being sent by another page.`, 'Let that one go on.', { file })
  files.add(file)
  sending.set(upload, files)
  return () => {
    files.delete(file)
    if (files.size === 0) sending.delete(upload)
  }
}

/** Passes bytes on, and breaks off where more come than are wanted. */
export function refuseMore(most: number, file: string): Transform {
  let passed = 0
  return new Transform({
    transform(part: Buffer, _, done) {
      passed += part.length
      if (passed > most)
        done(
          new LanternError('upload', `${file} is longer than was announced.`, 'Drop it again; it may have changed.', {
            file,
          }),
        )
      else done(null, part)
    },
  })
}
