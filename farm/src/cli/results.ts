import { LanternError } from '@lantern/core/base'
import { bakedItems } from '@lantern/core/pipeline'
import { makeItem } from '@lantern/core/shot'
import { editShot, getShot, shotStatus } from '@lantern/store'
import type { Command } from 'commander'
import { takeVolumes } from '../io/takeVolumes.ts'

import { framesOf, report, store, withCrew } from './session.ts'
import { bake, picture } from './work.ts'

const json = ['--json <file>', 'write the machine-readable report there'] as const

function bakeCommand(program: Command): void {
  program
    .command('bake')
    .argument('<shot>')
    .argument('[item]')
    .option('--frames <a-b>', 'no further than to the last of them; those before it burn first and are kept too')
    .option(...json)
    .action(async (name: string, item: string | undefined, options: { frames?: string; json?: string }) => {
      const shot = await getShot(store, name)
      const items = item ? [item] : bakedItems(shot.document).map(([id]) => id)
      const last = options.frames ? framesOf(shot.document, options.frames).at(-1) : undefined
      await withCrew((context) => bake(context, shot, items, last))
      const status = await shotStatus(store, shot)
      await report(
        { shot: name, items: status.items },
        options.json,
        items.map((id) => `${id}: ${status.items[id]?.kept.length ?? 0} frames kept`).join('\n'),
      )
    })
}

function gasCommand(program: Command): void {
  program
    .command('gas')
    .argument('<shot>')
    .requiredOption('--from <path>', 'OpenVDB as dir/name.####.vdb, or one file')
    .option('--name <n>', 'what it is called in the roster', 'Gas from elsewhere')
    .option('--at <n>', 'frame of the plate at which its first one is shown', Number)
    .option(...json)
    .action(async (name: string, options: { from: string; name: string; at?: number; json?: string }) => {
      const shot = await getShot(store, name)
      const taken = await takeVolumes(store, options.from, options.at ?? shot.document.plate.first)
      const id = `gas-${taken.blobs[0]?.slice(0, 6) ?? ''}`
      const order = Math.max(0, ...Object.values(shot.document.items).map((item) => item.order)) + 1
      await editShot(store, name, undefined, { items: { [id]: makeItem('gas', { name: options.name, order, taken }) } })
      await report(
        { shot: name, item: id, frames: taken.blobs.length },
        options.json,
        `${name}: ${taken.blobs.length} frames of ${taken.file} as ${id}`,
      )
    })
}

function pictureCommand(program: Command): void {
  program
    .command('picture')
    .argument('<shot>')
    .option('--frames <a-b>')
    .option('--quality <q>', 'look or final', 'look')
    .option(...json)
    .action(async (name: string, options: { frames?: string; quality: string; json?: string }) => {
      const shot = await getShot(store, name)
      if (options.quality !== 'look' && options.quality !== 'final')
        throw new LanternError('quality', `“${options.quality}” is no quality.`, 'Choose look or final.', {
          field: 'quality',
        })
      const quality = options.quality
      const frames = framesOf(shot.document, options.frames)
      await withCrew((context) => picture(context, shot, quality, frames))
      await report({ shot: name, quality, frames }, options.json, `${name}: ${frames.length} frames kept at ${quality}`)
    })
}

export function resultsCommands(program: Command): void {
  for (const add of [bakeCommand, gasCommand, pictureCommand]) add(program)
}
