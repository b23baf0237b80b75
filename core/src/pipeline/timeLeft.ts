import { pow } from '../math/index.ts'

/** A frame of a run that is computed: its place in the run, run-up counted; seconds that it took; and its work, cells times steps. */
export interface DoneFrame {
  at: number
  seconds: number
  work: number
}

/** How far a run is. Its frames in order; how many it has in all; and the work of each of them as a rough run told it (estimateWork), none while that is not known. */
export interface RunSoFar {
  done: readonly DoneFrame[]
  total: number
  ahead: readonly number[]
}

/** What was told ahead weighs as much as this part of the whole run, and how fast such work goes elsewhere as that: a few small frames at its beginning don't tell how the rest will be. */
const HELD = 0.05
const HELD_PACE = 0.01
/** The fastest air, by which steps are taken, is faster between smaller cells: so many times the work that was told, until the run shows how many it is. */
const MORE = 1.25
/** As much work as this part of the whole must have been timed before anything is told, or as HELD elsewhere: small boxes take longer for their cells. */
const LEAST = 0.01
const sum = (values: readonly number[]): number => values.reduce((total, one) => total + one, 0)

/** The frames that tell how a run goes now. */
export const lastFrames = (done: readonly DoneFrame[]): DoneFrame[] =>
  done.slice(-Math.max(4, Math.ceil(done.length / 4)))

/**
 * Seconds of a machine that a run still takes; null while too little is known. Its rest costs what was told ahead, as the last quarter of its frames turned out against that.
 * elsewhere: seconds that other runs took of late, and their work.
 */
export function timeLeft(
  { done, total, ahead }: RunSoFar,
  elsewhere: Pick<DoneFrame, 'seconds' | 'work'> = { seconds: 0, work: 0 },
): number | null {
  const next = (done.at(-1)?.at ?? -1) + 1
  if (next >= total) return 0
  const recent = lastFrames(done)
  const [seconds, work, told] = [
    sum(recent.map((frame) => frame.seconds)),
    sum(recent.map((frame) => frame.work)),
    sum(recent.map(({ at }) => ahead[at] ?? 0)),
  ]
  if (ahead.length < total) return recent.length < 2 ? null : (seconds / recent.length) * (total - next)
  const whole = sum(ahead)
  const pace = elsewhere.work >= HELD * whole ? elsewhere.seconds / elsewhere.work : undefined
  if (!(whole > 0) || (pace === undefined && work < LEAST * whole)) return null
  const own = work / (work + HELD_PACE * whole)
  // By ratio: a frame with hardly any work takes what it takes, and tells nothing of the others.
  const each =
    pace === undefined ? seconds / work : pace * (seconds > 0 && work > 0 ? pow(seconds / work / pace, own) : 1)
  const more = (work + MORE * HELD * whole) / (told + HELD * whole)
  return each * more * sum(ahead.slice(next, total))
}

/** Machines take turns at long work: after so many seconds of one run the first in line has its turn, which may be the same. */
export const TURN_SECONDS = 100
/** One that would end within so many seconds more goes on to its end. */
export const FINISH_SECONDS = 25

/** A run that is under way or waits: seconds of a machine that it still needs, and how long its turn has lasted; none: it waits for one. */
export interface RunInLine {
  need: number
  turn?: number
}

/**
 * Seconds until one of the runs in a line ends, all of which share so many machines: whichever machine is free takes the first in line, for a turn at most,
 * so that one that came in before it, newer asks that is, need not wait for its end. Those that have their turn now end it first.
 */
export function timeLeftInLine(line: readonly RunInLine[], own: number, machines: number): number {
  const runs = line.map(({ need, turn }, n) => ({
    own: n === own,
    need,
    now: turn !== undefined,
    turn: Math.max(1, TURN_SECONDS - (turn ?? 0)),
    ready: 0,
  }))
  let left = runs.filter((run) => run.own || run.need > 0)
  const free = Array.from({ length: Math.max(1, machines) }, () => 0)
  for (;;) {
    const machine = free.indexOf(Math.min(...free))
    const at = free[machine] ?? 0
    const next =
      left.find(({ now }) => now) ??
      left.find(({ ready }) => ready <= at) ??
      left.reduce<(typeof left)[number] | undefined>((a, b) => (a && a.ready <= b.ready ? a : b), undefined)
    if (!next) return line[own]?.need ?? 0
    const took = next.need <= next.turn + FINISH_SECONDS ? next.need : next.turn
    // None is at two machines at once.
    const end = Math.max(at, next.ready) + took
    free[machine] = end
    if (next.need <= took) {
      if (next.own) return end
      left = left.filter((run) => run !== next)
    } else Object.assign(next, { need: next.need - took, turn: TURN_SECONDS, ready: end, now: false })
  }
}
