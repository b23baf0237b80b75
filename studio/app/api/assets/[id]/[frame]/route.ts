import { assetFrame, getBlob } from '@lantern/store'
import { z } from 'zod'
import { answer } from '@/server/answer.ts'
import { frameNumber } from '@/server/body.ts'
import { store } from '@/server/store.ts'

export const dynamic = 'force-dynamic'
const wanted = z.object({
  id: z.uuid(),
  frame: frameNumber,
  size: z.enum(['full', 'half', 'quarter', 'alpha', 'passes']).default('half'),
})

/** One plate frame's file. */
export const GET = (request: Request, { params }: { params: Promise<{ id: string; frame: string }> }) =>
  answer(async () => {
    const opened = await store()
    const { id, frame, size } = wanted.parse({
      ...(await params),
      size: new URL(request.url).searchParams.get('size') ?? undefined,
    })
    const bytes = await getBlob(opened, await assetFrame(opened, id, frame, size))
    return new Response(bytes, {
      headers: {
        'content-type': bytes[0] === 0x89 ? 'image/png' : 'image/x-exr',
        'cache-control': 'private, max-age=3600',
      },
    })
  })
