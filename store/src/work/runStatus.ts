import type { Run } from '@lantern/core/effects'
import { lastFrames, type RunSoFar, timeLeft, timeLeftInLine } from '@lantern/core/pipeline'
import { OUTPUTS } from '@lantern/core/shot'
import type { Store } from '../open.ts'
import {
  type KeptFrame,
  keptFrames,
  type LateWork,
  lateWork,
  type ResultRow,
  resultRows,
  runsInLine,
} from '../queries/results.ts'

// How long a run still takes, beside the others that machines take turns at.

const number = (value: unknown): number => (typeof value === 'number' ? value : 0)
const total = (values: readonly number[]): number => values.reduce((sum, one) => sum + one, 0)

/** Work of a kept frame; older ones tell it as cells times steps. */
const workOf = ({ work, cells, steps }: Readonly<Record<string, unknown>>): number =>
  typeof work === 'number' ? work : number(cells) * number(steps)

/** Of a run by key: how much work a frame of it is, roughly, and the frames that it computes before it keeps any. */
export type RoughRuns = ReadonlyMap<string, Pick<Run, 'work' | 'preRoll'>>

function runSoFar(row: ResultRow, kept: readonly KeptFrame[], rough: RoughRuns): RunSoFar {
  const count = row.last - row.first + 1
  // Of another shot's run that was told ahead; else all that is known of its pre-roll.
  const preRoll = rough.get(row.key)?.preRoll ?? (row.ahead.length > 0 ? row.ahead.length - count : row.preRoll.length)
  return {
    done: [
      ...row.preRoll.map(([seconds, work], at) => ({ at, seconds, work })),
      ...kept.map(({ frame, figures }) => ({
        at: preRoll + frame - row.first,
        seconds: number(figures.seconds),
        work: workOf(figures),
      })),
    ],
    total: preRoll + count,
    ahead: row.ahead,
  }
}

interface LineRun {
  row: ResultRow
  run: RunSoFar
}

/** The runs that are under way or wait, as far as each is; the pace of late is theirs where they have frames of their own. */
async function lineOf(store: Store, rough: RoughRuns): Promise<{ runs: LineRun[]; late: Map<string, LateWork> }> {
  const line = await runsInLine(store, OUTPUTS)
  const [rows, frames, late] = [
    await resultRows(store, line),
    await keptFrames(store, line),
    await lateWork(store, OUTPUTS),
  ]
  const runs = line.flatMap((key): LineRun[] => {
    const row = rows.get(key)
    const kept = frames.filter((frame) => frame.key === key)
    return row ? [{ row, run: runSoFar(row, kept, rough) }] : []
  })
  for (const { row, run } of runs) {
    // Frames that were taken in were no work here.
    const last = lastFrames(run.done).filter(({ work }) => work > 0)
    if (last.length > 0)
      late.set(row.key, {
        output: row.kind,
        seconds: total(last.map(({ seconds }) => seconds)),
        work: total(last.map(({ work }) => work)),
      })
  }
  return { runs, late }
}

/** Seconds that a run still takes beside the others that are under way or wait; null while that is not known. */
export async function secondsLeft(store: Store, key: string, rough: RoughRuns): Promise<number | null> {
  const { runs, late } = await lineOf(store, rough)
  const own = runs.findIndex(({ row }) => row.key === key)
  const elsewhere = (without: ResultRow): { seconds: number; work: number } => {
    const others = [...late].flatMap(([other, one]) =>
      other === without.key || one.output !== without.kind ? [] : [one],
    )
    return { seconds: total(others.map(({ seconds }) => seconds)), work: total(others.map(({ work }) => work)) }
  }
  const left = runs.map(({ row, run }) => timeLeft(run, elsewhere(row)))
  const [mine, needs] = [runs[own]?.run, left[own] ?? null]
  if (!mine || needs === null) return null
  // Unmeasured runs are assumed to take as long per frame as this one, by the work that they roughly are.
  const each = needs / Math.max(1, mine.total - 1 - (mine.done.at(-1)?.at ?? -1))
  const guess = ({ row, run }: LineRun): number => {
    const work = (rough.get(row.key)?.work ?? Number.NaN) / (rough.get(key)?.work ?? Number.NaN)
    return each * (Number.isFinite(work) ? work : 1) * (run.total - run.done.length)
  }
  const inLine = runs.map((one, n) => ({
    need: left[n] ?? guess(one),
    ...(one.row.machine === null ? {} : { turn: one.row.since }),
  }))
  return timeLeftInLine(inLine, own, new Set(runs.flatMap(({ row }) => row.machine ?? [])).size)
}
