import { stepHistory } from '@lantern/store'
import { z } from 'zod'
import { answer } from '@/server/answer.ts'
import { jsonOf } from '@/server/body.ts'
import { store } from '@/server/store.ts'

export const POST = (request: Request, { params }: { params: Promise<{ name: string }> }) =>
  answer(async () =>
    stepHistory(
      await store(),
      (await params).name,
      z.object({ way: z.enum(['undo', 'redo']) }).parse(await jsonOf(request)).way,
    ),
  )
