import { describe, expect, it } from 'vitest'
import { chart, H, normal, picture, W } from '../../testing/chart.ts'
import { random } from '../base/index.ts'
import { brightnessOf, edgeRise, exposureDrift, plainEdges, readArea, shutterShare, tonesOf } from './index.ts'

describe('a reading', () => {
  const ramp = picture((x, y) => x / W + (y === 30 && x === 40 ? 5 : 0))
  it('gives mean, peak and percentile of a box, per channel and as brightness', () => {
    const { mean, peak, percentile, pixels } = readArea(
      ramp,
      W,
      H,
      {
        corners: [
          [30, 20],
          [50, 20],
          [50, 40],
          [30, 40],
        ],
      },
      0.5,
    )
    expect(pixels).toBe(400)
    // Columns 30 to 49, and the spark.
    expect(mean[0]).toBeCloseTo(39.5 / W + 5 / 400, 5)
    expect(mean[1]).toBeCloseTo(mean[0] / 2, 5)
    expect(peak[0]).toBeCloseTo(40 / W + 5, 5)
    expect(percentile[2]).toBeCloseTo(40 / W / 4, 5)
    expect(mean[3]).toBeCloseTo(mean[0] * (0.2126 + 0.7152 / 2 + 0.0722 / 4), 5)
  })
  it('of a drawn shape takes only what lies in it, of a disc its area, and at the edge only what is seen', () => {
    const flat = picture(() => 0.5)
    expect(
      readArea(
        flat,
        W,
        H,
        {
          corners: [
            [10, 10],
            [50, 10],
            [10, 50],
          ],
        },
        0.5,
      ).pixels,
    ).toBeCloseTo(800, -2)
    expect(readArea(flat, W, H, { middle: [60, 60], radius: 20 }, 0.5).pixels).toBeCloseTo(Math.PI * 400, -1.5)
    const cut = readArea(flat, W, H, { middle: [0, 0], radius: 20 }, 0.5)
    expect(cut.pixels).toBeCloseTo(Math.PI * 100, -1)
    expect(cut.mean.slice(0, 3)).toEqual([0.5, 0.25, 0.125])
    expect(readArea(flat, W, H, { middle: [40.5, 40.5], radius: 0.6 }, 0.5).pixels).toBe(1)
  })
  it('outside the picture is nothing, and an area without corners is refused', () => {
    const out = readArea(ramp, W, H, { middle: [-50, 10], radius: 5 }, 0.5)
    expect(out.pixels).toBe(0)
    expect(out.mean[0]).toBeNaN()
    expect(() =>
      readArea(
        ramp,
        W,
        H,
        {
          corners: [
            [1, 1],
            [2, 2],
          ],
        },
        0.5,
      ),
    ).toThrow(/three corners/)
  })
})

describe('the drift of exposure', () => {
  const frames = 40
  const truth = Array.from({ length: frames }, (_, n) => 0.1 * Math.sin(n / 6))
  it('is what most areas have in common, though some move, flicker or are crossed, and come and go', () => {
    const stream = random(4)
    const areas = Array.from({ length: 50 }, (_, k) => {
      const own = 0.02 + 0.4 * stream.next()
      return Float64Array.from({ length: frames }, (_n, n) => {
        if (k % 5 === 0) return stream.next() * 0.5
        if (k % 5 === 1 && (n < 10 || n > 30)) return Number.NaN
        return own * 2 ** (truth[n] as number) * (1 + 0.01 * normal(stream))
      })
    })
    const middle = [...truth].sort((a, b) => a - b)
    const level = ((middle[19] as number) + (middle[20] as number)) / 2
    for (const [n, v] of exposureDrift(areas, frames).entries())
      expect(Math.abs(v - ((truth[n] as number) - level))).toBeLessThan(0.012)
  })
  it('tells nothing from darkness and highlights, and nothing of frames without areas', () => {
    const drift = exposureDrift(
      [Float64Array.of(0.001, 0.002, 0.004), Float64Array.of(0.9, 0.7, 0.8), Float64Array.of(0.2, Number.NaN, 0.4)],
      3,
    )
    expect(drift[1]).toBeNaN()
    expect((drift[2] as number) - (drift[0] as number)).toBeCloseTo(1, 9)
    expect([...exposureDrift([], 2)]).toEqual([Number.NaN, Number.NaN])
  })
})

describe('edges', () => {
  it.each([
    [0.5, 0],
    [0.8, 0.004],
    [1.4, 0.004],
  ])('of a Gaussian of %s px with grain of %s rise in 2.563 of it', (sigma, grain) => {
    for (const across of ['x', 'y'] as const) {
      const edges = plainEdges(brightnessOf(chart(sigma, 0, grain, 3, across)), W, H)
      expect(edges.length).toBeGreaterThan(60)
      expect(edges.every((edge) => edge.across === across)).toBe(true)
      expect(Math.abs(edgeRise(edges) / (2.563 * sigma) - 1)).toBeLessThan(0.06)
    }
  })
  it('are not found in grain alone', () => {
    const stream = random(8)
    expect(plainEdges(brightnessOf(picture(() => 0.4 + 0.02 * normal(stream))), W, H).length).toBe(0)
    expect(edgeRise([])).toBeNaN()
  })
  it('that move tell how long the shutter was open', () => {
    const share = 0.5
    // The faster the more out of focus, as what is near: level edges, which the motion leaves alone, tell the one from the other.
    const seen = (speed: number, across: 'x' | 'y') =>
      plainEdges(
        brightnessOf(chart(0.6 + 0.06 * speed, across === 'x' ? share * speed : 0, 0.002, speed + 1, across)),
        W,
        H,
      ).map((edge) => ({ frame: speed, edge, speed: [speed, 0.3] as const }))
    const moving = [0, 6, 12].flatMap((speed) => [...seen(speed, 'x'), ...seen(speed, 'y')])
    const found = shutterShare(moving)
    expect(Math.abs((found?.share ?? 0) / share - 1)).toBeLessThan(0.08)
  })
  it('that hardly move tell nothing of the shutter', () => {
    expect(
      shutterShare(
        plainEdges(brightnessOf(chart(0.7, 0, 0, 1)), W, H).map((edge) => ({
          frame: 0,
          edge,
          speed: [0.4, 0] as const,
        })),
      ),
    ).toBeUndefined()
  })
})

it('black and white points are the ends of the tones, a few stray pixels left out', () => {
  const { black, white } = tonesOf(picture((x, y) => (x === 0 && y < 5 ? 9 : 0.02 + 0.9 * (x / (W - 1)))))
  expect(black[0]).toBeCloseTo(0.02, 2)
  expect(white[0]).toBeCloseTo(0.92, 2)
  expect(white[2]).toBeCloseTo(0.23, 2)
})
