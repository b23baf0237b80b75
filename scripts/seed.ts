// Puts the demo's shots into an empty store: plates are queued for reading, the fire for keeping. What is there already is left alone.
import { readdirSync, readFileSync } from 'node:fs'
import { join, resolve } from 'node:path'
import { makeShot, mergePatch, parseShot } from '@lantern/core/shot'
import { askGas, askPicture, createAsset, createShot, gasKeys, listShots, migrate, openStore, putBlob, queueJob, updateAsset } from '@lantern/store'
import { z } from 'zod'
import { probeMovie } from '../farm/src/io/movie.ts'
import { readSettings } from '../farm/src/settings.ts'

const demo = resolve('demo')
const settings = readSettings()
const store = openStore(settings.databaseUrl, settings.data)
const shotSchema = z.object({ name: z.string(), plate: z.string(), camera: z.string(), patch: z.record(z.string(), z.unknown()) })

try {
  await migrate(store)
  const there = new Set((await listShots(store)).map(({ name }) => name))
  for (const file of readdirSync(join(demo, 'shots')).sort()) {
    const wanted = shotSchema.parse(JSON.parse(readFileSync(join(demo, 'shots', file), 'utf8')))
    if (there.size > 0) continue
    const movie = join(demo, 'plates', `${wanted.plate}.mp4`)
    const info = await probeMovie(movie)
    const last = 1001 + (info.frames ?? 1) - 1
    const asset = await createAsset(store, `${wanted.plate}.mp4`)
    await updateAsset(store, asset, { info: { width: info.width, height: info.height, first: 1001, last, rate: info.rate, gaps: [], bits: 8 }, total: info.frames ?? 0 })
    await queueJob(store, 'plate', { asset, path: movie, kind: 'movie' }, { priority: -2 })
    const blob = await putBlob(store, readFileSync(join(demo, 'exact', wanted.camera)), 'model/gltf+json')
    const start = makeShot(wanted.name, { asset, file: `${wanted.plate}.mp4`, width: info.width, height: info.height, first: 1001, last, rate: info.rate, encoding: 'srgb' })
    const document = parseShot(mergePatch({ ...start, camera: { ...start.camera, kind: 'path', path: { blob, file: wanted.camera } } }, wanted.patch))
    const shot = await createShot(store, document)
    for (const { item } of gasKeys(document)) await askGas(store, shot, item)
    if (gasKeys(document).length > 0) await askPicture(store, shot, 'look')
    console.log(`demo: ${wanted.name}`)
  }
} finally {
  await store.close()
}
