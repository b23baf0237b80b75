import { editShot, getShot } from '@lantern/store'
import { z } from 'zod'
import { answer } from '@/server/answer.ts'
import { jsonOf } from '@/server/body.ts'
import { store } from '@/server/store.ts'

export const dynamic = 'force-dynamic'
type Context = { params: Promise<{ name: string }> }

export const GET = (_: Request, { params }: Context) => answer(async () => getShot(await store(), (await params).name))

const edit = z.object({ base: z.int(), patch: z.record(z.string(), z.unknown()) }).strict()

export const PATCH = (request: Request, { params }: Context) =>
  answer(async () => {
    const { base, patch } = edit.parse(await jsonOf(request))
    return editShot(await store(), (await params).name, base, patch)
  })
