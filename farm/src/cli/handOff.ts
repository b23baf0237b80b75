import { LanternError } from '@lantern/core/base'
import { bakedItems, cameraAt, type PictureQualityName } from '@lantern/core/pipeline'
import { cameraPathOf, getShot } from '@lantern/store'
import type { Command } from 'commander'
import { writeHandOff } from '../jobs/handOff.ts'
import { writeVolumes } from '../jobs/volumes.ts'
import { writeMatchFiles } from '../matchFiles.ts'

import { framesOf, report, store, withCrew } from './session.ts'
import { bake, picture } from './work.ts'

const json = ['--json <file>', 'write the machine-readable report there'] as const

export function handOffCommands(program: Command): void {
  program
    .command('out')
    .argument('<shot>')
    .option('--movie <file>')
    .option('--exr <dir>')
    .option('--vdb <dir>', 'every gas as OpenVDB, a file a frame')
    .option('--full-floats', 'of OpenVDB, instead of halves')
    .option('--camera <file>', 'with points, tracks and test objects: .gltf, .usda, or the camera alone as .csv')
    .option('--tracks <file>', 'tracks as .csv')
    .option('--lens-map <file>', 'the lens’s bend as .exr')
    .option('--up <axis>', 'y or z, for USD and CSV', 'y')
    .option('--unit <u>', 'm or cm, for USD and CSV', 'm')
    .option('--first <n>', 'number of the plate’s first frame in these files', Number)
    .option('--frames <a-b>')
    .option('--quality <q>', 'look or final', 'final')
    .option(...json)
    .action(
      async (
        name: string,
        options: {
          movie?: string
          exr?: string
          vdb?: string
          fullFloats?: boolean
          camera?: string
          tracks?: string
          lensMap?: string
          up: string
          unit: string
          first?: number
          frames?: string
          quality: string
          json?: string
        },
      ) => {
        const shot = await getShot(store, name)
        const frames = framesOf(shot.document, options.frames)
        const quality: PictureQualityName = options.quality === 'look' ? 'look' : 'final'
        const path = await cameraPathOf(store, shot.document)
        if (options.movie || options.exr)
          await withCrew(async (context) => {
            if (bakedItems(shot.document).length > 0) await picture(context, shot, quality, frames)
            await writeHandOff(context, shot, { movie: options.movie, exr: options.exr, quality, frames })
          })
        if (options.vdb) {
          const folder = options.vdb
          if (bakedItems(shot.document).length === 0)
            throw new LanternError('no-gas', 'The shot has no gas to hand off.', 'Add one, or leave --vdb out.', {
              field: 'vdb',
            })
          await withCrew(async (context) => {
            await bake(
              context,
              shot,
              bakedItems(shot.document).map(([id]) => id),
              frames.at(-1),
            )
            await writeVolumes(context, shot, folder, frames, !options.fullFloats)
          })
        }
        if (options.camera || options.tracks || options.lensMap) {
          const cameras = frames.flatMap((frame) => {
            const camera = cameraAt(shot.document, path, frame)
            return camera ? [{ frame, camera }] : []
          })
          if (cameras.length === 0)
            throw new LanternError(
              'no-camera',
              'The shot has no camera to hand off.',
              'Take in a camera or type one.',
              {
                field: 'camera',
              },
            )
          await writeMatchFiles(store, shot, cameras, options)
        }
        await report(
          {
            shot: name,
            frames: frames.length,
            movie: options.movie,
            exr: options.exr,
            vdb: options.vdb,
            camera: options.camera,
            tracks: options.tracks,
            lensMap: options.lensMap,
          },
          options.json,
          `${name}: ${frames.length} frames handed off`,
        )
      },
    )
}
