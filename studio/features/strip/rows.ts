import { type PlateReport, type ReadingFrames, type ShotCheck, type Solve, trackLast } from '@lantern/core/data'
import { manualTrackNumber, readingValues } from '@lantern/core/pipeline'
import { clampToSetting, followed, itemsInOrder, signalValue } from '@lantern/core/settings'
import { kindInfo, SETTINGS, type ShotDocument } from '@lantern/core/shot'
import { viewOf } from '../items/index.ts'
import { type ShownMatch, slideOfProof, trackErrors } from '../match/matchData.ts'
import type { ShotState } from '../shot/shotStore.ts'
import { inputsNow } from '../shot/world.ts'
import { checkRows } from '../sit/stripChecks.ts'
import type { StripRow } from './row.ts'

export type { StripRow } from './row.ts'

const LEAST_TOP_PX = 1

/** Of the match: tracks seen, error, the chosen track's error, how far test objects slide. */
function matchRows(
  shown: ShownMatch,
  document: ShotDocument,
  chosen: string,
  frame: number,
  status: ShotState['status'],
  solves: Readonly<Record<string, Solve>>,
): StripRow[] {
  const { first, last } = document.plate
  const rows: StripRow[] = []
  const curve = (
    name: string,
    values: ReadonlyMap<number, number>,
    figure: (value: number) => string,
    least = LEAST_TOP_PX,
  ): void => {
    if (values.size > 0)
      rows.push({
        kind: 'curve',
        name,
        figure: values.has(frame) ? figure(values.get(frame) ?? 0) : '',
        values,
        top: Math.max(least, ...values.values()),
        added: false,
      })
  }
  const px = (value: number): string => `${value.toFixed(2)} px`
  if (shown.tracks.length > 0) {
    const seen = new Map(Array.from({ length: last - first + 1 }, (_, n) => [first + n, 0]))
    for (const track of shown.tracks)
      for (let n = track.first; n <= trackLast(track); n++) seen.set(first + n, (seen.get(first + n) ?? 0) + 1)
    curve('Tracks', seen, (value) => String(value), 10)
  }
  if (shown.solve)
    curve(
      'Match error',
      new Map(shown.solve.framePx.flatMap((value, n) => (value === null ? [] : [[first + n, value]]))),
      px,
    )
  if (chosen.startsWith('track.'))
    curve(
      `Track ${chosen.slice(6)}`,
      new Map([...trackErrors(shown, Number(chosen.slice(6)))].map(([n, value]) => [first + n, value])),
      px,
    )
  const hand = chosen.startsWith('hand.') ? chosen.slice(5) : ''
  const stage = status?.match.hands[hand]
  const { likeness, first: from } = (stage?.figures ?? {}) as { likeness?: number[]; first?: number }
  if (document.match.hands[hand]) {
    if (likeness && from !== undefined)
      curve(
        `${document.match.hands[hand].name}, likeness`,
        new Map(likeness.map((value, n) => [from + n, 100 * value])),
        (value) => `${value.toFixed(0)} %`,
        100,
      )
    curve(
      `${document.match.hands[hand].name}, error`,
      new Map([...trackErrors(shown, manualTrackNumber(hand))].map(([n, value]) => [first + n, value])),
      px,
    )
  }
  const thing = chosen.startsWith('thing.') ? chosen.slice(6) : ''
  const thingSolve = solves[status?.match.things[thing]?.solve.key ?? '']
  if (thingSolve)
    curve(
      `${document.match.things[thing]?.name ?? ''}, error`,
      new Map(thingSolve.framePx.flatMap((value, n) => (value === null ? [] : [[first + n, value]]))),
      px,
    )
  const proofs = Object.entries(document.match.proofs)
  const wanted = proofs.filter(([id]) => chosen === `proof.${id}`)
  for (const [, proof] of wanted.length > 0 ? wanted : proofs.slice(0, 2))
    curve(
      `Slide, ${proof.name}`,
      new Map(slideOfProof(shown, proof).flatMap((value, n) => (Number.isFinite(value) ? [[first + n, value]] : []))),
      px,
    )
  return rows
}

/** The plate's own drift of exposure, and what is read of it: at the Plate station all, elsewhere what is shown. */
function plateRows(
  { shot, status, frame, station, chosen }: ShotState,
  files: {
    readings: Readonly<Record<string, ReadingFrames>>
    reports: Readonly<Record<string, PlateReport>>
    solves: Readonly<Record<string, Solve>>
    checks: Readonly<Record<string, ShotCheck>>
  },
): StripRow[] {
  const rows: StripRow[] = []
  const report = files.reports[status?.readings.report.key ?? '']
  if (station === 'Plate' && report) {
    const values = new Map(report.drift.flatMap((v, n) => (v === null ? [] : [[report.first + n, v] as const])))
    const now = values.get(frame)
    if (values.size > 0)
      rows.push({
        kind: 'curve',
        name: 'Exposure drift',
        figure: now === undefined ? '' : `${now >= 0 ? '+' : ''}${now.toFixed(2)} st`,
        values,
        top: Math.max(...values.values()) + 0.02,
        bottom: Math.min(...values.values()) - 0.02,
        added: false,
      })
  }
  for (const [id, reading] of Object.entries(shot?.document.readings ?? {})) {
    const taken = files.readings[status?.readings.areas[id]?.reading.key ?? '']
    if (!taken || !(reading.shown || chosen === `reading.${id}`)) continue
    const values = shot ? readingValues(shot.document, taken, reading) : new Map<number, number>()
    const now = values.get(frame)
    rows.push({
      kind: 'curve',
      name: reading.name,
      figure: now === undefined ? '' : now.toFixed(3),
      values,
      top: Math.max(1e-6, ...values.values()) * 1.05,
      added: false,
    })
  }
  return rows
}

/** Signals that are shown: all at the stations where they are set, elsewhere none but the chosen. */
function signalRows(state: ShotState): StripRow[] {
  const { shot, frame, station, chosen } = state
  if (!shot) return []
  const { signals, plate } = shot.document
  const clock = { first: plate.first, rate: plate.rate[0] / plate.rate[1] }
  const inputs = inputsNow(state)
  return Object.entries(signals).flatMap(([id, signal]): StripRow[] => {
    if (
      chosen !== `signal.${id}` &&
      !(signal.shown && (station === 'Effects' || station === 'Light' || station === 'Sit'))
    )
      return []
    const values = new Map<number, number>()
    for (let at = plate.first; at <= plate.last; at++) {
      const value = signalValue(signal, at, clock, inputs)
      if (value !== undefined && Number.isFinite(value)) values.set(at, value)
    }
    if (values.size === 0)
      return [{ kind: 'curve', name: signal.name, figure: 'no value yet', values, top: 1, added: false }]
    const [low, high] = [Math.min(...values.values()), Math.max(...values.values())]
    const now = values.get(frame)
    return [
      {
        kind: 'curve',
        name: signal.name,
        figure: now === undefined ? '' : String(Number(now.toPrecision(4))),
        values,
        top: high + 0.05 * (high - low || 1),
        bottom: Math.min(0, low),
        added: false,
      },
    ]
  })
}

/** What settings of the chosen item have that follow signals. */
function followedRows(state: ShotState): StripRow[] {
  const { shot, frame, chosen } = state
  const item = shot?.document.items[chosen]
  if (!shot || !item || !('follows' in item) || !item.follows) return []
  const { signals, plate } = shot.document
  const clock = { first: plate.first, rate: plate.rate[0] / plate.rate[1] }
  const inputs = inputsNow(state)
  return Object.entries(item.follows).flatMap(([key, following]): StripRow[] => {
    const setting = SETTINGS[item.kind].find((one) => one.key === key)
    if (setting?.type !== 'number') return []
    const values = new Map<number, number>()
    for (let at = plate.first; at <= plate.last; at++) {
      const value = followed(following, signals, at, clock, inputs)
      if (value !== undefined) values.set(at, clampToSetting(value, setting))
    }
    if (values.size === 0) return []
    const [low, high] = [Math.min(...values.values()), Math.max(...values.values())]
    const now = values.get(frame)
    return [
      {
        kind: 'curve',
        name: `${item.name}: ${setting.label.toLowerCase()}`,
        figure: now === undefined ? '' : `${Number(now.toPrecision(3)).toLocaleString('en')} ${setting.unit ?? ''}`,
        values,
        top: high + 0.05 * (high - low || 1),
        bottom: Math.min(0, low),
        added: true,
      },
    ]
  })
}

/** The strip's rows: what has a value or a kept result per frame. */
export function stripRows(state: ShotState, shown: ShownMatch, files: Parameters<typeof plateRows>[1]): StripRow[] {
  const { shot, status, frame, station, chosen } = state
  if (!shot) return []
  const { document } = shot
  const { first, last } = document.plate
  const total = last - first + 1
  const rows: StripRow[] = [
    ...(station === 'Match' ? matchRows(shown, document, chosen, frame, status, files.solves) : []),
    ...checkRows(state, files.checks),
    ...plateRows(state, files),
    ...signalRows(state),
    ...followedRows(state),
  ]
  // Those that are worked on here come first.
  const items = itemsInOrder(document)
  const here = items.filter(([, item]) => kindInfo(item).station === station)
  for (const [id, item] of new Set([...here, ...items])) rows.push(...(viewOf(item).stripRows?.(state, id, item) ?? []))
  for (const quality of ['look', 'final'] as const) {
    const one = status?.[quality]
    rows.push({
      kind: 'frames',
      name: quality === 'look' ? 'First look' : 'Final',
      figure: one?.kept.length ? `${one.kept.length} of ${total}` : one?.stale.length ? 'stale' : '',
      kept: new Set(one?.kept),
      stale: new Set(one?.stale),
      running: one?.state === 'running',
    })
  }
  return rows
}
