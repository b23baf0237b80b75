import { type JobName, type JobPayload, jobSchemas, NOW } from '@lantern/store'
import type { TaskList } from 'graphile-worker'
import { bakeJob } from './bake/bakeJob.ts'
import { estimateJob } from './bake/estimateJob.ts'
import { checkJob } from './jobs/check.ts'
import type { JobContext } from './jobs/context.ts'
import { handOffJob } from './jobs/handOffJob.ts'
import { manualTrackJob, matchJob, movingObjectJob } from './jobs/match.ts'
import { pictureJob } from './jobs/picture.ts'
import { plateJob } from './jobs/plate.ts'
import { readingJob, reportJob } from './jobs/readings.ts'
import { strokeJob } from './jobs/stroke.ts'

/** A kind of job: what people are told it is, and what does it. */
interface Task<N extends JobName> {
  called(payload: JobPayload<N>): string
  work(context: JobContext, payload: JobPayload<N>): Promise<unknown>
}

const TASKS: { readonly [N in JobName]: Task<N> } = {
  plate: { called: () => 'reading a plate', work: plateJob },
  bake: { called: ({ output }) => output, work: bakeJob },
  estimate: { called: () => 'how long a run will take', work: estimateJob },
  picture: { called: ({ quality }) => (quality === 'look' ? 'first look' : 'final'), work: pictureJob },
  shown: { called: () => 'the shown frame', work: (context, payload) => pictureJob(context, payload, 'shown') },
  match: { called: ({ solve }) => (solve ? 'camera' : 'tracks'), work: matchJob },
  thing: { called: () => 'a thing that moves', work: movingObjectJob },
  reading: { called: () => 'a reading', work: readingJob },
  report: { called: () => 'the plate’s report', work: reportJob },
  hand: { called: () => 'a track', work: manualTrackJob },
  stroke: { called: () => 'a stroked frame', work: strokeJob },
  handOff: { called: () => 'hand-off', work: handOffJob },
  check: { called: () => 'the sit check', work: checkJob },
}

/** Which jobs a machine takes. A plate is read beside a match that computes for a minute. */
export type Takes = 'all' | 'plates' | 'now' | 'rest'
type Doing = (what: string, shot: number | undefined, work: () => Promise<unknown>) => Promise<void>

/** One job of a kind: its payload is checked again, and whoever watches is told what it is. */
function taskOf<N extends JobName>(name: N, contextFor: (id: string) => JobContext, doing: Doing): TaskList[string] {
  const { called, work }: Task<N> = TASKS[name]
  return (payload, { job }) => {
    const wanted = jobSchemas[name].parse(payload) as JobPayload<N>
    const shot = 'shot' in wanted && typeof wanted.shot === 'number' ? wanted.shot : undefined
    return doing(called(wanted), shot, () => work(contextFor(job.id), wanted))
  }
}

/** The jobs that a machine takes. */
export function tasksOf(takes: Takes, contextFor: (id: string) => JobContext, doing: Doing): TaskList {
  const takenBy = (name: JobName): Takes => (name === 'plate' ? 'plates' : NOW.includes(name) ? 'now' : 'rest')
  const names = (Object.keys(TASKS) as JobName[]).filter((name) => takes === 'all' || takes === takenBy(name))
  return Object.fromEntries(names.map((name) => [name, taskOf(name, contextFor, doing)]))
}
