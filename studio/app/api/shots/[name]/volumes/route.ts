import { LanternError } from '@lantern/core/base'
import { readVdb } from '@lantern/core/formats'
import { getShot, putBlob } from '@lantern/store'
import { z } from 'zod'
import { answer } from '@/server/answer.ts'
import { store } from '@/server/store.ts'

const MOST_BYTES = 2 ** 31
const file = z.string().min(1).max(200)

/** Takes one file of OpenVDB in; its head is looked at here, its values when the gas is kept. Returns its blob. */
export const POST = (request: Request, { params }: { params: Promise<{ name: string }> }) =>
  answer(async () => {
    const opened = await store()
    await getShot(opened, (await params).name)
    const name = file.parse(new URL(request.url).searchParams.get('file'))
    const announced = Number(request.headers.get('content-length'))
    if (announced > MOST_BYTES)
      throw new LanternError(
        'file',
        `${name} has ${(announced / 2 ** 30).toFixed(1)} GiB; 2 are the most.`,
        'Write it with larger voxels, or halves.',
        { file: name },
      )
    const bytes = new Uint8Array(await request.arrayBuffer())
    if (Number.isFinite(announced) && announced > 0 && bytes.length !== announced)
      throw new LanternError(
        'upload',
        `${name} arrived short: ${bytes.length} of ${announced} bytes.`,
        'Send it again.',
        { file: name },
      )
    const { skipped } = await readVdb(bytes, name, undefined, undefined, true)
    return { blob: await putBlob(opened, bytes, 'application/x-openvdb'), grids: skipped }
  })
