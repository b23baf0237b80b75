import { mkdtempSync, openSync } from 'node:fs'
import { join } from 'node:path'
import { tmpdir } from 'node:os'
import { spawnSync } from 'node:child_process'
import { getShot, openStore, resolveCounts, shotStatus, resolveShot, editShot, migrate } from '@lantern/store'
import { bakedItems } from '@lantern/core/pipeline'
const url = process.env.ZZ_URL ?? ''
const data = process.env.ZZ_DATA ?? ''
const store = openStore(url, data)
await migrate(store)
const env = { ...process.env, LANTERN_DATABASE_URL: url, LANTERN_DATA: data }
console.log(spawnSync('node', ['scripts/run-ts.mjs', 'scripts/seed.ts'], { env, encoding: 'utf8' }).stderr.slice(-500))
const shot = await getShot(store, 'Kiln Yard 030')
const time = async (name: string, f: () => Promise<unknown>) => { const a = performance.now(); const r = await f(); console.log(name, (performance.now() - a).toFixed(1), 'ms'); return r }
await time('cold', () => shotStatus(store, shot))
for (let n = 0; n < 5; n++) await time('warm', () => shotStatus(store, shot))
await time('getShot', () => getShot(store, 'Kiln Yard 030'))
const s = await shotStatus(store, shot)
console.log('json bytes', JSON.stringify(s).length, resolveCounts(store))
const edited = await editShot(store, 'Kiln Yard 030', undefined, { items: { 'door-fire': { heat: 500 } } })
const r = await time('resolve after edit', () => resolveShot(store, edited)) as Awaited<ReturnType<typeof resolveShot>>
await time('look keys', async () => r.pictureKeys('look'))
await time('final keys', async () => r.pictureKeys('final'))
await time('warm', () => shotStatus(store, edited))
await time('warm', () => shotStatus(store, edited))
await store.close()
