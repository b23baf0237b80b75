import { adoptSolve, getShot } from '@lantern/store'
import { z } from 'zod'
import { answer } from '@/server/answer.ts'
import { jsonOf } from '@/server/body.ts'
import { store } from '@/server/store.ts'

/** Makes the newest kept solve the shot's camera, on the ground that the document tells of. */
export const POST = (request: Request, { params }: { params: Promise<{ name: string }> }) =>
  answer(async () => {
    const opened = await store()
    const { base } = z
      .object({ base: z.int() })
      .strict()
      .parse(await jsonOf(request))
    return adoptSolve(opened, await getShot(opened, (await params).name), base)
  })
