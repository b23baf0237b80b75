// A PostgreSQL server of the project's own, on loopback: finds Debian's binaries, makes the cluster, starts it, waits until it answers.
import { execFileSync, spawn } from 'node:child_process'
import { createHash } from 'node:crypto'
import {
  chmodSync,
  chownSync,
  existsSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  statSync,
  writeFileSync,
} from 'node:fs'
import { connect } from 'node:net'
import { tmpdir } from 'node:os'
import { dirname, join, resolve as resolvePath } from 'node:path'
import { fileURLToPath } from 'node:url'
import { ACCESS, ask, makePasswords, makeRoles, OWNER, readPasswords, upgradeRoles } from './database-roles.mjs'

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

export const asOwner = (program, args) =>
  process.getuid?.() === 0
    ? ['setpriv', ['--reuid=postgres', '--regid=postgres', '--init-groups', program, ...args]]
    : [program, args]

/** Whether the server's own user can walk down to a folder; looked at as that user, since we may be allowed more. */
function isReachable(folder) {
  try {
    const [program, args] = asOwner('test', ['-x', folder])
    execFileSync(program, args, { stdio: 'ignore' })
    return true
  } catch {
    return false
  }
}

/** Where the server's files lie: in their folder, or, where the server's own user cannot come there, beside that user's other files. */
function placeOf(folder) {
  if (process.getuid?.() !== 0) return folder
  const data = dirname(folder)
  mkdirSync(data, { recursive: true })
  if (isReachable(data)) return folder
  // Our own folder is opened as far as passing through; those above it are left as they are.
  if (isReachable(dirname(data))) {
    chmodSync(data, statSync(data).mode | 0o001)
    return folder
  }
  const name = createHash('sha256').update(resolvePath(folder)).digest('hex').slice(0, 12)
  return join('/var/lib/postgresql', `coal-lantern-${name}`)
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

/** How many clients the database of a folder serves besides the one that asks. */
export function clientsOf(port, folder) {
  const passwords = readPasswords(folder)
  const command = "select count(*) from pg_stat_activity where datname = 'lantern'"
  return Number(ask(port, OWNER, passwords?.[OWNER], 'postgres', command))
}

/** Makes the server's own user the owner of a path. */
function giveToServer(path) {
  if (process.getuid?.() !== 0) return
  const [uid, gid] = ['-u', '-g'].map((which) => Number(execFileSync('id', [which, 'postgres']).toString()))
  chownSync(path, uid, gid)
}

/** Makes the server's files, with a password for its owner, who is the only one to come in. */
function makeCluster(programs, place, password) {
  const folder = mkdtempSync(join(tmpdir(), 'lantern-first-'))
  const file = join(folder, 'password')
  try {
    writeFileSync(file, `${password}\n`, { mode: 0o600 })
    giveToServer(file)
    giveToServer(folder)
    const [program, args] = asOwner(join(programs, 'initdb'), [
      ...[
        '-D',
        place,
        '-U',
        OWNER,
        '--auth=scram-sha-256',
        `--pwfile=${file}`,
        '-E',
        'UTF8',
        '--locale=C',
        '--no-sync',
      ],
    ])
    execFileSync(program, args, { stdio: ['ignore', 'ignore', 'inherit'] })
    writeFileSync(join(place, 'pg_hba.conf'), ACCESS)
  } finally {
    rmSync(folder, { recursive: true, force: true })
  }
}

/**
 * Starts the server over `folder` at `port`; returns the child that keeps it. Throws with a plain message.
 */
export async function startPostgres(folder, port, log) {
  const programs = postgresPrograms()
  if (!programs) throw new Error('PostgreSQL is not installed; run apt-get install postgresql')
  const place = placeOf(folder)
  mkdirSync(place, { recursive: true })
  giveToServer(place)
  chmodSync(place, 0o700)
  if (await answers(port))
    throw new Error(`Port ${port} is in use by another program; set LANTERN_DATABASE_PORT to a free one.`)
  const passwords = makePasswords(folder)
  if (!existsSync(join(place, 'PG_VERSION'))) makeCluster(programs, place, passwords[OWNER])
  clearStaleLock(place)
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
  const [program, args] = asOwner(join(programs, 'postgres'), ['-D', place, ...settings])
  // In a group of its own: a signal to ours (Ctrl-C) leaves it up until all that writes to it has ended.
  const child = spawn(process.execPath, [join(here, 'keeper.mjs'), 'SIGINT', program, ...args], {
    stdio: ['pipe', log, log],
    detached: true,
  })
  for (let tries = 0; tries < 150; tries++) {
    if (child.exitCode !== null) throw new Error('The database ended as it started; its log says why.')
    if (await answers(port)) break
    await new Promise((resolve) => setTimeout(resolve, 100))
  }
  const access = join(place, 'pg_hba.conf')
  const letsAnyoneIn = readFileSync(access, 'utf8') !== ACCESS
  for (let tries = 0; ; tries++) {
    try {
      if (letsAnyoneIn) upgradeRoles(port, passwords)
      else makeRoles(port, passwords)
      break
    } catch (error) {
      if (tries > 50) throw new Error(`The database could not be set up: ${error.stderr ?? error.message}`)
      await new Promise((resolve) => setTimeout(resolve, 100))
    }
  }
  if (letsAnyoneIn) {
    writeFileSync(access, ACCESS)
    ask(port, OWNER, passwords[OWNER], 'postgres', 'select pg_reload_conf()')
    console.log('database: it has passwords now')
  }
  return child
}
