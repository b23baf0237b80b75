import type { Crew } from '../base/index.ts'
import { AT_HOME, type GasBlock, lightFactor, type Placement, placeInWorld, uploadGasFrame } from './gasBlock.ts'
import type { GasVolume, PictureEmitter, PictureQuality, PlateLight } from './passes.ts'

const GROUND_BOUNCE = 0.18
const LOOK_BYTES = 96

function uploadLook(crew: Crew, gas: GasVolume, light: PlateLight, orders: number): number {
  const table = crew.heap.alloc(gas.glow.table.byteLength)
  crew.heap.f32(table, gas.glow.table.length).set(gas.glow.table)
  const bodies = gas.glow.bodies ?? gas.glow.table
  const black = crew.heap.alloc(bodies.byteLength)
  crew.heap.f32(black, bodies.length).set(bodies)
  const pointer = crew.heap.alloc(LOOK_BYTES)
  const floats = crew.heap.f32(pointer, LOOK_BYTES / 4)
  const words = crew.heap.i32(pointer, LOOK_BYTES / 4)
  const colour = gas.colour ?? [1, 1, 1]
  // Value that a white surface square to the sun would have, from the sun's share of level ground's light; held where it stands so low that the division would blow up.
  const normal = light.sunShare / Math.max(0.1, light.sunDirection[1])
  const sky = light.skyColour.map((part, c) => part * (colour[c] ?? 1) * 0.5 * (1 - light.sunShare + GROUND_BOUNCE))
  floats.set([
    gas.albedo,
    gas.forward,
    ...light.sunColour.map((part, c) => part * (colour[c] ?? 1) * normal),
    ...sky,
    ...light.sunDirection,
    0,
    gas.glow.from,
    1 / gas.glow.step,
  ])
  words[11] = orders
  words.set([gas.glow.table.length / 4, table], 14)
  floats.set(gas.blue ?? [0, 0, 0], 16)
  words[19] = black
  floats.set(colour, 20)
  return pointer
}

/** A gas laid out: a block for every frame that it is blended from, its emitters in its own space and in the world. */
export interface LaidGas {
  gas: GasVolume
  place: Placement
  blocks: GasBlock[]
}

/** lights: of all gases, which shine on it; layer: the picture's that it is. */
export function uploadGas(
  crew: Crew,
  gas: GasVolume,
  light: PlateLight,
  quality: PictureQuality,
  lights: number,
  layer: number,
): LaidGas {
  const place = gas.place ?? AT_HOME
  const look = uploadLook(crew, gas, light, quality.orders)
  const blocks = gas.frames.map(({ frame, weight, ahead, whirls }) => {
    const laid = uploadGasFrame(crew, frame, {
      extinctionPerSoot: gas.extinctionPerSoot,
      weight,
      ahead,
      place,
      moves: quality.blurs || ahead !== 0,
      layer,
      burns: true,
      whirls,
      lightCells: lightFactor(frame.box.size, lights, quality.lightWork),
    })
    crew.heap.i32(laid.block, 40)[39] = look
    return laid
  })
  return { gas, place, blocks }
}

export const inWorld = (place: Placement = AT_HOME, emitters: readonly PictureEmitter[] = []): PictureEmitter[] =>
  emitters.map(({ at, intensity, radius }) => ({
    at: placeInWorld(place, at),
    intensity: intensity.map((part) => part * place.scale ** 2) as [number, number, number],
    radius: radius * place.scale,
  }))
