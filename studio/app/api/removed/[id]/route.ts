import { restoreShot } from '@lantern/store'
import { z } from 'zod'
import { answer } from '@/server/answer.ts'
import { store } from '@/server/store.ts'

const place = z.object({
  id: z.coerce
    .number()
    .int()
    .min(1)
    .max(2 ** 31 - 1),
})

/** Puts a removed shot back on the list. */
export const POST = (_: Request, { params }: { params: Promise<{ id: string }> }) =>
  answer(async () => ({ name: await restoreShot(await store(), place.parse(await params).id) }))
