import { LanternError } from '@lantern/core/base'
import { type CheckedFrame, checkedLines } from '@lantern/core/data'
import { type CheckLine, type LineName, saidOf } from '@lantern/core/sit'
import { checkPlan, getShot } from '@lantern/store'
import type { Command } from 'commander'
import { checkShot } from '../jobs/check.ts'
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

/** lantern sit SHOT: how each layer sits in the plate, at the frames whose pictures are kept. */
export function sitCommands(program: Command): void {
  program
    .command('sit')
    .argument('<shot>')
    .option('--frames <a-b>', 'only those of the checked frames')
    .option('--json <file>', 'write the machine-readable report there')
    .action(async (name: string, options: { frames?: string; json?: string }) => {
      const shot = await getShot(store, name)
      const { pictures } = await checkPlan(store, shot)
      const wanted = new Set(framesOf(shot.document, options.frames))
      const asked = pictures.filter(({ frame }) => wanted.has(frame))
      if (asked.length === 0)
        throw new LanternError(
          'no-picture',
          `${name} has no kept picture there, so there is nothing to check.`,
          `Make some: lantern picture "${name}".`,
          { field: 'frames' },
        )
      const found = await withCrew((context) => checkShot(context, shot, asked))
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
