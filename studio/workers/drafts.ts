import { type Crew, makeCrew } from '@lantern/core/base'
import type { GasFrame } from '@lantern/core/data'
import { GasSimulation } from '@lantern/core/gas'
import type { DraftRequest, LookReply } from './protocol.ts'

/** A draft run's frames, the newest over the older ones: the same frame made finer takes the coarser one's place. */
export interface DraftRun {
  key: string
  first: number
  frames: GasFrame[]
  /** Whether all of it has been burnt, as finely as it was asked for. */
  done: boolean
}

/** A draft gas that burns: advanced a frame at a time, in turn with the others. */
interface Burning {
  request: DraftRequest
  crew: Crew
  simulation: GasSimulation
  preRoll: number
  kept: GasFrame[]
  /** Whether this is the second, finer burn. */
  finer: boolean
}

/** Frames of the run-up between two that are shown. */
const SHOWN_OF_RUN_UP = 3

/** Burns drafts of gases, one run of each at most, giving way to other work between frames. Says each frame, and the end of each run that was asked for unless another was asked for in its place. */
export class Drafts {
  readonly runs = new Map<string, DraftRun>()
  readonly #burning = new Map<string, Burning>()
  #turning = false

  /** say: takes what is told. fail: takes why a burn ended early. */
  constructor(
    private readonly say: (reply: LookReply) => void,
    private readonly fail: (error: unknown) => void,
  ) {}

  /** Lights a draft gas in place of the item's one before. Its frames come after this returns: what is put out at once says nothing. */
  start(request: DraftRequest): void {
    const { key, item, frames } = request
    if (this.#burning.get(item)?.request.key === key) return
    this.#putOut(item)
    const there = this.runs.get(item)
    if (there?.key === key && there.done) return this.say({ what: 'draft-done', key, item })
    // What was cut short while it was made finer goes on with that.
    try {
      this.#start(request, there?.key === key && there.frames.length === frames)
    } catch (error) {
      return this.#failed(request, error)
    }
    if (!this.#turning) void this.#turn()
  }

  /** What is kept needs no draft form; one that was cut short is not shown as if it were whole. */
  cancel(item: string): void {
    this.#putOut(item)
    this.runs.delete(item)
  }

  #failed({ key, item }: DraftRequest, error: unknown): void {
    this.#putOut(item)
    this.fail(error)
    this.say({ what: 'draft-done', key, item })
  }

  #putOut(item: string): void {
    this.#burning.get(item)?.crew.end()
    this.#burning.delete(item)
  }

  #start(request: DraftRequest, finer: boolean): void {
    const { item, settings, rate } = request
    const crew = makeCrew(1)
    const before = finer ? (this.runs.get(item)?.frames ?? []) : []
    const made = finer ? (request.finer ?? settings) : settings
    // The run-up is shortened: a draft fire stands after half a second, and a first look should not wait.
    const preRoll = finer ? made.preRoll : Math.min(made.preRoll, Math.ceil(rate / 2))
    this.#burning.set(item, {
      request,
      crew,
      simulation: new GasSimulation(crew, { ...made, preRoll }, rate),
      preRoll,
      kept: [...before],
      finer,
    })
  }

  /** Advances what burns, frame by frame. */
  async #turn(): Promise<void> {
    this.#turning = true
    while (this.#burning.size > 0)
      for (const [item, one] of this.#burning) {
        await new Promise((resolve) => setTimeout(resolve))
        if (this.#burning.get(item) !== one) continue
        try {
          this.#advance(item, one)
        } catch (error) {
          this.#failed(one.request, error)
        }
      }
    this.#turning = false
  }

  #advance(item: string, { request, simulation, preRoll, kept, finer }: Burning): void {
    const { key, first, frames } = request
    const begun = performance.now()
    const figures = simulation.advance()
    const n = simulation.done - 1 - preRoll
    if (n < 0 && (finer || simulation.done % SHOWN_OF_RUN_UP !== 0)) return
    // While the run-up burns its newest frame stands in for the first one, so that something is seen at once.
    kept[Math.max(0, n)] = simulation.keep()
    const last = n === frames - 1
    const run = { key, first, frames: kept, done: last && (finer || !request.finer) }
    this.runs.set(item, run)
    this.say({
      what: 'draft-frame',
      key,
      item,
      frame: first + Math.max(0, n),
      heatKw: figures.heatKw,
      height: figures.height,
      axialFlameLength: figures.axialFlameLength,
      baseBuoyancy: figures.baseBuoyancy,
      of: frames,
      milliseconds: performance.now() - begun,
      cell: simulation.box.cell,
      finer,
    })
    if (!last) return
    this.#putOut(item)
    if (run.done) this.say({ what: 'draft-done', key, item })
    else this.#start(request, true)
  }
}
