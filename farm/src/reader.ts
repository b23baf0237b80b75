import { parentPort, workerData } from 'node:worker_threads'
import { LanternError } from '@lantern/core/base'
import {
  readCameraFile,
  readMotionCsv,
  readParticleCsv,
  readParticlePly,
  readPoints,
  readSurroundings,
  readVdb,
  writeParticleFrame,
  writeSurroundings,
} from '@lantern/core/formats'
import { brightestSpot } from '@lantern/core/picture'
import { z } from 'zod'
import { nodeDeflate } from './io/deflate.ts'

// Reads one file that somebody sent, on a thread of its own, so that whoever started it can end it when it takes too long or too much memory.

const wanted = z.object({
  what: z.enum([
    'camera',
    'motion',
    'points',
    'particles',
    'volume',
    'mesh',
    'surface',
    'surroundings',
    'heights',
    'stamp',
  ]),
  bytes: z.instanceof(Uint8Array),
  file: z.string(),
  plate: z.object({
    width: z.number(),
    height: z.number(),
    first: z.number(),
    last: z.number(),
    rate: z.number(),
  }),
})

async function read(): Promise<unknown> {
  const { what, bytes, file, plate } = wanted.parse(workerData)
  if (what === 'camera') return { notes: readCameraFile(bytes, file, plate).notes }
  if (what === 'motion')
    return /\.csv$/i.test(file)
      ? { keys: readMotionCsv(bytes, file) }
      : { frames: readCameraFile(bytes, file, plate).frames }
  if (what === 'points') {
    const { count, first, last } = readPoints(bytes, file)
    return { count, first, last }
  }
  if (what === 'particles') {
    const all = /\.ply$/i.test(file)
      ? new Map([[Number(/(\d+)\.ply$/i.exec(file)?.[1] ?? 0), readParticlePly(bytes, file)]])
      : readParticleCsv(bytes, file)
    return {
      frames: [...all].map(([frame, one]) => ({
        frame,
        count: one.count,
        bytes: writeParticleFrame(one, nodeDeflate),
      })),
    }
  }
  if (what === 'surroundings') {
    const picture = readSurroundings(bytes, file, nodeDeflate)
    return { exr: writeSurroundings(picture, nodeDeflate), ...brightestSpot(picture) }
  }
  if (what === 'mesh') {
    // What only meshes need is loaded for them alone.
    const { takeMeshFile } = await import('./io/meshes.ts')
    return takeMeshFile(bytes, file)
  }
  if (what === 'heights') {
    const { takeHeights } = await import('./io/greyPictures.ts')
    return takeHeights(bytes, file)
  }
  if (what === 'stamp') {
    const { takeStamp } = await import('./io/greyPictures.ts')
    return takeStamp(bytes, file)
  }
  if (what === 'surface') {
    const { takeSurfacePictures } = await import('./io/surfacePictures.ts')
    return takeSurfacePictures(bytes, file)
  }
  return { grids: (await readVdb(bytes, file, undefined, undefined, true)).skipped }
}

read().then(
  (value) => parentPort?.postMessage({ value }),
  (error: unknown) => {
    if (error instanceof LanternError) parentPort?.postMessage({ refused: error.toJSON() })
    else throw error
  },
)
