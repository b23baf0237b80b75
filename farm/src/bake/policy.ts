/** Times that decide when a run saves its state, gives way and looks whether to stop, in seconds. */
export interface PolicyTimes {
  /** Between two saved states; longer where saving takes more than `saveShare` of the time. */
  saveEvery: number
  saveShare: number
  /** After a frame that took so long, the next one is looked at within, every `lookEvery`. */
  longFrame: number
  lookEvery: number
  /** How long it works at once while others wait, unless it would be done within `finish` more. */
  turn: number
  finish: number
}

/** What a run is asked at the end of a frame. */
export interface FrameEnd {
  /** Frames that are still to come. */
  remaining: number
  stopAsked: boolean
  /** Whether the machine leaves. */
  ending: boolean
  /** Whether others take turns with it; a command on its own doesn't. */
  takesTurns: boolean
}

export interface Decision {
  save: boolean
  next: 'go on' | 'stop' | 'next turn'
}

/** So many frames tell how long the rest takes. */
const LATELY = 8

/** When a run saves, gives way to others and stops. Knows nothing of what is computed; the clock is handed in, in seconds. */
export class RunPolicy {
  readonly #times: PolicyTimes
  readonly #now: () => number
  #started: number
  #savedAt: number
  #pause: number
  #frameBegan: number
  #lately: number[] = []

  constructor(times: PolicyTimes, now: () => number) {
    this.#times = times
    this.#now = now
    this.#started = now()
    this.#savedAt = this.#started
    this.#frameBegan = this.#started
    this.#pause = times.saveEvery
  }

  /** Begins a frame. Returns how often it is to be looked whether to stop within it: Infinity where frames are short. */
  beginFrame(): number {
    this.#frameBegan = this.#now()
    return (this.#lately.at(-1) ?? Infinity) >= this.#times.longFrame ? this.#times.lookEvery : Infinity
  }

  /** Ends the frame that was begun last, and says what to do now. */
  endFrame({ remaining, stopAsked, ending, takesTurns }: FrameEnd): Decision {
    const now = this.#now()
    this.#lately = [...this.#lately.slice(1 - LATELY), now - this.#frameBegan]
    const rest = (remaining * this.#lately.reduce((sum, one) => sum + one, 0)) / this.#lately.length
    const over = takesTurns && now - this.#started > this.#times.turn && rest > this.#times.finish
    const stop = stopAsked || ending
    return {
      save: stop || over || remaining === 0 || now - this.#savedAt > this.#pause,
      next: stop ? 'stop' : over && remaining > 0 ? 'next turn' : 'go on',
    }
  }

  /** Tells that it rested for so many seconds, which are nobody's. */
  rested(seconds: number): void {
    this.#frameBegan += seconds
    this.#started += seconds
    this.#savedAt += seconds
  }

  /** Tells that a state was saved, which took so many seconds. */
  saved(seconds: number): void {
    this.#savedAt = this.#now()
    this.#pause = Math.max(this.#times.saveEvery, seconds / this.#times.saveShare)
  }
}
