import { shotNameSchema } from '@lantern/core/shot'
import { duplicateShot, removeShot, renameShot } from '@lantern/store'
import { z } from 'zod'
import { answer } from '@/server/answer.ts'
import { jsonOf } from '@/server/body.ts'
import { store } from '@/server/store.ts'

const asked = z.discriminatedUnion('what', [
  z.object({ what: z.literal('rename'), to: shotNameSchema }).strict(),
  z.object({ what: z.literal('duplicate') }).strict(),
  z.object({ what: z.literal('remove') }).strict(),
])

/** What is done with a whole shot. */
export const POST = (request: Request, { params }: { params: Promise<{ name: string }> }) =>
  answer(async () => {
    const opened = await store()
    const { name } = await params
    const wanted = asked.parse(await jsonOf(request))
    if (wanted.what === 'rename') await renameShot(opened, name, wanted.to)
    else if (wanted.what === 'duplicate') return { name: (await duplicateShot(opened, name)).name }
    else return removeShot(opened, name)
    return { name: wanted.to }
  })
