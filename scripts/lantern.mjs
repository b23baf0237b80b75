#!/usr/bin/env node
// The command line: starts the database where none runs, then does what it is asked.
import { spawn } from 'node:child_process'
import { existsSync, mkdirSync, openSync } from 'node:fs'
import { dirname, join, resolve } from 'node:path'
import { fileURLToPath } from 'node:url'
import { answers, clientsOf, startPostgres } from './postgres.mjs'

const LOOK_MS = 300

const top = dirname(dirname(fileURLToPath(import.meta.url)))
const program = join(top, 'farm/dist/lantern.mjs')
if (!existsSync(program)) {
  console.error(
    'The command line is not built yet: run npm start once, or npm run build:kernels && npm run build:farm.',
  )
  process.exit(1)
}
const data = resolve(process.env.LANTERN_DATA ?? join(top, '.data'))
const port = Number(process.env.LANTERN_DATABASE_PORT ?? 54329)
let database
try {
  if (!process.env.LANTERN_DATABASE_URL && !(await answers(port))) {
    mkdirSync(data, { recursive: true })
    database = await startPostgres(join(data, 'database'), port, openSync(join(data, 'database.log'), 'a'))
  }
} catch (error) {
  console.error(error.message)
  process.exit(1)
}
const child = spawn(process.execPath, [program, ...process.argv.slice(2)], {
  stdio: 'inherit',
  env: { ...process.env, LANTERN_DATA: data, LANTERN_DATABASE_PORT: String(port) },
})
let done
for (const signal of ['SIGINT', 'SIGTERM'])
  process.on(signal, () => {
    if (done !== undefined) database?.stdin.end()
    else child.kill(signal)
  })
child.on('exit', async (code, signal) => {
  done = signal ? 1 : (code ?? 1)
  if (!database) process.exit(done)
  database.on('exit', () => process.exit(done))
  // Another command may have come to use the database meanwhile.
  while (clientsOf(port, join(data, 'database')) > 0) await new Promise((resolve) => setTimeout(resolve, LOOK_MS))
  database.stdin.end()
})
