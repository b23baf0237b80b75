import type { Tool } from '../shot/shotStore.ts'
import { type Corner, tidy } from './exclusionMasks.ts'
import { LINE_TOOLS, type Line } from './lines.ts'
import type { MatchContext } from './matchTool.ts'

// Lines of a lining up as the hand draws them: pure steps.

/** Px below which a line is a click without a drag. */
const LEAST_LINE = 2

export interface LineDrag {
  kind: 'line'
  lines: readonly Line[]
  line: number
  end: 0 | 1
}

const withEnd = (lines: readonly Line[], line: number, end: 0 | 1, [x, y]: Corner): Line[] =>
  lines.map((one, k) =>
    k === line
      ? {
          ...one,
          ends: end === 0 ? [tidy(x), tidy(y), one.ends[2], one.ends[3]] : [one.ends[0], one.ends[1], tidy(x), tidy(y)],
        }
      : one,
  )
const linesOf = ({ document }: Pick<MatchContext, 'document'>): readonly Line[] => document.camera.lineUp?.lines ?? []
const linesChange = (lines: readonly Line[]): Record<string, unknown> => ({ camera: { lineUp: { lines } } })

/** A new line begins where one of its tools is at hand. */
export function lineDown(context: Pick<MatchContext, 'document' | 'tool'>, [x, y]: Corner): LineDrag | undefined {
  const axis = LINE_TOOLS[context.tool as Tool]
  const lines = linesOf(context)
  return axis && { kind: 'line', lines: [...lines, { axis, ends: [x, y, x, y] }], line: lines.length, end: 1 }
}
/** The end of a line that is at a place. */
export function lineEndAt(context: Pick<MatchContext, 'document' | 'reach'>, at: Corner): LineDrag | undefined {
  const lines = linesOf(context)
  for (const [line, { ends }] of lines.entries())
    for (const end of [0, 1] as const)
      if (Math.hypot((ends[2 * end] ?? 0) - at[0], (ends[2 * end + 1] ?? 0) - at[1]) < context.reach)
        return { kind: 'line', lines, line, end }
  return undefined
}
export const lineMoved = ({ lines, line, end }: LineDrag, at: Corner): Record<string, unknown> =>
  linesChange(withEnd(lines, line, end, at))

/** A line let go: one dragged out of the picture goes, and so does a click without a drag. */
export function linePut(
  { document: { plate } }: Pick<MatchContext, 'document'>,
  { lines, line, end }: LineDrag,
  at: Corner,
): Record<string, unknown> {
  const [x, y] = at
  const next = withEnd(lines, line, end, at)
  const ends = next[line]?.ends
  const gone = x < 0 || y < 0 || x > plate.width || y > plate.height
  const short = ends && Math.hypot(ends[0] - ends[2], ends[1] - ends[3]) < LEAST_LINE
  return linesChange(gone || short ? next.filter((_, k) => k !== line) : next)
}
