import { getShot, putBlob } from '@lantern/store'
import { z } from 'zod'
import { answer } from '@/server/answer.ts'
import { bytesOf } from '@/server/body.ts'
import { readAside } from '@/server/reader.ts'
import { store } from '@/server/store.ts'

const MOST_BYTES = 2 ** 31
const file = z.string().min(1).max(200)

/** Takes one file of OpenVDB in; its head is looked at here, its values when the gas is kept. Returns its blob. */
export const POST = (request: Request, { params }: { params: Promise<{ name: string }> }) =>
  answer(async () => {
    const opened = await store()
    await getShot(opened, (await params).name)
    const name = file.parse(new URL(request.url).searchParams.get('file'))
    const bytes = await bytesOf(request, MOST_BYTES, name)
    const { grids } = await readAside('volume', bytes, name)
    return { blob: await putBlob(opened, bytes, 'application/x-openvdb'), grids }
  })
