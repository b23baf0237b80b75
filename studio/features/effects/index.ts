import { BREAKING_VIEW } from './breaking/breakingView.tsx'
import { CARD_VIEW } from './cards/cardView.tsx'
import { CRATER_VIEW } from './crater/craterView.tsx'
import { GAS_VIEWS } from './gas/views.tsx'
import { MARKS_VIEW } from './marks/marksView.tsx'
import { PARTICLES_VIEW } from './particles/particlesView.tsx'
import { RELIGHT_VIEW } from './relight/relightView.tsx'
import { RENDER_VIEW } from './renders/renderView.tsx'

/** How the effects' items are shown, where they are not shown as their schema alone gives. A new kind is one folder here and one name in this list. */
export const EFFECT_VIEWS = {
  ...GAS_VIEWS,
  particles: PARTICLES_VIEW,
  breaking: BREAKING_VIEW,
  card: CARD_VIEW,
  relight: RELIGHT_VIEW,
  render: RENDER_VIEW,
  crater: CRATER_VIEW,
  marks: MARKS_VIEW,
} as const
