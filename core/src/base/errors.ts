/** Where something is wrong: a file, a frame, a field of the document. */
export interface Place {
  file?: string
  frame?: number
  field?: string
}

/**
 * A fault that a person can mend. `code` is stable, `message` says what happened, `remedy` what to do, `place` to what.
 * Everything shown to an artist is one of these; any other error is a defect of ours.
 */
export class LanternError extends Error {
  readonly code: string
  readonly remedy: string
  readonly place: Place

  constructor(code: string, message: string, remedy: string, place: Place = {}) {
    super(message)
    this.name = 'LanternError'
    this.code = code
    this.remedy = remedy
    this.place = place
  }

  /** The form that crosses a border: a route, a job's row, a worker's message. */
  toJSON(): { code: string; message: string; remedy: string; place: Place } {
    return { code: this.code, message: this.message, remedy: this.remedy, place: this.place }
  }
}

/** Thrown out of long work when its owner asked it to stop. */
export class Cancelled extends Error {
  constructor() {
    super('Stopped')
    this.name = 'Cancelled'
  }
}

/** What long work reports to and asks of its owner, between kernel calls. */
export interface Progress {
  /** Share done, 0 to 1, and what is being done. */
  report(share: number, what: string): void
  /** True when the work should stop; the work then throws Cancelled. */
  cancelled(): boolean
}

export const silent: Progress = { report: () => undefined, cancelled: () => false }

export function stopIfCancelled(progress: Progress): void {
  if (progress.cancelled()) throw new Cancelled()
}
