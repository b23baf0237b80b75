// Puts the demo's shots into an empty store: plates are queued for reading, the fire for keeping. What is there already is left alone.
import { randomUUID } from 'node:crypto'
import { copyFileSync, existsSync, mkdirSync, readdirSync, readFileSync } from 'node:fs'
import { join, resolve } from 'node:path'
import { bakedItems, VERSIONS } from '@lantern/core/pipeline'
import { isThing } from '@lantern/core/set'
import { makeShot, mergePatch, parseShot } from '@lantern/core/shot'
import {
  adoptSolve,
  createAsset,
  createShot,
  ensureResult,
  insertFrame,
  listShots,
  matchKeys,
  migrate,
  openStore,
  putBlob,
  queueJob,
  requestItem,
  requestManualTrack,
  requestMatch,
  requestPicture,
  requestReading,
  requestReport,
  type Shot,
  setResultState,
  updateAsset,
} from '@lantern/store'
import { z } from 'zod'
import { probeMovie } from '../farm/src/io/movie.ts'
import { readStill } from '../farm/src/io/stills.ts'
import { readSettings } from '../farm/src/settings.ts'
import { takeKeptMattes } from './kept-mattes.ts'

const demo = resolve('demo')
const settings = readSettings()
const store = openStore(settings.databaseUrl, settings.data)
const solvedSchema = z.object({
  versions: z.object({ tracks: z.int(), solve: z.int() }),
  tracks: z.record(z.string(), z.unknown()),
  solve: z.record(z.string(), z.unknown()),
})

async function solved(shot: Shot, plate: string): Promise<Shot> {
  const file = join(demo, 'solved', `${plate}.json`)
  const kept = existsSync(file) ? solvedSchema.parse(JSON.parse(readFileSync(file, 'utf8'))) : undefined
  if (!kept || kept.versions.tracks !== VERSIONS.tracks || kept.versions.solve !== VERSIONS.solve) {
    await requestMatch(store, shot, 'solve')
    return shot
  }
  const keys = matchKeys(shot.document)
  const { first, last } = shot.document.plate
  for (const kind of ['tracks', 'solve'] as const) {
    const blob = await putBlob(
      store,
      readFileSync(join(demo, 'solved', `${plate}.${kind}`)),
      'application/octet-stream',
    )
    await ensureResult(store, { key: keys[kind], kind, settings: {}, shot: shot.id, item: kind, first, last })
    await insertFrame(store, { key: keys[kind], frame: 0, blob, figures: kept[kind] }, undefined, 0)
    await setResultState(store, keys[kind], 'done')
  }
  return adoptSolve(store, shot)
}

const FIRST = 1001
/** Queues the reading of a plate: a movie, or a still. */
async function plateOf(name: string): Promise<{
  asset: string
  file: string
  width: number
  height: number
  first: number
  last: number
  rate: [number, number]
}> {
  const movie = join(demo, 'plates', `${name}.mp4`)
  if (existsSync(movie)) {
    const { width, height, rate, frames = 1 } = await probeMovie(movie)
    const file = `${name}.mp4`
    const last = FIRST + frames - 1
    const asset = await createAsset(store, file)
    await updateAsset(store, asset, {
      info: { width, height, first: FIRST, last, rate, gaps: [], bits: 8 },
      total: frames,
    })
    await queueJob(store, 'plate', { asset, path: movie, kind: 'movie' }, { priority: 5 })
    return { asset, file, width, height, first: FIRST, last, rate }
  }
  // Stills are numbered: a copy is, where uploads lie.
  const file = `${name}.####.png`
  const folder = join(store.data, 'uploads', randomUUID())
  mkdirSync(folder, { recursive: true })
  copyFileSync(join(demo, 'plates', `${name}.png`), join(folder, `${name}.${FIRST}.png`))
  const { width, height } = await readStill({ name: file, path: join(folder, `${name}.${FIRST}.png`), frame: FIRST })
  const asset = await createAsset(store, file)
  const rate: [number, number] = [24, 1]
  await updateAsset(store, asset, {
    info: { width, height, first: FIRST, last: FIRST, rate, gaps: [], bits: 8 },
    total: 1,
  })
  await queueJob(store, 'plate', { asset, path: join(folder, file), kind: 'stills', rate }, { priority: 5 })
  return { asset, file, width, height, first: FIRST, last: FIRST, rate }
}

/** Puts the meshes that a demo shot's things name into the store. Throws where a file is not the one that the shot names. */
async function putThings(start: ReturnType<typeof makeShot>, patch: Record<string, unknown>): Promise<void> {
  const { items } = parseShot(mergePatch(start, patch))
  for (const item of Object.values(items).filter(isThing)) {
    const blob = await putBlob(store, readFileSync(join(demo, 'things', item.mesh.file)), 'model/gltf-binary')
    if (blob !== item.mesh.blob) throw new Error(`${item.mesh.file} is not the mesh that ${item.name} names`)
  }
}

const withClips = z.object({
  items: z.record(z.string(), z.looseObject({ clip: z.looseObject({ file: z.string() }).optional() })).default({}),
})
/** Queues the reading of the clips that a demo shot's cards name, each once, and names their assets in the patch. */
async function putClips(patch: Record<string, unknown>, taken: Map<string, string>): Promise<Record<string, unknown>> {
  const named: Record<string, unknown> = {}
  for (const [id, { clip }] of Object.entries(withClips.parse(patch).items)) {
    if (!clip) continue
    const asset = taken.get(clip.file) ?? (await createAsset(store, clip.file))
    if (!taken.has(clip.file))
      await queueJob(store, 'plate', { asset, path: join(demo, 'clips', clip.file), kind: 'movie' }, { priority: 5 })
    taken.set(clip.file, asset)
    named[id] = { clip: { asset } }
  }
  return mergePatch(patch, { items: named }) as Record<string, unknown>
}

const shotSchema = z.object({
  name: z.string(),
  plate: z.string(),
  camera: z.string().optional(),
  patch: z.record(z.string(), z.unknown()),
})

try {
  await migrate(store)
  const clips = new Map<string, string>()
  const there = new Set((await listShots(store)).map(({ name }) => name))
  for (const file of readdirSync(join(demo, 'shots')).sort()) {
    const wanted = shotSchema.parse(JSON.parse(readFileSync(join(demo, 'shots', file), 'utf8')))
    if (there.size > 0) continue
    const { asset, ...plate } = await plateOf(wanted.plate)
    const start = makeShot(wanted.name, { asset, ...plate, encoding: 'srgb' })
    const path = wanted.camera && {
      blob: await putBlob(store, readFileSync(join(demo, 'exact', wanted.camera)), 'model/gltf+json'),
      file: wanted.camera,
    }
    const patch = await putClips(wanted.patch, clips)
    await putThings(start, patch)
    let shot = await createShot(
      store,
      parseShot(mergePatch(path ? { ...start, camera: { ...start.camera, kind: 'path', path } } : start, patch)),
    )
    // Without a camera of its own file the shot has its own solve: kept beside the plate where this code would make the same, else made anew.
    if (!path && shot.document.camera.kind === 'none') shot = await solved(shot, wanted.plate)
    const carried = join(demo, 'solved', `${wanted.plate}.mattes.zip`)
    if (existsSync(carried)) await takeKeptMattes(store, shot, readFileSync(carried))
    const { document } = shot
    for (const [item] of bakedItems(document)) await requestItem(store, shot, item, undefined, { asked: null })
    if (bakedItems(document).length > 0) await requestPicture(store, shot, 'look', undefined, { asked: null })
    for (const id of Object.keys(document.match.hands)) await requestManualTrack(store, shot, id)
    for (const id of Object.keys(document.readings)) await requestReading(store, shot, id)
    if (Object.keys(document.readings).length > 0) await requestReport(store, shot)
    console.log(`demo: ${wanted.name}`)
  }
} finally {
  await store.close()
}
