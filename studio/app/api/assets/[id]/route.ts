import { getAsset } from '@lantern/store'
import { z } from 'zod'
import { answer } from '@/server/answer.ts'
import { store } from '@/server/store.ts'

export const dynamic = 'force-dynamic'
export const GET = (_: Request, { params }: { params: Promise<{ id: string }> }) =>
  answer(async () => getAsset(await store(), z.uuid().parse((await params).id)))
