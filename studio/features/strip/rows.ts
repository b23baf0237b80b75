import { itemsInOrder } from '@lantern/core/pipeline'
import type { ShotState } from '../shot/shotStore.ts'

export type StripRow =
  | { kind: 'frames'; name: string; figure: string; kept: ReadonlySet<number>; stale: ReadonlySet<number>; running: boolean }
  | { kind: 'curve'; name: string; figure: string; values: ReadonlyMap<number, number>; top: number; added: boolean }

/** The strip's rows: what has a value or a kept result per frame. */
export function stripRows({ shot, status, thin, frame }: ShotState): StripRow[] {
  if (!shot) return []
  const { document } = shot
  const { first, last } = document.plate
  const total = last - first + 1
  const rows: StripRow[] = []
  for (const [id, item] of itemsInOrder(document)) {
    if (item.kind !== 'gas') continue
    const gas = status?.gases[id]
    const fromThin = !gas || gas.kept.length === 0
    const heat = new Map(fromThin ? (thin[id]?.heatKw ?? []).map((value, n) => [first + n, value]) : gas.kept.map((at, n) => [at, gas.heatKw[n] ?? 0]))
    const now = heat.get(frame)
    rows.push({ kind: 'curve', name: `${item.name}, heat`, figure: now === undefined ? '' : `${now.toFixed(0)} kW`, values: heat, top: Math.max(1, item.heat * 1.3, ...heat.values()), added: true })
    rows.push({ kind: 'frames', name: item.name, figure: gas?.kept.length || gas?.stale.length ? `${gas.kept.length} of ${total}` : thin[id] ? `thin ${thin[id].frames}` : '', kept: new Set(gas?.kept), stale: new Set(gas?.stale), running: gas?.state === 'running' })
  }
  for (const quality of ['look', 'final'] as const) {
    const one = status?.[quality]
    rows.push({ kind: 'frames', name: quality === 'look' ? 'First look' : 'Final', figure: one?.kept.length ? `${one.kept.length} of ${total}` : one?.stale.length ? 'stale' : '', kept: new Set(one?.kept), stale: new Set(one?.stale), running: one?.state === 'running' })
  }
  return rows
}
