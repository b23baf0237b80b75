import type { z } from 'zod'
import { LanternError } from '../base/index.ts'

/** What is kept as plain JSON, every number whole: its writer, and a reader that throws LanternError `code` on bytes that are none. */
export function jsonFile<T>(
  schema: z.ZodType<T>,
  code: string,
  what: string,
  remedy: string,
): { write(value: T): Uint8Array<ArrayBuffer>; read(bytes: Uint8Array): T } {
  return {
    write: (value) => new TextEncoder().encode(JSON.stringify(value)),
    read(bytes) {
      try {
        return schema.parse(JSON.parse(new TextDecoder().decode(bytes)))
      } catch {
        throw new LanternError(code, `${what} is damaged.`, remedy)
      }
    },
  }
}
