import { EFFECTS } from '../effects/index.ts'
import { signalSchemaOf } from '../settings/index.ts'

/** The figures of all effects that a signal can follow; an effect's own list says what each is. */
const figureNames = EFFECTS.flatMap(({ figures }) => figures.map(({ name }): string => name))
const [first, ...rest] = [...new Set(figureNames)]
if (first === undefined) throw new TypeError('no effect has a figure')

export const signalSchema = signalSchemaOf([first, ...rest])
