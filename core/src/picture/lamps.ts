import { LAMP_BYTES, writeLamp } from '@lantern/kernels'
import type { Crew } from '../base/index.ts'
import { cross, length, normalise, scale, subtract, type Vec3 } from '../math/index.ts'
import { intoGas, type Placement, placeInGas } from './gasBlock.ts'
import type { Lamp, PictureEmitter } from './passes.ts'

/** A lamp as kernels take it. extent and skip: kernels/layouts.mjs. */
export interface LaidLamp extends Omit<Lamp, 'kind' | 'onSet'> {
  layer: number
  extent: number
  skip: number
  setUp: boolean
}

const power = ({ intensity }: PictureEmitter): number => intensity[0] + intensity[1] + intensity[2]

/** One that stands for many: their light, from its middle. extent: how far they lie from it. */
function standIn(lamps: readonly PictureEmitter[]): PictureEmitter & { extent: number } {
  const whole = lamps.reduce((sum, lamp) => sum + power(lamp), 0)
  const at: [number, number, number] = [0, 0, 0]
  const intensity: [number, number, number] = [0, 0, 0]
  let radius = 0
  for (const lamp of lamps) {
    const share = whole > 0 ? power(lamp) / whole : 1 / lamps.length
    for (let c = 0; c < 3; c++) {
      at[c] = (at[c] ?? 0) + share * (lamp.at[c] ?? 0)
      intensity[c] = (intensity[c] ?? 0) + (lamp.intensity[c] ?? 0)
    }
    radius += share * lamp.radius
  }
  const extent = lamps.reduce((most, lamp) => Math.max(most, length(subtract(lamp.at, at))), 0)
  return { at, intensity, radius, extent }
}

/**
 * The lamps of a fire with what stands for them from far away, depth first: each that stands for others has them right after it.
 * A binary light tree, split at the middle of its longest side (after Walter et al. 2005, "Lightcuts", without their bound).
 */
export function lampTree(lamps: readonly PictureEmitter[], layer: number): LaidLamp[] {
  const plain = { shape: 'ball', layer, setUp: false } as const
  const out: LaidLamp[] = []
  const put = (own: readonly PictureEmitter[]): void => {
    const [only] = own
    if (own.length === 1 && only) {
      out.push({ ...plain, ...only, extent: 0, skip: 1 })
      return
    }
    const n = out.length
    out.push({ ...plain, ...standIn(own), skip: 0 })
    const sides = [0, 1, 2].map((c) => {
      const along = own.map(({ at }) => at[c] ?? 0)
      return Math.max(...along) - Math.min(...along)
    })
    const axis = sides.indexOf(Math.max(...sides))
    const sorted = [...own].sort((a, b) => (a.at[axis] ?? 0) - (b.at[axis] ?? 0))
    put(sorted.slice(0, own.length >> 1))
    put(sorted.slice(own.length >> 1))
    const made = out[n]
    if (made) made.skip = out.length - n
  }
  if (lamps.length > 0) put(lamps)
  return out
}

/** A lamp that was set up, with its layer; -1: it leaves the set as it is. */
export const setUpLamp = ({ kind: _, onSet, ...lamp }: Lamp, layer: number): LaidLamp => ({
  ...lamp,
  layer: onSet ? layer : -1,
  extent: 0,
  skip: 1,
  setUp: true,
})

/** Lamps in a gas's own space. */
export const lampsInGas = (place: Placement, lamps: readonly LaidLamp[]): LaidLamp[] =>
  lamps.map((lamp) => ({
    ...lamp,
    at: placeInGas(place, lamp.at),
    intensity: lamp.intensity.map((part) => part / place.scale ** 2) as [number, number, number],
    radius: lamp.radius / place.scale,
    extent: lamp.extent / place.scale,
    ...(lamp.across ? { across: scale(intoGas(place, lamp.across), length(lamp.across) / place.scale) } : {}),
    ...(lamp.upward ? { upward: scale(intoGas(place, lamp.upward), length(lamp.upward) / place.scale) } : {}),
    ...(lamp.axis ? { axis: intoGas(place, lamp.axis) } : {}),
  }))

const SHAPES = { ball: 0, spot: 1, rectangle: 2 } as const
const NOWHERE: Vec3 = [0, 0, 0]

/** Lays lamps on the heap. */
export function uploadLamps(crew: Crew, lamps: readonly LaidLamp[]): number {
  const at = crew.heap.alloc(Math.max(1, lamps.length) * LAMP_BYTES)
  lamps.forEach((lamp, n) => {
    const { across = NOWHERE, upward = NOWHERE } = lamp
    writeLamp(crew.heap, at + n * LAMP_BYTES, {
      place: lamp.at,
      radius: lamp.radius,
      intensity: lamp.intensity,
      layer: lamp.layer,
      kind: SHAPES[lamp.shape],
      axisX: across,
      axisY: upward,
      axis: lamp.axis ?? (lamp.shape === 'rectangle' ? normalise(cross(upward, across)) : NOWHERE),
      inner: lamp.inner ?? 0,
      outer: lamp.outer ?? 0,
      extent: lamp.extent,
      skip: lamp.skip,
      setUp: Number(lamp.setUp),
    })
  })
  return at
}
