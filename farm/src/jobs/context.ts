import { type Crew, LanternError, type Progress } from '@lantern/core/base'
import { FINISH_SECONDS, TURN_SECONDS } from '@lantern/core/pipeline'
import { diskError, isDatabaseAway, type Store } from '@lantern/store'
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
  /** Whether what a person waits for wants this machine's cores now: long work lets it have them between two steps. */
  nowIsBusy?(): Promise<boolean>
  /** Told between steps; for the command line's own progress. */
  progress?: Progress
}

/** What a job that broke tells its result: a fault of ours becomes one that says so. While the database is away nothing can be told; then the error goes on up, and the queue tries again. */
export function failureOf(thrown: unknown, log: Logger): LanternError {
  const error = diskError(thrown)
  if (error instanceof LanternError) return error
  if (isDatabaseAway(error)) throw error
  log.error({ error: error instanceof Error ? (error.stack ?? error.message) : String(error) }, 'job broke')
  return new LanternError(
    'fault',
    `The farm met a fault of its own: ${error instanceof Error ? error.message : String(error)}.`,
    'Ask again; if it stays, the farm’s log says where.',
  )
}

/** Long jobs put themselves down after so many seconds and queue their successor, unless they would be done within a few more. */
export const TURN = { seconds: TURN_SECONDS, finish: FINISH_SECONDS } as const
