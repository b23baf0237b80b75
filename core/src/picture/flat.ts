import { type Crew, type Progress, silent } from '../base/index.ts'
import { type FloatImage, makeImage, type Picture } from '../data/index.ts'
import type { Drawable, FrameScene } from './passes.ts'
import { renderPicture } from './render.ts'

/** All layers of a picture together, over the whole frame. */
export interface FlatPicture {
  /** Own light, r g b. */
  fire: FloatImage
  /** r g b lit by sun and sky, alpha. */
  smoke: FloatImage
  /** r g b lit by effects. */
  smokeLight: FloatImage
  /** Light on the set, as share of the plate's white light. */
  light: FloatImage
  /** Share of the plate's own light on level ground that reaches the set. */
  shadow: FloatImage
  depth: FloatImage
  heat: FloatImage
}

/** Sums a picture's layers. sunShare: of the plate's light. */
export function flatten(picture: Picture, sunShare: number): FlatPicture {
  const { width, height } = picture
  const flat = {
    fire: makeImage(width, height, 3),
    smoke: makeImage(width, height, 4),
    smokeLight: makeImage(width, height, 3),
    light: makeImage(width, height, 3),
    shadow: makeImage(width, height, 1),
    depth: picture.depth,
    heat: picture.heat,
  }
  flat.shadow.data.fill(1)
  for (const layer of picture.layers)
    for (let y = 0; y < layer.height; y++)
      for (let x = 0; x < layer.width; x++) {
        const [from, to] = [y * layer.width + x, (y + layer.y) * width + x + layer.x]
        const add = (into: FloatImage, image: FloatImage | undefined, first = 0): void => {
          if (!image) return
          const { channels, data } = image
          for (let c = 0; c < channels; c++) {
            const n = to * into.channels + first + c
            into.data[n] = (into.data[n] ?? 0) + (data[from * channels + c] ?? 0)
          }
        }
        add(flat.fire, layer.emission)
        add(flat.smoke, layer.colour)
        add(flat.smoke, layer.alpha, 3)
        add(flat.smokeLight, layer.effect)
        add(flat.light, layer.light)
        const through = sunShare * (layer.sun?.data[from] ?? 1) + (1 - sunShare) * (layer.sky?.data[from] ?? 1)
        flat.shadow.data[to] = (flat.shadow.data[to] ?? 1) * through
      }
  return flat
}

/** Renders drawables as one layer and flattens that. */
export const renderFlat = (
  crew: Crew,
  { drawables, ...frame }: Omit<FrameScene, 'layers'> & { drawables: readonly Drawable[] },
  progress: Progress = silent,
): FlatPicture =>
  flatten(renderPicture(crew, { ...frame, layers: [{ id: 'all', drawables }] }, progress), frame.light.sunShare)
