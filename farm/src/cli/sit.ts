import { LanternError } from '@lantern/core/base'
import { type CheckedFrame, checkedLines } from '@lantern/core/data'
import { matchLayers, saidOfMatch } from '@lantern/core/pipeline'
import { shotLayers } from '@lantern/core/shot'
import { type CheckLine, type LineName, saidOf } from '@lantern/core/sit'
import { type CheckedPicture, checkPlan, editShot, getShot, type Shot } from '@lantern/store'
import type { Command } from 'commander'
import { checkShot, measureDocument } from '../jobs/check.ts'
import type { JobContext } from '../jobs/context.ts'
import { framesOf, report, store, withCrew } from './session.ts'

/** What of a frame is out, in words. */
const outOf = ({ frame, layers, wrong }: CheckedFrame): string[] => [
  ...(wrong ? [`${frame}: ${wrong}`] : []),
  ...layers.flatMap(({ name, lines }) =>
    lines
      .filter((line) => !line.within)
      .map(
        (line) =>
          `${frame}  ${name}: ${line.name} ${saidOf({ ...line, name: line.name as LineName } as CheckLine)}${line.note ? ` (${line.note})` : ''}`,
      ),
  ),
]

/** The kept pictures that are asked for. Throws LanternError 'no-picture', 'frames'. */
async function picturesOf(shot: Shot, name: string, frames: string | undefined): Promise<CheckedPicture[]> {
  const { pictures } = await checkPlan(store, shot)
  const wanted = new Set(framesOf(shot.document, frames))
  const asked = pictures.filter(({ frame }) => wanted.has(frame))
  if (asked.length === 0)
    throw new LanternError(
      'no-picture',
      `${name} has no kept picture there, so there is nothing to check.`,
      `Make some: lantern picture "${name}".`,
      { field: 'frames' },
    )
  return asked
}

/** Matches layers over the pictures and keeps what brings them nearer, as one edit. Throws LanternError 'layer'. */
async function match(
  context: JobContext,
  shot: Shot,
  pictures: readonly CheckedPicture[],
  which: string | true,
): Promise<Shot> {
  const { document } = shot
  const { layers } = document.sit
  const locked = (id: string): boolean => layers[id]?.locked === true
  const known = [...shotLayers(document).map(({ id }) => id), 'picture']
  const ids = which === true ? known.filter((id) => !locked(id)) : which.split(',').map((id) => id.trim())
  const unknown = ids.find((id) => !known.includes(id))
  if (unknown !== undefined)
    throw new LanternError('layer', `There is no layer “${unknown}”.`, `Choose of ${known.join(', ')}.`, {
      field: 'match',
    })
  const match = await matchLayers(document, ids, (tried) => measureDocument(context, tried, pictures))
  const { changed, halation } = match
  if (Object.keys(changed).length === 0 && halation === undefined) {
    console.log('Nothing brings a layer nearer.')
    return shot
  }
  console.log(saidOfMatch(document, match).split('; ').join('\n'))
  return editShot(store, document.name, shot.head, {
    sit: { layers: changed, ...(halation === undefined ? {} : { halation }) },
  })
}

/** lantern sit SHOT: how each layer sits in the plate, at the frames whose pictures are kept. */
export function sitCommands(program: Command): void {
  program
    .command('sit')
    .argument('<shot>')
    .option('--frames <a-b>', 'only those of the checked frames')
    .option('--match [layers]', 'first match these layers (ids with commas between; none: all), and keep that')
    .option('--json <file>', 'write the machine-readable report there')
    .action(async (name: string, options: { frames?: string; json?: string; match?: string | true }) => {
      let shot = await getShot(store, name)
      const asked = await picturesOf(shot, name, options.frames)
      const found = await withCrew(async (context) => {
        if (options.match) shot = await match(context, shot, asked, options.match)
        return checkShot(context, shot, asked)
      })
      const { within, all } = checkedLines(found)
      await report(
        { shot: name, within, lines: all, ...found },
        options.json,
        [
          ...found.frames.flatMap(outOf),
          `${name}: ${within} of ${all} lines within, ${found.frames.length} frames`,
        ].join('\n'),
      )
    })
}
