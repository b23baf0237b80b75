// Holds the match against walks that the generator draws anew:  node scripts/run-ts.mjs scripts/validate-seeds.ts --seed 4101 --seed 5202 --seed 6303 [--frames 48] [--folder DIR]
// Draws what is not in the folder yet (minutes a seed), then matches each with nothing told.
import { spawnSync } from 'node:child_process'
import { existsSync } from 'node:fs'
import { join } from 'node:path'
import { parseArgs } from 'node:util'
import { z } from 'zod'
import { nodeCrew } from '../farm/src/crew/nodeCrew.ts'
import { seedRows } from './validate/plates.ts'

const { values } = parseArgs({
  options: {
    seed: { type: 'string', multiple: true },
    frames: { type: 'string', default: '48' },
    folder: { type: 'string', default: '.test/seeds' },
  },
})
const whole = z.coerce.number().int().min(1)
const asked = z.object({ seed: z.array(whole).min(1), frames: whole.max(120), folder: z.string() }).parse(values)
const crew = nodeCrew(2)
let failed = 0
for (const seed of asked.seed) {
  const folder = join(asked.folder, String(seed))
  if (!existsSync(join(folder, 'yard-walk.mp4'))) {
    const { status } = spawnSync(
      process.execPath,
      [
        'scripts/run-ts.mjs',
        'demo/src/generate.ts',
        '--plate',
        'yard-walk',
        '--seed',
        String(seed),
        '--frames',
        String(asked.frames),
        '--out',
        folder,
        '--exact',
        folder,
      ],
      { stdio: 'inherit' },
    )
    if (status !== 0) throw new Error(`the generator ended with ${status} on seed ${seed}`)
  }
  for (const row of await seedRows(crew, folder)) {
    if (!row.pass) failed++
    console.log(
      `${row.pass ? 'pass' : 'FAIL'}  ${row.case}: ${typeof row.measured === 'number' ? row.measured.toPrecision(4) : row.measured} (expected ${row.expected})`,
    )
  }
}
crew.end()
if (failed > 0) process.exitCode = 1
