import { type FloatImage, layerValue, makeImage, type PictureLayer } from '../data/index.ts'
import { exp } from '../math/index.ts'
import type { StackPicture, StackSettings } from './stackTypes.ts'

// Hot air over what was filmed: fires of clips, and areas that were drawn. It rises from what is bright, spreads and cools.

/** Light from which a layer's parts count as flame, times white. */
const BRIGHT = 0.4
/** How much thinner a flame's gas is than the air around: 1 - 293 K / 1200 K. */
const THINNER = 0.75
/** It rises so many times as high as the source is until it has a third of its heat. */
const HEIGHTS = 2
/** Share that goes to either side, a row. */
const ASIDE = 0.12

/** Less hot air than this bends nothing that could be seen, m. */
const LEAST_HEAT = 1e-4

/** Heat that rises from sources, in place: each row has its own, or what is left of that below it. reach: px over which a third is left. */
function rise({ width, height, data }: FloatImage, reach: number): void {
  const left = exp(-1 / Math.max(1, reach))
  for (let y = height - 2; y >= 0; y--)
    for (let x = 0; x < width; x++) {
      const below = (y + 1) * width + x
      const [a, b, c] = [data[below - (x > 0 ? 1 : 0)], data[below], data[below + (x + 1 < width ? 1 : 0)]]
      const come = left * ((1 - 2 * ASIDE) * (b ?? 0) + ASIDE * ((a ?? 0) + (c ?? 0)))
      const n = y * width + x
      if (come > LEAST_HEAT) data[n] = Math.max(data[n] ?? 0, come)
    }
}

/** Rows that a source takes up. */
function tall({ width, height, data }: FloatImage): number {
  let [top, low] = [height, -1]
  for (let n = 0; n < data.length; n++)
    if ((data[n] ?? 0) > 0) {
      const y = Math.floor(n / width)
      top = Math.min(top, y)
      low = y
    }
  return Math.max(0, low - top + 1)
}

/** Where a layer is bright: metres of hot gas, as deep as it is wide there. metre: px of a metre at its distance. */
function brightParts(layer: PictureLayer, { width, height }: StackPicture, metre: number, amount: number): FloatImage {
  const out = makeImage(width, height, 1)
  const light = (n: number): number =>
    Math.max(0, (layer.colour?.data[3 * n] ?? 0) + (layer.emission?.data[3 * n] ?? 0))
  for (let j = 0; j < layer.height; j++) {
    let wide = 0
    for (let i = 0; i < layer.width; i++) if (light(j * layer.width + i) > BRIGHT) wide++
    if (wide === 0) continue
    for (let i = 0; i < layer.width; i++)
      if (light(j * layer.width + i) > BRIGHT)
        out.data[(layer.y + j) * width + layer.x + i] = (amount * THINNER * wide) / metre
  }
  return out
}

/** How far a layer is, m: the mean over what is seen of it; undefined where that is not told. */
function distanceOf({ depth, alpha }: PictureLayer): number | undefined {
  if (!depth || !alpha) return undefined
  let [sum, share] = [0, 0]
  for (let n = 0; n < depth.data.length; n++) {
    sum += depth.data[n] ?? 0
    share += alpha.data[n] ?? 0
  }
  return share > 0 && sum > 0 ? sum / share : undefined
}

/** A matte as metres of hot air. */
function drawnHeat(matte: FloatImage, { width, height }: StackPicture, metres: number): FloatImage {
  const out = makeImage(width, height, 1)
  const whole = { id: 'matte', x: 0, y: 0, width: matte.width, height: matte.height, alpha: matte }
  for (let n = 0; n < out.data.length; n++) {
    const [x, y] = [((n % width) + 0.5) / width, (Math.floor(n / width) + 0.5) / height]
    out.data[n] = metres * layerValue(whole, 'alpha', Math.floor(x * matte.width), Math.floor(y * matte.height))
  }
  return out
}

/** A picture's hot air with what rises over filmed fires and drawn areas; the picture itself where there is none. fullWidth: px of the plate. */
export function withRisenHeat(picture: StackPicture, settings: StackSettings, fullWidth: number): StackPicture {
  const { lays, shimmer, mattes } = settings
  if (shimmer.amount <= 0) return picture
  const sources: FloatImage[] = []
  const done = new Set<string>()
  for (const { of, how } of lays) {
    const layer = picture.layers.find((one) => one.id === of)
    if (!layer || !how.shown || how.hotAir <= 0 || done.has(of)) continue
    done.add(of)
    const focal = (shimmer.focal * picture.width) / fullWidth
    sources.push(brightParts(layer, picture, focal / (distanceOf(layer) ?? shimmer.distance), how.hotAir))
  }
  const drawn = shimmer.over && mattes?.get(shimmer.over.matte)
  if (shimmer.over && drawn) sources.push(drawnHeat(drawn, picture, shimmer.over.metres))
  const heat = makeImage(picture.width, picture.height, 1)
  if (picture.heat) heat.data.set(picture.heat.data)
  let any = false
  for (const source of sources) {
    const rows = tall(source)
    if (rows === 0) continue
    any = true
    rise(source, HEIGHTS * rows)
    for (let n = 0; n < heat.data.length; n++) heat.data[n] = (heat.data[n] ?? 0) + (source.data[n] ?? 0)
  }
  return any ? { ...picture, heat } : picture
}
