import { type Crew, canonicalJson, textKey } from '../../base/index.ts'
import {
  type ClipMoment,
  type CutOut,
  clipMoments,
  cutByColour,
  cutFromBlack,
  feathered,
  type Glow,
  glowsOf,
  halvings,
  mixed,
  smaller,
  withAlpha,
} from '../../cards/index.ts'
import { type FloatImage, makeImage, type Texture } from '../../data/index.ts'
import { degrees, exp, pow } from '../../math/index.ts'
import { drawMatte, foregroundColours } from '../../mattes/index.ts'
import type { DrawContext } from '../effect.ts'
import type { CardLook } from './instances.ts'
import { movedBetween } from './motion.ts'

// What a card shows at a moment, as textures.

/** What is there of an image, by a card's settings. */
export function cutOut(
  image: FloatImage,
  { there, lift, full, key, feather }: Pick<CardLook, 'there' | 'lift' | 'full' | 'key' | 'feather'>,
): CutOut {
  if (there === 'on black') return feathered(cutFromBlack(image, lift, full), feather)
  if (there === 'keyed') return feathered(cutByColour(image, key), feather)
  if (there === 'with alpha' && image.channels === 4) return feathered(image, feather)
  if (there === 'by a matte' && image.channels === 4) return image
  const out = makeImage(image.width, image.height, 4)
  for (let n = 0; n < image.width * image.height; n++) {
    for (let c = 0; c < 3; c++) out.data[4 * n + c] = image.data[n * image.channels + c] ?? 0
    out.data[4 * n + 3] = 1
  }
  return feathered(out, feather)
}

const STEPS = 16383
/** Bytes of sRGB (IEC 61966-2-1) of so many steps of light; each step is finer than a byte but in the darkest. */
const CODES = Uint8Array.from({ length: STEPS + 1 }, (_, n) => {
  const v = n / STEPS
  return Math.round(255 * (v <= 0.0031308 ? 12.92 * v : 1.055 * pow(v, 1 / 2.4) - 0.055))
})

export interface Textures {
  /** Its own colour, as shares of `most`, and how much of it is there. */
  picture: Texture
  most: number
  /** Where in the frame it shines. */
  glows: readonly Glow[]
  /** The part of the frame that it is of, shares of width and height from the top left. */
  part: Part
  /** From the middle of what is there to the middle of its light, right and up, shares of its height. */
  brighter: readonly [number, number]
}
export interface Part {
  x0: number
  y0: number
  x1: number
  y1: number
}
const ALL: Part = { x0: 0, y0: 0, x1: 1, y1: 1 }
/** From the middle of what is there of an image to the middle of its light, right and up, shares of its height. */
function brighterSide({ width, height, data }: CutOut): [number, number] {
  const there = [0, 0, 0]
  const lit = [0, 0, 0]
  for (let n = 0; n < width * height; n++) {
    const alpha = data[4 * n + 3] as number
    const [x, y] = [n % width, Math.floor(n / width)]
    const light = alpha * ((data[4 * n] as number) + (data[4 * n + 1] as number) + (data[4 * n + 2] as number))
    for (const [sums, weight] of [
      [there, alpha],
      [lit, light],
    ] as const) {
      sums[0] = (sums[0] as number) + weight * x
      sums[1] = (sums[1] as number) + weight * y
      sums[2] = (sums[2] as number) + weight
    }
  }
  const middle = ([x = 0, y = 0, sum = 0]: readonly number[]): [number, number] =>
    sum > 0 ? [x / sum, y / sum] : [0, 0]
  const [a, b] = [middle(there), middle(lit)]
  return [(b[0] - a[0]) / height, (a[1] - b[1]) / height]
}

/** Lights that a card is taken for, one above the other. */
const LIGHTS = 3
function texturesOf(image: CutOut, { light, sky }: Pick<CardLook, 'light' | 'sky'>, part: Part = ALL): Textures {
  const { width, height, data } = image
  let most = 1e-6
  for (let n = 0; n < data.length; n += 4) {
    if ((data[n + 3] as number) <= 0.01) continue
    for (let c = n; c < n + 3; c++) if ((data[c] as number) > most) most = data[c] as number
  }
  const bytes = new Uint8Array(data.length)
  const steps = STEPS / most
  for (let n = 0; n < data.length; n++) {
    const value = (n & 3) === 3 ? 255 * (data[n] as number) + 0.5 : (data[n] as number) * steps + 0.5
    if ((n & 3) === 3) bytes[n] = value >= 255 ? 255 : value | 0
    else bytes[n] = CODES[value <= 0 ? 0 : value >= STEPS ? STEPS : value | 0] as number
  }
  return {
    picture: { width, height, data: bytes, srgb: true, wrap: ['hold', 'hold'] },
    most,
    glows: light > 0 ? glowsOf(image, LIGHTS) : [],
    part,
    brighter: sky?.litSide ? brighterSide(image) : [0, 0],
  }
}

/** The frames of a card at a moment put together: blended, or moved to where they meet. imageOf: one of its frames. */
function atMoment(
  { frames, between }: Pick<CardLook, 'frames' | 'between'>,
  imageOf: (frame: number) => FloatImage | undefined,
  crew: Crew | undefined,
): FloatImage | undefined {
  const moments: ClipMoment[] = between === 'motion' && crew ? clipMoments(frames) : [...frames]
  const parts = moments.flatMap(({ frame, next, share }) => {
    const image = imageOf(frame)
    const other = next && imageOf(next.frame)
    if (!image || (next && !other)) return []
    if (!next || !other) return [{ image, share }]
    const moved = crew && movedBetween(crew, image, other, next.way)
    return moved
      ? [{ image: moved, share }]
      : [
          { image, share: share * (1 - next.way) },
          { image: other, share: share * next.way },
        ]
  })
  return parts.reduce((sum, { share }) => sum + share, 0) > 0.999 ? mixed(parts) : undefined
}

/** Air before what is far away: more of it near the horizon. */
function hazed(image: CutOut, { sky, gain }: CardLook): CutOut {
  if (!sky || sky.haze <= 0) return image
  const { width, height } = image
  const out = { ...image, data: image.data.slice() }
  for (let y = 0; y < height; y++) {
    const high = degrees(sky.elevation + (0.5 - (y + 0.5) / height) * sky.across)
    const share = Math.min(1, sky.haze) * exp(-Math.max(0, high) / HAZE_DEGREES)
    for (let n = 4 * y * width; n < 4 * (y + 1) * width; n += 4)
      for (let c = 0; c < 3; c++)
        out.data[n + c] =
          (1 - share) * (out.data[n + c] as number) +
          (share * (sky.hazeColour[c] as number)) / Math.max(1e-6, gain[c] as number)
  }
  return out
}
/** Over so many degrees more above the horizon air hides e times less. */
const HAZE_DEGREES = 9

const made = new WeakMap<FloatImage, Map<string, Textures>>()
/** Textures of a card at a moment, made once for each; undefined until its frames are there. tall: px that it is seen tall. */
export function shownTextures(
  look: CardLook,
  tall: number,
  { clip, crew, matte }: Pick<DrawContext, 'clip' | 'crew' | 'matte'>,
): Textures | undefined {
  const frames = new Map(look.frames.map(({ frame }) => [frame, clip?.({ ...look.clip, frame })]))
  const filmed = (frame: number): FloatImage | undefined => frames.get(frame)
  if (look.there === 'by a matte') return cutTextures(look, filmed, { crew, matte })
  const [first] = look.frames
  const whole = first && filmed(first.frame)
  const { there, lift, full, key, feather, between, light, sky, gain } = look
  const shines = light > 0
  const halved = whole ? halvings(whole, tall) : 0
  const air = sky && sky.haze > 0 ? { ...sky, gain } : null
  const name = textKey(
    canonicalJson({
      there,
      lift,
      full,
      key,
      feather,
      shown: look.frames,
      between,
      crew: !!crew,
      halved,
      shines,
      air,
      litSide: sky?.litSide ?? false,
    }),
  )
  const known = whole && made.get(whole)?.get(name)
  if (known) return known
  // No finer than it is seen.
  const image = atMoment(look, (frame) => seenSize(filmed(frame), tall), crew)
  if (!whole || !image) return undefined
  const textures = texturesOf(hazed(cutOut(image, look), look), look)
  const all = made.get(whole) ?? new Map<string, Textures>()
  made.set(whole, all.set(name, textures))
  return textures
}

const smallerOnes = new WeakMap<FloatImage, Map<number, FloatImage>>()
/** A frame no finer than it is seen; the same one for the same frame, so that its motion is found once. */
function seenSize(image: FloatImage | undefined, tall: number): FloatImage | undefined {
  if (!image) return undefined
  const all = smallerOnes.get(image) ?? new Map<number, FloatImage>()
  smallerOnes.set(image, all)
  const often = halvings(image, tall)
  const known = all.get(often) ?? smaller(image, tall)
  all.set(often, known)
  return known
}

/** Px round what a matte covers that its colours are found from. */
const AROUND = 8
/** The part of masks of one size that any of them covers, px, with room; undefined where none does. */
function boxOf(masks: readonly FloatImage[]): Part | undefined {
  let [x0, y0, x1, y1] = [Infinity, Infinity, -1, -1]
  for (const { width, data } of masks)
    for (let n = 0; n < data.length; n++) {
      if ((data[n] as number) <= 0.004) continue
      const [x, y] = [n % width, Math.floor(n / width)]
      x0 = Math.min(x0, x)
      y0 = Math.min(y0, y)
      x1 = Math.max(x1, x + 1)
      y1 = Math.max(y1, y + 1)
    }
  const [one] = masks
  if (!one || x1 < 0) return undefined
  return {
    x0: Math.max(0, x0 - AROUND),
    y0: Math.max(0, y0 - AROUND),
    x1: Math.min(one.width, x1 + AROUND),
    y1: Math.min(one.height, y1 + AROUND),
  }
}
function cropped({ width, channels, data }: FloatImage, { x0, y0, x1, y1 }: Part): FloatImage {
  const out = makeImage(x1 - x0, y1 - y0, channels)
  for (let y = y0; y < y1; y++)
    out.data.set(
      data.subarray((y * width + x0) * channels, (y * width + x1) * channels),
      (y - y0) * (x1 - x0) * channels,
    )
  return out
}

/** The matte that cuts a frame of a card, as wide as the frame. */
function maskOf(
  { cutBy }: CardLook,
  frame: number,
  { width, height }: FloatImage,
  plateWidth: number,
  matte: DrawContext['matte'],
): FloatImage | undefined {
  if (!cutBy) return undefined
  if (!cutBy.mattes) return matte?.(cutBy.matte, frame, width)?.image
  const draw = (id: string, around: readonly string[]): FloatImage | undefined => {
    const item = around.includes(id) ? undefined : cutBy.mattes?.[id]
    return (
      item &&
      drawMatte(
        item,
        { width, height, scale: width / plateWidth, opening: frame, closing: frame },
        { other: (of) => draw(of, [...around, id]) },
      )
    )
  }
  return draw(cutBy.matte, [])
}

/** Textures of what a matte covers of a card's frames, cut to its part, with the background's colour taken out of its rim. */
function cutTextures(
  look: CardLook,
  filmed: (frame: number) => FloatImage | undefined,
  { crew, matte }: Pick<DrawContext, 'crew' | 'matte'>,
): Textures | undefined {
  const cut = look.frames.map(({ frame }) => {
    const image = filmed(frame)
    const mask = image && maskOf(look, frame, image, look.clipWidth, matte)
    return image && mask && mask.width === image.width && mask.height === image.height
      ? { frame, image, mask }
      : undefined
  })
  if (cut.some((one) => one === undefined)) return undefined
  const all = cut.filter((one) => one !== undefined)
  const box = boxOf(all.map(({ mask }) => mask))
  const [first] = all
  if (!box || !first) return undefined
  const parts = new Map(
    all.map(({ frame, image, mask }) => {
      const [own, alpha] = [cropped(image, box), cropped(mask, box)]
      const plain = own.channels === 3 ? own : withoutAlpha(own)
      return [frame, withAlpha(foregroundColours(plain, alpha), alpha)] as const
    }),
  )
  const image = atMoment(look, (frame) => parts.get(frame), crew)
  const { width, height } = first.image
  const part = { x0: box.x0 / width, y0: box.y0 / height, x1: box.x1 / width, y1: box.y1 / height }
  return image && texturesOf(cutOut(image, look), look, part)
}
function withoutAlpha({ width, height, data }: FloatImage): FloatImage {
  const out = makeImage(width, height, 3)
  for (let n = 0; n < width * height; n++) for (let c = 0; c < 3; c++) out.data[3 * n + c] = data[4 * n + c] as number
  return out
}
