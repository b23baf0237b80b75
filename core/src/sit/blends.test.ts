import { describe, expect, it } from 'vitest'
import { noiseImage } from '../../testing/stackPictures.ts'
import { makeCrew } from '../base/index.ts'
import { type FloatImage, makeImage, type PictureLayer } from '../data/index.ts'
import {
  BARE_LAYER,
  BARE_STACK,
  compositeStack,
  curveValue,
  type StackBlend,
  type StackLayer,
  type StackSettings,
} from './index.ts'

const [W, H] = [12, 8]
const noise = (channels: number, seed: number, top?: number): FloatImage => noiseImage(W, H, channels, seed, top)
const even = (values: readonly number[]): FloatImage => {
  const image = makeImage(W, H, values.length)
  image.data.forEach((_, n) => (image.data[n] = values[n % values.length] ?? 0))
  return image
}
const layer = (images: Partial<PictureLayer>, id = 'a'): PictureLayer => ({
  id,
  x: 0,
  y: 0,
  width: W,
  height: H,
  ...images,
})
const how = (over: Partial<StackLayer> = {}): StackLayer => ({ ...BARE_LAYER, ...over })
const lay = (plate: FloatImage, layers: PictureLayer[], over: Partial<StackSettings> = {}): FloatImage =>
  compositeStack(
    makeCrew(1),
    plate,
    { width: W, height: H, layers, sunlit: makeImage(W, H, 1) },
    { ...BARE_STACK, ...over },
    1,
    1,
  )
const first = (image: FloatImage): number[] => [...image.data.slice(0, 3)]
/** A colour of which so much covers. */
const cover = (alpha: number, rgb: readonly number[], id = 'a'): PictureLayer =>
  layer({ alpha: even([alpha]), colour: even(rgb.map((v) => v * alpha)) }, id)

/** B(Cb, Cs) of the W3C's Compositing and Blending Level 1, section 9.1. */
const W3C: Record<Exclude<StackBlend, 'over' | 'add'>, (b: number, s: number) => number> = {
  screen: (b, s) => b + s - b * s,
  multiply: (b, s) => b * s,
  lighten: (b, s) => Math.max(b, s),
  'soft light': (b, s) => {
    const d = b <= 0.25 ? ((16 * b - 12) * b + 4) * b : Math.sqrt(b)
    return s <= 0.5 ? b - (1 - 2 * s) * b * (1 - b) : b + (2 * s - 1) * (d - b)
  },
}

describe('blends', () => {
  it.each(Object.keys(W3C) as (keyof typeof W3C)[])('%s is the W3C’s to 1e-6, at any alpha and amount', (blend) => {
    const [plate, alpha, straight] = [noise(3, 1), noise(1, 2), noise(3, 3)]
    const colour = makeImage(W, H, 3)
    colour.data.forEach((_, n) => (colour.data[n] = (straight.data[n] ?? 0) * (alpha.data[Math.floor(n / 3)] ?? 0)))
    const result = lay(plate, [layer({ alpha, colour })], { lays: [{ of: 'a', how: how({ blend, amount: 0.7 }) }] })
    for (let n = 0; n < W * H * 3; n++) {
      const [below, own, a] = [plate.data[n] ?? 0, straight.data[n] ?? 0, 0.7 * (alpha.data[Math.floor(n / 3)] ?? 0)]
      const expected = (1 - a) * below + a * W3C[blend](below, own)
      expect(Math.abs((result.data[Math.floor(n / 3) * 4 + (n % 3)] ?? 9) - expected)).toBeLessThan(1e-6)
    }
  })
  it('multiplies what lies below it and not what comes later', () => {
    const [char, glow] = [cover(1, [0.5, 0.5, 0.5], 'char'), layer({ emission: even([0.4, 0.2, 0.1]) }, 'fire')]
    const order = (...ids: string[]): number[] =>
      first(
        lay(even([0.6, 0.6, 0.6]), [char, glow], {
          lays: ids.map((id) => ({ of: id, how: how({ blend: id === 'char' ? 'multiply' : 'over' }) })),
        }),
      )
    order('char', 'fire').forEach((v, c) => expect(v).toBeCloseTo(0.3 + ([0.4, 0.2, 0.1][c] ?? 0), 6))
    order('fire', 'char').forEach((v, c) => expect(v).toBeCloseTo(0.5 * (0.6 + ([0.4, 0.2, 0.1][c] ?? 0)), 6))
  })
  it('multiplies the plate alone in the half that smoke before it leaves', () => {
    // Smoke hides half; in what is left the char is seen: half of the picture's share each.
    const [char, smoke] = [cover(0.5, [0.2, 0.2, 0.2], 'char'), cover(0.5, [0.8, 0.8, 0.8], 'smoke')]
    const lays = [
      { of: 'char', how: how({ blend: 'multiply' }) },
      { of: 'smoke', how: how() },
    ]
    const [value] = first(lay(even([0.5, 0.5, 0.5]), [char, smoke], { lays }))
    expect(value).toBeCloseTo(0.5 * 0.2 * 0.5 + 0.5 * 0.8, 6)
  })
  it('adds without hiding', () => {
    const [value] = first(
      lay(even([0.5, 0.5, 0.5]), [cover(0.6, [0.3, 0.3, 0.3])], { lays: [{ of: 'a', how: how({ blend: 'add' }) }] }),
    )
    expect(value).toBeCloseTo(0.5 + 0.6 * 0.3, 6)
  })
})

describe('a layer laid more than once', () => {
  it('lies over itself: half twice leaves a quarter of the plate', () => {
    const lays = [0, 1].map(() => ({ of: 'a', how: how() }))
    const [value] = first(lay(even([1, 1, 1]), [cover(0.5, [0.2, 0.2, 0.2])], { lays }))
    expect(value).toBeCloseTo(0.25 + 0.75 * 0.2, 6)
  })
  it('takes another grade inside a matte than outside it, and loses nothing between', () => {
    const matte = even([0])
    for (let y = 0; y < H; y++) for (let x = 0; x < W; x++) matte.data[y * W + x] = x / (W - 1)
    const lays = [false, true].map((outside) => ({
      of: 'a',
      how: how({ mattes: [{ id: 'm', outside }], exposure: outside ? 0 : 1 }),
    }))
    const result = lay(even([0, 0, 0]), [layer({ emission: even([0.2, 0.2, 0.2]) })], {
      lays,
      mattes: new Map([['m', matte]]),
    })
    for (let x = 0; x < W; x++) expect(result.data[x * 4]).toBeCloseTo(0.2 * (1 + x / (W - 1)), 5)
  })
  it('is laid nowhere by a matte that says nothing, and everywhere outside it', () => {
    const light = layer({ emission: even([0.2, 0.2, 0.2]) })
    const by = (outside: boolean): number =>
      first(
        lay(even([0.1, 0.1, 0.1]), [light], { lays: [{ of: 'a', how: how({ mattes: [{ id: 'm', outside }] }) }] }),
      )[0] ?? 9
    expect(by(false)).toBeCloseTo(0.1, 6)
    expect(by(true)).toBeCloseTo(0.3, 6)
  })
})

describe('the grade', () => {
  const graded = (over: Partial<StackLayer>, rgb = [0.4, 0.2, 0.1], alpha = 0.5): number[] =>
    first(lay(even([0, 0, 0]), [cover(alpha, rgb)], { lays: [{ of: 'a', how: how(over) }] })).map((v) => v / alpha)
  it('is of colour divided by alpha: as strong at a thin place as at a thick one', () => {
    const over = { contrast: 1.4, gamma: 1.2, saturation: 0.6 }
    graded(over, [0.4, 0.2, 0.1], 0.02).forEach((v, c) =>
      expect(v / (graded(over, [0.4, 0.2, 0.1], 1)[c] ?? 0)).toBeCloseTo(1, 4),
    )
  })
  it('has contrast that leaves its pivot, gamma that leaves white, saturation that leaves luminance', () => {
    const close = (values: readonly number[]) => values.map((v) => expect.closeTo(v, 4) as unknown as number)
    expect(graded({ contrast: 2, pivot: 0.2 }, [0.2, 0.2, 0.2])).toEqual(close([0.2, 0.2, 0.2]))
    expect(graded({ contrast: 2, pivot: 0.2 }, [0.4, 0.4, 0.4])).toEqual(close([0.8, 0.8, 0.8]))
    expect(graded({ gamma: 2 }, [1, 1, 1])).toEqual(close([1, 1, 1]))
    expect(graded({ gamma: 2 }, [0.25, 0.25, 0.25])).toEqual(close([0.5, 0.5, 0.5]))
    // What is coloured keeps its hue and saturation: all its channels go alike.
    const rgb = [0.2, 0.4, 0.1]
    const level = 0.2126 * 0.2 + 0.7152 * 0.4 + 0.0722 * 0.1
    expect(graded({ contrast: 2, pivot: 0.2 }, rgb)).toEqual(close(rgb.map((v) => v * (level / 0.2))))
    expect(graded({ gamma: 2 }, rgb)).toEqual(close(rgb.map((v) => v / Math.sqrt(level))))
    const grey = graded({ saturation: 0 })
    expect(grey[0]).toBeCloseTo(grey[2] ?? 9, 6)
    expect(grey[1]).toBeCloseTo(0.2126 * 0.4 + 0.7152 * 0.2 + 0.0722 * 0.1, 5)
  })
  it('lifts no empty place: light of a black fire stays none', () => {
    const lifted = {
      all: [
        [0, 0.3],
        [1, 1],
      ] as const,
      red: [[0, 0] as const, [1, 1] as const],
      green: [[0, 0] as const, [1, 1] as const],
      blue: [[0, 0] as const, [1, 1] as const],
    }
    const dark = layer({ emission: even([0, 0, 0]) })
    expect(
      first(lay(even([0.1, 0.1, 0.1]), [dark], { lays: [{ of: 'a', how: how({ curves: lifted, gamma: 2 }) }] })),
    ).toEqual([0.1, 0.1, 0.1].map((v) => expect.closeTo(v, 6) as unknown as number))
  })
  it('bends by its curves, each channel’s own before the one for all, on past white', () => {
    const straight = [
      [0, 0],
      [1, 1],
    ] as const
    const curves = { all: straight, red: [[0, 0] as const, [1, 0.5] as const], green: straight, blue: straight }
    const [r, g] = graded({ curves }, [1, 0.3, 0.3], 1)
    expect(g).toBeCloseTo(0.3, 4)
    // Half of display white in linear light.
    expect(r).toBeCloseTo(((0.5 + 0.055) / 1.055) ** 2.4, 4)
    expect(graded({ curves }, [3, 0.3, 0.3], 1)[0]).toBeGreaterThan(r ?? 9)
  })
  it('refuses a curve that folds back, by name', () => {
    const folded = [
      [0, 0],
      [0.6, 0.4],
      [0.5, 0.7],
      [1, 1],
    ] as const
    expect(() => curveValue(folded, 0.55)).toThrow(/folds back at 0.5/)
  })
})

describe('a layer in the picture', () => {
  const spot = (x: number, y: number): PictureLayer => {
    const emission = makeImage(W, H, 3)
    emission.data.fill(1, (y * W + x) * 3, (y * W + x) * 3 + 3)
    return layer({ emission })
  }
  const lit = (image: FloatImage, x: number, y: number): number => image.data[(y * W + x) * 4] ?? 9
  const moved = (over: Partial<StackLayer>, x = 8, y = 3): FloatImage =>
    lay(even([0, 0, 0]), [spot(x, y)], { lays: [{ of: 'a', how: how(over) }] })
  it('is moved by whole and part pixels', () => {
    expect(lit(moved({ nudgeX: 2, nudgeY: -1 }), 10, 2)).toBeCloseTo(1, 5)
    expect(lit(moved({ nudgeX: 0.25 }), 8, 3)).toBeCloseTo(0.75, 5)
    expect(lit(moved({ nudgeX: 0.25 }), 9, 3)).toBeCloseTo(0.25, 5)
  })
  it('is turned clockwise and scaled about the middle', () => {
    // From 2.5 right and 0.5 up of the middle to 0.5 right and 2.5 down of it.
    expect(lit(moved({ turned: 90 }), 6, 6)).toBeCloseTo(1, 4)
    const wide = moved({ size: 2 }, 6, 4)
    const sum = wide.data.reduce((all, v, n) => all + (n % 4 === 0 ? v : 0), 0)
    expect(sum).toBeCloseTo(4, 1)
  })
})

describe('its edges', () => {
  const half = (): PictureLayer => {
    const alpha = makeImage(W, H, 1)
    for (let y = 0; y < H; y++) alpha.data.fill(1, y * W + 6, y * W + W)
    return layer({ alpha, colour: makeImage(W, H, 3) })
  }
  it('are reached by the light around, inside the layer only', () => {
    const result = lay(even([0.8, 0.8, 0.8]), [half()], { lays: [{ of: 'a', how: how({ wrap: 1, wrapRadius: 2 }) }] })
    expect(result.data[4 * (4 * W + 5)]).toBeCloseTo(0.8, 6)
    const inside = [6, 7, 8, 11].map((x) => result.data[4 * (4 * W + x)] ?? 0)
    expect(inside[0]).toBeGreaterThan(0.2)
    expect(inside).toEqual([...inside].sort((a, b) => b - a))
    expect(inside[3]).toBeLessThan(0.02)
  })
  it.each([0.1, 0.45, 1.2])('are softened by what is asked, %f px', (softness) => {
    const plate = even([1, 1, 1])
    const result = lay(plate, [half()], { lays: [{ of: 'a', how: how({ softness }) }] })
    const row = Array.from({ length: W }, (_, x) => result.data[4 * (4 * W + x)] ?? 0)
    const steps = row.slice(1).map((v, n) => (row[n] ?? 0) - v)
    const total = steps.reduce((sum, v) => sum + v, 0)
    const middle = steps.reduce((sum, v, n) => sum + v * n, 0) / total
    const variance = steps.reduce((sum, v, n) => sum + v * (n - middle) ** 2, 0) / total
    expect(Math.sqrt(variance)).toBeCloseTo(softness, 1)
  })
  it('are out of focus by a disc: as wide as asked, and nothing is lost', () => {
    const emission = makeImage(W, H, 3)
    emission.data.fill(1, (4 * W + 6) * 3, (4 * W + 6) * 3 + 3)
    const result = lay(even([0, 0, 0]), [layer({ emission })], { lays: [{ of: 'a', how: how({ defocus: 2.5 }) }] })
    const at = (x: number): number => result.data[4 * (4 * W + x)] ?? 0
    expect(at(6)).toBeCloseTo(1 / (Math.PI * 2.5 * 2.5), 2)
    expect(at(8)).toBeCloseTo(at(6), 2)
    expect(at(10)).toBeCloseTo(0, 6)
  })
})

describe('what can’t be laid', () => {
  it('is replaced by nothing where it holds no numbers, and named', () => {
    const emission = even([0.3, 0.3, 0.3])
    emission.data[7] = Number.NaN
    const bad: string[] = []
    const result = lay(even([0.2, 0.2, 0.2]), [layer({ emission }, 'broken'), cover(0.5, [1, 1, 1])], {
      onBad: (id) => bad.push(id),
    })
    expect(bad).toEqual(['broken'])
    expect(first(result)[0]).toBeCloseTo(0.6, 6)
  })
  it('is refused where it has another shape than the plate', () => {
    const picture = { width: 30, height: H, layers: [], sunlit: makeImage(30, H, 1) }
    expect(() => compositeStack(makeCrew(1), even([0, 0, 0]), picture, BARE_STACK, 1, 1)).toThrow(/not the same shape/)
  })
})
