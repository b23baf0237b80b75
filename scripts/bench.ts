// Measures time and memory. Every run is a process of its own, numbers of threads taken in turn; what is told is the median.
//   npm run bench -- [--only PREFIX] [--fresh] [--json FILE] [--doc FILE]
import { spawnSync } from 'node:child_process'
import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { cpus, tmpdir, totalmem } from 'node:os'
import { join } from 'node:path'
import { parseArgs } from 'node:util'
import { nodeCrew } from '../farm/src/crew/nodeCrew.ts'
import { draftFire, freshStart, secondStart } from './bench/application.ts'
import { type Bench, type Measured, median } from './bench/bench.ts'
import { breakingBenches } from './bench/breaking.ts'
import { cardBenches } from './bench/cards.ts'
import { movieDropped } from './bench/drop.ts'
import { gasBenches } from './bench/gas.ts'
import { load } from './bench/load.ts'
import { matchBenches } from './bench/match.ts'
import { matteBenches } from './bench/mattes.ts'
import { particleBenches } from './bench/particles.ts'
import { pictureBenches, prepareFire } from './bench/picture.ts'
import { sitBenches } from './bench/sit.ts'
import { solidBenches } from './bench/solids.ts'
import { statusWarm } from './bench/status.ts'

interface Line {
  name: string
  size: string
  ms: number
  runs: number
  threads: number
  figures: Record<string, number>
}

const { values } = parseArgs({
  options: {
    json: { type: 'string' },
    doc: { type: 'string' },
    only: { type: 'string' },
    fresh: { type: 'boolean' },
    one: { type: 'string' },
    threads: { type: 'string' },
    folder: { type: 'string' },
  },
})
const benches: readonly Bench[] = [
  ...gasBenches,
  ...pictureBenches,
  ...solidBenches,
  ...matchBenches,
  ...matteBenches,
  ...particleBenches,
  ...breakingBenches,
  ...cardBenches,
  ...sitBenches,
  secondStart,
  draftFire,
  statusWarm,
  movieDropped,
  load,
  ...(values.fresh || values.one === freshStart.name ? [freshStart] : []),
]

async function one(name: string, threads: number, folder: string): Promise<void> {
  const bench = benches.find((known) => known.name === name)
  if (!bench) throw new Error(`no benchmark is called ${name}`)
  const crew = nodeCrew(threads)
  const measured = await bench.run(crew, folder)
  crew.end()
  const peak = process.resourceUsage().maxRSS / 1024
  console.log(`measured ${JSON.stringify({ ...measured, figures: { ...measured.figures, peakMb: peak } })}`)
}

function inProcess(name: string, threads: number, folder: string): Measured {
  const { stdout, stderr, status } = spawnSync(
    process.execPath,
    [...process.execArgv, process.argv[1] ?? '', '--one', name, '--threads', String(threads), '--folder', folder],
    { encoding: 'utf8' },
  )
  const line = stdout.split('\n').find((text) => text.startsWith('measured '))
  if (status !== 0 || !line) throw new Error(`${name} with ${threads} threads: ${stderr}`)
  return JSON.parse(line.slice('measured '.length)) as Measured
}

function all(folder: string): Line[] {
  return benches
    .filter(({ name }) => name.startsWith(values.only ?? ''))
    .flatMap((bench) => {
      const found = new Map(bench.threads.map((threads) => [threads, [] as Measured[]]))
      try {
        for (let run = 0; run < bench.runs; run++)
          for (const threads of bench.threads) found.get(threads)?.push(inProcess(bench.name, threads, folder))
      } catch (error) {
        // One that breaks takes none of the others with it.
        console.error(error instanceof Error ? error.message : error)
        process.exitCode = 1
        return []
      }
      return [...found].map(([threads, measured]): Line => {
        const figures = Object.fromEntries(
          Object.keys(measured[0]?.figures ?? {}).map((key) => [
            key,
            Number(median(measured.map((m) => m.figures[key] ?? 0)).toPrecision(5)),
          ]),
        )
        const line = {
          name: bench.name,
          size: bench.size,
          ms: Number(median(measured.map(({ ms }) => ms)).toPrecision(5)),
          runs: bench.runs,
          threads,
          figures,
        }
        console.log(
          `${line.name}  ${threads} thread${threads > 1 ? 's' : ''}  ${line.ms} ms  ${Object.entries(figures)
            .map(([key, value]) => `${key} ${value}`)
            .join('  ')}`,
        )
        return line
      })
    })
}

/** The report; what stands under headings of its own in the one before stays. */
function document(lines: readonly Line[], before: string): string {
  const rest = before.indexOf('\n## ')
  const rows = lines.map((line) => {
    const alone = lines.find((other) => other.name === line.name && other.threads === 1)
    const ratio = line.threads > 1 && alone ? (alone.ms / line.ms).toFixed(2) : ''
    return `| ${line.name} | ${line.size} | ${line.threads} | ${line.ms} | ${line.runs} | ${ratio} | ${Object.entries(
      line.figures,
    )
      .map(([key, value]) => `${key} ${value}`)
      .join(', ')} |`
  })
  return `# Benchmarks\n\nBy \`npm run bench -- --fresh --doc docs/BENCHMARKS.md\`: medians of runs in processes of their own, numbers of threads taken in turn. Machine: ${cpus().length} cores (${cpus()[0]?.model.trim() ?? ''}), ${Math.round(totalmem() / 2 ** 30)} GiB, Node ${process.version}.\n\n| name | size | threads | ms | runs | times one thread | figures |\n|---|---|---|---|---|---|---|\n${rows.join('\n')}\n${rest < 0 ? '' : before.slice(rest)}`
}

if (values.one) {
  await one(values.one, Number(values.threads ?? 1), values.folder ?? '')
  process.exit(0)
}
const folder = mkdtempSync(join(tmpdir(), 'lantern-bench-'))
try {
  const crew = nodeCrew(2)
  if (
    benches.some(
      ({ name }) =>
        /^(picture\/(?!solids|reference|cards)|sit\/stack)/.test(name) && name.startsWith(values.only ?? ''),
    )
  )
    prepareFire(crew, folder)
  crew.end()
  // With --only, what the report holds of others stays.
  const before =
    values.json && values.only && existsSync(values.json)
      ? (JSON.parse(readFileSync(values.json, 'utf8')) as Line[])
      : []
  const measured = all(folder)
  const lines = [
    ...before.filter(({ name, threads }) => !measured.some((line) => line.name === name && line.threads === threads)),
    ...measured,
  ]
  if (values.json) writeFileSync(values.json, `${JSON.stringify(lines, null, 2)}\n`)
  if (values.doc)
    writeFileSync(values.doc, document(lines, existsSync(values.doc) ? readFileSync(values.doc, 'utf8') : ''))
} finally {
  rmSync(folder, { recursive: true, force: true })
}
