import type { GasItem } from '@lantern/core/effects/gas'
import { derivedRows, framesRow, keptFigure } from '../../items/keptRows.ts'
import type { StripState } from '../../items/view.ts'
import type { StripRow } from '../../strip/row.ts'

/** A gas's rows: its heat, the chosen one's height and light, and the frames that are kept of it. While none is kept they are its draft form's. */
export function gasRows(state: StripState, id: string, item: GasItem): StripRow[] {
  const { status, drafts, frame, station, chosen } = state
  const gas = status?.items[id]
  const draft = gas?.kept.length ? undefined : drafts[id]
  /** Values of a draft begin at its run's own first frame. */
  const ofDraft = (values: readonly number[] = []): Map<number, number> =>
    new Map(values.map((value, n) => [(draft?.first ?? 0) + n, value]))
  const heat = draft ? ofDraft(draft.heatKw) : keptFigure(gas, 'heatKw')
  if (Math.max(0, ...heat.values(), item.heat) <= 0 && chosen !== id) return [framesRow(item.name, gas)]
  const rows: StripRow[] = []
  const curve = (what: string, values: ReadonlyMap<number, number>, top: number, figure: (value: number) => string) => {
    const now = values.get(frame)
    const shown = now === undefined ? '' : figure(now)
    rows.push({ kind: 'curve', name: `${item.name}, ${what}`, figure: shown, values, top, added: true })
  }
  curve('heat', heat, Math.max(1, item.heat * 1.3, ...heat.values()), (value) => `${value.toFixed(0)} kW`)
  const height = draft ? ofDraft(draft.height) : keptFigure(gas, 'height')
  const tallest = Math.max(0, ...height.values())
  if ((chosen === id || station === 'Picture') && tallest > 0)
    curve('height', height, Math.max(0.5, tallest) * 1.1, (value) => `${value.toFixed(2)} m`)
  const light = draft ? new Map<number, number>() : keptFigure(gas, 'light')
  const brightest = Math.max(0, ...light.values())
  if (chosen === id && brightest > 0)
    curve('light', light, Math.max(1, brightest) * 1.1, (value) => `${value.toFixed(0)} cd`)
  const any = (gas?.kept.length ?? 0) + (gas?.stale.length ?? 0) > 0
  return [
    ...rows,
    ...derivedRows(item.name, gas),
    framesRow(item.name, gas, any ? undefined : draft ? `draft ${draft.frames}` : ''),
  ]
}
