import { nodeCrew } from '../farm/src/crew/nodeCrew.ts'
import { plumeRows, poolRows } from './validate/fires.ts'
const crew = nodeCrew(1)
for (const row of process.argv[2] === 'plume' ? plumeRows(crew) : poolRows(crew, Number(process.argv[2]))) console.log(row.pass ? 'pass' : 'FAIL', row.case, row.measured, row.expected)
crew.end()
