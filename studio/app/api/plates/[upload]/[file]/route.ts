import { createWriteStream } from 'node:fs'
import { mkdir, rename, rm, stat } from 'node:fs/promises'
import { join } from 'node:path'
import { Readable } from 'node:stream'
import { pipeline } from 'node:stream/promises'
import type { ReadableStream as NodeStream } from 'node:stream/web'
import { LanternError } from '@lantern/core/base'
import { announcedFiles, arrivalFolder, diskError, partOf, readArrived, refuseFull, type Store } from '@lantern/store'
import { z } from 'zod'
import { answer } from '@/server/answer.ts'
import { store } from '@/server/store.ts'
import { beginSending, fileName, refuseMore, uploadId } from '@/server/uploads.ts'

const place = z.object({ upload: uploadId, file: fileName })
const start = z.coerce.number().int().min(0).default(0)

const sizeOf = (path: string): Promise<number> =>
  stat(path).then(
    ({ size }) => size,
    () => 0,
  )

/** Takes a file of an announced plate from byte `from` on. What arrives stays, also where it breaks off, so that the same file can go on. */
export const PUT = (request: Request, { params }: { params: Promise<{ upload: string; file: string }> }) =>
  answer(async () => {
    const opened = await store()
    const { upload, file } = place.parse(await params)
    const from = start.parse(new URL(request.url).searchParams.get('from') ?? undefined)
    const { files } = await announcedFiles(opened, upload)
    const bytes = files.find(({ name }) => name === file)?.bytes
    if (bytes === undefined)
      throw new LanternError('upload', `${file} was not announced.`, 'Drop the files again.', { file })
    const path = join(arrivalFolder(opened, upload), file)
    const sent = beginSending(upload, file)
    try {
      await mkdir(arrivalFolder(opened, upload), { recursive: true })
      if ((await sizeOf(path)) !== bytes) await receive(opened, request, { file, path, from, bytes })
    } finally {
      sent()
    }
    await readArrived(opened, upload)
    return { bytes }
  })

async function receive(
  store: Store,
  request: Request,
  { file, path, from, bytes }: { file: string; path: string; from: number; bytes: number },
): Promise<void> {
  const part = partOf(path)
  const here = await sizeOf(part)
  if (from !== here)
    throw new LanternError('upload-place', `${file} goes on at byte ${here}, not at ${from}.`, 'Drop the file again.', {
      file,
    })
  if (!request.body) throw new LanternError('upload', `${file} is empty.`, 'Choose another file.', { file })
  await refuseFull(store, bytes - here)
  try {
    await pipeline(
      Readable.fromWeb(request.body as NodeStream),
      refuseMore(bytes - here, file),
      createWriteStream(part, { flags: 'a' }),
    )
  } catch (error) {
    if (error instanceof LanternError) await rm(part, { force: true })
    throw diskError(error)
  }
  const size = await sizeOf(part)
  if (size !== bytes)
    throw new LanternError('upload', `${file} arrived short: ${size} of ${bytes} bytes.`, 'Drop it again to go on.', {
      file,
    })
  await rename(part, path)
}
