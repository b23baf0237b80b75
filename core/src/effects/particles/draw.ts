import type { ParticleFrame } from '../../data/index.ts'
import type { Drawable } from '../../picture/index.ts'
import type { DrawContext, EffectInstance } from '../effect.ts'
import { drawFall } from './drawFall.ts'
import { drawKept } from './drawKept.ts'
import type { ParticleLook } from './instances.ts'

export { fallOf } from './drawFall.ts'

/** What the picture draws of particles. */
export const drawParticles = (
  instance: EffectInstance<ParticleLook>,
  frames: readonly ParticleFrame[],
  context: DrawContext,
): Drawable[] =>
  instance.look.fall ? drawFall(instance.look, instance.look.fall, context) : drawKept(instance, frames, context)
