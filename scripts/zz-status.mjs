import { mkdtempSync, openSync } from 'node:fs'
import { join } from 'node:path'
import { tmpdir } from 'node:os'
import { spawnSync } from 'node:child_process'
import { startPostgres } from './postgres.mjs'
import { freePort } from './free-port.mjs'
const data = mkdtempSync(join(tmpdir(), 'lantern-zz-'))
const port = await freePort()
const db = await startPostgres(join(data, 'database'), port, openSync(join(data, 'log'), 'a'))
const url = `postgres://lantern@127.0.0.1:${port}/lantern`
const r = spawnSync('node', ['scripts/run-ts.mjs', process.argv[2]], { env: { ...process.env, ZZ_URL: url, ZZ_DATA: data }, stdio: 'inherit' })
db.stdin.end()
