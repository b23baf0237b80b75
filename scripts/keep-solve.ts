// Keeps the running application's tracks and solve of the demo shot beside its plate, so that a fresh start need not compute them:  node scripts/run-ts.mjs scripts/keep-solve.ts [ADDRESS]
import { mkdirSync, writeFileSync } from 'node:fs'
import { VERSIONS } from '../core/src/pipeline/index.ts'
import type { Shot, ShotStatus } from '../store/src/index.ts'

const SHOT = 'Kiln Yard 030'
const address = process.argv[2] ?? 'http://127.0.0.1:4100'
const get = async (path: string): Promise<Response> => {
  const answer = await fetch(`${address}${path}`)
  if (!answer.ok) throw new Error(`${path}: ${await answer.text()}`)
  return answer
}

const path = `/api/shots/${encodeURIComponent(SHOT)}`
const { document } = (await (await get(path)).json()) as Shot
const { match } = (await (await get(`${path}/status`)).json()) as ShotStatus
if (match.solve.state !== 'done' || match.tracks.state !== 'done')
  throw new Error(`${SHOT} is not solved as it is now: solve it first`)
const name = document.plate.file.replace(/\.\w+$/, '')
mkdirSync('demo/solved', { recursive: true })
for (const [kind, stage] of [
  ['tracks', match.tracks],
  ['solve', match.solve],
] as const)
  writeFileSync(
    `demo/solved/${name}.${kind}`,
    new Uint8Array(await (await get(`/api/results/${stage.key}/0`)).arrayBuffer()),
  )
const { seconds: _a, ...tracks } = match.tracks.figures
const { seconds: _b, ...solve } = match.solve.figures
writeFileSync(
  `demo/solved/${name}.json`,
  `${JSON.stringify({ versions: { tracks: VERSIONS.tracks, solve: VERSIONS.solve }, tracks, solve })}\n`,
)
console.log(`kept demo/solved/${name}`)
