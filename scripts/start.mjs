// The supervisor: database, migration and demo, studio, and the farm's processes: for plates, for what a person waits for, for the rest. What falls down is put up again; whatever way the supervisor ends, its children
// end too: they watch their standard input.
import { spawn } from 'node:child_process'
import { mkdirSync, openSync, readFileSync } from 'node:fs'
import { dirname, join, resolve } from 'node:path'
import { fileURLToPath } from 'node:url'
import { answers, startPostgres } from './postgres.mjs'

const top = dirname(dirname(fileURLToPath(import.meta.url)))
const port = Number(process.env.LANTERN_PORT ?? 4100)
const databasePort = Number(process.env.LANTERN_DATABASE_PORT ?? 54329)
const data = resolve(process.env.LANTERN_DATA ?? join(top, '.data'))
const env = {
  ...process.env,
  LANTERN_DATA: data,
  LANTERN_DATABASE_PORT: String(databasePort),
  NEXT_TELEMETRY_DISABLED: '1',
}
const PARENT_LOOK_MS = 300
const RESTART_MS = 1000
/** Falls within this time of one another before the supervisor gives up. */
const MOST_FALLS = 10
const FALLS_WITHIN_MS = 60_000
const farm = new Set()
const studio = new Set()
let database
let ending = false

const wait = (ms) => new Promise((wake) => setTimeout(wake, ms))
const stop = (child) =>
  new Promise((done) => {
    if (!child || child.exitCode !== null || child.signalCode) return done()
    child.on('exit', done)
    child.stdin.end()
  })

async function end(code) {
  if (ending) return
  ending = true
  // The farm first, which puts its work down; then the studio; the database last, so that nothing in hand is lost.
  await Promise.all([...farm].map(stop))
  await Promise.all([...studio].map(stop))
  await stop(database)
  process.exit(code)
}

/** Starts something and again whenever it falls down; `start` returns its child. */
function keepUp(name, start, set) {
  const falls = []
  const up = async () => {
    if (ending) return
    let child
    try {
      child = await start()
      set(child)
    } catch (error) {
      console.error(`${name}: ${error.message}`)
    }
    const again = async () => {
      set(undefined, child)
      if (ending) return
      falls.push(Date.now())
      if (falls.filter((at) => at > Date.now() - FALLS_WITHIN_MS).length > MOST_FALLS) {
        console.error(`${name} keeps falling down; stopping.`)
        return end(1)
      }
      console.error(`${name} fell down; starting it again.`)
      await wait(RESTART_MS)
      await up()
    }
    if (child) child.on('exit', () => void again())
    else await again()
  }
  return up()
}
const keepIn = (group, name, signal, args, cwd, more = {}) =>
  keepUp(
    name,
    () =>
      spawn(process.execPath, [join(top, 'scripts/keeper.mjs'), signal, process.execPath, ...args], {
        stdio: ['pipe', 'inherit', 'inherit'],
        env: { ...env, ...more },
        detached: true,
        cwd,
      }),
    (child, gone) => (child ? group.add(child) : group.delete(gone)),
  )
const once = (args) =>
  new Promise((done, failed) =>
    spawn(process.execPath, args, { stdio: 'inherit', env, cwd: top }).on('exit', (code) =>
      code === 0 ? done() : failed(new Error(`${args.join(' ')} ended with ${code}`)),
    ),
  )

for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP']) process.on(signal, () => void end(0))

/** Parent and name of a process, or nothing where it is gone. */
const look = (pid) => {
  try {
    const stat = readFileSync(`/proc/${pid}/stat`, 'utf8')
    return {
      name: stat.slice(stat.indexOf('(') + 1, stat.lastIndexOf(')')),
      parent: stat.slice(stat.lastIndexOf(')') + 2).split(' ')[1],
    }
  } catch {
    return undefined
  }
}
// npm may run us through a shell of its own: then that shell's parent is watched too.
const parent = process.ppid
const shell = look(parent)
const orphaned = () =>
  process.ppid !== parent || (/^(sh|dash|bash)$/.test(shell?.name ?? '') && look(parent)?.parent !== shell?.parent)
if (process.env.LANTERN_WATCH_PARENT) setInterval(() => orphaned() && void end(0), PARENT_LOOK_MS).unref()

try {
  if (!/^(127\.0\.0\.1|localhost|::1)?$/.test(process.env.LANTERN_LISTEN ?? ''))
    throw new Error('LANTERN_LISTEN: without a sign-in the studio listens on this machine alone; leave it out.')
  if (await answers(port)) throw new Error(`Port ${port} is in use by another program; set LANTERN_PORT to a free one.`)
  mkdirSync(data, { recursive: true })
  if (!process.env.LANTERN_DATABASE_URL) {
    const startDatabase = () =>
      startPostgres(join(data, 'database'), databasePort, openSync(join(data, 'database.log'), 'a'))
    let first = await startDatabase()
    const set = (child) => {
      database = child
    }
    await keepUp(
      'The database',
      () => {
        const child = first ?? startDatabase()
        first = undefined
        return child
      },
      set,
    )
  }
  if (process.env.LANTERN_DEMO !== 'no') await once(['scripts/run-ts.mjs', 'scripts/seed.ts'])
  await keepIn(studio, 'The studio', 'SIGTERM', [join(top, 'scripts/serve.mjs'), String(port)], join(top, 'studio'))
  await keepIn(farm, 'The farm machine', 'SIGTERM', [join(top, 'farm/dist/worker.mjs')], top, { LANTERN_TAKES: 'rest' })
  await keepIn(farm, 'The farm machine for plates', 'SIGTERM', [join(top, 'farm/dist/worker.mjs')], top, {
    LANTERN_TAKES: 'plates',
    LANTERN_THREADS: '1',
  })
  await keepIn(farm, 'The farm machine for what is waited for', 'SIGTERM', [join(top, 'farm/dist/worker.mjs')], top, {
    LANTERN_TAKES: 'now',
  })
  for (let tries = 0; tries < 300 && !(await answers(port)); tries++) await wait(100)
  console.log(`Coal Lantern is at http://127.0.0.1:${port}`)
} catch (error) {
  console.error(error.message)
  await end(1)
}
