import { Readable } from 'node:stream'
import { LanternError } from '@lantern/core/base'
import { getBlob, keptFrame, streamBlob } from '@lantern/store'
import { z } from 'zod'
import { answer } from '@/server/answer.ts'
import { frameNumber } from '@/server/body.ts'
import { store } from '@/server/store.ts'

const wanted = z.object({
  key: z.string().max(120),
  frame: frameNumber,
  as: z
    .string()
    .regex(/^[\w .-]{1,120}$/)
    .optional(),
})

/** One kept frame's bytes; `as` offers them as a download under that name. What a key names never changes. */
export const GET = (request: Request, { params }: { params: Promise<{ key: string; frame: string }> }) =>
  answer(async () => {
    const opened = await store()
    const { key, frame, as } = wanted.parse({
      ...(await params),
      as: new URL(request.url).searchParams.get('as') ?? undefined,
    })
    const kept = await keptFrame(opened, key, frame)
    if (!kept) throw new LanternError('no-result', `Frame ${frame} is not kept.`, 'Ask for it first.', { frame })
    const headers = { 'cache-control': 'private, max-age=31536000, immutable' }
    if (!as)
      return new Response(await getBlob(opened, kept.blob), {
        headers: { ...headers, 'content-type': 'application/octet-stream' },
      })
    const { stream, bytes } = await streamBlob(opened, kept.blob)
    return new Response(Readable.toWeb(stream) as ReadableStream, {
      headers: {
        ...headers,
        'content-type': as.endsWith('.mp4') ? 'video/mp4' : 'application/zip',
        'content-length': String(bytes),
        'content-disposition': `attachment; filename="${as}"`,
      },
    })
  })
