import { LanternError } from '@lantern/core/base'
import { getBlob, getShot, putBlob } from '@lantern/store'
import { z } from 'zod'
import { answer } from '@/server/answer.ts'
import { bytesOf } from '@/server/body.ts'
import { readAside } from '@/server/reader.ts'
import { store } from '@/server/store.ts'

const MOST_BYTES = 64 * 2 ** 20
const file = z.string().min(1).max(200)

/** The bytes of a table of points that a source of this shot names. */
export const GET = async (request: Request, { params }: { params: Promise<{ name: string }> }) => {
  let bytes: Uint8Array<ArrayBuffer> | undefined
  const failed = await answer(async () => {
    const opened = await store()
    const { document } = await getShot(opened, (await params).name)
    const wanted = z
      .string()
      .regex(/^[0-9a-f]{64}$/)
      .parse(new URL(request.url).searchParams.get('blob'))
    if (!Object.values(document.items).some((item) => 'points' in item && item.points?.blob === wanted))
      throw new LanternError('no-points', 'No source of this shot comes from that table.', 'Load the page again.', {
        field: 'blob',
      })
    bytes = await getBlob(opened, wanted)
    return {}
  })
  return bytes ? new Response(bytes, { headers: { 'content-type': 'text/csv' } }) : failed
}

/** Takes a table of points in; returns what of it a source holds. */
export const POST = (request: Request, { params }: { params: Promise<{ name: string }> }) =>
  answer(async () => {
    const opened = await store()
    await getShot(opened, (await params).name)
    const name = file.parse(new URL(request.url).searchParams.get('file'))
    const bytes = await bytesOf(request, MOST_BYTES, name)
    const table = await readAside('points', bytes, name)
    return {
      points: { blob: await putBlob(opened, bytes, 'text/csv'), file: name, count: table.count },
      first: table.first,
      last: table.last,
    }
  })
