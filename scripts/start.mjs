// The supervisor: database, migration and demo, studio, one farm machine. Whatever way it ends, its children end too: they watch their standard input.
import { spawn } from 'node:child_process'
import { mkdirSync, openSync } from 'node:fs'
import { dirname, join, resolve } from 'node:path'
import { fileURLToPath } from 'node:url'
import { answers, startPostgres } from './postgres.mjs'

const top = dirname(dirname(fileURLToPath(import.meta.url)))
const port = Number(process.env.LANTERN_PORT ?? 4100)
const databasePort = Number(process.env.LANTERN_DATABASE_PORT ?? 54329)
const data = resolve(process.env.LANTERN_DATA ?? join(top, '.data'))
const env = { ...process.env, LANTERN_DATA: data, LANTERN_DATABASE_PORT: String(databasePort), NEXT_TELEMETRY_DISABLED: '1' }
const children = []
let ending = false

const keep = (name, signal, command, args, options = {}) => {
  const child = spawn(process.execPath, [join(top, 'scripts/keeper.mjs'), signal, command, ...args], { stdio: ['pipe', 'inherit', 'inherit'], env, detached: true, ...options })
  child.on('exit', (code) => {
    if (ending) return
    console.error(`${name} ended (${code ?? 'killed'}); stopping.`)
    void end(1)
  })
  children.push(child)
  return child
}
const once = (command, args) => new Promise((done, failed) => spawn(command, args, { stdio: 'inherit', env, cwd: top }).on('exit', (code) => (code === 0 ? done() : failed(new Error(`${args.join(' ')} ended with ${code}`)))))
const stop = (child) => new Promise((done) => (child.exitCode !== null || child.signalCode ? done() : (child.on('exit', done), child.stdin.end())))

async function end(code) {
  if (ending) return
  ending = true
  // The farm and the studio first, the database last, so that nothing in hand is lost.
  const [database, ...rest] = children
  await Promise.all(rest.map(stop))
  if (database) await stop(database)
  process.exit(code)
}
for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP']) process.on(signal, () => void end(0))

try {
  if (await answers(port)) throw new Error(`Port ${port} is in use by another program; set LANTERN_PORT to a free one.`)
  mkdirSync(data, { recursive: true })
  if (!process.env.LANTERN_DATABASE_URL) {
    const database = await startPostgres(join(data, 'database'), databasePort, openSync(join(data, 'database.log'), 'a'))
    children.push(database)
    database.on('exit', (code) => ending || (console.error(`The database ended (${code}); stopping.`), void end(1)))
  } else children.push({ exitCode: 0, stdin: { end() {} } })
  if (process.env.LANTERN_DEMO !== 'no') await once(process.execPath, ['scripts/run-ts.mjs', 'scripts/seed.ts'])
  keep('The studio', 'SIGTERM', process.execPath, [join(top, 'node_modules/next/dist/bin/next'), 'start', '-H', '127.0.0.1', '-p', String(port)], { cwd: join(top, 'studio') })
  keep('The farm machine', 'SIGTERM', process.execPath, [join(top, 'farm/dist/worker.mjs')], { cwd: top })
  for (let tries = 0; tries < 300 && !(await answers(port)); tries++) await new Promise((wake) => setTimeout(wake, 100))
  console.log(`Coal Lantern is at http://127.0.0.1:${port}`)
} catch (error) {
  console.error(error.message)
  await end(1)
}
