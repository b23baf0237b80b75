import { writeFile } from 'node:fs/promises'
import { LanternError } from '@lantern/core/base'
import type { Camera } from '@lantern/core/data'
import { writeCameraCsv, writeLensMap, writeMatchGltf, writeMatchUsd, writeTracksCsv } from '@lantern/core/formats'
import { matchScene } from '@lantern/core/pipeline'
import { type Shot, type Store, solvedMatch } from '@lantern/store'
import { z } from 'zod'
import { nodeDeflate } from './io/deflate.ts'

const statedSchema = z.object({ up: z.enum(['y', 'z']), unit: z.enum(['m', 'cm']), first: z.number().int().optional() })

/** Writes a shot's camera with what was solved beside it, its tracks as a table, and its lens's map, each where a file is named. Throws LanternError 'axes', 'camera-file'. */
export async function writeMatchFiles(
  store: Store,
  shot: Shot,
  cameras: readonly { frame: number; camera: Camera }[],
  files: { camera?: string; tracks?: string; lensMap?: string; up: string; unit: string; first?: number },
): Promise<void> {
  const stated = statedSchema.safeParse(files)
  if (!stated.success)
    throw new LanternError(
      'axes',
      'Axes, unit or first frame are not ones that can be had.',
      '--up is y or z, --unit m or cm, --first a whole number.',
      { field: String(stated.error.issues[0]?.path[0]) },
    )
  const { solve, tracks } = await solvedMatch(store, shot.document)
  const scene = matchScene(shot.document, cameras, solve, tracks)
  const axes = { up: stated.data.up, metres: stated.data.unit === 'cm' ? 0.01 : 1 }
  const shift = (stated.data.first ?? scene.first) - scene.first
  const writers = {
    gltf: () => writeMatchGltf(scene, shift),
    usda: () => writeMatchUsd(scene, axes, shift),
    csv: () => writeCameraCsv(scene, axes, shift),
  }
  if (files.camera) {
    const ending = z.enum(['gltf', 'usda', 'csv']).safeParse(files.camera.toLowerCase().split('.').pop())
    if (!ending.success)
      throw new LanternError(
        'camera-file',
        `${files.camera} is none of the kinds of file that a camera is written to.`,
        'End its name in .gltf, .usda or .csv.',
        { file: files.camera },
      )
    await writeFile(files.camera, writers[ending.data]())
  }
  if (files.tracks) await writeFile(files.tracks, writeTracksCsv(scene, shift))
  const camera = cameras[0]?.camera
  if (files.lensMap && camera) await writeFile(files.lensMap, writeLensMap(camera, nodeDeflate))
}
