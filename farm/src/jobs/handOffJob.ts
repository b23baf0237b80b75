import { createWriteStream } from 'node:fs'
import { mkdir, readdir, rm } from 'node:fs/promises'
import { join } from 'node:path'
import { pipeline } from 'node:stream/promises'
import {
  findShotById,
  handOffKey,
  insertFrame,
  type JobPayload,
  putBlobFile,
  queueInLine,
  resolveShot,
  resultRows,
  resultSettings,
  setResultState,
  startResult,
} from '@lantern/store'
import { ZipFile } from 'yazl'
import { z } from 'zod'
import { failureOf, type JobContext } from './context.ts'
import { writeHandOff } from './handOff.ts'

const WAIT_MS = 3000
const settingsSchema = z.object({ quality: z.enum(['look', 'final']), form: z.enum(['movie', 'exr']) })

/** Puts a folder's OpenEXR files into one archive beside them, uncompressed (they are already), of any size. Returns its path. */
async function archive(folder: string): Promise<string> {
  const path = join(folder, 'frames.zip')
  const zip = new ZipFile()
  for (const file of (await readdir(folder)).filter((name) => name.endsWith('.exr')).sort())
    zip.addFile(join(folder, file), file, { compress: false })
  zip.end()
  await pipeline(zip.outputStream, createWriteStream(path))
  return path
}

/** Writes a movie or an archive of OpenEXR frames once all pictures are kept; until then it comes back every few seconds. */
export async function handOffJob(context: JobContext, payload: JobPayload<'handOff'>): Promise<void> {
  const { store } = context
  const { key } = payload
  const result = await resultSettings(store, key)
  const shot = await findShotById(store, payload.shot)
  if (!result || !shot) return
  const { quality, form } = settingsSchema.parse(result.settings)
  const resolved = await resolveShot(store, shot)
  if (handOffKey(resolved, quality, form) !== key) return setResultState(store, key, 'stopped')
  const keys = resolved.pictureKeys(quality)
  const rows = [...(await resultRows(store, [...keys.values()])).values()]
  const failed = rows.find((row) => row.state === 'failed')
  if (failed) return setResultState(store, key, 'failed', failed.error)
  if (rows.some((row) => row.kept === 0 && row.state !== 'stopped'))
    return queueInLine(store, 'handOff', payload, { kind: 'hand-off', key, waitMs: WAIT_MS })
  const folder = join(store.data, 'tmp', key)
  try {
    if (!(await startResult(store, key))) return
    await mkdir(folder, { recursive: true })
    const { first, last } = shot.document.plate
    const frames = Array.from({ length: last - first + 1 }, (_, n) => first + n)
    const begun = performance.now()
    await writeHandOff(context, shot, {
      quality,
      frames,
      ...(form === 'movie' ? { movie: join(folder, 'shot.mp4') } : { exr: folder }),
    })
    const whole = form === 'movie' ? join(folder, 'shot.mp4') : await archive(folder)
    const { sha256, bytes } = await putBlobFile(store, whole, form === 'movie' ? 'video/mp4' : 'application/zip')
    const seconds = (performance.now() - begun) / 1000
    await insertFrame(store, { key, frame: 0, blob: sha256, figures: { seconds, bytes } }, undefined, seconds)
    await setResultState(store, key, 'done')
  } catch (error) {
    await setResultState(store, key, 'failed', failureOf(error, context.log).toJSON())
  } finally {
    await rm(folder, { recursive: true, force: true })
  }
}
