// Holds the computation against what we did not write.  npm run validate -- [--json FILE] [--doc FILE] [--across 15] [--only pools]
// Without options all but the long fires: those by --only plume, --only filmed and --only pools; --doc takes everything.
// --across: cells across the pool fires’ diameter; 15 takes about an hour, 10 some twenty minutes; with 20 the fire of 3 m alone takes eleven.
import { writeFileSync } from 'node:fs'
import { parseArgs } from 'node:util'
import { z } from 'zod'
import { nodeCrew } from '../farm/src/crew/nodeCrew.ts'
import { breakingRows } from './validate/breaking.ts'
import { cardRows } from './validate/cards.ts'
import { fileRows } from './validate/files.ts'
import { FIRES, filmedFireRows, filmedSmokeRows } from './validate/filmed.ts'
import { POOLS, plumeRows, poolRows } from './validate/fires.ts'
import { gasRows } from './validate/gas.ts'
import { greyBallRows } from './validate/greyBall.ts'
import { matchRows } from './validate/match.ts'
import { matteRows } from './validate/mattes.ts'
import { noiseRows } from './validate/noise.ts'
import { particleRows } from './validate/particles.ts'
import { pictureRows } from './validate/picture.ts'
import { plateFigureRows } from './validate/plateFigures.ts'
import { plateRows } from './validate/plates.ts'
import type { Row } from './validate/row.ts'
import { sitRows } from './validate/sit.ts'
import { solidRows } from './validate/solids.ts'
import { vortexRows } from './validate/vortex.ts'

const { values } = parseArgs({
  options: {
    json: { type: 'string' },
    doc: { type: 'string' },
    across: { type: 'string', default: '15' },
    only: { type: 'string' },
  },
})
const across = z.coerce.number().int().min(4).max(40).parse(values.across)
const crew = nodeCrew(2)
const shown = (value: string | number): string =>
  typeof value === 'number' && !Number.isInteger(value) ? value.toPrecision(4) : String(value)
const rows: Row[] = []
const parts: readonly (readonly [string, () => Row[] | Promise<Row[]>])[] = [
  ['picture', () => pictureRows(crew)],
  ['solids', () => [...solidRows(crew), ...greyBallRows(crew)]],
  ['files', fileRows],
  ['match', () => matchRows(crew)],
  ['figures', plateFigureRows],
  ['plates', () => plateRows(crew)],
  ['mattes', () => matteRows(crew)],
  ['particles', particleRows],
  ['breaking', () => breakingRows(crew)],
  ['cards', () => cardRows(crew)],
  ['sit', () => sitRows(crew)],
  ['gas', () => gasRows(crew)],
  ['vortex', () => vortexRows(crew)],
  ['noise', () => noiseRows(crew)],
  ['plume', () => plumeRows(crew)],
  ...FIRES.map((diameter) => ['filmed', () => filmedFireRows(crew, diameter)] as const),
  ['filmed', () => filmedSmokeRows(crew)],
  ...POOLS.map((pool) => ['pools', () => poolRows(crew, pool, across)] as const),
]
/** Left out unless they are asked for. */
const LONG = new Set(['mattes', 'plume', 'filmed', 'pools'])
const only = z
  .enum([...new Set(parts.map(([name]) => name))])
  .optional()
  .parse(values.only)
if (only !== undefined && values.doc) throw new Error('--doc holds all rows: leave out --only, or write --json')
for (const [name, part] of parts) {
  if (only === undefined ? LONG.has(name) && !values.doc : name !== only) continue
  for (const row of await part()) {
    rows.push(row)
    console.log(
      `${row.pass ? 'pass' : 'FAIL'}  ${row.case}: ${shown(row.measured)} (expected ${shown(row.expected)}, ${row.tolerance}; ${row.reference})`,
    )
  }
}
crew.end()
if (values.json) writeFileSync(values.json, `${JSON.stringify(rows, null, 2)}\n`)
if (values.doc) {
  const lines = rows.map((row) =>
    `| ${row.case} | ${row.reference} | ${shown(row.expected)} | ${shown(row.measured)} | ${row.tolerance} | ${row.pass ? 'pass' : '**FAIL**'} |`
      .replaceAll('|div', '\\|div')
      .replaceAll('expansion|', 'expansion\\|'),
  )
  writeFileSync(
    values.doc,
    `# Validation\n\nWhat the computation is held against, by \`npm run validate -- --doc docs/VALIDATION.md\`. A tolerance may be tightened, never loosened.\n\n| case | reference | expected | measured | tolerance | verdict |\n|---|---|---|---|---|---|\n${lines.join('\n')}\n`,
  )
}
if (rows.some((row) => !row.pass)) process.exitCode = 1
