// Who may use the project's own PostgreSQL server: an owner for setting up, and the application's role, which is no superuser. Both have passwords that only this system's user can read.
import { execFileSync } from 'node:child_process'
import { randomBytes } from 'node:crypto'
import { existsSync, readFileSync, renameSync, writeFileSync } from 'node:fs'
import { dirname, join } from 'node:path'

export const OWNER = 'lantern_owner'
const APPLICATION = 'lantern'
const UPGRADER = 'lantern_upgrader'

const passwordsPath = (folder) => join(dirname(folder), 'database.passwords')

/** The passwords of a server's folder, or nothing where none were made yet. */
export function readPasswords(folder) {
  const path = passwordsPath(folder)
  return existsSync(path) ? JSON.parse(readFileSync(path, 'utf8')) : undefined
}

/** Makes passwords where there are none; whole, or not at all. */
export function makePasswords(folder) {
  const known = readPasswords(folder)
  if (known) return known
  const word = () => randomBytes(24).toString('base64url')
  const made = { [OWNER]: word(), [APPLICATION]: word() }
  const path = passwordsPath(folder)
  writeFileSync(`${path}.part`, JSON.stringify(made), { mode: 0o600 })
  renameSync(`${path}.part`, path)
  return made
}

/** Asks the server something as one of its roles. */
export const ask = (port, role, password, database, command) =>
  execFileSync(
    'psql',
    ['-h', '127.0.0.1', '-p', String(port), '-U', role, '-d', database, '-qtA', '-v', 'ON_ERROR_STOP=1', '-f', '-'],
    {
      input: command,
      stdio: ['pipe', 'pipe', 'pipe'],
      env: { ...process.env, PGPASSWORD: password ?? '', PGCONNECT_TIMEOUT: '5' },
    },
  )
    .toString()
    .trim()

/** The application's role, with its password, and its database. Does nothing where they are there. */
export function makeRoles(port, passwords) {
  const asOwner = (command, database = 'postgres') => ask(port, OWNER, passwords[OWNER], database, command)
  if (asOwner(`select 1 from pg_roles where rolname = '${APPLICATION}'`) !== '1')
    asOwner(`create role ${APPLICATION} login nosuperuser nocreatedb nocreaterole password '${passwords[APPLICATION]}'`)
  if (asOwner(`select 1 from pg_database where datname = '${APPLICATION}'`) !== '1')
    asOwner(`create database ${APPLICATION} owner ${APPLICATION}`)
}

/** Who may come in: with a password, over loopback. */
export const ACCESS = 'host all all 127.0.0.1/32 scram-sha-256\n'

const OWN_EVERYTHING = `
do $$
declare one record;
begin
  for one in select nspname from pg_namespace where nspname = 'public' or nspname like 'graphile%' loop
    execute format('alter schema %I owner to ${APPLICATION}', one.nspname);
  end loop;
  for one in select n.nspname, c.relname, c.relkind from pg_class c join pg_namespace n on n.oid = c.relnamespace
    where (n.nspname = 'public' or n.nspname like 'graphile%') and c.relkind in ('r', 'p', 'v', 'm')
  loop
    execute format('alter table %I.%I owner to ${APPLICATION}', one.nspname, one.relname);
  end loop;
  for one in select n.nspname, c.relname from pg_class c join pg_namespace n on n.oid = c.relnamespace
    where (n.nspname = 'public' or n.nspname like 'graphile%') and c.relkind = 'S'
    and not exists (select 1 from pg_depend d where d.objid = c.oid and d.deptype in ('a', 'i'))
  loop
    execute format('alter sequence %I.%I owner to ${APPLICATION}', one.nspname, one.relname);
  end loop;
  for one in select p.oid::regprocedure::text as name from pg_proc p join pg_namespace n on n.oid = p.pronamespace
    where (n.nspname = 'public' or n.nspname like 'graphile%')
    and not exists (select 1 from pg_depend d where d.objid = p.oid and d.deptype = 'e')
  loop
    execute format('alter routine %s owner to ${APPLICATION}', one.name);
  end loop;
  for one in select n.nspname, t.typname from pg_type t join pg_namespace n on n.oid = t.typnamespace
    where (n.nspname = 'public' or n.nspname like 'graphile%') and t.typtype in ('e', 'd')
    or t.typtype = 'c' and n.nspname like 'graphile%' and exists (select 1 from pg_class c where c.oid = t.typrelid and c.relkind = 'c')
  loop
    execute format('alter type %I.%I owner to ${APPLICATION}', one.nspname, one.typname);
  end loop;
end $$`

/**
 * Brings a folder from the time when any local process was let in as a superuser to roles with passwords. The server runs and lets everyone in until the last step.
 * Each step may have been done before by a try that was cut off.
 */
export function upgradeRoles(port, passwords) {
  const roles = (as) => ask(port, as, '', 'postgres', 'select rolname from pg_roles').split('\n')
  const someone = [OWNER, APPLICATION].find((role) => {
    try {
      return roles(role).length > 0
    } catch {
      return false
    }
  })
  if (!roles(someone).includes(OWNER)) {
    if (!roles(someone).includes(UPGRADER))
      ask(port, someone, '', 'postgres', `create role ${UPGRADER} login superuser`)
    ask(port, UPGRADER, '', 'postgres', `alter role ${APPLICATION} rename to ${OWNER}`)
  }
  ask(
    port,
    OWNER,
    '',
    'postgres',
    `alter role ${OWNER} password '${passwords[OWNER]}'; drop role if exists ${UPGRADER}`,
  )
  makeRoles(port, { ...passwords, [OWNER]: '' })
  ask(
    port,
    OWNER,
    '',
    'postgres',
    `alter role ${APPLICATION} password '${passwords[APPLICATION]}'; alter database ${APPLICATION} owner to ${APPLICATION}`,
  )
  ask(port, OWNER, '', APPLICATION, OWN_EVERYTHING)
}
