import { nodeCrew } from '../farm/src/crew/nodeCrew.ts'
import { gasBenches } from './bench/gas.ts'
const base = nodeCrew(Number(process.argv[2] ?? 1))
let marks: [string, number][] = []
let phase = 0
const times = [new Map<string, number>(), new Map<string, number>()]
let begun = 0
const crew = { ...base, run(name: string, args: readonly number[], items: number, chunk?: number) { if (name === 'countNeighbours' && args[3] === 160 || name === 'countNeighbours' && args[4] === 160) { if (begun) { if (0) console.log("phase", phase, (performance.now() - begun).toFixed(0)); } phase++; begun = performance.now() } const t = performance.now(); base.run(name, args, items, chunk); const m = times[phase < 2 ? 2 : (phase % 2)]; if (m) m.set(name, (m.get(name) ?? 0) + performance.now() - t) } }
const b = gasBenches.find((x) => x.name === 'gas/plume-tiles')!
console.log(await b.run(crew, ''))
for (const m of times) console.log([...m].sort((a, b) => b[1] - a[1]).map(([k, v]) => `${k} ${(v / 9).toFixed(1)}`).join(' '), 'sum', ([...m.values()].reduce((a, b) => a + b, 0) / 9).toFixed(0))
base.end()
