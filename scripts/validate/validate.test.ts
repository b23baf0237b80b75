import { afterAll, expect, it } from 'vitest'
import { nodeCrew } from '../../farm/src/crew/nodeCrew.ts'
import { fileRows } from './files.ts'
import { matchRows } from './match.ts'
import { pictureRows } from './picture.ts'
import { plateFigureRows } from './plateFigures.ts'

// The quick cases of npm run validate, with every test run; the long ones (gas) are for the command alone.
const crew = nodeCrew(2)
afterAll(() => crew.end())

const rows = [...pictureRows(crew), ...(await fileRows()), ...(await matchRows(crew)), ...plateFigureRows()]
it.each(rows)('$case ($reference)', ({ expected, measured, pass }) => {
  expect(pass, `expected ${expected}, measured ${measured}`).toBe(true)
})
