import { setTimeout as sleep } from 'node:timers/promises'
import type { JobContext } from '../jobs/context.ts'

/** Seconds between two looks whether somebody waits, and between two looks whether that is over. */
export const LOOKS = { every: 1, meanwhile: 0.2 } as const

/** What giving way is asked and told. */
export interface GiveWayParts {
  /** Whether somebody waits for this machine. */
  busy(): Promise<boolean>
  /** Whether the work is to be stopped: then it goes on at once, to stop in order. */
  mustStop(): Promise<boolean>
  /** s. */
  clock(): number
  rest?(seconds: number): Promise<unknown>
}

/** Long work that lets what a person waits for have the machine: it looks every second, and rests with its state in memory while there is some. */
export class GiveWay {
  readonly #parts: GiveWayParts
  #looked: number

  constructor(parts: GiveWayParts) {
    this.#parts = parts
    this.#looked = parts.clock()
  }

  /** Whether it is time to look: cheap enough for every step. */
  get due(): boolean {
    return this.#parts.clock() - this.#looked >= LOOKS.every
  }

  /** Rests while somebody waits. Returns the seconds that it rested. */
  async rest(): Promise<number> {
    const { busy, mustStop, clock, rest = (seconds) => sleep(1000 * seconds) } = this.#parts
    const begun = clock()
    let rested = false
    while ((await busy()) && !(await mustStop())) {
      rested = true
      await rest(LOOKS.meanwhile)
    }
    this.#looked = clock()
    return rested ? this.#looked - begun : 0
  }
}

/** For a job's work; undefined on a machine that gives way to nobody. */
export const giveWayOf = ({ nowIsBusy }: JobContext, mustStop: () => Promise<boolean>): GiveWay | undefined =>
  nowIsBusy && new GiveWay({ busy: nowIsBusy, mustStop, clock: () => performance.now() / 1000 })
