import { type FloatImage, makeImage, type Picture, type PictureLayer } from '../data/index.ts'
import { foregroundColours } from '../mattes/index.ts'
import type { SceneMatte } from '../picture/index.ts'

// A matte's rim mixes what it covers with the plate's own background. Where something lies behind, that background is hidden, and would still show in the rim: what it adds there is taken back, as part of what lies behind.

/** Shares of a pixel between which it belongs to a rim. */
const RIM = { least: 0.01, most: 0.99 } as const
/** Px round a matte that its colours are found from. */
const AROUND = 12

interface Box {
  x: number
  y: number
  width: number
  height: number
}
/** The part of a picture that a matte covers, with room. */
function boxOf({ width, height, data }: FloatImage): Box | undefined {
  let [x0, y0, x1, y1] = [width, height, -1, -1]
  for (let n = 0; n < data.length; n++) {
    if ((data[n] as number) <= RIM.least) continue
    const [x, y] = [n % width, Math.floor(n / width)]
    x0 = Math.min(x0, x)
    x1 = Math.max(x1, x)
    y0 = Math.min(y0, y)
    y1 = Math.max(y1, y)
  }
  if (x1 < 0) return undefined
  const [x, y] = [Math.max(0, x0 - AROUND), Math.max(0, y0 - AROUND)]
  return { x, y, width: Math.min(width, x1 + AROUND + 1) - x, height: Math.min(height, y1 + AROUND + 1) - y }
}
function part({ width, channels, data }: FloatImage, box: Box): FloatImage {
  const out = makeImage(box.width, box.height, channels)
  for (let y = 0; y < box.height; y++) {
    const from = ((y + box.y) * width + box.x) * channels
    out.data.set(data.subarray(from, from + box.width * channels), y * box.width * channels)
  }
  return out
}

/** What a rim's pixels lack where all behind them is hidden, r g b: alpha / (1 - alpha) x (the colour of what is covered - the plate's). */
function lackingOf(plate: FloatImage, alpha: FloatImage): FloatImage {
  const front = foregroundColours(plate, alpha)
  const out = makeImage(plate.width, plate.height, 3)
  for (let n = 0; n < alpha.data.length; n++) {
    const a = alpha.data[n] as number
    if (a <= RIM.least || a >= RIM.most) continue
    for (let c = 3 * n; c < 3 * n + 3; c++)
      out.data[c] = (a / (1 - a)) * ((front.data[c] as number) - (plate.data[c] as number))
  }
  return out
}

/** Takes the plate's background out of a layer where it lies behind a matte's rim. */
function cleanLayer(layer: PictureLayer, box: Box, lacking: FloatImage, distance: number): PictureLayer {
  const { alpha, depth, x, y, width, height } = layer
  if (!alpha || !depth) return layer
  const colour = makeImage(width, height, 3)
  if (layer.colour) colour.data.set(layer.colour.data)
  for (let v = Math.max(y, box.y); v < Math.min(y + height, box.y + box.height); v++)
    for (let u = Math.max(x, box.x); u < Math.min(x + width, box.x + box.width); u++) {
      const n = (v - y) * width + u - x
      const share = alpha.data[n] as number
      if (share <= 0 || (depth.data[n] as number) / share <= distance) continue
      const m = (v - box.y) * box.width + u - box.x
      for (let c = 0; c < 3; c++)
        colour.data[3 * n + c] = (colour.data[3 * n + c] as number) + share * (lacking.data[3 * m + c] as number)
    }
  return { ...layer, colour }
}

/** A picture whose mattes' rims are clean: none of the plate's background is left in them before what lies behind. plate: as light, the picture's size. */
export function cleanRims(picture: Picture, mattes: readonly SceneMatte[], plate: FloatImage): Picture {
  let { layers } = picture
  for (const { image, distance, cuts, distances } of mattes) {
    const box = cuts || distances ? undefined : boxOf(image)
    if (!box) continue
    const lacking = lackingOf(part(plate, box), part(image, box))
    layers = layers.map((layer) => cleanLayer(layer, box, lacking, distance))
  }
  return { ...picture, layers }
}
