import { LanternError } from '@lantern/core/base'
import { announcedFiles, readArrived, receivedFiles, removePlate, stopReading } from '@lantern/store'
import { z } from 'zod'
import { answer } from '@/server/answer.ts'
import { jsonOf } from '@/server/body.ts'
import { store } from '@/server/store.ts'
import { uploadId } from '@/server/uploads.ts'

export const dynamic = 'force-dynamic'
type Context = { params: Promise<{ upload: string }> }
const asked = z.object({ what: z.enum(['stop', 'go on']) }).strict()

/** How much of each of its files is here. */
export const GET = (_: Request, { params }: Context) =>
  answer(async () => {
    const opened = await store()
    const id = uploadId.parse((await params).upload)
    const { state, files } = await announcedFiles(opened, id)
    return { state, received: await receivedFiles(opened, id, files) }
  })

/** Stops the reading of a plate, or goes on with it. */
export const POST = (request: Request, { params }: Context) =>
  answer(async () => {
    const opened = await store()
    const id = uploadId.parse((await params).upload)
    const { what } = asked.parse(await jsonOf(request))
    if (what === 'stop') await stopReading(opened, id)
    else if (!(await readArrived(opened, id, true)))
      throw new LanternError('upload', 'Files of this plate are missing.', 'Drop the same files again to go on.')
    return {}
  })

/** Removes a plate that no shot uses. */
export const DELETE = (_: Request, { params }: Context) =>
  answer(async () => {
    const opened = await store()
    const id = uploadId.parse((await params).upload)
    await stopReading(opened, id)
    if (!(await removePlate(opened, id)))
      throw new LanternError('plate', 'A shot is made of this plate.', 'Remove the shot instead.')
    return {}
  })
