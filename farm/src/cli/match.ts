import { readFile } from 'node:fs/promises'
import { LanternError } from '@lantern/core/base'
import { readCameraFile } from '@lantern/core/formats'
import { editShot, getShot, putBlob } from '@lantern/store'
import type { Command } from 'commander'
import { z } from 'zod'
import { matchShot } from '../matchReport.ts'
import { measureShot } from '../measureReport.ts'

import { report, store, withCrew } from './session.ts'

const json = ['--json <file>', 'write the machine-readable report there'] as const

function cameraCommand(program: Command): void {
  program
    .command('camera')
    .argument('<shot>')
    .requiredOption('--from <file>', 'glTF 2.0, USD ASCII or a table as CSV')
    .option('--scale <s>', 'times the file’s own size', Number, 1)
    .option('--offset <n>', 'added to the file’s frame numbers', Number, 0)
    .option('--up <axis>', 'y or z, where the file doesn’t say', 'y')
    .option(...json)
    .action(
      async (name: string, options: { from: string; scale: number; offset: number; up: string; json?: string }) => {
        const shot = await getShot(store, name)
        const bytes = await readFile(options.from).catch(() =>
          Promise.reject(
            new LanternError('file', `${options.from} can’t be read.`, 'Check the path.', { file: options.from }),
          ),
        )
        const file = options.from.split('/').pop() ?? ''
        const { plate } = shot.document
        const how = z
          .object({ scale: z.number().min(0.001).max(1000), offset: z.number().int(), up: z.enum(['y', 'z']) })
          .safeParse(options)
        if (!how.success)
          throw new LanternError(
            'camera',
            `--${how.error.issues[0]?.path.join('.')} is not one that can be had: ${how.error.issues[0]?.message}.`,
            'Scale lies between 0.001 and 1000, offset is a whole number, up is y or z.',
            { field: String(how.error.issues[0]?.path[0]) },
          )
        const { notes } = readCameraFile(bytes, file, { ...plate, rate: plate.rate[0] / plate.rate[1] }, how.data)
        const blob = await putBlob(store, bytes, 'application/octet-stream')
        await editShot(store, name, undefined, { camera: { kind: 'path', path: { blob, file, ...how.data } } })
        await report(
          { shot: name, camera: file, notes },
          options.json,
          [`${name}: camera from ${file}`, ...notes].join('\n  '),
        )
      },
    )
}

function matchCommand(program: Command): void {
  program
    .command('match')
    .argument('<shot>')
    .option('--focal <mm>', 'focal length on a 36 mm wide sensor, where it is known; the shot keeps it', Number)
    .option('--take', 'in place of a camera from a file or a typed one, too')
    .option(...json)
    .action(async (name: string, options: { focal?: number; take?: boolean; json?: string }) => {
      if (options.focal !== undefined && !(options.focal > 5 && options.focal < 700))
        throw new LanternError(
          'focal',
          `A focal length of ${options.focal} mm is not one.`,
          'Give it in millimetres on a 36 mm wide sensor, 5 to 700.',
          { field: 'focal' },
        )
      const found = await withCrew((context) =>
        matchShot(context, name, {
          ...(options.focal === undefined ? {} : { focal: options.focal }),
          take: options.take === true,
        }),
      )
      const doubts = found.doubts.map(({ what, remedy }) => `\n  in doubt: ${what} ${remedy}`).join('')
      const taken = found.taken ? '' : '\n  kept, but not the shot’s camera: --take makes it so'
      await report(
        found,
        options.json,
        `${name}: ${found.kind}, error ${found.medianPx.toFixed(2)} px, focal length ${found.focalPx.toFixed(1)} px, k1 ${found.distortion.k1.toFixed(4)}, ${found.points} of ${found.tracks} tracks, ${found.seconds.toFixed(0)} s${doubts}${taken}`,
      )
    })
}

function measureCommand(program: Command): void {
  program
    .command('measure')
    .argument('<shot>')
    .option(...json)
    .action(async (name: string, options: { json?: string }) => {
      const found = await withCrew((context) => measureShot(context, name))
      const { risePx, shutter, drift, black, white } = found.plate
      const told = drift.filter((v) => v !== null)
      await report(
        found,
        options.json,
        `${name}: edges rise in ${risePx?.toFixed(2) ?? '–'} px, black ${black.map((v) => v.toFixed(3)).join(' ')}, white ${white.map((v) => v.toFixed(3)).join(' ')}, shutter ${shutter === null ? 'not told' : `${Math.round(shutter * 360)}°`}, drift ${told.length > 0 ? (Math.max(...told) - Math.min(...told)).toFixed(2) : '–'} stops`,
      )
    })
}

export function matchCommands(program: Command): void {
  for (const add of [cameraCommand, matchCommand, measureCommand]) add(program)
}
