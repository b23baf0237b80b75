import type { Crew, Progress } from '@lantern/core/base'
import type { Store } from '@lantern/store'
import type { Logger } from 'pino'

/** What a job works with. */
export interface JobContext {
  store: Store
  crew: Crew
  /** This machine's id, as in the table of machines. */
  machine: string
  log: Logger
  /** Set when the process should end: jobs put their work down at the next step. */
  ending(): boolean
  /** Told between steps; for the command line's own progress. */
  progress?: Progress
}

/** Long jobs put themselves down after this many seconds and queue their successor. */
export const JOB_SECONDS = 100
