import {
  askGas,
  askHand,
  askHandOff,
  askMatch,
  askPicture,
  askReading,
  askReport,
  askThing,
  getShot,
  handKey,
  matchKeys,
  plateKeys,
  thingKeys,
  pictureKeys,
  stopResults,
  worldOf,
} from '@lantern/store'
import { z } from 'zod'
import { answer } from '@/server/answer.ts'
import { store } from '@/server/store.ts'

const quality = z.enum(['look', 'final'])
const ask = z.discriminatedUnion('what', [
  z.object({ what: z.literal('gas'), item: z.string() }).strict(),
  z.object({ what: z.literal('picture'), quality, frames: z.array(z.int()).max(100_000).optional() }).strict(),
  z.object({ what: z.literal('match'), stage: z.enum(['tracks', 'solve']) }).strict(),
  z.object({ what: z.literal('hand'), hand: z.string() }).strict(),
  z.object({ what: z.literal('thing'), thing: z.string() }).strict(),
  z.object({ what: z.literal('reading'), reading: z.string() }).strict(),
  z.object({ what: z.literal('report'), reading: z.string().optional() }).strict(),
  z.object({ what: z.literal('stop-plate') }).strict(),
  z.object({ what: z.literal('stop-match') }).strict(),
  z.object({ what: z.literal('stop-gas'), item: z.string() }).strict(),
  z.object({ what: z.literal('stop-picture'), quality }).strict(),
  z.object({ what: z.literal('hand-off'), quality, form: z.enum(['movie', 'exr']) }).strict(),
])

/** Asks the farm for work on a shot as it is now, or stops it. */
export const POST = (request: Request, { params }: { params: Promise<{ name: string }> }) =>
  answer(async () => {
    const opened = await store()
    const wanted = ask.parse(await request.json())
    const shot = await getShot(opened, decodeURIComponent((await params).name))
    if (wanted.what === 'gas') return { keys: [await askGas(opened, shot, wanted.item)] }
    if (wanted.what === 'picture') return { keys: await askPicture(opened, shot, wanted.quality, wanted.frames) }
    if (wanted.what === 'hand-off') return { keys: [await askHandOff(opened, shot, wanted.quality, wanted.form)] }
    if (wanted.what === 'match') return { keys: [await askMatch(opened, shot, wanted.stage)] }
    if (wanted.what === 'hand') return { keys: [await askHand(opened, shot, wanted.hand)] }
    if (wanted.what === 'thing') return { keys: [await askThing(opened, shot, wanted.thing)] }
    if (wanted.what === 'reading') return { keys: [await askReading(opened, shot, wanted.reading)] }
    if (wanted.what === 'report') return { keys: [await askReport(opened, shot, wanted.reading)] }
    const keys =
      wanted.what === 'stop-plate'
        ? await plateKeys(opened, shot.document)
        : wanted.what === 'stop-match'
          ? [
              ...Object.values(matchKeys(shot.document)),
              ...Object.keys(shot.document.match.hands).flatMap((id) => handKey(shot.document, id) ?? []),
              ...Object.keys(shot.document.match.things).flatMap((id) => Object.values(thingKeys(shot.document, id))),
            ]
          : wanted.what === 'stop-gas'
            ? (await worldOf(opened, shot.document)).gases
                .filter(({ item }) => item === wanted.item)
                .flatMap(({ key, finer }) => [key, finer].filter((one) => one !== undefined))
            : [...pictureKeys(await worldOf(opened, shot.document), wanted.quality).values()]
    await stopResults(opened, keys)
    return { keys }
  })
