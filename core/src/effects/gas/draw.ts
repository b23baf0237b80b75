import type { GasFrame } from '../../data/index.ts'
import { blackBodyTable, blueGlow, GLOW_FROM, GLOW_STEP, gatherEmitters, glowTable } from '../../light/index.ts'
import type { GasVolume } from '../../picture/index.ts'
import type { DrawContext, EffectInstance } from '../effect.ts'
import type { GasLook } from './instances.ts'

/** What the picture draws of a gas: its frames blended, its glow, and the lights that stand for its fire. */
export function drawGas(
  { frames, place, look }: EffectInstance<GasLook>,
  data: readonly GasFrame[],
  { illuminance, emitters: most }: DrawContext,
): GasVolume[] {
  const glow = {
    from: GLOW_FROM,
    step: GLOW_STEP,
    table: glowTable(illuminance, 1),
    bodies: blackBodyTable(illuminance),
  }
  const found = frames.flatMap(({ weight, ahead }, n) => {
    const frame = data[n]
    return frame ? [{ frame, weight, ahead }] : []
  })
  const emitters = found.flatMap(({ frame, weight }) =>
    gatherEmitters(frame, glow.table, look.albedo, Math.ceil(most / found.length), look.extinction, glow.bodies).map(
      (emitter) => ({
        ...emitter,
        intensity: emitter.intensity.map((part) => part * weight) as [number, number, number],
      }),
    ),
  )
  return [
    {
      kind: 'gas',
      frames: found,
      place,
      emitters,
      glow,
      albedo: look.albedo,
      forward: look.forward,
      extinctionPerSoot: look.extinction,
      blue: blueGlow(illuminance).map((part) => part * look.blue) as [number, number, number],
    },
  ]
}
