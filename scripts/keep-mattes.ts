// Keeps the running application's carried mattes of the demo shot beside its plate, so that a fresh start need not carry them:  node scripts/run-ts.mjs scripts/keep-mattes.ts [ADDRESS]
import { writeFileSync } from 'node:fs'
import { zipSync } from 'fflate'
import { readMatteFrame, writeMatteFrame } from '../core/src/formats/index.ts'
import { isMatte } from '../core/src/mattes/index.ts'
import { nodeDeflate } from '../farm/src/io/deflate.ts'
import type { Shot, ShotStatus } from '../store/src/index.ts'
import { keptMattesManifest, matteSettingsKey } from './kept-mattes.ts'

const SHOT = 'Kiln Yard 030'
const address = process.argv[2] ?? 'http://127.0.0.1:4100'
const get = async (path: string): Promise<Response> => {
  const answer = await fetch(`${address}${path}`)
  if (!answer.ok) throw new Error(`${path}: ${await answer.text()}`)
  return answer
}

const path = `/api/shots/${encodeURIComponent(SHOT)}`
const { document } = (await (await get(path)).json()) as Shot
const status = (await (await get(`${path}/status`)).json()) as ShotStatus
const files: Record<string, Uint8Array> = {}
const mattes: Record<string, { settings: string; frames: { frame: number; figures: Record<string, unknown> }[] }> = {}
for (const [id, item] of Object.entries(document.items)) {
  if (!isMatte(item) || !item.helped) continue
  const run = status.items[id]
  if (run?.state !== 'done') throw new Error(`${item.name} is not carried as it is now: carry it first`)
  mattes[id] = {
    settings: matteSettingsKey(item.helped),
    frames: run.kept.map((frame, n) => ({ frame, figures: run.figures[n] ?? {} })),
  }
  for (const frame of run.kept) {
    const bytes = new Uint8Array(await (await get(`/api/results/${run.key}/${frame}`)).arrayBuffer())
    // What lies behind only corrections need; they find it again.
    files[`${id}/${frame}.matte`] = writeMatteFrame(readMatteFrame(bytes, nodeDeflate), nodeDeflate)
  }
}
files['mattes.json'] = new TextEncoder().encode(JSON.stringify(keptMattesManifest(mattes)))
const name = document.plate.file.replace(/\.\w+$/, '')
writeFileSync(`demo/solved/${name}.mattes.zip`, zipSync(files, { level: 0 }))
console.log(`kept demo/solved/${name}.mattes.zip`)
