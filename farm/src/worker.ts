import { EventEmitter } from 'node:events'
import { hostname } from 'node:os'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { Worker } from 'node:worker_threads'
import { findShotById, leave, migrate, nowIsBusy, openStore, tellDoing } from '@lantern/store'
import { Logger, run, type WorkerEvents } from 'graphile-worker'
import { pino } from 'pino'
import { nodeCrew } from './crew/nodeCrew.ts'
import type { JobContext } from './jobs/context.ts'
import { readSettings } from './settings.ts'
import { tasksOf } from './tasks.ts'

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
    // A machine that takes everything would wait for itself. A database that is away is met at the frame's end.
    ...(settings.takes === 'rest' ? { nowIsBusy: () => nowIsBusy(store, hostname()).catch(() => false) } : {}),
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
  const runner = await run({
    pgPool: store.pool,
    concurrency: 1,
    noHandleSignals: true,
    pollInterval: 500,
    events,
    logger: new Logger(() => (level, message) => (level === 'error' ? log.error(message) : log.trace(message))),
    taskList: tasksOf(settings.takes, contextFor, doing),
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
