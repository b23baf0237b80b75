// A PostgreSQL server of the project's own, on loopback: finds Debian's binaries, makes the cluster, starts it, waits until it answers.
import { execFileSync, spawn } from 'node:child_process'
import { chmodSync, chownSync, existsSync, mkdirSync, readdirSync, readFileSync, rmSync } from 'node:fs'
import { connect } from 'node:net'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'

const here = dirname(fileURLToPath(import.meta.url))

/** Folder of the newest installed server's programs, or undefined. */
export function postgresPrograms() {
  const top = '/usr/lib/postgresql'
  if (!existsSync(top)) return undefined
  const newest = readdirSync(top)
    .map(Number)
    .filter((n) => existsSync(join(top, String(n), 'bin/postgres')))
    .sort((a, b) => b - a)[0]
  return newest ? join(top, String(newest), 'bin') : undefined
}

export const answers = (port) =>
  new Promise((resolve) => {
    const socket = connect({ host: '127.0.0.1', port }, () => (socket.destroy(), resolve(true)))
    socket.on('error', () => resolve(false))
  })

const asOwner = (program, args) =>
  process.getuid?.() === 0
    ? ['setpriv', ['--reuid=postgres', '--regid=postgres', '--init-groups', program, ...args]]
    : [program, args]

/** Lets the server's own user walk down to the folder. */
function openPath(folder) {
  for (let at = dirname(folder); at !== '/' && at !== dirname(at); at = dirname(at)) {
    try {
      execFileSync('chmod', ['o+x', at], { stdio: 'ignore' })
    } catch {
      return
    }
  }
}

/** A lock left by a server that is gone (or whose number another program has now) is taken away. */
function clearStaleLock(folder) {
  const lock = join(folder, 'postmaster.pid')
  if (!existsSync(lock)) return
  const pid = Number(readFileSync(lock, 'utf8').split('\n')[0])
  let command = ''
  try {
    command = readFileSync(`/proc/${pid}/cmdline`, 'utf8')
  } catch {}
  if (!command.includes('postgres')) {
    rmSync(lock, { force: true })
    console.log('database: took away a lock left by a crash')
  }
}

const asked = (port, database, command) =>
  execFileSync('psql', ['-h', '127.0.0.1', '-p', String(port), '-U', 'lantern', '-d', database, '-tAc', command], {
    stdio: ['ignore', 'pipe', 'pipe'],
  })
    .toString()
    .trim()

/** How many clients the database serves besides the one that asks. */
export const clientsOf = (port) =>
  Number(asked(port, 'postgres', "select count(*) from pg_stat_activity where datname = 'lantern'"))

/**
 * Starts the server over `folder` at `port`; returns the child that keeps it. Throws with a plain message.
 */
export async function startPostgres(folder, port, log) {
  const programs = postgresPrograms()
  if (!programs) throw new Error('PostgreSQL is not installed; run apt-get install postgresql')
  const root = process.getuid?.() === 0
  mkdirSync(folder, { recursive: true })
  if (root) {
    const uid = Number(execFileSync('id', ['-u', 'postgres']).toString())
    const gid = Number(execFileSync('id', ['-g', 'postgres']).toString())
    chownSync(folder, uid, gid)
    openPath(folder)
  }
  chmodSync(folder, 0o700)
  if (!existsSync(join(folder, 'PG_VERSION'))) {
    const [program, args] = asOwner(join(programs, 'initdb'), [
      '-D',
      folder,
      '-U',
      'lantern',
      '--auth=trust',
      '-E',
      'UTF8',
      '--locale=C',
      '--no-sync',
    ])
    execFileSync(program, args, { stdio: ['ignore', 'ignore', 'inherit'] })
  }
  clearStaleLock(folder)
  if (await answers(port))
    throw new Error(`Port ${port} is in use by another program; set LANTERN_DATABASE_PORT to a free one.`)
  const settings = [
    '-p',
    String(port),
    '-c',
    'listen_addresses=127.0.0.1',
    '-c',
    'unix_socket_directories=',
    '-c',
    'max_connections=60',
    '-c',
    'shared_buffers=64MB',
    '-c',
    'log_min_messages=warning',
    '-c',
    'timezone=UTC',
  ]
  const [program, args] = asOwner(join(programs, 'postgres'), ['-D', folder, ...settings])
  const child = spawn(process.execPath, [join(here, 'keeper.mjs'), 'SIGINT', program, ...args], {
    stdio: ['pipe', log, log],
  })
  for (let tries = 0; tries < 150; tries++) {
    if (child.exitCode !== null) throw new Error('The database ended as it started; its log says why.')
    if (await answers(port)) break
    await new Promise((resolve) => setTimeout(resolve, 100))
  }
  for (let tries = 0; ; tries++) {
    try {
      if (asked(port, 'postgres', "select 1 from pg_database where datname = 'lantern'") !== '1')
        asked(port, 'postgres', 'create database lantern')
      return child
    } catch (error) {
      if (tries > 50) throw error
      await new Promise((resolve) => setTimeout(resolve, 100))
    }
  }
}
