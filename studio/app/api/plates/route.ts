import { shotNameSchema } from '@lantern/core/shot'
import { announceFiles, listArrivals, listRemoved } from '@lantern/store'
import { z } from 'zod'
import { answer } from '@/server/answer.ts'
import { jsonOf } from '@/server/body.ts'
import { store } from '@/server/store.ts'
import { fileName, sendingNow } from '@/server/uploads.ts'

export const dynamic = 'force-dynamic'

const MOST_FILES = 100_000

const announced = z
  .object({
    files: z
      .array(z.object({ name: fileName, bytes: z.int().min(1, 'The file is empty.') }).strict())
      .min(1, 'No file was chosen.')
      .max(MOST_FILES, `At most ${MOST_FILES} files make a plate.`)
      .refine((files) => new Set(files.map(({ name }) => name)).size === files.length, 'Two files have the same name.'),
    rate: z.tuple([z.int().min(1).max(1_000_000), z.int().min(1).max(1_000_000)]).optional(),
    /** Name of the shot that it becomes; none for a matte. */
    makes: shotNameSchema.optional(),
  })
  .strict()

/** Plates on their way that are no shot yet, and shots that can still be had back. */
export const GET = () =>
  answer(async () => {
    const opened = await store()
    const sent = sendingNow()
    return {
      arrivals: (await listArrivals(opened)).map((one) => ({ ...one, sending: sent.has(one.id) })),
      removed: await listRemoved(opened),
    }
  })

/** Announces a plate's files. Returns its id, and how much of each file is here from an earlier try. */
export const POST = (request: Request) =>
  answer(async () => announceFiles(await store(), announced.parse(await jsonOf(request))))
