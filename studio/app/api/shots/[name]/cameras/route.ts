import { cameraAt } from '@lantern/core/pipeline'
import { cameraPathOf, getShot } from '@lantern/store'
import { answer } from '@/server/answer.ts'
import { store } from '@/server/store.ts'

export const dynamic = 'force-dynamic'

/** The shot's camera at every frame of its plate; empty without one. */
export const GET = (_: Request, { params }: { params: Promise<{ name: string }> }) =>
  answer(async () => {
    const opened = await store()
    const { document } = await getShot(opened, (await params).name)
    const path = await cameraPathOf(opened, document)
    const { first, last } = document.plate
    const cameras = Array.from({ length: last - first + 1 }, (_, n) => cameraAt(document, path, first + n))
    return { first, cameras: cameras.every(Boolean) ? cameras : [] }
  })
