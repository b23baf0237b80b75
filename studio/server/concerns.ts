import type { ShotStatus, StoreEvent } from '@lantern/store'

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
    ...[...stages, status.readings.report, status.check, ...areas, ...runs, ...Object.values(status.handOffs)].map(
      ({ key }) => key,
    ),
    ...Object.values(status.mattes).flatMap((frames) => Object.values(frames).map(({ key }) => key)),
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

/** Whether an event may change a shot's status, so that it is to be computed anew. */
export function concerns(event: StoreEvent, status: ShotStatus | undefined, shot: number | undefined): boolean {
  if (!status) return true
  switch (event.what) {
    case 'shots':
      return false
    case 'shot':
      return event.shot === undefined || event.shot === shot
    case 'asset':
      return event.asset === undefined || event.asset === status.asset.id
    case 'machine':
      return true
    case 'result':
    case 'frame':
      return event.key === undefined || keysOf(status).has(event.key)
  }
}
