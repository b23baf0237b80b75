import type { BrokenFrame } from '@lantern/core/data'
import { BreakSimulation } from '@lantern/core/effects/breaking'
import { fetchedBreakMesh } from './fetched.ts'
import type { DraftBreakRequest, LookReply } from './protocol.ts'

/** A draft run of something that breaks. */
interface BreakRun {
  key: string
  first: number
  frames: BrokenFrame[]
  done: boolean
}

/** Draft runs of what breaks, one of each item at most, frame by frame between other work. */
export class DraftBreaks {
  readonly runs = new Map<string, BreakRun>()
  /** Which run of an item goes on. */
  readonly #going = new Map<string, string>()

  constructor(
    private readonly say: (reply: LookReply) => void,
    private readonly fail: (error: unknown) => void,
  ) {}

  /** Starts a run in place of the item's one before. */
  start(request: DraftBreakRequest): void {
    const { key, item } = request
    if (this.#going.get(item) === key) return
    const there = this.runs.get(item)
    if (there?.key === key && there.done) return this.say({ what: 'draft-done', key, item })
    this.#going.set(item, key)
    void this.#run(request).catch((error: unknown) => {
      if (this.#going.get(item) !== key) return
      this.#going.delete(item)
      this.fail(error)
      this.say({ what: 'draft-done', key, item })
    })
  }

  cancel(item: string): void {
    this.#going.delete(item)
    this.runs.delete(item)
  }

  async #run({ key, item, shot, settings, first, frames }: DraftBreakRequest): Promise<void> {
    const begun = performance.now()
    const simulation = await BreakSimulation.open(settings, undefined, await fetchedBreakMesh(shot, settings))
    const run: BreakRun = { key, first, frames: [], done: false }
    try {
      while (simulation.done < frames) {
        await new Promise((resolve) => setTimeout(resolve))
        if (this.#going.get(item) !== key) return
        const steps = simulation.steps()
        let step = steps.next()
        while (!step.done) step = steps.next()
        run.frames.push(simulation.keep(simulation.done === 1))
        run.done = simulation.done === frames
        this.runs.set(item, run)
        const { moving, energy, fastest, pieces, missed } = step.value
        this.say({
          what: 'draft-pieces',
          key,
          item,
          frame: first + simulation.done - 1,
          of: frames,
          pieces,
          moving,
          energy,
          fastest,
          missed,
          milliseconds: performance.now() - begun,
        })
      }
      this.#going.delete(item)
      this.say({ what: 'draft-done', key, item })
    } finally {
      simulation.close()
    }
  }
}
