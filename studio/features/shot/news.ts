import type { ShotStatus, StoreEvent } from '@lantern/store'
import type { ShotState } from './shotStore.ts'

export type NewsEvent = StoreEvent

/** The keys of all results that a status tells of. */
function keysIn(status: ShotStatus): Set<string> {
  const { tracks, solve, hands, things } = status.match
  const stages = [
    tracks,
    solve,
    ...Object.values(hands),
    ...Object.values(things).flatMap((one) => [one.tracks, one.solve]),
  ]
  const areas = Object.values(status.readings.areas).flatMap(({ reading, report }) => [
    reading,
    ...(report ? [report] : []),
  ])
  const runs = Object.values(status.items).flatMap((item) => [item, ...item.derived])
  return new Set([
    ...[...stages, status.readings.report, ...areas, ...runs, ...Object.values(status.handOffs)].map(({ key }) => key),
    ...Object.values(status.look.keys),
    ...Object.values(status.final.keys),
  ])
}

const known = new WeakMap<ShotStatus, Set<string>>()
function keysOf(status: ShotStatus): Set<string> {
  const keys = known.get(status) ?? keysIn(status)
  known.set(status, keys)
  return keys
}

/** What an event asks of the open shot: to read all of it again, its status alone, or nothing, since it tells of another shot. */
export function concerns(
  event: NewsEvent,
  { shot, status, saving }: Pick<ShotState, 'shot' | 'status' | 'saving'>,
): 'shot' | 'status' | undefined {
  if (!shot) return undefined
  switch (event.what) {
    case 'shots':
      return undefined
    case 'shot':
      return event.shot === shot.id && event.head !== shot.head && saving === 0 ? 'shot' : undefined
    case 'asset':
      return event.asset === undefined || event.asset === shot.document.plate.asset ? 'status' : undefined
    case 'machine':
      return 'status'
    case 'result':
    case 'frame':
      return !status || event.key === undefined || keysOf(status).has(event.key) ? 'status' : undefined
  }
}
