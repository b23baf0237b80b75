import { type FloatImage, makeImage, type PictureLayer } from '../../core/src/data/index.ts'
import { type CheckedLay, checkFrame } from '../../core/src/pipeline/index.ts'
import {
  BARE_LAYER,
  BARE_STACK,
  compositeStack,
  PLAIN_SENSOR,
  plateSpreads,
  type StackPicture,
  type StackSettings,
} from '../../core/src/sit/index.ts'
import { type Bench, timed } from './bench.ts'

// The stack and its check: twelve layers that each cover 15 % of the picture, with all that a shot has.

const LAYERS = 12
const SHARE = 0.15
const imageOf = (width: number, height: number, channels: number, value: (n: number) => number): FloatImage => {
  const image = makeImage(width, height, channels)
  for (let n = 0; n < image.data.length; n++) image.data[n] = value(n)
  return image
}

/** Twelve soft discs over the picture; each second one is a fire. */
function discs(width: number, height: number): PictureLayer[] {
  const side = Math.sqrt(SHARE)
  const [w, h] = [Math.round(side * width), Math.round(side * height)]
  return Array.from({ length: LAYERS }, (_, k): PictureLayer => {
    const [x, y] = [Math.round(((k % 4) / 3) * (width - w)), Math.round((Math.floor(k / 4) / 2) * (height - h))]
    const cover = (n: number): number => {
      const [u, v] = [(2 * (n % w)) / w - 1, (2 * Math.floor(n / w)) / h - 1]
      return Math.max(0, Math.min(1, 3 * (1 - Math.max(Math.abs(u), Math.abs(v)))))
    }
    const colour = imageOf(w, h, 3, (n) => cover(Math.floor(n / 3)) * (0.1 + ((n * 37) % 101) / 300))
    const alpha = imageOf(w, h, 1, cover)
    const fire = k % 2 === 0 ? { emission: imageOf(w, h, 3, (n) => 4 * cover(Math.floor(n / 3)) ** 4) } : {}
    return { id: `disc-${k}`, x, y, width: w, height: h, colour, alpha, ...fire }
  })
}

function scene(width: number, height: number): { plate: FloatImage; picture: StackPicture; settings: StackSettings } {
  const layers = discs(width, height)
  const heat = imageOf(width, height, 1, (n) => Math.max(0, 0.2 - Math.abs((n % width) / width - 0.5)))
  const how = { ...BARE_LAYER, softness: 0.7, gamma: 1.1, contrast: 1.1, saturation: 0.9 }
  return {
    plate: imageOf(width, height, 3, (n) => ((n * 37) % 101) / 200),
    picture: { width, height, layers, sunlit: makeImage(width, height, 1), heat },
    settings: {
      ...BARE_STACK,
      lays: layers.map(({ id }) => ({ of: id, how })),
      halation: { share: 0.05, radius: 0.012, red: 1 },
      airGlow: 0.1,
      glowRadii: [0.02, 0.06, 0.18],
      shimmer: { amount: 1, fine: 1, focal: 1.1 * width, distance: 8, time: 1 },
      grain: { floor: [1e-5, 1e-5, 1e-5], slope: [1e-4, 1e-4, 1e-4], spread: 0.1 },
      grainAmount: 1,
      sensor: PLAIN_SENSOR,
    },
  }
}

const stack = (width: number, height: number): Bench => ({
  name: `sit/twelve-${width}x${height}`,
  size: `${width}x${height}, 12 layers of 15 %`,
  runs: 5,
  threads: [1, 2],
  run(crew) {
    const { plate, picture, settings } = scene(width, height)
    const scale = width / 1280
    const once = (): void => void compositeStack(crew, plate, picture, settings, scale, 1)
    // An amount that moves changes nothing that was found of the layers.
    return { ms: timed(5, once), figures: {} }
  },
})

const check = (width: number, height: number): Bench => ({
  name: `sit/check-${width}x${height}`,
  size: `${width}x${height}, 12 layers of 15 %`,
  runs: 3,
  threads: [1, 2],
  run(crew) {
    const { plate, picture, settings } = scene(width, height)
    const names = settings.lays.map(({ of }): CheckedLay => ({ id: of, of, name: of }))
    const spreads = plateSpreads(plate, settings.grain)
    const inputs = { plate, picture, settings, names, fullWidth: 1280, frame: 1, spreads }
    return { ms: timed(3, () => void checkFrame(crew, inputs)), figures: {} }
  },
})

export const sitBenches: readonly Bench[] = [stack(1280, 720), stack(640, 360), check(640, 360)]
