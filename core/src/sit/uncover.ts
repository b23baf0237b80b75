import type { Crew } from '../base/index.ts'
import {
  type Bounds,
  boundsOf,
  type FloatImage,
  HIDDEN_IMAGES,
  makeImage,
  type PictureLayer,
  placeOf,
} from '../data/index.ts'
import type { StackPicture, StackSettings } from './stackTypes.ts'

// A picture's layers hide one another as they are, whole. Where one is laid with less of it, or not at all, what it hides of the others comes to light again.

const PAIRS = [
  ['colour', 'hiddenColour'],
  ['alpha', 'hiddenAlpha'],
  ['emission', 'hiddenEmission'],
  ['effect', 'hiddenEffect'],
  ['depth', 'hiddenDepth'],
] as const
const SEEN = PAIRS.map(([name]) => name)

/** A layer alone: its alpha and distance x alpha in turn, in its part. */
interface Alone extends Bounds {
  values: Float32Array
}

/** Goes through the pixels that an image of a layer has in a part: take gets the pixel of the part, the image’s values, and where among them the pixel’s begin. */
function eachIn(
  layer: PictureLayer,
  name: (typeof PAIRS)[number][0 | 1],
  part: Bounds,
  take: (pixel: number, from: Float32Array, at: number) => void,
): void {
  const image = layer[name]
  if (!image) return
  const place = placeOf(layer, name)
  const [left, right] = [Math.max(part.x, place.x), Math.min(part.x + part.width, place.x + place.width)]
  const bottom = Math.min(part.y + part.height, place.y + place.height)
  for (let y = Math.max(part.y, place.y); y < bottom; y++)
    for (let x = left; x < right; x++)
      take(
        (y - part.y) * part.width + x - part.x,
        image.data,
        ((y - place.y) * place.width + x - place.x) * image.channels,
      )
}

const alones = new WeakMap<PictureLayer, Alone>()
function aloneOf(layer: PictureLayer): Alone {
  const known = alones.get(layer)
  if (known) return known
  const part = coverOf(layer)
  const values = new Float32Array(part.width * part.height * 2)
  for (const [name, lane] of [
    ['alpha', 0],
    ['hiddenAlpha', 0],
    ['depth', 1],
    ['hiddenDepth', 1],
  ] as const)
    eachIn(layer, name, part, (pixel, from, at) => {
      values[2 * pixel + lane] = (values[2 * pixel + lane] as number) + (from[at] as number)
    })
  const alone = { ...part, values }
  alones.set(layer, alone)
  return alone
}

/** Alpha and distance of a layer alone in a part of the picture. */
function inPart({ x, y, width, height, values }: Alone, part: Bounds): Float32Array {
  const out = new Float32Array(part.width * part.height * 2)
  for (let j = Math.max(y, part.y); j < Math.min(y + height, part.y + part.height); j++)
    for (let i = Math.max(x, part.x); i < Math.min(x + width, part.x + part.width); i++)
      for (let lane = 0; lane < 2; lane++)
        out[2 * ((j - part.y) * part.width + i - part.x) + lane] = values[
          2 * ((j - y) * width + i - x) + lane
        ] as number
  return out
}

/** What share of a layer is seen in a part, where all is laid whole: of its alpha and its light. */
function seenShare(layer: PictureLayer, part: Bounds): Float32Array {
  const sums = (names: readonly (typeof PAIRS)[number][0 | 1][]): Float32Array => {
    const sum = new Float32Array(part.width * part.height)
    for (const name of names)
      eachIn(layer, name, part, (pixel, from, at) => {
        const more = name === 'alpha' || name === 'hiddenAlpha' ? (from[at] as number) : brightness(from, at)
        sum[pixel] = (sum[pixel] as number) + more
      })
    return sum
  }
  const seen = sums(['alpha', 'colour', 'emission', 'effect'])
  const hidden = sums(['hiddenAlpha', 'hiddenColour', 'hiddenEmission', 'hiddenEffect'])
  for (let n = 0; n < seen.length; n++) {
    const all = (seen[n] as number) + (hidden[n] as number)
    seen[n] = all > 0 ? (seen[n] as number) / all : 1
  }
  return seen
}

const brightness = (from: Float32Array, at: number): number =>
  0.2126 * (from[at] as number) + 0.7152 * (from[at + 1] as number) + 0.0722 * (from[at + 2] as number)

/** How much of a picture's layer is laid, in all its lays. */
function amountOf({ lays, plain }: StackSettings, id: string): number {
  const own = lays.filter(({ of }) => of === id)
  const all = own.length > 0 ? own.map(({ how }) => how) : [plain]
  return Math.min(
    1,
    all.reduce((sum, { shown, amount }) => sum + (shown ? amount : 0), 0),
  )
}

/** Where a layer hides something, were it alone. */
const coverOf = (layer: PictureLayer): Bounds => boundsOf(layer, ['alpha', 'hiddenAlpha'])

/** What of a part lies within the bounds of others that touch it. */
function common(part: Bounds, others: readonly Bounds[]): Bounds {
  const x = Math.max(part.x, Math.min(...others.map((one) => one.x)))
  const y = Math.max(part.y, Math.min(...others.map((one) => one.y)))
  const right = Math.min(part.x + part.width, Math.max(...others.map((one) => one.x + one.width)))
  const bottom = Math.min(part.y + part.height, Math.max(...others.map((one) => one.y + one.height)))
  return { x, y, width: right - x, height: bottom - y }
}

const touch = (a: Bounds, b: Bounds): boolean =>
  a.x < b.x + b.width && b.x < a.x + a.width && a.y < b.y + b.height && b.y < a.y + a.height

/** Of what is hidden of a layer, how much comes to light, in its part. */
function uncoveredShare(
  crew: Crew,
  layer: PictureLayer,
  part: Bounds,
  others: readonly { alone: Alone; amount: number }[],
): Float32Array {
  const { heap } = crew
  const mark = heap.mark()
  const pixels = part.width * part.height
  const [sums, own] = [heap.alloc(pixels * 8), heap.alloc(pixels * 8)]
  heap.f32(sums, pixels * 2).fill(0)
  heap.f32(own, pixels * 2).set(inPart(aloneOf(layer), part))
  for (const { alone, amount } of others) {
    const inner = heap.mark()
    const other = heap.alloc(alone.values.byteLength)
    heap.f32(other, alone.values.length).set(alone.values)
    const at = { x: alone.x - part.x, y: alone.y - part.y, across: alone.width, down: alone.height }
    crew.run('sumBefore', { sums, own, width: part.width, other, ...at, amount }, part.height, 8)
    heap.release(inner)
  }
  const [out, seen] = [heap.alloc(pixels * 4), heap.alloc(pixels * 4)]
  heap.f32(seen, pixels).set(seenShare(layer, part))
  crew.run('shareUncovered', { out, seen, sums }, pixels, 1024)
  const share = heap.f32(out, pixels).slice()
  heap.release(mark)
  return share
}

/** A layer to which a share of what is hidden of it is added. */
function withShare(layer: PictureLayer, part: Bounds, share: Float32Array): PictureLayer {
  const seen = boundsOf(layer, SEEN)
  const [x, y] = seen.width > 0 ? [Math.min(seen.x, part.x), Math.min(seen.y, part.y)] : [part.x, part.y]
  const right = Math.max(seen.x + seen.width, part.x + part.width)
  const bottom = Math.max(seen.y + seen.height, part.y + part.height)
  const out: PictureLayer = { ...layer, x, y, width: right - x, height: bottom - y }
  for (const name of HIDDEN_IMAGES) delete out[name]
  // What it casts lies where it lay.
  for (const name of ['light', 'sun', 'sky', 'contact'] as const) {
    const image = layer[name]
    if (image && !image.at) out[name] = { ...image, at: [layer.x, layer.y] }
  }
  for (const [name, hidden] of PAIRS) {
    const channels = layer[name]?.channels ?? layer[hidden]?.channels
    if (!channels) continue
    const image: FloatImage = makeImage(out.width, out.height, channels)
    eachIn(layer, name, out, (pixel, from, at) => {
      for (let c = 0; c < channels; c++) image.data[pixel * channels + c] = from[at + c] as number
    })
    eachIn(layer, hidden, part, (pixel, from, at) => {
      const [i, j] = [pixel % part.width, Math.floor(pixel / part.width)]
      const to = ((j + part.y - y) * out.width + i + part.x - x) * channels
      for (let c = 0; c < channels; c++)
        image.data[to + c] = Math.max(
          0,
          (image.data[to + c] as number) + (share[pixel] as number) * (from[at + c] as number),
        )
    })
    out[name] = image
  }
  return out
}

const last = new WeakMap<PictureLayer, { key: string; layer: PictureLayer }>()

/**
 * A picture whose layers show what comes to light of them where others are laid with less of them than whole: of the optical depth before a layer, as much as is laid of it is left. A layer that none of those touches is the same one; so is the picture where all are laid whole.
 * What a solid thing hides stays hidden: no ray went there. bad: layers that hold no numbers; they hide nothing.
 */
export function uncovered(
  crew: Crew,
  picture: StackPicture,
  settings: StackSettings,
  bad: (layer: PictureLayer) => boolean,
): StackPicture {
  const amounts = picture.layers.map((layer) => ({ layer, amount: amountOf(settings, layer.id) }))
  if (amounts.every(({ amount }) => amount === 1)) return picture
  const layers = picture.layers.map((layer) => {
    const whole = boundsOf(layer, HIDDEN_IMAGES)
    if (whole.width === 0 || bad(layer)) return layer
    const rest = amounts.filter((one) => one.layer !== layer && !bad(one.layer))
    const lessened = rest.filter(({ amount }) => amount !== 1).map((one) => coverOf(one.layer))
    const near = lessened.filter((cover) => touch(cover, whole))
    if (near.length === 0) return layer
    // Beyond those that are laid with less of them nothing comes to light.
    const part = common(whole, near)
    const others = rest
      .filter((one) => touch(coverOf(one.layer), part))
      .map(({ layer: other, amount }) => ({ alone: aloneOf(other), amount, id: other.id }))
    const key = JSON.stringify(others.map(({ id, amount }) => [id, amount]))
    const known = last.get(layer)
    if (known?.key === key) return known.layer
    const made = withShare(layer, part, uncoveredShare(crew, layer, part, others))
    last.set(layer, { key, layer: made })
    return made
  })
  return { ...picture, layers }
}
