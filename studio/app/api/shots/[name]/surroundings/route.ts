import { LanternError } from '@lantern/core/base'
import { getBlob, getShot, putBlob } from '@lantern/store'
import { z } from 'zod'
import { answer } from '@/server/answer.ts'
import { bytesOf } from '@/server/body.ts'
import { readAside } from '@/server/reader.ts'
import { store } from '@/server/store.ts'

const MOST_BYTES = 2 ** 29
const MOST_SECONDS = 60
const file = z.string().min(1).max(200)
const EXR = 'image/x-exr'

/** The surroundings picture (OpenEXR) that this shot's light names. */
export const GET = async (_: Request, { params }: { params: Promise<{ name: string }> }) => {
  let bytes: Uint8Array<ArrayBuffer> | undefined
  const failed = await answer(async () => {
    const opened = await store()
    const { document } = await getShot(opened, (await params).name)
    const { surroundings } = document.light
    if (!surroundings)
      throw new LanternError('no-surroundings', 'This shot has no picture of its surroundings.', 'Take one in.')
    bytes = await getBlob(opened, surroundings.blob)
    return {}
  })
  return bytes ? new Response(bytes, { headers: { 'content-type': EXR, 'cache-control': 'no-store' } }) : failed
}

/** Takes a picture of the surroundings in. Returns what the plate's light holds of it. */
export const POST = (request: Request, { params }: { params: Promise<{ name: string }> }) =>
  answer(async () => {
    const opened = await store()
    await getShot(opened, (await params).name)
    const name = file.parse(new URL(request.url).searchParams.get('file'))
    const bytes = await bytesOf(request, MOST_BYTES, name)
    const { exr, from, height } = await readAside('surroundings', bytes, name, undefined, MOST_SECONDS)
    return { surroundings: { blob: await putBlob(opened, exr, EXR), file: name, from, height } }
  })
