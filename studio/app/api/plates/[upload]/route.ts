import { readdir } from 'node:fs/promises'
import { join } from 'node:path'
import { LanternError } from '@lantern/core/base'
import { createAsset, queueJob } from '@lantern/store'
import { z } from 'zod'
import { answer } from '@/server/answer.ts'
import { store } from '@/server/store.ts'
import { uploadFolder } from '@/server/uploads.ts'

const STILL = /^(.*?)(\d+)(\.(?:png|jpe?g|tiff?|exr))$/i
const done = z.object({ rate: z.tuple([z.int().min(1), z.int().min(1)]).optional() }).strict()

/** All files of a plate are there: one movie, or numbered stills. Queues its reading and returns the asset. */
export const POST = (request: Request, { params }: { params: Promise<{ upload: string }> }) =>
  answer(async () => {
    const opened = await store()
    const { rate } = done.parse(await request.json())
    const folder = uploadFolder(opened, (await params).upload)
    const files = (await readdir(folder).catch(() => [])).sort()
    const start = files[0]
    if (!start) throw new LanternError('upload', 'No file arrived.', 'Drop a movie or numbered stills.')
    const still = STILL.exec(start)
    const single = files.length === 1
    if (single && !still) {
      const asset = await createAsset(opened, start)
      await queueJob(opened, 'plate', { asset, path: join(folder, start), kind: 'movie', rate }, { priority: -1 })
      return { asset }
    }
    const stranger = files.find((file) => {
      const parts = STILL.exec(file)
      return !parts || !still || parts[1] !== still[1] || parts[3] !== still[3]
    })
    if (!still || stranger)
      throw new LanternError(
        'stills',
        `${stranger ?? start} does not belong to the run of ${start}.`,
        'Drop one movie, or stills of one name numbered like name.0001.png.',
        { file: stranger ?? start },
      )
    const name = `${still[1]}####${still[3]}`
    const asset = await createAsset(opened, name)
    await queueJob(
      opened,
      'plate',
      { asset, path: join(folder, name), kind: 'stills', rate: rate ?? [24, 1] },
      { priority: -1 },
    )
    return { asset }
  })
