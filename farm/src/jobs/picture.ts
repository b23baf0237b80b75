import { Cancelled, LanternError } from '@lantern/core/base'
import type { FloatImage } from '@lantern/core/data'
import type { EffectInstance } from '@lantern/core/effects'
import { readSurroundings, writePicture } from '@lantern/core/formats'
import { isMatte } from '@lantern/core/mattes'
import { treeStore } from '@lantern/core/picture'
import {
  type CarriedFrame,
  carriedFrameKey,
  carriedFrames,
  type LoadedMesh,
  meshBlobs,
  neededFrames,
  type PictureQualityName,
  type PictureTools,
  pictureFrame,
  pictureSeconds,
  renderPicture,
  usesPlate,
} from '@lantern/core/pipeline'
import { carriedAt } from '@lantern/core/set'
import { effectOf, type ShotDocument } from '@lantern/core/shot'
import {
  addSeconds,
  findShotById,
  getBlob,
  insertFrame,
  type JobPayload,
  keptFrame,
  putBlob,
  queueInLine,
  type ResolvedShot,
  resolveShot,
  resultRows,
  resultState,
  type Store,
  setResultState,
  shownRun,
  startResult,
} from '@lantern/store'
import { giveWayOf } from '../bake/giveWay.ts'
import { clipLight } from '../io/clipLight.ts'
import { nodeDeflate } from '../io/deflate.ts'
import { meshGone, meshReader } from '../io/meshes.ts'
import { failureOf, type JobContext } from './context.ts'

const WAIT_MS = 2000

/** The kept frames that a picture frame is drawn from, decoded, by item and frame; 'waiting' while one of them is on its way. */
export async function drawnFrames(
  { store }: Pick<JobContext, 'store'>,
  { document, items }: ResolvedShot,
  instances: readonly EffectInstance[],
  quality: PictureQualityName,
): Promise<Map<string, unknown> | 'waiting'> {
  const data = new Map<string, unknown>()
  for (const [item, wanted] of neededFrames(instances, quality)) {
    const resolved = items.find((one) => one.item === item)
    const key = (resolved && shownRun(resolved)?.key) ?? ''
    for (const frame of wanted) {
      const kept = await keptFrame(store, key, frame)
      if (!kept) {
        const row = (await resultRows(store, [key])).get(key)
        if (row?.state === 'running' || row?.state === 'waiting') return 'waiting'
        throw (
          resolved?.error ??
          new LanternError(
            'no-frame',
            `Frame ${frame} of ${resolved?.name ?? 'an effect'} is not kept${row?.error ? `: ${row.error.message}` : ''}.`,
            'Keep it, then ask for the picture again.',
            { frame },
          )
        )
      }
      const bytes = await getBlob(store, kept.blob)
      data.set(`${item}/${frame}`, effectOf(document.items[item])?.decode(bytes, nodeDeflate))
    }
  }
  return data
}

const readers = new WeakMap<Store, ReturnType<typeof meshReader>>()
/** Trees over meshes, the same from frame to frame. */
export const trees = treeStore()

/** What a frame with things is drawn from besides its effects: their meshes, and for finals the plate as light. Throws LanternError 'mesh-gone' naming the thing. */
export async function extras(
  { store, crew }: Pick<JobContext, 'store' | 'crew'>,
  document: ShotDocument,
  frame: number,
  quality: PictureQualityName,
): Promise<Pick<PictureTools, 'meshes' | 'plate' | 'plates' | 'rims' | 'surroundings'>> {
  const { asset, encoding } = document.plate
  const mattes = Object.values(document.items).some((item) => isMatte(item) && item.shown)
  const lightAt = ({ frame: number, other, ...wanted }: CarriedFrame): Promise<FloatImage> =>
    clipLight(store, crew, { asset, encoding, curve: document.sit.curve, ...other, frame: number, ...wanted })
  const rims = quality === 'final' && mattes ? { rims: await lightAt({ frame, whole: true }) } : {}
  const carried = new Map<string, FloatImage>()
  for (const [key, one] of carriedFrames(document, frame)) carried.set(key, await lightAt(one))
  const plates = (one: CarriedFrame): FloatImage | undefined => carried.get(carriedFrameKey(one))
  const blobs = meshBlobs(document, frame, quality)
  const plate = async (): Promise<FloatImage> => carried.get(String(frame)) ?? (await lightAt({ frame }))
  const around = usesPlate(document)
  if (blobs.size === 0 && carriedAt(document, frame).length === 0)
    return { plates, ...rims, ...(around ? { plate: await plate() } : {}) }
  const read = readers.get(store) ?? meshReader((blob) => getBlob(store, blob))
  readers.set(store, read)
  const meshes = new Map<string, LoadedMesh>()
  for (const [blob, name] of blobs)
    meshes.set(
      blob,
      await read(blob).catch(() => {
        throw meshGone(name)
      }),
    )
  const tools: Pick<PictureTools, 'meshes' | 'plates' | 'rims' | 'surroundings'> = {
    meshes: (blob) => meshes.get(blob),
    plates,
    ...rims,
  }
  const { sky, surroundings } = document.light
  if (sky === 'picture' && surroundings)
    tools.surroundings = readSurroundings(await getBlob(store, surroundings.blob), surroundings.file, nodeDeflate)
  return quality === 'look' && !around ? tools : { ...tools, plate: await plate() }
}

/** Tells how long a final will take before it is rendered, where none of its shot tells it yet. Returns the seconds that were told; 0 where none were. */
async function tellAhead(
  { store }: JobContext,
  keys: ReadonlyMap<number, string>,
  key: string,
  seconds: () => number,
): Promise<number> {
  const rows = await resultRows(store, [...keys.values()])
  const own = rows.get(key)
  // Told before, and then broken off.
  if (own && own.kept === 0 && own.seconds > 0) return own.seconds
  if ([...rows.values()].some((row) => row.seconds > 0)) return 0
  const told = seconds()
  await addSeconds(store, key, told)
  return told
}

/** Renders a few picture frames; those whose effects are still being made are queued again for later, as `name`. Returns how many were left for later. */
export async function pictureJob(
  context: JobContext,
  payload: JobPayload<'picture'>,
  name: 'picture' | 'shown' = 'picture',
): Promise<number> {
  const { store, crew, log } = context
  const shot = await findShotById(store, payload.shot)
  if (!shot) return 0
  const { document } = shot
  const resolved = await resolveShot(store, shot)
  const present = resolved.pictureKeys(payload.quality)
  const later: typeof payload.frames = []
  const giveWay = giveWayOf(context, async () => context.ending())
  for (const { frame, key } of payload.frames) {
    const asked = await resultState(store, key)
    if (asked === 'done') continue
    if (asked === 'stopped') continue
    if (present.get(frame) !== key) {
      // The shot has changed since: this frame would be another picture.
      await setResultState(store, key, 'stopped')
      continue
    }
    await giveWay?.rest()
    if (context.ending()) {
      later.push({ frame, key })
      continue
    }
    try {
      const at = pictureFrame(document, resolved.camera, frame, resolved.inputs)
      const data = await drawnFrames(context, resolved, at.instances, payload.quality)
      if (data === 'waiting') {
        later.push({ frame, key })
        continue
      }
      if (!(await startResult(store, key))) continue
      const begun = performance.now()
      const progress = { report: () => undefined, cancelled: context.ending }
      const tools = { progress, trees, ...(await extras(context, document, at.frame, payload.quality)) }
      const dataOf = (item: string, n: number): unknown => data.get(`${item}/${n}`)
      const clock = (): number => performance.now() / 1000
      // A look is there before its time could be told.
      const told =
        payload.quality === 'final'
          ? await tellAhead(context, present, key, () =>
              pictureSeconds(crew, document, at, dataOf, 'final', clock, tools),
            )
          : 0
      const picture = renderPicture(crew, document, at, dataOf, payload.quality, tools)
      const blob = await putBlob(store, writePicture(picture, nodeDeflate), 'application/octet-stream')
      const seconds = (performance.now() - begun) / 1000
      // What was told ahead gives way to what it took.
      await insertFrame(store, { key, frame, blob, figures: { seconds } }, undefined, seconds - told)
      await setResultState(store, key, 'done')
      log.debug({ frame, quality: payload.quality, seconds }, 'picture frame')
    } catch (error) {
      if (error instanceof Cancelled) {
        later.push({ frame, key })
        continue
      }
      const failure = failureOf(error, log)
      await setResultState(store, key, 'failed', failure.toJSON())
      log.warn({ frame, error: failure.message }, 'picture failed')
      if (context.progress) throw failure
    }
  }
  if (!context.progress)
    for (const { frame, key } of later)
      await queueInLine(
        store,
        name,
        { ...payload, frames: [{ frame, key }] },
        { kind: 'picture', key, waitMs: WAIT_MS },
      )
  return later.length
}
