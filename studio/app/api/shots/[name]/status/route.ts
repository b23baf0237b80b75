import { answer } from '@/server/answer.ts'
import { statusOf } from '@/server/statusHub.ts'
import { store } from '@/server/store.ts'

export const dynamic = 'force-dynamic'
export const GET = (_: Request, { params }: { params: Promise<{ name: string }> }) =>
  answer(async () => statusOf(await store(), (await params).name))
