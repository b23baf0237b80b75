import { type Kysely, sql } from 'kysely'
import { z } from 'zod'
import type { Store } from './open.ts'
import type { Database } from './schema.ts'

/** What the studio is told as it happens. */
export const eventSchema = z.object({
  what: z.enum(['shots', 'shot', 'asset', 'result', 'frame', 'machine']),
  shot: z.int().optional(),
  head: z.int().optional(),
  asset: z.string().optional(),
  key: z.string().optional(),
  frame: z.int().optional(),
  state: z.string().optional(),
})
export type StoreEvent = z.infer<typeof eventSchema>

const CHANNEL = 'lantern'

/** Sent when the transaction commits. */
export async function notify(db: Kysely<Database>, event: StoreEvent): Promise<void> {
  await sql`select pg_notify(${CHANNEL}, ${JSON.stringify(event)})`.execute(db)
}

/** Listens until the returned function is called; `lost` is called once when the connection breaks. */
export async function listen(store: Store, heard: (event: StoreEvent) => void, lost: () => void): Promise<() => void> {
  const client = await store.pool.connect()
  let ended = false
  const end = (broken: boolean): void => {
    if (ended) return
    ended = true
    client.release(true)
    if (broken) lost()
  }
  client.on('error', () => end(true))
  client.on('end', () => end(true))
  client.on('notification', (message) => {
    const event = eventSchema.safeParse(JSON.parse(message.payload ?? '{}'))
    if (event.success) heard(event.data)
  })
  await client.query(`listen ${CHANNEL}`)
  return () => end(false)
}
