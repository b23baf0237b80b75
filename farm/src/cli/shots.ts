import { readFile } from 'node:fs/promises'
import { resolve } from 'node:path'
import { LanternError } from '@lantern/core/base'
import { makeShot } from '@lantern/core/shot'
import { createAsset, createShot, editShot, getAsset, getShot, shotStatus } from '@lantern/store'
import type { Command } from 'commander'
import { plateJob } from '../jobs/plate.ts'

import { newName, rate, report, store, withCrew } from './session.ts'

const rangeText = ([first, last]: readonly [number, number]): string =>
  first === last ? `${first}` : `${first}–${last}`
const json = ['--json <file>', 'write the machine-readable report there'] as const

function newCommand(program: Command): void {
  program
    .command('new')
    .argument('<shot>')
    .requiredOption('--plate <path>', 'a movie, or stills as dir/name.####.png')
    .option('--rate <r>', 'frames per second', rate)
    .option('--encoding <e>', 'srgb, rec709 or linear', 'srgb')
    .option(...json)
    .action(
      async (name: string, options: { plate: string; rate?: [number, number]; encoding: string; json?: string }) => {
        const encoding = ['srgb', 'rec709', 'linear'].find((known) => known === options.encoding)
        if (!encoding)
          throw new LanternError(
            'encoding',
            `“${options.encoding}” is no encoding.`,
            'Choose srgb, rec709 or linear.',
            {
              field: 'encoding',
            },
          )
        await newName(name)
        const path = resolve(options.plate)
        const stills = /#|\.(png|jpe?g|tiff?|exr)$/i.test(options.plate) || !/\.\w+$/.test(options.plate)
        const asset = await createAsset(store, options.plate)
        await withCrew((context) =>
          plateJob(context, { asset, path, kind: stills ? 'stills' : 'movie', rate: options.rate }),
        )
        const { info } = await getAsset(store, asset)
        const shot = await createShot(
          store,
          makeShot(name, {
            asset,
            file: options.plate.split('/').pop() ?? '',
            width: info.width ?? 1,
            height: info.height ?? 1,
            first: info.first ?? 1,
            last: info.last ?? 1,
            rate: info.rate ?? [24, 1],
            encoding: encoding as 'srgb',
          }),
        )
        await report(
          { shot: name, plate: shot.document.plate, gaps: info.gaps ?? [], notes: info.notes ?? [] },
          options.json,
          `${name}: ${shot.document.plate.last - shot.document.plate.first + 1} frames of ${info.width} x ${info.height}${info.gaps?.length ? `, missing ${info.gaps.map(rangeText).join(', ')}` : ''}${(info.notes ?? []).map((line) => `\n  ${line}`).join('')}`,
        )
      },
    )
}

function editCommand(program: Command): void {
  program
    .command('edit')
    .argument('<shot>')
    .requiredOption('--merge <file>', 'a JSON merge patch')
    .option(...json)
    .action(async (name: string, options: { merge: string; json?: string }) => {
      const text = await readFile(options.merge, 'utf8').catch(() =>
        Promise.reject(
          new LanternError('file', `${options.merge} can’t be read.`, 'Check the path.', { file: options.merge }),
        ),
      )
      let patch: unknown
      try {
        patch = JSON.parse(text)
      } catch {
        throw new LanternError(
          'json',
          `${options.merge} is not JSON.`,
          'Write a JSON object of the fields to change.',
          {
            file: options.merge,
          },
        )
      }
      const shot = await editShot(store, name, undefined, patch)
      await report(
        { shot: name, head: shot.head, document: shot.document },
        options.json,
        `${name}: revision ${shot.head}`,
      )
    })
}

function showCommand(program: Command): void {
  program
    .command('show')
    .argument('<shot>')
    .option(...json)
    .action(async (name: string, options: { json?: string }) => {
      const shot = await getShot(store, name)
      const status = await shotStatus(store, shot)
      const items = Object.entries(status.items).map(([id, one]) => `${id} ${one.kept.length} kept, ${one.state}`)
      await report(
        { shot: name, head: shot.head, document: shot.document, status },
        options.json,
        [
          `${name}, revision ${shot.head}`,
          `plate ${status.asset.state}`,
          ...items,
          `look ${status.look.kept.length}, final ${status.final.kept.length}`,
        ].join('\n'),
      )
    })
}

export function shotsCommands(program: Command): void {
  for (const add of [newCommand, editCommand, showCommand]) add(program)
}
