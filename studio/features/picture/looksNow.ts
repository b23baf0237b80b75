import type { Looks } from './looks.ts'

/** The computing worker's client of the open shot, for what asks it beside the picture. */
export const looksNow: { current?: Looks } = {}
