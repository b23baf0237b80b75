import { id } from '@lantern/core/settings'
import {
  getShot,
  keptMatteFile,
  manualTrackKey,
  matchKeys,
  movingObjectKeys,
  plateKeys,
  requestCheck,
  requestHandOff,
  requestItem,
  requestManualTrack,
  requestMatch,
  requestMovingObject,
  requestPicture,
  requestReading,
  requestReport,
  requestStroke,
  resolveShot,
  stopResults,
} from '@lantern/store'
import { z } from 'zod'
import { answer } from '@/server/answer.ts'
import { frameNumber, jsonOf } from '@/server/body.ts'
import { store } from '@/server/store.ts'

const quality = z.enum(['look', 'final'])
const ask = z.discriminatedUnion('what', [
  z.object({ what: z.literal('bake'), item: id }).strict(),
  z.object({ what: z.literal('picture'), quality, frames: z.array(frameNumber).max(100_000).optional() }).strict(),
  z.object({ what: z.literal('match'), stage: z.enum(['tracks', 'solve']) }).strict(),
  z.object({ what: z.literal('hand'), hand: id }).strict(),
  z.object({ what: z.literal('thing'), thing: id }).strict(),
  z.object({ what: z.literal('reading'), reading: id }).strict(),
  z.object({ what: z.literal('report'), reading: id.optional() }).strict(),
  z.object({ what: z.literal('stroke'), item: id, frame: frameNumber }).strict(),
  z.object({ what: z.literal('matte-file'), item: id, frame: frameNumber }).strict(),
  z.object({ what: z.literal('stop-plate') }).strict(),
  z.object({ what: z.literal('stop-match') }).strict(),
  z.object({ what: z.literal('stop-bake'), item: id }).strict(),
  z.object({ what: z.literal('stop-picture'), quality }).strict(),
  z.object({ what: z.literal('check') }).strict(),
  z.object({ what: z.literal('hand-off'), quality, form: z.enum(['movie', 'exr']) }).strict(),
])

/** Asks the farm for work on a shot as it is now, or stops it. */
export const POST = (request: Request, { params }: { params: Promise<{ name: string }> }) =>
  answer(async () => {
    const opened = await store()
    const wanted = ask.parse(await jsonOf(request))
    const shot = await getShot(opened, (await params).name)
    if (wanted.what === 'bake') return { keys: [await requestItem(opened, shot, wanted.item)] }
    if (wanted.what === 'picture') return { keys: await requestPicture(opened, shot, wanted.quality, wanted.frames) }
    if (wanted.what === 'hand-off') return { keys: [await requestHandOff(opened, shot, wanted.quality, wanted.form)] }
    if (wanted.what === 'match') return { keys: [await requestMatch(opened, shot, wanted.stage)] }
    if (wanted.what === 'hand') return { keys: [await requestManualTrack(opened, shot, wanted.hand)] }
    if (wanted.what === 'thing') return { keys: [await requestMovingObject(opened, shot, wanted.thing)] }
    if (wanted.what === 'reading') return { keys: [await requestReading(opened, shot, wanted.reading)] }
    if (wanted.what === 'stroke') return { keys: [await requestStroke(opened, shot, wanted.item, wanted.frame)] }
    if (wanted.what === 'matte-file') return { keys: [await keptMatteFile(opened, shot, wanted.item, wanted.frame)] }
    if (wanted.what === 'check') return { keys: [await requestCheck(opened, shot)] }
    if (wanted.what === 'report') return { keys: [await requestReport(opened, shot, wanted.reading)] }
    const keys =
      wanted.what === 'stop-plate'
        ? await plateKeys(opened, shot.document)
        : wanted.what === 'stop-match'
          ? [
              ...Object.values(matchKeys(shot.document)),
              ...Object.keys(shot.document.match.hands).flatMap((id) => manualTrackKey(shot.document, id) ?? []),
              ...Object.keys(shot.document.match.things).flatMap((id) =>
                Object.values(movingObjectKeys(shot.document, id)),
              ),
            ]
          : wanted.what === 'stop-bake'
            ? (await resolveShot(opened, shot)).items
                .filter(({ item }) => item === wanted.item)
                .flatMap(({ runs }) => runs.map(({ key }) => key))
            : [...(await resolveShot(opened, shot)).pictureKeys(wanted.quality).values()]
    await stopResults(opened, keys)
    return { keys }
  })
