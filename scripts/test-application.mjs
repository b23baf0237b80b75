// Vitest's global set-up of the browser tests: the whole application under its supervisor, on free ports, over an empty data folder.
import { spawn } from 'node:child_process'
import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { freePort } from './free-port.mjs'

const top = fileURLToPath(new URL('..', import.meta.url))
export default async function setup(project) {
  const data = mkdtempSync(join(tmpdir(), 'lantern-e2e-'))
  const [port, databasePort] = [await freePort(), await freePort()]
  const environment = {
    LANTERN_DATA: data,
    LANTERN_PORT: String(port),
    LANTERN_DATABASE_PORT: String(databasePort),
    LANTERN_DEMO: 'no',
    LANTERN_LOG: 'warn',
    // The unit tests run beside it.
    LANTERN_THREADS: '1',
  }
  const child = spawn(process.execPath, ['scripts/start.mjs'], {
    cwd: top,
    env: { ...process.env, ...environment },
    stdio: ['ignore', 'pipe', 'inherit'],
  })
  await new Promise((resolve, reject) => {
    child.stdout.on('data', (part) => String(part).includes('Coal Lantern is at') && resolve())
    child.on('exit', (code) => reject(new Error(`the application ended with ${code} as it started`)))
  })
  project.provide('application', { address: `http://127.0.0.1:${port}`, data, environment, supervisor: child.pid })
  return () =>
    new Promise((done) => {
      child.removeAllListeners('exit')
      child.on('exit', () => {
        rmSync(data, { recursive: true, force: true })
        done()
      })
      child.kill('SIGTERM')
    })
}
