import {
  type Bounds,
  type FloatImage,
  LAYER_IMAGES,
  makeImage,
  PICTURE_IMAGE_NAMES,
  type Picture,
  placeOf,
} from '../data/index.ts'
import type { ExrChannel } from '../formats/index.ts'

// A picture's layers as channels of a multi-layer OpenEXR file: layer.pass.channel, and what the picture has once under names of its own.

const PASS_CHANNELS = {
  colour: ['R', 'G', 'B'],
  alpha: ['A'],
  emission: ['emission.R', 'emission.G', 'emission.B'],
  effect: ['effectlight.R', 'effectlight.G', 'effectlight.B'],
  light: ['setlight.R', 'setlight.G', 'setlight.B'],
  sun: ['sunshadow.Y'],
  sky: ['skyshadow.Y'],
  contact: ['contact.Y'],
  depth: ['depth.Z'],
} as const
const PASS_NAMES = Object.keys(PASS_CHANNELS) as readonly (keyof typeof PASS_CHANNELS)[]
const OWN_CHANNELS = {
  sunlit: ['sunlit.Y'],
  depth: ['depth.Z'],
  normal: ['normal.X', 'normal.Y', 'normal.Z'],
  motion: ['motion.X', 'motion.Y'],
  heat: ['heat.Y'],
} as const

const plane = (image: FloatImage, channel: number): Float32Array => {
  const out = new Float32Array(image.width * image.height)
  for (let n = 0; n < out.length; n++) out[n] = image.data[n * image.channels + channel] ?? 0
  return out
}

/** Planes of an image under names, half floats; depth in floats. */
export const channelsOf = (image: FloatImage, names: readonly string[]): ExrChannel[] =>
  names.map((name, c) => ({ name, type: name.endsWith('depth.Z') ? 'float' : 'half', data: plane(image, c) }))

/** An image of a layer over the whole picture. */
function whole(image: FloatImage, layer: Bounds, { width, height }: Picture, elsewhere: number): FloatImage {
  const out = makeImage(width, height, image.channels)
  if (elsewhere) out.data.fill(elsewhere)
  for (let y = 0; y < layer.height; y++) {
    const start = y * layer.width * image.channels
    const row = image.data.subarray(start, start + layer.width * image.channels)
    out.data.set(row, ((y + layer.y) * width + layer.x) * image.channels)
  }
  return out
}

/** A name that OpenEXR and its readers take for a layer. */
const exrName = (name: string): string => name.replace(/[^A-Za-z0-9]+/g, '_').replace(/^_|_$/g, '') || 'layer'

/** All of a picture as channels of one file. nameOf: what a layer is called. Equal names are told apart by a number. */
export function pictureChannels(picture: Picture, nameOf: (layer: string) => string): ExrChannel[] {
  const used = new Set<string>()
  const free = (wanted: string): string => {
    let name = wanted
    for (let n = 2; used.has(name); n++) name = `${wanted}_${n}`
    used.add(name)
    return name
  }
  const layers = picture.layers.flatMap((layer) => {
    const name = free(exrName(nameOf(layer.id)))
    return PASS_NAMES.flatMap((part) => {
      const image = layer[part]
      if (!image) return []
      const full = whole(image, placeOf(layer, part), picture, LAYER_IMAGES[part].elsewhere)
      const names = PASS_CHANNELS[part].map((channel) => `${name}.${channel}`)
      // Depth is a mean over what is seen.
      if (part === 'depth' && layer.alpha) divide(full, whole(layer.alpha, layer, picture, 0))
      return channelsOf(full, names)
    })
  })
  return [...layers, ...PICTURE_IMAGE_NAMES.flatMap((part) => channelsOf(picture[part], OWN_CHANNELS[part]))]
}

function divide(image: FloatImage, by: FloatImage): void {
  for (let n = 0; n < image.data.length; n++) {
    const share = by.data[n] ?? 0
    image.data[n] = share > 1e-4 ? (image.data[n] ?? 0) / share : 0
  }
}
