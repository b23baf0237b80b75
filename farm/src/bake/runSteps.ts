import { setImmediate } from 'node:timers/promises'
import { textKey } from '@lantern/core/base'
import type { Bake, InputFrame, Run, StepBaker } from '@lantern/core/effects'
import {
  holdLease,
  insertFrame,
  isEnough,
  type JobPayload,
  keptFrames,
  type PreRollFrame,
  putBlob,
  resultRows,
  resultState,
  setResultState,
  tellShare,
} from '@lantern/store'
import { type JobContext, TURN } from '../jobs/context.ts'
import { type GiveWay, giveWayOf } from './giveWay.ts'
import { mustStop, queueNext, queueWaiting, underLease } from './lease.ts'
import { type PolicyTimes, RunPolicy } from './policy.ts'
import { loadState, saveState } from './states.ts'
import { bakeTools, inputFrames } from './tools.ts'

const TIMES: PolicyTimes = {
  saveEvery: 25,
  saveShare: 1 / 20,
  longFrame: 8,
  lookEvery: 2,
  turn: TURN.seconds,
  finish: TURN.finish,
}
const HOLD_EVERY_MS = 5000
const clock = (): number => performance.now() / 1000

export interface StepOptions {
  /** A frame after which the run is stopped. */
  until?: number
  /** Other times than the usual. */
  times?: Partial<PolicyTimes>
}

/** By frames done, pre-roll counted, the key of all that decided a run so far. */
export function stateKeys({ preRoll, first, frameKeys }: Run): Map<number, string> {
  const begins = frameKeys.get(first) ?? ''
  const before = Array.from({ length: preRoll }, (_, n): [number, string] => [
    n + 1,
    textKey(`${begins}:run-up ${n + 1}`),
  ])
  return new Map([
    ...before,
    ...[...frameKeys].map(([frame, key]): [number, string] => [preRoll + frame - first + 1, key]),
  ])
}

/** A run that goes from frame to frame, under its lease. */
class SteppedRun {
  readonly #context: JobContext
  readonly #run: Run
  readonly #fence: number
  readonly #baker: StepBaker
  readonly #policy: RunPolicy
  readonly #giveWay: GiveWay | undefined
  readonly #keys: ReadonlyMap<number, string>
  /** Of each frame of its pre-roll its seconds and work; undefined for a run that went on from another one's state and doesn't know them all. */
  readonly #preRoll: PreRollFrame[] | undefined
  #saved: number
  #counted = clock()

  constructor(
    context: JobContext,
    run: Run,
    fence: number,
    baker: StepBaker,
    keys: ReadonlyMap<number, string>,
    preRoll: PreRollFrame[] | undefined,
    times: PolicyTimes,
  ) {
    this.#context = context
    this.#run = run
    this.#fence = fence
    this.#baker = baker
    this.#keys = keys
    this.#preRoll = preRoll
    this.#policy = new RunPolicy(times, clock)
    this.#giveWay = giveWayOf(context, () => mustStop(context, run.key, fence))
    this.#saved = baker.done
  }

  get #total(): number {
    return this.#run.preRoll + this.#run.last - this.#run.first + 1
  }
  /** The frame that is made next; before the run's first during its pre-roll. */
  get #next(): number {
    return this.#run.first + this.#baker.done - this.#run.preRoll
  }
  /** Seconds since the frame before was counted: what keeping it took is in them. */
  #count(): number {
    const now = clock()
    const seconds = now - this.#counted
    this.#counted = now
    return seconds
  }

  /** Saves a state. A large one takes longer to write than a lease lasts. */
  async #save(state: ReturnType<StepBaker['state']>): Promise<void> {
    const key = this.#keys.get(state.done)
    if (!key || state.done <= this.#saved) return
    const begun = clock()
    const { store } = this.#context
    const holding = setInterval(
      () => void holdLease(store, this.#run.key, this.#fence).catch(() => false),
      HOLD_EVERY_MS,
    )
    try {
      await saveState(this.#context, this.#run.key, this.#fence, key, state)
    } finally {
      clearInterval(holding)
    }
    this.#saved = state.done
    this.#policy.saved(clock() - begun)
  }

  /** Makes the next frame. Returns its work, or undefined when it was broken off within it: what was before it is saved, and the baker is spent. */
  async #advance(inputs: readonly InputFrame[]): Promise<number | undefined> {
    const lookEvery = this.#policy.beginFrame()
    const before = Number.isFinite(lookEvery) && this.#baker.done > this.#saved ? this.#baker.state() : undefined
    const steps = await this.#baker.advance(inputs)
    let looked = clock()
    for (;;) {
      const step = steps.next()
      if (step.done) return step.value
      if (this.#giveWay?.due) {
        const rested = await this.#giveWay.rest()
        this.#counted += rested
        this.#policy.rested(rested)
      }
      if (clock() - looked < lookEvery) continue
      // Signals come in and are heard only between turns of the event loop.
      await setImmediate()
      if (await mustStop(this.#context, this.#run.key, this.#fence)) {
        if (before) await this.#save(before)
        return undefined
      }
      looked = clock()
    }
  }

  /** Keeps a frame that was made, or tells how far the pre-roll is. False when another machine has the run now. */
  async #keep(frame: number, work: number): Promise<boolean> {
    const { store } = this.#context
    const { key, first, preRoll, frameKeys } = this.#run
    if (frame < first) {
      this.#preRoll?.push([this.#count(), work])
      const doing = `run-up ${this.#baker.done} of ${preRoll}`
      return tellShare(store, key, this.#fence, this.#baker.done / this.#total, doing, this.#preRoll ?? [])
    }
    const made = this.#baker.encode()
    const blob = await putBlob(store, made.bytes, made.mediaType)
    const seconds = this.#count()
    const figures = { ...made.figures, work, seconds }
    return insertFrame(store, { key, frame, blob, figures, chain: frameKeys.get(frame) }, this.#fence, seconds)
  }

  /** Goes on until the run is done (true) or put down (false). */
  async go(payload: JobPayload<'bake'>, until: number | undefined): Promise<boolean> {
    const { store, progress } = this.#context
    while (this.#baker.done < this.#total) {
      const frame = this.#next
      const inputs = await inputFrames(this.#context, this.#run, frame)
      if (inputs === 'waiting') {
        await this.#save(this.#baker.state())
        if (!progress) await queueWaiting(this.#context, payload)
        return false
      }
      const work = await this.#advance(inputs)
      if (work === undefined || !(await this.#keep(frame, work))) return false
      progress?.report(this.#baker.done / this.#total, frame >= this.#run.first ? `frame ${frame}` : 'run-up')
      const remaining = this.#total - this.#baker.done
      const { save, next } = this.#policy.endFrame({
        remaining,
        stopAsked: (await resultState(store, this.#run.key)) === 'stopped',
        ending: this.#context.ending(),
        takesTurns: !progress,
      })
      const enough = until !== undefined && frame >= until && remaining > 0
      if (save || enough) await this.#save(this.#baker.state())
      if (enough) await setResultState(store, this.#run.key, 'stopped')
      if (enough || next === 'stop') return false
      if (remaining > 0 && (await isEnough(store, this.#run.key, frame))) {
        await this.#save(this.#baker.state())
        return false
      }
      if (next === 'next turn') {
        await queueNext(this.#context, payload)
        return false
      }
    }
    return true
  }
}

/** Frames that are kept without a gap from the run's first one on: a later state would leave the gap as it is. */
async function framesBeforeGap({ store }: JobContext, { key, first, last }: Run): Promise<number> {
  const kept = new Set((await keptFrames(store, [key])).map(({ frame }) => frame))
  let next = first
  while (next <= last && kept.has(next)) next++
  return next - first
}

/** Makes the frames of a run that goes from frame to frame, from its furthest saved state on. Returns true when all are kept. */
export function runSteps(
  context: JobContext,
  payload: JobPayload<'bake'>,
  run: Run,
  bake: Extract<Bake, { way: 'steps' }>,
  { until, times }: StepOptions,
): Promise<boolean> {
  return underLease(context, payload, async (fence) => {
    const keys = stateKeys(run)
    const whole = await framesBeforeGap(context, run)
    if (whole > 0 && (await isEnough(context.store, run.key, run.first + whole - 1))) return false
    const before = new Map([...keys].filter(([done]) => done <= run.preRoll + whole))
    const baker = await bake.prepare(bakeTools(context), await loadState(context, run.key, bake, before))
    const known = (await resultRows(context.store, [run.key])).get(run.key)?.preRoll ?? []
    const preRoll = known.length >= Math.min(baker.done, run.preRoll) ? known.slice(0, baker.done) : undefined
    const stepped = new SteppedRun(context, run, fence, baker, keys, preRoll, { ...TIMES, ...times })
    return stepped.go(payload, until)
  })
}
