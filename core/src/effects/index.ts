import { gasEffect } from './gas/index.ts'

export * from './effect.ts'

/** The kinds of effect. A new one is one folder here and one name in this list. */
export const EFFECTS = [gasEffect] as const
