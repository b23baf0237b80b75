// Keeps the running application's tracks and solve of the demo shot beside its plate, so that a fresh start need not compute them:  node scripts/run-ts.mjs scripts/keep-solve.ts [ADDRESS]
import { mkdirSync, writeFileSync } from 'node:fs'
import { VERSIONS } from '../core/src/pipeline/index.ts'
import { demoShot } from './demo-shot.ts'

const { name: SHOT, plate: name, status, kept } = await demoShot(process.argv[2] ?? 'http://127.0.0.1:4100')
const { match } = status
if (match.solve.state !== 'done' || match.tracks.state !== 'done')
  throw new Error(`${SHOT} is not solved as it is now: solve it first`)
mkdirSync('demo/solved', { recursive: true })
for (const [kind, stage] of [
  ['tracks', match.tracks],
  ['solve', match.solve],
] as const)
  writeFileSync(`demo/solved/${name}.${kind}`, await kept(stage.key, 0))
const { seconds: _a, ...tracks } = match.tracks.figures
const { seconds: _b, ...solve } = match.solve.figures
writeFileSync(
  `demo/solved/${name}.json`,
  `${JSON.stringify({ versions: { tracks: VERSIONS.tracks, solve: VERSIONS.solve }, tracks, solve })}\n`,
)
console.log(`kept demo/solved/${name}`)
