import { effectOf } from '@lantern/core/shot'
import type { ItemStatus, RunStatus } from '@lantern/store'
import type { StripRow } from '../strip/row.ts'
import type { ItemView } from './view.ts'

const OUTPUT_NAMES: Readonly<Record<string, string>> = { finer: 'finer' }

/** The frames of a run that are kept. */
export const framesRow = (name: string, run: RunStatus | undefined, figure?: string): StripRow => ({
  kind: 'frames',
  name,
  figure: figure ?? (run ? `${run.kept.length} of ${run.last - run.first + 1}` : ''),
  kept: new Set(run?.kept),
  stale: new Set(run?.stale),
  running: run?.state === 'running',
})

/** The runs that are made from an item's own. */
export const derivedRows = (name: string, status: ItemStatus | undefined): StripRow[] =>
  (status?.derived ?? []).map((run) => framesRow(`${name}, ${OUTPUT_NAMES[run.output] ?? run.output}`, run))

/** One figure of an item's kept frames, by frame. */
export const keptFigure = (status: ItemStatus | undefined, name: string): Map<number, number> =>
  new Map(
    status?.kept.flatMap((frame, n) => {
      const value = status.figures[n]?.[name]
      return typeof value === 'number' ? [[frame, value] as const] : []
    }),
  )

/** Rows of an effect that brings none of its own: its first figure where it has one, and the frames that are kept of it. */
export const keptRows: NonNullable<ItemView['stripRows']> = ({ shot, status, frame, chosen }, id, item) => {
  const kept = status?.items[id]
  const [name] = effectOf(item)?.frameFigures ?? []
  const values = name === undefined ? new Map<number, number>() : keptFigure(kept, name)
  const now = values.get(frame)
  const curve: StripRow[] =
    shot && chosen === id && values.size > 0
      ? [
          {
            kind: 'curve',
            name: `${item.name}, ${name}`,
            figure: now === undefined ? '' : String(Number(now.toPrecision(4))),
            values,
            top: Math.max(1e-6, ...values.values()) * 1.1,
            added: true,
          },
        ]
      : []
  return [...curve, ...derivedRows(item.name, kept), framesRow(item.name, kept)]
}
