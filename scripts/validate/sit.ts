import type { Crew } from '../../core/src/base/index.ts'
import { type FloatImage, makeImage, type PictureLayer } from '../../core/src/data/index.ts'
import {
  BARE_LAYER,
  BARE_STACK,
  compositeStack,
  encodeSrgb,
  PLAIN_SENSOR,
  type StackBlend,
  type StackSettings,
  throughSensor,
} from '../../core/src/sit/index.ts'
import { atMost, type Row } from './row.ts'
import { lightRows } from './sitLight.ts'
import { patchRows, patchSet } from './sitPatches.ts'
import { sizeRows } from './sitSizes.ts'
import { slideAndHaloRows } from './sitSlide.ts'
import { streakRows } from './sitStreak.ts'

// The stack and the sit check against what we did not write.

const [W, H] = [64, 48]

const imageOf = (width: number, height: number, channels: number, value: (n: number) => number): FloatImage => {
  const image = makeImage(width, height, channels)
  image.data.forEach((_, n) => (image.data[n] = value(n)))
  return image
}
const layerOf = (width: number, height: number, images: Partial<PictureLayer>): PictureLayer => ({
  id: 'a',
  x: 0,
  y: 0,
  width,
  height,
  ...images,
})
const lay = (crew: Crew, plate: FloatImage, layer: PictureLayer, over: Partial<StackSettings>): FloatImage => {
  const { width, height } = plate
  const picture = { width, height, layers: [layer], sunlit: makeImage(width, height, 1) }
  return compositeStack(crew, plate, picture, { ...BARE_STACK, ...over }, 1, 1)
}

/** B(backdrop, source) as section 9.1 of the W3C's Compositing and Blending Level 1 has it; add is plus-lighter without its clamp. */
const FORMULAE: Readonly<Record<StackBlend, (b: number, s: number) => number>> = {
  over: (_, s) => s,
  add: (b, s) => b + s,
  screen: (b, s) => b + s - b * s,
  multiply: (b, s) => b * s,
  lighten: (b, s) => Math.max(b, s),
  'soft light': (b, s) =>
    s <= 0.5
      ? b - (1 - 2 * s) * b * (1 - b)
      : b + (2 * s - 1) * ((b <= 0.25 ? ((16 * b - 12) * b + 4) * b : Math.sqrt(b)) - b),
}

function blendRows(crew: Crew): Row[] {
  const plate = imageOf(W, H, 3, (n) => ((n * 37) % 101) / 100)
  const alpha = imageOf(W, H, 1, (n) => ((n * 29) % 53) / 52)
  const straight = imageOf(W, H, 3, (n) => ((n * 61) % 97) / 96)
  const colour = imageOf(W, H, 3, (n) => (straight.data[n] ?? 0) * (alpha.data[Math.floor(n / 3)] ?? 0))
  return (Object.keys(FORMULAE) as StackBlend[]).map((blend) => {
    const result = lay(crew, plate, layerOf(W, H, { alpha, colour }), {
      lays: [{ of: 'a', how: { ...BARE_LAYER, blend } }],
    })
    let worst = 0
    for (let n = 0; n < W * H * 3; n++) {
      const [b, s, a] = [plate.data[n] ?? 0, straight.data[n] ?? 0, alpha.data[Math.floor(n / 3)] ?? 0]
      const expected = (1 - a) * b + a * FORMULAE[blend](b, s)
      worst = Math.max(worst, Math.abs((result.data[Math.floor(n / 3) * 4 + (n % 3)] ?? 9) - expected))
    }
    return atMost(`stack, ${blend}`, 'W3C Compositing and Blending Level 1, 5.1 and 9.1', 1e-6, worst)
  })
}

/** A point of light in dark, and what the glow makes of it, against the sum of true Gaussians. */
function glowRows(crew: Crew): Row[] {
  const [width, height] = [640, 360]
  const [share, radii] = [0.3, [0.01, 0.03, 0.08]]
  const emission = makeImage(width, height, 3)
  const spot = 6
  for (let y = -spot; y < spot; y++)
    for (let x = -spot; x < spot; x++)
      emission.data.fill(
        4,
        ((height / 2 + y) * width + width / 2 + x) * 3,
        ((height / 2 + y) * width + width / 2 + x) * 3 + 3,
      )
  const dark = makeImage(width, height, 3)
  const image = lay(crew, dark, layerOf(width, height, { emission }), { airGlow: share, glowRadii: radii })
  const [before, after] = [emission, image].map(({ data, channels }) =>
    data.reduce((sum, v, n) => sum + (n % channels === 0 ? v : 0), 0),
  ) as [number, number]
  const gauss = (d: number, sigma: number): number =>
    Math.exp((-d * d) / (2 * sigma * sigma)) / (sigma * Math.sqrt(2 * Math.PI))
  const across = (d: number, sigma: number): number => {
    let sum = 0
    for (let k = -spot; k < spot; k++) sum += gauss(d - k - 0.5, sigma)
    return sum
  }
  let [worst, peak] = [0, 0]
  for (let y = 0; y < height; y += 3)
    for (let x = 0; x < width; x += 3) {
      const inside = Math.abs(x + 0.5 - width / 2) < spot && Math.abs(y + 0.5 - height / 2) < spot
      let wanted = inside ? 4 * (1 - share) : 0
      let glow = 0
      for (const radius of radii) {
        const sigma = radius * width
        glow += ((4 * share) / radii.length) * across(x + 0.5 - width / 2, sigma) * across(y + 0.5 - height / 2, sigma)
      }
      wanted += glow
      peak = Math.max(peak, glow)
      worst = Math.max(worst, Math.abs((image.data[(y * width + x) * 4] ?? 0) - wanted))
    }
  return [
    atMost('glow, energy that is gained or lost, %', 'what went in', 0.5, 100 * Math.abs(after / before - 1)),
    atMost('glow, off the sum of Gaussians, % of its peak', 'the sum, by its formula', 1, (100 * worst) / peak),
  ]
}

const codeOf = (v: number): number => Math.round(255 * encodeSrgb(Math.min(1, Math.max(0, v))))

/** A ramp of a hot colour through the sensor: each channel rises, and the end is white. */
function clipRows(): Row[] {
  let [falls, last] = [0, [0, 0, 0]]
  for (let n = 0; n <= 4000; n++) {
    const light = pow10(n / 1000 - 1.5)
    const now = throughSensor([light, 0.42 * light, 0.1 * light], PLAIN_SENSOR).map(codeOf)
    for (let c = 0; c < 3; c++) falls = Math.max(falls, (last[c] ?? 0) - (now[c] ?? 0))
    last = now
  }
  return [
    atMost('clipping, a channel of a brightening flame falls by, 8-bit codes', 'none', 0, falls),
    atMost(
      'clipping, how far its end is off white, 8-bit codes',
      '255 255 255',
      0,
      Math.max(...last.map((v) => 255 - v)),
    ),
  ]
}
const pow10 = (v: number): number => 10 ** v

/** Hot air in the left half alone: no pixel of the right half changes. */
function shimmerRows(crew: Crew): Row[] {
  const plate = imageOf(W, H, 3, (n) => ((n * 37) % 101) / 100)
  const heat = imageOf(W, H, 1, (n) => (n % W < W / 2 - 10 ? ((n * 13) % 7) / 10 : 0))
  const picture = { width: W, height: H, layers: [], sunlit: makeImage(W, H, 1), heat }
  const shimmer = { amount: 4, fine: 1, focal: 1400, distance: 8, time: 0.7 }
  const shown = compositeStack(crew, plate, picture, { ...BARE_STACK, shimmer }, 1, 1)
  let [still, moved] = [0, 0]
  for (let n = 0; n < W * H; n++) {
    const off = Math.abs((shown.data[n * 4] ?? 0) - (plate.data[n * 3] ?? 0))
    if (n % W >= W / 2) still = Math.max(still, off)
    else moved = Math.max(moved, off)
  }
  return [
    atMost('shimmer, where no heat is', 'the plate', 0, still),
    {
      case: 'shimmer, where heat is',
      reference: 'the plate',
      expected: '> 0.01',
      measured: moved,
      tolerance: 'least',
      pass: moved > 0.01,
    },
  ]
}

export const sitRows = (crew: Crew): Row[] => [
  ...blendRows(crew),
  ...glowRows(crew),
  ...clipRows(),
  ...shimmerRows(crew),
  ...patchRows(crew),
  ...lightRows(crew),
  ...slideAndHaloRows(crew, patchSet(crew)),
  ...sizeRows(crew, patchSet(crew)),
  ...streakRows(crew),
]
