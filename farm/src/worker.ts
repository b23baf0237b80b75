import { EventEmitter } from 'node:events'
import { hostname } from 'node:os'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { Worker } from 'node:worker_threads'
import { findShotById, jobSchemas, leave, migrate, openStore, tellDoing } from '@lantern/store'
import { Logger, run, type TaskList, type WorkerEvents } from 'graphile-worker'
import { pino } from 'pino'
import { bakeJob } from './bake/bakeJob.ts'
import { estimateJob } from './bake/estimateJob.ts'
import { nodeCrew } from './crew/nodeCrew.ts'
import type { JobContext } from './jobs/context.ts'
import { handOffJob } from './jobs/handOffJob.ts'
import { manualTrackJob, matchJob, movingObjectJob } from './jobs/match.ts'
import { pictureJob } from './jobs/picture.ts'
import { plateJob } from './jobs/plate.ts'
import { readingJob, reportJob } from './jobs/readings.ts'
import { readSettings } from './settings.ts'

// One farm machine: takes jobs one at a time and computes them with all its threads. Ends on SIGTERM, SIGINT, or when its standard input closes.
const settings = readSettings()
const log = pino({ level: settings.log, base: { part: 'farm' } })
const store = openStore(settings.databaseUrl, settings.data)
let ending = false

async function main(): Promise<void> {
  await migrate(store)
  const crew = nodeCrew(settings.threads)
  const events: WorkerEvents = new EventEmitter()
  let machine = ''
  let pulse: Worker | undefined
  const contextFor = (id: string): JobContext => ({
    store,
    crew,
    machine,
    log: log.child({ job: id }),
    ending: () => ending,
  })
  const doing = async (what: string, shot: number | undefined, work: () => Promise<unknown>): Promise<void> => {
    const name = shot === undefined ? undefined : (await findShotById(store, shot))?.name
    await tellDoing(store, machine, name ? `${name}, ${what}` : what)
    try {
      await work()
    } finally {
      await tellDoing(store, machine, null)
    }
  }
  events.on('pool:create', ({ workerPool }) => {
    // The queue locks jobs under the pool's id, so that is what the machine is called.
    machine = workerPool.id
    pulse = new Worker(join(dirname(fileURLToPath(import.meta.url)), 'heartbeat.mjs'), {
      workerData: {
        id: machine,
        host: hostname(),
        threads: settings.threads,
        url: settings.databaseUrl,
        data: settings.data,
        keepBytes: settings.keepBytes,
      },
    })
    pulse.unref()
  })
  // What a person waits for in front of the screen has a machine of its own where the start command says so, or it would wait for a night's run.
  const short: TaskList = {
    hand: (payload, { job }) => {
      const wanted = jobSchemas.hand.parse(payload)
      return doing('a track', wanted.shot, () => manualTrackJob(contextFor(job.id), wanted))
    },
    reading: (payload, { job }) => {
      const wanted = jobSchemas.reading.parse(payload)
      return doing('a reading', wanted.shot, () => readingJob(contextFor(job.id), wanted))
    },
    report: (payload, { job }) => {
      const wanted = jobSchemas.report.parse(payload)
      return doing('the plate’s report', wanted.shot, () => reportJob(contextFor(job.id), wanted))
    },
  }
  const long: TaskList = {
    plate: (payload, { job }) =>
      doing('reading a plate', undefined, () => plateJob(contextFor(job.id), jobSchemas.plate.parse(payload))),
    bake: (payload, { job }) => {
      const wanted = jobSchemas.bake.parse(payload)
      return doing(wanted.output, wanted.shot, () => bakeJob(contextFor(job.id), wanted))
    },
    estimate: (payload, { job }) => {
      const wanted = jobSchemas.estimate.parse(payload)
      return doing('how long a run will take', wanted.shot, () => estimateJob(contextFor(job.id), wanted))
    },
    handOff: (payload, { job }) => {
      const wanted = jobSchemas.handOff.parse(payload)
      return doing('hand-off', wanted.shot, () => handOffJob(contextFor(job.id), wanted))
    },
    thing: (payload, { job }) => {
      const wanted = jobSchemas.thing.parse(payload)
      return doing('a thing that moves', wanted.shot, () => movingObjectJob(contextFor(job.id), wanted))
    },
    match: (payload, { job }) => {
      const wanted = jobSchemas.match.parse(payload)
      return doing(wanted.solve ? 'camera' : 'tracks', wanted.shot, () => matchJob(contextFor(job.id), wanted))
    },
    picture: (payload, { job }) => {
      const wanted = jobSchemas.picture.parse(payload)
      return doing(wanted.quality === 'look' ? 'first look' : 'final', wanted.shot, () =>
        pictureJob(contextFor(job.id), wanted),
      )
    },
  }
  const runner = await run({
    pgPool: store.pool,
    concurrency: 1,
    noHandleSignals: true,
    pollInterval: 500,
    events,
    logger: new Logger(() => (level, message) => (level === 'error' ? log.error(message) : log.trace(message))),
    taskList: settings.takes === 'short' ? short : settings.takes === 'long' ? long : { ...long, ...short },
  })
  log.info({ machine, threads: settings.threads }, 'farm machine ready')
  const end = async (): Promise<void> => {
    if (ending) return
    ending = true
    await runner.stop().catch(() => undefined)
    if (machine) await leave(store, machine).catch(() => undefined)
    crew.end()
    await pulse?.terminate()
    await store.close().catch(() => undefined)
    process.exit(0)
  }
  process.on('SIGTERM', () => void end())
  process.on('SIGINT', () => void end())
  await runner.promise.catch((error: unknown) => log.error({ error: String(error) }, 'queue lost'))
  if (!ending) process.exit(1)
}

main().catch((error: unknown) => {
  log.fatal({ error: error instanceof Error ? error.message : String(error) }, 'farm machine can’t start')
  process.exit(1)
})
