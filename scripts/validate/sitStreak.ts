import { type Crew, random } from '../../core/src/base/index.ts'
import { type FloatImage, type Motion, makeImage } from '../../core/src/data/index.ts'
import { plateMotion, stackMotions } from '../../core/src/pipeline/index.ts'
import { makeItem, makeShot, mergePatch, parseShot } from '../../core/src/shot/index.ts'
import { BARE_LAYER, BARE_STACK, compositeStack, type StackPicture } from '../../core/src/sit/index.ts'
import { atMost, type Row, within } from './row.ts'

// Motion blur put back: how long it is, and that nothing crosses a matte's edge.

const [W, H] = [320, 200]
const WAY = 12
const stream = random(5)
const WAVES = Array.from({ length: 40 }, () => {
  const [long, angle] = [5 + 60 * stream.next(), 6.3 * stream.next()]
  return [(6.3 / long) * Math.cos(angle), (6.3 / long) * Math.sin(angle), 6.3 * stream.next()] as const
})

/** A texture that is known between pixels, moved to the right. */
function texture(moved: number): FloatImage {
  const image = makeImage(W, H, 3)
  for (let y = 0; y < H; y++)
    for (let x = 0; x < W; x++) {
      const u = x - moved
      const value = WAVES.reduce((sum, [a, b, c]) => sum + 0.012 * Math.sin(a * u + b * y + c), 0.3)
      image.data.fill(value, 3 * (y * W + x), 3 * (y * W + x) + 3)
    }
  return image
}

/** How long a line has become, from the variance across it: a box of length L has L^2 / 12, a pixel 1 / 12. */
function lengthOf(value: (x: number) => number): number {
  let [sum, mean, square] = [0, 0, 0]
  for (let x = 0; x < W; x++) {
    sum += value(x)
    mean += x * value(x)
    square += x * x * value(x)
  }
  return Math.sqrt(12 * (square / sum - (mean / sum) ** 2))
}

const line = (channels: number): FloatImage => {
  const image = makeImage(W, H, channels)
  for (let y = 0; y < H; y++) image.data.fill(1, channels * (y * W + W / 2), channels * (y * W + W / 2 + 1))
  return image
}
const ROW = H / 2

function plateRows(crew: Crew): Row[] {
  const motion = plateMotion(crew, texture(0), texture(WAY), true)
  const streaked = (plate: FloatImage, frames: number, matte?: FloatImage): FloatImage => {
    const plateStreak = { motion, frames, samples: 0, ...(matte ? { matte } : {}) }
    return compositeStack(crew, plate, undefined, { ...BARE_STACK, plateStreak }, 1, 1)
  }
  const lengths = [0.5, 1, 2].map((frames) => {
    const out = streaked(line(3), frames)
    const long = lengthOf((x) => out.data[4 * (ROW * W + x)] ?? 0)
    return within(`motion blur put back, length at ${frames} frames, px`, 'the motion', WAY * frames, long, 0.02)
  })
  const half = makeImage(W, H, 3)
  const matte = makeImage(W, H, 1)
  for (let n = 0; n < W * H; n++) {
    matte.data[n] = n % W < W / 2 ? 1 : 0
    half.data.fill(n % W < W / 2 ? 1 : 0.1, 3 * n, 3 * n + 3)
  }
  const out = streaked(half, 2, matte)
  let bled = 0
  for (let n = 0; n < W * H; n++)
    if (Math.abs((n % W) + 0.5 - W / 2) > 1)
      bled = Math.max(bled, Math.abs((out.data[4 * n] ?? 0) - (half.data[3 * n] ?? 0)))
  return [...lengths, atMost('motion blur put back, over a matte’s edge by more than 1 px', 'none', 1e-5, bled)]
}

/** A layer with the picture's own vectors. */
function layerRows(crew: Crew): Row[] {
  const alpha = line(1)
  const motion = makeImage(W, H, 2)
  for (let n = 0; n < W * H; n++) motion.data[2 * n] = WAY / 2
  const layer = { id: 'a', x: 0, y: 0, width: W, height: H, alpha, colour: line(3) }
  const picture: StackPicture = { width: W, height: H, layers: [layer], sunlit: makeImage(W, H, 1), motion }
  const size = { width: W, height: H, first: 1, last: 2 }
  const plate = { ...size, asset: 'a'.repeat(64), file: 'a.mp4', rate: [24, 1], encoding: 'srgb' }
  const shot = makeShot('Streak', plate as unknown as Parameters<typeof makeShot>[1])
  const items = { a: makeItem('card', { name: 'Card', order: 1 }) }
  const document = parseShot(mergePatch(shot, { items, sit: { layers: { a: { streak: 1 } } } }))
  const motions: ReadonlyMap<string, Motion> = stackMotions(crew, document, picture, { shutter: 0.5 })
  const how = { ...BARE_LAYER, streak: 1 }
  const settings = { ...BARE_STACK, lays: [{ of: 'a', how }], motions }
  const out = compositeStack(crew, makeImage(W, H, 3), picture, settings, 1, 1)
  const long = lengthOf((x) => out.data[4 * (ROW * W + x)] ?? 0)
  return [within('motion blur put back, a layer’s length at 1 frame, px', 'its vectors', WAY, long, 0.02)]
}

export const streakRows = (crew: Crew): Row[] => [...plateRows(crew), ...layerRows(crew)]
