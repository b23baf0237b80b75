import { createWriteStream } from 'node:fs'
import { mkdir, rm } from 'node:fs/promises'
import { join } from 'node:path'
import { Readable } from 'node:stream'
import { pipeline } from 'node:stream/promises'
import type { ReadableStream as NodeStream } from 'node:stream/web'
import { LanternError } from '@lantern/core/base'
import { diskError } from '@lantern/store'
import { answer } from '@/server/answer.ts'
import { store } from '@/server/store.ts'
import { fileName, uploadFolder } from '@/server/uploads.ts'

/** Takes one file of a plate; the byte count must agree with what was announced. */
export const PUT = (request: Request, { params }: { params: Promise<{ upload: string; file: string }> }) =>
  answer(async () => {
    const opened = await store()
    const { upload, file: raw } = await params
    const file = fileName.parse(raw)
    const folder = uploadFolder(opened, upload)
    const path = join(folder, file)
    const announced = Number(request.headers.get('content-length'))
    if (!request.body) throw new LanternError('upload', `${file} is empty.`, 'Choose another file.', { file })
    await mkdir(folder, { recursive: true })
    const out = createWriteStream(path)
    try {
      await pipeline(Readable.fromWeb(request.body as NodeStream), out)
    } catch (error) {
      await rm(path, { force: true })
      throw diskError(error)
    }
    if (Number.isFinite(announced) && announced > 0 && out.bytesWritten !== announced) {
      await rm(path, { force: true })
      throw new LanternError(
        'upload',
        `${file} arrived short: ${out.bytesWritten} of ${announced} bytes.`,
        'Send it again.',
        { file },
      )
    }
    return { bytes: out.bytesWritten }
  })
