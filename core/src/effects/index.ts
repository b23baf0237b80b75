import { breakingEffect } from './breaking/index.ts'
import { cardsEffect } from './cards/index.ts'
import { craterEffect } from './crater/index.ts'
import { gasEffect } from './gas/index.ts'
import { marksEffect } from './marks/index.ts'
import { matteEffect } from './mattes/index.ts'
import { particlesEffect } from './particles/index.ts'
import { relightEffect } from './relight/index.ts'
import { rendersEffect } from './renders/index.ts'

export * from './effect.ts'
export { MATTE_VERSIONS, matteFrameKey, openStrokes, strokedFrame, strokeKeyOf } from './mattes/index.ts'

/** The kinds of effect. A new one is one folder here and one name in this list. */
export const EFFECTS = [
  gasEffect,
  particlesEffect,
  breakingEffect,
  craterEffect,
  marksEffect,
  cardsEffect,
  relightEffect,
  rendersEffect,
  matteEffect,
] as const
