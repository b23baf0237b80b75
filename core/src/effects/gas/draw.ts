import type { GasFrame, Whirls } from '../../data/index.ts'
import { frameWhirls } from '../../gas/index.ts'
import { blackBodyTable, blueGlow, GLOW_FROM, GLOW_STEP, gatherEmitters, glowTable } from '../../light/index.ts'
import { type GasVolume, placeInWorld } from '../../picture/index.ts'
import type { DrawContext, EffectInstance, ShownFrame } from '../effect.ts'
import type { GasLook } from './instances.ts'

/** Fine cells of a final along one that is kept, and the least size at which a kept cell is seen for that, px. */
const FINER = 2
const SEEN_CELL = 2

/** Size of a kept cell at the box's nearest place to the camera, px. */
function cellSeen({ box }: GasFrame, { place }: EffectInstance<GasLook>, { camera }: DrawContext): number {
  const corners = Array.from({ length: 8 }, (_, n) =>
    placeInWorld(place, [
      (box.origin[0] + (n & 1 ? box.size[0] : 0)) * box.cell,
      (box.origin[1] + (n & 2 ? box.size[1] : 0)) * box.cell,
      (box.origin[2] + (n & 4 ? box.size[2] : 0)) * box.cell,
    ]),
  )
  const middle = [0, 1, 2].map((axis) => corners.reduce((sum, corner) => sum + (corner[axis] ?? 0) / 8, 0))
  const apart = (a: readonly number[], b: readonly number[]): number =>
    Math.sqrt(a.reduce((sum, value, axis) => sum + (value - (b[axis] ?? 0)) ** 2, 0))
  const half = Math.max(...corners.map((corner) => apart(corner, middle)))
  return (camera.focalPx * box.cell * place.scale) / Math.max(0.01, apart(camera.position, middle) - half)
}

/** The whirls between a frame's cells, for finals in which they are seen. */
function whirlsOf(
  instance: EffectInstance<GasLook>,
  shown: ShownFrame,
  frame: GasFrame,
  context: DrawContext,
): Whirls | undefined {
  const { look } = instance
  const { finer, seconds } = context
  if (!finer || look.finer <= 0 || cellSeen(frame, instance, context) < SEEN_CELL) return undefined
  const before = (shown.trail ?? []).map((number) => finer.frame(number) as GasFrame | undefined)
  const trail = before.filter((one): one is GasFrame => one !== undefined)
  const settings = { factor: FINER, amount: look.finer, seed: look.seed }
  return frameWhirls(finer.crew, [...trail, frame], settings, seconds, shown.frame)
}

/** What the picture draws of a gas: its frames blended, its glow, and the lights that stand for its fire. */
export function drawGas(
  instance: EffectInstance<GasLook>,
  data: readonly GasFrame[],
  context: DrawContext,
): GasVolume[] {
  const { frames, place, look } = instance
  const { illuminance, emitters: most } = context
  const glow = {
    from: GLOW_FROM,
    step: GLOW_STEP,
    table: glowTable(illuminance, 1),
    bodies: blackBodyTable(illuminance),
  }
  const found = frames.flatMap((shown, n) => {
    const frame = data[n]
    if (!frame) return []
    return [{ frame, weight: shown.weight, ahead: shown.ahead, whirls: whirlsOf(instance, shown, frame, context) }]
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
      colour: look.colour,
      albedo: look.albedo,
      forward: look.forward,
      extinctionPerSoot: look.extinction,
      blue: blueGlow(illuminance).map((part) => part * look.blue) as [number, number, number],
    },
  ]
}
