import {
  type CheckedFrame,
  type CheckedLayer,
  type CheckedLine,
  checkedLines,
  type ShotCheck,
} from '@lantern/core/data'
import { LINE_KINDS, type LineName, saidOf } from '@lantern/core/sit'
import type { ShotState } from '../shot/shotStore.ts'
import type { StripRow } from '../strip/row.ts'

// Where in a shot its layers fail: rows of the strip, from the kept check.

/** A difference over what may be: 1 is the limit. */
const overLimit = ({ difference, spread, within }: CheckedLine): number => {
  const share = Math.abs(difference) / Math.max(1e-9, spread)
  return within ? Math.min(1, share) : Math.max(1.001, share)
}

const lineRow = (name: LineName, frames: readonly CheckedFrame[], id: string, frame: number): StripRow[] => {
  const values = new Map<number, number>()
  let figure = ''
  for (const one of frames) {
    const line = one.layers.find((layer) => layer.id === id)?.lines.find((candidate) => candidate.name === name)
    if (!line) continue
    values.set(one.frame, overLimit(line))
    if (one.frame === frame) figure = saidOf({ ...line, name })
  }
  return values.size > 0 ? [{ kind: 'check', name: LINE_KINDS[name].label, figure, values }] : []
}

const layerRow = (
  { id, name }: Pick<CheckedLayer, 'id' | 'name'>,
  frames: readonly CheckedFrame[],
  frame: number,
): StripRow[] => {
  const own = frames.flatMap((one) => {
    const layer = one.layers.find((candidate) => candidate.id === id)
    return layer && layer.lines.length > 0 ? [{ frame: one.frame, layer }] : []
  })
  if (own.length === 0) return []
  const here = own.find((one) => one.frame === frame)
  const { within, all } = checkedLines({ frames: here ? [{ frame, quality: 'look', layers: [here.layer] }] : [] })
  return [
    {
      kind: 'check',
      name,
      figure: here ? `${within} of ${all}` : '',
      values: new Map(own.map((one) => [one.frame, Math.max(0, ...one.layer.lines.map(overLimit))])),
    },
  ]
}

/** Rows of the check at the Sit station: the chosen layer's lines, else one row a layer. */
export function checkRows(
  { shot, status, frame, station, chosen }: ShotState,
  checks: Readonly<Record<string, ShotCheck>>,
): StripRow[] {
  const check = checks[status?.check.key ?? '']
  if (!shot || station !== 'Sit' || !check) return []
  const { frames } = check
  const id = chosen.startsWith('layer.') ? chosen.slice(6) : ''
  if (id) return (Object.keys(LINE_KINDS) as LineName[]).flatMap((name) => lineRow(name, frames, id, frame))
  const layers = new Map(frames.flatMap(({ layers: own }) => own.map((layer) => [layer.id, layer] as const)))
  return [...layers.values()].flatMap((layer) => layerRow(layer, frames, frame))
}
