import { type FloatImage, makeImage } from '../data/index.ts'
import { type Deflate, type ExrChannel, readExr, writeExr } from '../formats/index.ts'
import type { Passes } from '../picture/index.ts'

/** How the passes are named in a multi-layer file: layer and channel per plane. */
const LAYERS: Readonly<Record<keyof Passes, readonly string[]>> = {
  fire: ['fire.R', 'fire.G', 'fire.B'],
  smoke: ['smoke.R', 'smoke.G', 'smoke.B', 'smoke.A'],
  smokeLight: ['smokelight.R', 'smokelight.G', 'smokelight.B'],
  light: ['light.R', 'light.G', 'light.B'],
  shadow: ['shadow.Y'],
  depth: ['depth.Z'],
  heat: ['heat.Y'],
}
const NAMES = ['fire', 'smoke', 'smokeLight', 'light', 'shadow', 'depth', 'heat'] as const

const plane = (image: FloatImage, channel: number): Float32Array => {
  const out = new Float32Array(image.width * image.height)
  for (let n = 0; n < out.length; n++) out[n] = image.data[n * image.channels + channel] ?? 0
  return out
}

/** Planes of an image under names, half floats; depth in floats. */
export const channelsOf = (image: FloatImage, names: readonly string[]): ExrChannel[] =>
  names.map((name, c) => ({ name, type: name.startsWith('depth') ? 'float' : 'half', data: plane(image, c) }))

/** The passes as channels of one file. */
export const passChannels = (passes: Passes): ExrChannel[] =>
  NAMES.flatMap((name) => channelsOf(passes[name], LAYERS[name]))

/** The passes of one frame as one multi-layer OpenEXR file. */
export function writePasses(
  passes: Passes,
  attributes: Record<string, string>,
  deflate?: Deflate,
): Uint8Array<ArrayBuffer> {
  const { width, height } = passes.fire
  return writeExr({ width, height, attributes, channels: passChannels(passes) }, deflate)
}

/** Reads them back; a missing plane is 0. Throws LanternError 'exr'. */
export function readPasses(bytes: Uint8Array, deflate?: Deflate): Passes {
  const image = readExr(bytes, 'kept picture', deflate)
  const pick = (names: readonly string[]): FloatImage => {
    const out = makeImage(image.width, image.height, names.length)
    names.forEach((name, c) => {
      const source = image.channels.find((channel) => channel.name === name)?.data
      if (source) for (let n = 0; n < source.length; n++) out.data[n * names.length + c] = source[n] ?? 0
    })
    return out
  }
  return {
    fire: pick(LAYERS.fire),
    smoke: pick(LAYERS.smoke),
    smokeLight: pick(LAYERS.smokeLight),
    light: pick(LAYERS.light),
    shadow: pick(LAYERS.shadow),
    depth: pick(LAYERS.depth),
    heat: pick(LAYERS.heat),
  }
}
