// Keeps the running application's carried mattes of the demo shot beside its plate, so that a fresh start need not carry them:  node scripts/run-ts.mjs scripts/keep-mattes.ts [ADDRESS]
import { writeFileSync } from 'node:fs'
import { zipSync } from 'fflate'
import { readMatteFrame, writeMatteFrame } from '../core/src/formats/index.ts'
import { isMatte } from '../core/src/mattes/index.ts'
import { nodeDeflate } from '../farm/src/io/deflate.ts'
import { demoShot } from './demo-shot.ts'
import { keptMattesManifest, matteSettingsKey } from './kept-mattes.ts'

const { plate: name, document, status, kept } = await demoShot(process.argv[2] ?? 'http://127.0.0.1:4100')
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
    const bytes = await kept(run.key, frame)
    // What lies behind only corrections need; they find it again.
    files[`${id}/${frame}.matte`] = writeMatteFrame(readMatteFrame(bytes, nodeDeflate), nodeDeflate)
  }
}
files['mattes.json'] = new TextEncoder().encode(JSON.stringify(keptMattesManifest(mattes)))
writeFileSync(`demo/solved/${name}.mattes.zip`, zipSync(files, { level: 0 }))
console.log(`kept demo/solved/${name}.mattes.zip`)
