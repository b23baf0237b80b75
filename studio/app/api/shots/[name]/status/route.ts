import { getShot, shotStatus } from '@lantern/store'
import { answer } from '@/server/answer.ts'
import { store } from '@/server/store.ts'

export const dynamic = 'force-dynamic'
export const GET = (_: Request, { params }: { params: Promise<{ name: string }> }) =>
  answer(async () => {
    const opened = await store()
    return shotStatus(opened, await getShot(opened, (await params).name))
  })
