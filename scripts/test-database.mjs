// Vitest's global set-up: one PostgreSQL server of the tests' own on loopback; every test file makes a database in it.
import { mkdirSync, openSync } from 'node:fs'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { startPostgres } from './postgres.mjs'
import { freePort } from './free-port.mjs'

export default async function setup(project) {
  const folder = fileURLToPath(new URL('../.test/', import.meta.url))
  mkdirSync(folder, { recursive: true })
  const port = await freePort()
  const database = await startPostgres(join(folder, 'database'), port, openSync(join(folder, 'database.log'), 'a'))
  project.provide('databasePort', port)
  return () =>
    new Promise((done) => {
      database.on('exit', done)
      database.stdin.end()
    })
}
