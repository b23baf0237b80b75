import { describe, expect, it } from 'vitest'
import { noiseImage } from '../../testing/stackPictures.ts'
import { makeCrew } from '../base/index.ts'
import type { FloatImage, Motion, PictureLayer } from '../data/index.ts'
import {
  AtHand,
  BARE_LAYER,
  BARE_STACK,
  compositeStack,
  PLAIN_SENSOR,
  type StackLayer,
  type StackPicture,
  type StackSettings,
} from './index.ts'

const [W, H] = [24, 16]
const noise = (channels: number, seed: number, top?: number): FloatImage => noiseImage(W, H, channels, seed, top)
/** A layer with all that a layer may have. */
const layer = (id: string, seed: number): PictureLayer => ({
  id,
  x: 0,
  y: 0,
  width: W,
  height: H,
  colour: noise(3, seed, 0.4),
  alpha: noise(1, seed + 1),
  emission: noise(3, seed + 2),
  effect: noise(3, seed + 3, 0.2),
  light: noise(3, seed + 4, 0.3),
  sun: noise(1, seed + 5),
  sky: noise(1, seed + 6),
  contact: noise(1, seed + 7),
  depth: noise(1, seed + 8, 10),
})
const picture: StackPicture = {
  width: W,
  height: H,
  layers: [layer('fire', 10), layer('crate', 30)],
  sunlit: noise(1, 50),
  depth: noise(1, 51, 20),
  heat: noise(1, 52, 0.2),
}
const motion: Motion = { width: 2, height: 1, u: new Float32Array([3, -2]), v: new Float32Array([1, 2]) }
const still: StackLayer = { ...BARE_LAYER, softness: 0.6, gamma: 1.1, mattes: [{ id: 'm', outside: false }] }
const stack = (fire: Partial<StackLayer> = {}, over: Partial<StackSettings> = {}): StackSettings => ({
  ...BARE_STACK,
  lays: [
    { of: 'fire', how: { ...still, ...fire } },
    { of: 'crate', how: still },
  ],
  mattes: new Map([['m', matte]]),
  grainAmount: 1,
  grain: { floor: [0.01, 0.01, 0.01], slope: [0, 0, 0], spread: 0.1 },
  ...over,
})
const [matte, other] = [noise(1, 60), noise(1, 61)]

const line = [
  [0, 0],
  [1, 1],
] as const
const curves = {
  all: [
    [0, 0.1],
    [1, 1],
  ] as const,
  red: line,
  green: line,
  blue: line,
}

const CHANGES: Record<string, StackSettings> = {
  'an amount': stack({ amount: 0.4 }),
  'a grain': stack({ grain: 2 }),
  'a blend': stack({ blend: 'screen' }),
  'an exposure': stack({ exposure: 0.5 }),
  'a white': stack({ white: 0.8, tint: [1, 0.9, 0.8] }),
  'a gamma': stack({ gamma: 1.4 }),
  'a softness': stack({ softness: 1.5 }),
  'a sharpness': stack({ softness: -0.5 }),
  'a defocus': stack({ defocus: 2 }),
  'a wrap': stack({ wrap: 0.5 }),
  'a calm': stack({ calm: 0.5 }),
  'a place': stack({ nudgeX: 1.3, turned: 4 }),
  'a shadow': stack({ shadow: 0.5 }),
  'a contact': stack({ contact: 1 }),
  'a shadow’s softness': stack({ shadowSoftness: 1 }),
  'a light': stack({ light: 0.5 }),
  'a layer that is hidden': stack({ shown: false }),
  'a matte turned round': stack({ mattes: [{ id: 'm', outside: true }] }),
  'a matte of another shape': stack({}, { mattes: new Map([['m', other]]) }),
  curves: stack({ curves }),
  'a streak': stack({ streak: 1, streakBy: 'plate' }, { motions: new Map([['plate', motion]]) }),
  'all fires’ exposure': stack({}, { fireExposure: 1 }),
  'a drift': stack({}, { drift: 0.3 }),
  'a haze': stack({}, { haze: { thickness: [0.02, 0.02, 0.03], colour: [0.5, 0.5, 0.5], onSet: true } }),
  'colours of the sun': stack({}, { sunColour: [1.2, 1, 0.7] }),
  'a sensor': stack({}, { sensor: PLAIN_SENSOR }),
  halation: stack({}, { halation: { share: 0.1, radius: 0.1, red: 1 } }),
}

describe('what is at hand of a frame', () => {
  const plate = noise(3, 1)
  const crew = makeCrew(1)
  const lay = (settings: StackSettings, atHand?: AtHand, of = picture, on = plate): FloatImage =>
    compositeStack(crew, on, of, settings, 1, 1, undefined, atHand)
  it.each(Object.keys(CHANGES))('gives the same bits after %s was changed, and after it was changed back', (name) => {
    const settings = CHANGES[name] as StackSettings
    const hand = new AtHand()
    for (const one of [stack(), settings, settings, stack()]) expect(lay(one, hand).data).toEqual(lay(one).data)
    expect(lay(settings).data, 'the change does something').not.toEqual(lay(stack()).data)
  })
  it('is let go with the frame, the plate, and what is no more laid', () => {
    const hand = new AtHand()
    lay(stack(), hand)
    const held = hand.bytes()
    expect(held).toBeGreaterThan(0)
    const next = { ...picture, layers: [layer('fire', 70), picture.layers[1] as PictureLayer], sunlit: noise(1, 80) }
    expect(lay(stack(), hand, next).data).toEqual(lay(stack(), undefined, next).data)
    const dark = noise(3, 2, 0.3)
    expect(lay(stack(), hand, next, dark).data).toEqual(lay(stack(), undefined, next, dark).data)
    lay(stack({ shown: false }), hand, next, dark)
    lay(stack({ shown: false }), hand, next, dark)
    expect(hand.bytes()).toBeLessThan(held)
  })
})
