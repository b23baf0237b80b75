import { type ChildProcess, execFileSync, spawn } from 'node:child_process'
import { once } from 'node:events'
import { chmodSync, chownSync, mkdirSync, mkdtempSync, openSync, rmSync, statSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import pg from 'pg'
import { afterAll, expect, it } from 'vitest'
import { databaseUrl, migrate, openStore } from '../store/src/open.ts'
import { createAsset, getAsset } from '../store/src/queries/assets.ts'
import { queueJob } from '../store/src/queue.ts'
import { freePort } from './free-port.mjs'
import { asOwner, postgresPrograms, startPostgres } from './postgres.mjs'

// Who the project's own database lets in, in a new folder and in one from before there were passwords.
const made: string[] = []
const folderOf = (): string => {
  const data = mkdtempSync(join(tmpdir(), 'lantern-roles-'))
  made.push(data)
  return data
}
afterAll(() => {
  for (const data of made) rmSync(data, { recursive: true, force: true })
})
const start = (data: string, port: number): Promise<ChildProcess> =>
  startPostgres(join(data, 'database'), port, openSync(join(data, 'log'), 'a'))
async function end(server: ChildProcess): Promise<void> {
  server.stdin?.end()
  await once(server, 'exit')
}
const refused = (url: string): Promise<string> => {
  const client = new pg.Client({ connectionString: url })
  return client.connect().then(
    () => client.end().then(() => 'let in'),
    (error: unknown) => String(error),
  )
}

/** A folder as it was made before: whoever comes is let in, and the application is a superuser. */
async function oldFolder(data: string, port: number): Promise<void> {
  const [programs, folder] = [postgresPrograms() ?? '', join(data, 'database')]
  mkdirSync(folder)
  if (process.getuid?.() === 0) {
    chmodSync(data, 0o711)
    chownSync(folder, Number(execFileSync('id', ['-u', 'postgres'])), Number(execFileSync('id', ['-g', 'postgres'])))
  }
  const [initdb, made] = asOwner(join(programs, 'initdb'), ['-D', folder, '-U', 'lantern', '--auth=trust', '--no-sync'])
  execFileSync(initdb, made, { stdio: 'ignore' })
  const [postgres, args] = asOwner(join(programs, 'postgres'), [
    ...['-D', folder, '-p', String(port), '-c', 'listen_addresses=127.0.0.1', '-c', 'unix_socket_directories='],
  ])
  const server = spawn(postgres, args, { stdio: 'ignore' })
  const url = `postgres://lantern@127.0.0.1:${port}/postgres`
  while ((await refused(url)) !== 'let in');
  const first = new pg.Client({ connectionString: url })
  await first.connect()
  await first.query('create database lantern')
  await first.end()
  const store = openStore(`postgres://lantern@127.0.0.1:${port}/lantern`, data)
  await migrate(store)
  await createAsset(store, 'from before.mp4')
  await queueJob(store, 'plate', { asset: 'x', path: '/x', kind: 'movie' })
  await store.close()
  server.kill('SIGINT')
  await once(server, 'exit')
}

it('asks for a password from the first start on, and is used by a role that can do nothing to the system', async () => {
  const [data, port] = [folderOf(), await freePort()]
  const server = await start(data, port)
  expect(statSync(join(data, 'database.passwords')).mode & 0o777).toBe(0o600)
  for (const role of ['lantern', 'lantern_owner', 'postgres'])
    expect(await refused(`postgres://${role}@127.0.0.1:${port}/lantern`)).toMatch(/password|SASL/)
  const store = openStore(databaseUrl(data, port), data)
  await migrate(store)
  const { rows } = await store.pool.query('select rolsuper, rolcreaterole from pg_roles where rolname = current_user')
  expect(rows).toEqual([{ rolsuper: false, rolcreaterole: false }])
  await expect(store.pool.query("copy (select 1) to program 'id'")).rejects.toThrow(/permission denied|superuser/)
  await store.close()
  await end(server)
}, 60_000)

it('brings a folder that let everyone in to passwords, with all that is in it, once', async () => {
  const [data, port] = [folderOf(), await freePort()]
  await oldFolder(data, port)
  for (let n = 0; n < 2; n++) {
    const server = await start(data, port)
    expect(await refused(`postgres://lantern@127.0.0.1:${port}/lantern`)).toMatch(/password|SASL/)
    const store = openStore(databaseUrl(data, port), data)
    await migrate(store)
    const { rows } = await store.pool.query<{ id: string }>('select id from asset order by created')
    expect((await getAsset(store, rows[0]?.id ?? '')).file).toBe('from before.mp4')
    await createAsset(store, `after ${n}.mp4`)
    await queueJob(store, 'plate', { asset: `y${n}`, path: '/y', kind: 'movie' })
    // What a later migration may do.
    await store.pool.query('alter table asset add column if not exists later integer')
    await store.close()
    await end(server)
  }
}, 90_000)
