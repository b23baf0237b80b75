import { answer } from '@/server/answer.ts'
import { statusText } from '@/server/statusHub.ts'
import { store } from '@/server/store.ts'

export const dynamic = 'force-dynamic'
export const GET = (_: Request, { params }: { params: Promise<{ name: string }> }) =>
  answer(async () => {
    const text = await statusText(await store(), (await params).name)
    return new Response(text, { headers: { 'content-type': 'application/json' } })
  })
