import { editShot, getShot, putBlob } from '@lantern/store'
import { z } from 'zod'
import { answer } from '@/server/answer.ts'
import { bytesOf } from '@/server/body.ts'
import { readAside } from '@/server/reader.ts'
import { store } from '@/server/store.ts'

const MOST_BYTES = 64 * 2 ** 20
const query = z.object({
  file: z.string().min(1).max(300),
  base: z.coerce
    .number()
    .int()
    .max(2 ** 31 - 1),
})

/** Takes in a camera file (its bytes are the body) and makes it the shot's camera. */
export const POST = (request: Request, { params }: { params: Promise<{ name: string }> }) =>
  answer(async () => {
    const opened = await store()
    const { file, base } = query.parse(Object.fromEntries(new URL(request.url).searchParams))
    const bytes = await bytesOf(request, MOST_BYTES, file)
    const name = (await params).name
    const { plate } = (await getShot(opened, name)).document
    const { notes } = await readAside('camera', bytes, file, { ...plate, rate: plate.rate[0] / plate.rate[1] })
    const blob = await putBlob(opened, bytes, 'application/octet-stream')
    return {
      ...(await editShot(opened, name, base, {
        camera: { kind: 'path', path: { blob, file, scale: 1, offset: 0, up: 'y' } },
      })),
      notes,
    }
  })
