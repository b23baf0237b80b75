import { nodeCrew } from '../farm/src/crew/nodeCrew.ts'
import { vortexRows } from './validate/vortex.ts'
const crew = nodeCrew(1)
for (const r of vortexRows(crew)) console.log(r.case, r.measured)
crew.end()
