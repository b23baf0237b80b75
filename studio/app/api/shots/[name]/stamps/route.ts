import { marksSchema } from '@lantern/core/set'
import { getShot } from '@lantern/store'
import { z } from 'zod'
import { answer } from '@/server/answer.ts'
import { bytesOf } from '@/server/body.ts'
import { readAside } from '@/server/reader.ts'
import { store } from '@/server/store.ts'

const MOST_BYTES = 2 ** 27
const MOST_SECONDS = 60
const file = z.string().min(1).max(200)

/** Takes a picture in that is to be stamped. Returns what a mark holds of it. */
export const POST = (request: Request, { params }: { params: Promise<{ name: string }> }) =>
  answer(async () => {
    const opened = await store()
    await getShot(opened, (await params).name)
    const name = file.parse(new URL(request.url).searchParams.get('file'))
    const taken = await readAside('stamp', await bytesOf(request, MOST_BYTES, name), name, undefined, MOST_SECONDS)
    return { picture: marksSchema.shape.picture.parse({ file: name, ...taken }) }
  })
