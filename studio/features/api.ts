import { LanternError } from '@lantern/core/base'
import { z } from 'zod'

const errorSchema = z.object({
  code: z.string(),
  message: z.string(),
  remedy: z.string(),
  place: z
    .object({ file: z.string().optional(), frame: z.number().optional(), field: z.string().optional() })
    .default({}),
})

/** Calls a route; what it refuses becomes a LanternError. */
export async function call<T>(path: string, init?: { method?: string; json?: unknown; body?: BodyInit }): Promise<T> {
  let response: Response
  try {
    response = await fetch(path, {
      method: init?.method ?? (init?.json !== undefined ? 'POST' : 'GET'),
      ...(init?.json !== undefined
        ? { body: JSON.stringify(init.json), headers: { 'content-type': 'application/json' } }
        : init?.body !== undefined
          ? { body: init.body }
          : {}),
    })
  } catch {
    throw new LanternError('away', 'The server can’t be reached.', 'It is tried again by itself; nothing is lost.')
  }
  if (response.ok) return (await response.json()) as T
  const known = errorSchema.safeParse(await response.json().catch(() => undefined))
  if (known.success) throw new LanternError(known.data.code, known.data.message, known.data.remedy, known.data.place)
  throw new LanternError('fault', `The server answered ${response.status}.`, 'Try again.')
}

export const shotPath = (name: string): string => `/api/shots/${encodeURIComponent(name)}`
