import type { FloatImage } from './image.ts'

/** An image of a layer that may lie in a part of the picture of its own, px; else it fills its layer's. */
export interface PlacedImage extends FloatImage {
  at?: readonly [x: number, y: number]
}

/** One layer of a picture within a part of the frame, what it casts in parts of their own; what it has nothing of is left out. Colours are premultiplied, in plate value at exposure 0. */
export interface PictureLayer {
  id: string
  /** Where it lies in the picture, px. */
  x: number
  y: number
  width: number
  height: number
  /** Lit by the plate's own light, r g b. */
  colour?: FloatImage
  /** What of the picture it hides, already less what stands before it. */
  alpha?: FloatImage
  /** Its own light, r g b. */
  emission?: FloatImage
  /** Lit by effects, r g b. */
  effect?: FloatImage
  /** Its light on the set, r g b: as share of the plate's white light. */
  light?: PlacedImage
  /** What it lets through to the set of the sun's light, and of the sky's, given the layers before it: they multiply. */
  sun?: PlacedImage
  sky?: PlacedImage
  /** The same of the sky near by. */
  contact?: PlacedImage
  /** Mean distance of what is seen, m, times alpha. */
  depth?: FloatImage
  /** What other layers that are no solid things hide of it: colour, alpha, emission, effect and depth of it alone are these added to its own. */
  hiddenColour?: PlacedImage
  hiddenAlpha?: PlacedImage
  hiddenEmission?: PlacedImage
  hiddenEffect?: PlacedImage
  hiddenDepth?: PlacedImage
}

/** A rendered frame: its layers, and what it has once. */
export interface Picture {
  width: number
  height: number
  layers: PictureLayer[]
  /** What is left of the plate. With the layers' alphas it makes 1. */
  plate: FloatImage
  /** The sun's share of the plate's own light where it falls on the set. */
  sunlit: FloatImage
  /** Distance along the view axis, m; 0 where nothing is. */
  depth: FloatImage
  normal: FloatImage
  place: FloatImage
  /** Motion while the shutter is open, px. */
  motion: FloatImage
  /** Metres of heated air that are looked through, each counted by how much thinner it is than the air: what shimmers. */
  heat: FloatImage
}

/** The images that a layer may have, with their channels and what they are where they say nothing. */
export const LAYER_IMAGES = {
  colour: { channels: 3, elsewhere: 0 },
  alpha: { channels: 1, elsewhere: 0 },
  emission: { channels: 3, elsewhere: 0 },
  effect: { channels: 3, elsewhere: 0 },
  light: { channels: 3, elsewhere: 0 },
  sun: { channels: 1, elsewhere: 1 },
  sky: { channels: 1, elsewhere: 1 },
  contact: { channels: 1, elsewhere: 1 },
  depth: { channels: 1, elsewhere: 0 },
  hiddenColour: { channels: 3, elsewhere: 0 },
  hiddenAlpha: { channels: 1, elsewhere: 0 },
  hiddenEmission: { channels: 3, elsewhere: 0 },
  hiddenEffect: { channels: 3, elsewhere: 0 },
  hiddenDepth: { channels: 1, elsewhere: 0 },
} as const
/** The images of what others hide of a layer: they lie in one part. */
export const HIDDEN_IMAGES = ['hiddenColour', 'hiddenAlpha', 'hiddenEmission', 'hiddenEffect', 'hiddenDepth'] as const
export type LayerImage = keyof typeof LAYER_IMAGES
export const LAYER_IMAGE_NAMES = Object.keys(LAYER_IMAGES) as readonly LayerImage[]

/** The images that a picture has once. */
export const PICTURE_IMAGES = { sunlit: 1, depth: 1, normal: 3, motion: 2, heat: 1 } as const
export type PictureImage = keyof typeof PICTURE_IMAGES
export const PICTURE_IMAGE_NAMES = Object.keys(PICTURE_IMAGES) as readonly PictureImage[]
