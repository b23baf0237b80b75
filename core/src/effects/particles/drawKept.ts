import type { ParticleFrame } from '../../data/index.ts'
import { blackBodyTable, GLOW_ENTRIES, GLOW_FROM, GLOW_STEP } from '../../light/index.ts'
import { cos, rotate, sin, type Vec3 } from '../../math/index.ts'
import type { Drawable, Lamp, Placement } from '../../picture/index.ts'
import type { DrawContext, EffectInstance, ShownFrame } from '../effect.ts'
import { drawBits } from './bits.ts'
import type { ParticleLook } from './instances.ts'
import { type Shade, shadeOf } from './shadows.ts'
import { MOST_IN_LOOK, SplatWriter, vectorAt } from './splatWriter.ts'

// Kept particles as the picture draws them, where they were computed or shown again.

/** Floats of an entry of the table of glow. */
const ENTRY = 4

/** Light of a black body, plate value, from a table by temperature. */
function glowOf(table: Float32Array, kelvin: number, gain: number): Vec3 | undefined {
  const at = (kelvin - GLOW_FROM) / GLOW_STEP
  if (at <= 0 || gain <= 0) return undefined
  const n = Math.min(GLOW_ENTRIES - 2, Math.floor(at))
  const t = Math.min(1, at - n)
  const part = (c: number): number =>
    gain * ((table[ENTRY * n + c] as number) * (1 - t) + (table[ENTRY * (n + 1) + c] as number) * t)
  return [part(0), part(1), part(2)]
}

/** The brightest hot ones as lamps that light the set. */
function lampsOf(frame: ParticleFrame, table: Float32Array, look: ParticleLook, place: Placement): Lamp[] {
  const put = putter(place)
  if (look.lights === 0) return []
  const all = Array.from({ length: frame.count }, (_, n) => {
    const light = glowOf(table, frame.temperatures[n] as number, look.glow)
    const area = (Math.PI / 4) * (place.scale * (frame.sizes[n] as number)) ** 2
    return light ? { n, intensity: light.map((part) => part * area) as [number, number, number] } : undefined
  }).filter((one) => one !== undefined)
  return all
    .sort((a, b) => b.intensity[1] - a.intensity[1] || a.n - b.n)
    .slice(0, look.lights)
    .map(({ n, intensity }) => ({
      kind: 'lamp',
      shape: 'ball',
      at: put.place(vectorAt(frame.positions, n)) as [number, number, number],
      intensity,
      radius: Math.max(0.002, (frame.sizes[n] as number) / 2),
      onSet: true,
    }))
}

/** What of its life is left to be seen: it fades out at the end. */
const leftOf = ({ life, fades }: ParticleLook, age: number): number =>
  fades > 0 ? Math.min(1, Math.max(0, (life - age) / (fades * life))) : 1

/** The frames that are drawn of a run shown again: of two beside each other the nearer one, with the weight of both. */
export function heavierFrames(frames: readonly ShownFrame[]): { n: number; weight: number; ahead: number }[] {
  const kept: { n: number; weight: number; ahead: number; frame: number }[] = []
  const order = frames.map((one, n) => ({ ...one, n })).sort((a, b) => b.weight - a.weight || a.n - b.n)
  for (const { n, frame, weight, ahead } of order) {
    const beside = kept.find((one) => Math.abs(one.frame - frame) === 1 && one.ahead * ahead < 0)
    if (beside) beside.weight += weight
    else kept.push({ n, weight, ahead, frame })
  }
  return kept
}

/** K of a rim that glows on: as it is born, and as it goes out. */
const RIM = { from: 1150, to: 820, share: 0.08 } as const
/** Radians by which each half of a sheet leans at most. */
const MOST_BENT = 0.9
/** What of a flat one is seen edge on. */
const EDGE_ON = 0.15

/** How a flat one is seen as it turns: the share of its face, and of the light that it sends back. One that bends is a sheet whose two halves lean apart, further and less far as it goes round. */
function faceOf(spin: number, bends: number): { share: number; lit: number } {
  const turn = 2 * Math.PI * spin
  const half = (lean: number): { share: number; lit: number } => ({
    share: Math.abs(cos(turn + lean)),
    lit: 0.55 + 0.45 * sin(turn + lean),
  })
  const lean = bends * MOST_BENT * (0.6 + 0.4 * sin(1.7 * turn))
  const [a, b] = [half(lean), half(-lean)]
  const share = (a.share + b.share) / 2
  // Each half is as bright as it is, by as much as it shows.
  const lit = share > 0 ? (a.share * a.lit + b.share * b.lit) / (2 * share) : a.lit
  return { share: Math.max(EDGE_ON, share), lit }
}

/** Places and directions of a run where it is shown. */
function putter({ turn, scale: size, mirror, shift }: Placement) {
  const way = ([x, y, z]: Vec3): Vec3 => rotate(turn, [mirror ? -x : x, y, z])
  return {
    way,
    place(at: Vec3): Vec3 {
      const [x, y, z] = way(at)
      return [size * x + shift[0], size * y + shift[1], size * z + shift[2]]
    },
  }
}

interface ShownParticles {
  frame: ParticleFrame
  weight: number
  ahead: number
}
function addKept(
  writer: SplatWriter,
  look: ParticleLook,
  { frame, weight, ahead }: ShownParticles,
  place: Placement,
  table: Float32Array,
  count: number,
  shade: Shade | undefined,
): void {
  const put = putter(place)
  for (let n = 0; n < count; n++) {
    const age = frame.ages[n] as number
    const light = glowOf(table, frame.temperatures[n] as number, look.glow * weight)
    const rim =
      look.afterglow > 0 && age < look.afterglow * look.life
        ? glowOf(table, RIM.from + ((RIM.to - RIM.from) * age) / (look.afterglow * look.life), RIM.share * look.glow)
        : undefined
    if (!light && look.hot && !look.over && !rim) continue
    const [own, v] = [vectorAt(frame.positions, n), vectorAt(frame.velocities, n)]
    const [x, y, z] = put.way(v)
    const face = look.flat ? faceOf(frame.spins[n] as number, look.bends) : undefined
    const at = put.place([own[0] + ahead * v[0], own[1] + ahead * v[1], own[2] + ahead * v[2]])
    const velocity: Vec3 = [look.speed * x, look.speed * y, look.speed * z]
    const diameter = place.scale * (frame.sizes[n] as number)
    const left = light ? 1 : weight * Math.max(0.05, leftOf(look, age))
    const point = { at, velocity, diameter, share: left * (face?.share ?? 1), ...(face ? { lit: face.lit } : {}) }
    if (light || look.over || !look.hot) writer.add({ ...point, ...(light ? { light } : {}) })
    if (!light) shade?.(at, diameter, point.share)
    if (rim && !light) writer.add({ ...point, light: rim, adds: true })
  }
}

export function drawKept(
  { look, frames: shown, place }: EffectInstance<ParticleLook>,
  frames: readonly ParticleFrame[],
  context: DrawContext,
): Drawable[] {
  const table = blackBodyTable(context.illuminance)
  const parts = heavierFrames(shown).flatMap(({ n, weight, ahead }): ShownParticles[] => {
    const frame = frames[n]
    return frame ? [{ frame, weight, ahead }] : []
  })
  if (look.bits) return parts.flatMap(({ frame, ahead }) => drawBits(look, frame, place, ahead, context))
  const counts = parts.map(({ frame }) => (context.finer ? frame.count : Math.min(frame.count, MOST_IN_LOOK)))
  const writer = new SplatWriter(
    counts.reduce((sum, count) => sum + count, 0),
    look,
    context,
  )
  const shade = shadeOf(look, context, (point) => writer.add(point))
  parts.forEach((part, n) => addKept(writer, look, part, place, table, counts[n] as number, shade))
  const [first] = parts
  return [...writer.splats(), ...(first ? lampsOf(first.frame, table, look, place) : [])]
}
