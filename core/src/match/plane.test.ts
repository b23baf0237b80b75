import { describe, expect, it } from 'vitest'
import { random } from '../base/index.ts'
import {
  fitPlane,
  type Homography,
  inverseHomography,
  SAME,
  scaled,
  throughHomography,
  timesHomography,
} from '../math/index.ts'
import { cubicAt, type Light, lightLevels, rootLight } from './index.ts'
import { keyFrames, sharedTracks } from './keys.ts'
import { median } from './median.ts'

type Place = [number, number]
const tilted: Homography = [1.1, 0.08, -14, -0.05, 0.93, 22, 1.2e-4, -8e-5, 1]
const corners: Place[] = [
  [100, 80],
  [420, 90],
  [400, 300],
  [120, 310],
  [250, 200],
]
const near = (a: readonly number[], b: readonly number[], digits = 6): void =>
  a.forEach((v, n) => expect(v).toBeCloseTo(b[n] ?? Number.NaN, digits))

describe('homographies', () => {
  it('are undone by their inverses, and one after another are their product', () => {
    const other: Homography = [0.9, -0.2, 30, 0.15, 1.05, -4, -1e-5, 2e-5, 1]
    for (const [x, y] of corners) {
      near(throughHomography(inverseHomography(tilted), ...throughHomography(tilted, x, y)), [x, y])
      near(
        throughHomography(timesHomography(other, tilted), x, y),
        throughHomography(other, ...throughHomography(tilted, x, y)),
      )
      expect(throughHomography(SAME, x, y)).toEqual([x, y])
    }
  })
  it('about other middles and in other units of length are the same motion', () => {
    const h = scaled([1, 0.1, 0, -0.1, 1, 0, 0, 0, 1], 200, 100, 210, 90, 50)
    near(throughHomography(h, 200, 100), [210, 90])
    near(throughHomography(h, 250, 100), [260, 85])
  })
})

describe('the motion of a flat patch', () => {
  const models: [Parameters<typeof fitPlane>[0], Homography, number][] = [
    ['place', [1, 0, 5.5, 0, 1, -3.25, 0, 0, 1], 1],
    ['turn', [1.2, -0.3, 5, 0.3, 1.2, -9, 0, 0, 1], 2],
    ['lean', [1.2, -0.1, 5, 0.35, 0.8, -9, 0, 0, 1], 3],
    ['perspective', tilted, 4],
  ]
  it.each(models)('%s is found exactly from as many places as it needs, and from more', (model, truth, least) => {
    for (const count of [least, 5]) {
      const from = corners.slice(0, count)
      const found = fitPlane(
        model,
        from,
        from.map(([x, y]) => throughHomography(truth, x, y)),
      )
      expect(found).toBeDefined()
      for (const [x, y] of from) near(throughHomography(found ?? SAME, x, y), throughHomography(truth, x, y), 5)
    }
  })
  it('is undefined where the places do not decide it: too few, all in one place, three in a line', () => {
    expect(fitPlane('perspective', corners.slice(0, 3), corners.slice(0, 3))).toBeUndefined()
    expect(
      fitPlane(
        'turn',
        [
          [5, 5],
          [5, 5],
        ],
        [
          [6, 6],
          [6, 6],
        ],
      ),
    ).toBeUndefined()
    const inLine: Place[] = [
      [0, 0],
      [10, 0],
      [20, 0],
    ]
    expect(fitPlane('lean', inLine, inLine)).toBeUndefined()
    expect(fitPlane('place', [], [])).toBeUndefined()
  })
  it('takes the least squares of places that do not agree', () => {
    near(
      throughHomography(
        fitPlane(
          'place',
          [
            [0, 0],
            [10, 0],
          ],
          [
            [1, 0],
            [13, 0],
          ],
        ) ?? SAME,
        0,
        0,
      ),
      [2, 0],
    )
  })
})

describe('pictures that patches are sought in', () => {
  const picture = (width: number, height: number, value: (x: number, y: number) => number): Light => ({
    width,
    height,
    data: Float32Array.from({ length: width * height }, (_, n) => value(n % width, Math.floor(n / width))),
  })
  it('hold the root of brightness: green counts most, negative light is dark', () => {
    const root = rootLight(Float32Array.of(1, 1, 1, 0, 1, 0, 1, 0, 0, -1, -1, -1), 4, 1)
    near([...root.data], [1, Math.sqrt(0.7152), Math.sqrt(0.2126), 0])
  })
  it('are halved by means of four until one is under 32 across', () => {
    const levels = lightLevels(
      picture(140, 64, (x, y) => x + 1000 * y),
      9,
    )
    expect(levels.map(({ width, height }) => [width, height])).toEqual([
      [140, 64],
      [70, 32],
      [35, 16],
    ])
    // A ramp stays a ramp: the middle of pixels 0 and 1, of rows 0 and 1.
    expect(levels[1]?.data[0]).toBe(0.5 + 500)
    expect(
      lightLevels(
        picture(140, 64, () => 1),
        1,
      ),
    ).toHaveLength(1)
  })
  it('are read between pixels exactly where they are a parabola, and on pixels always', () => {
    const curved = picture(12, 12, (x, y) => 2 + 0.3 * x - 0.1 * y + 0.05 * x * x - 0.02 * x * y)
    const truth = (x: number, y: number): number => 2 + 0.3 * x - 0.1 * y + 0.05 * x * x - 0.02 * x * y
    for (const [x, y] of [
      [5.25, 6.8],
      [4.5, 4.5],
      [7.99, 3.01],
    ] as const)
      expect(cubicAt(curved, x + 0.5, y + 0.5)).toBeCloseTo(truth(x, y), 4)
    const stream = random(3)
    const noisy = picture(8, 8, () => stream.next())
    expect(cubicAt(noisy, 3.5, 4.5)).toBeCloseTo(noisy.data[4 * 8 + 3] ?? 0, 6)
  })
})

describe('key frames', () => {
  const track = (id: number, first: number, places: Place[]) => ({
    id,
    first,
    weight: 1,
    places: Float64Array.from(places.flat()),
  })
  const moving = (step: number, frames: number) =>
    Array.from({ length: 40 }, (_, n) =>
      track(
        n,
        0,
        Array.from({ length: frames }, (_, f): Place => [10 + n + step * f, 20]),
      ),
    )
  it('are the first and the last of what does not move, and more the faster it moves', () => {
    expect(keyFrames(moving(0, 30), 30, 1000)).toEqual([0, 29])
    const [slow, fast] = [keyFrames(moving(5, 30), 30, 1000), keyFrames(moving(20, 30), 30, 1000)]
    expect(fast.length).toBeGreaterThan(slow.length)
    for (const keys of [slow, fast])
      expect([keys[0], keys.at(-1), keys.every((key, n) => n === 0 || key > (keys[n - 1] ?? 0))]).toEqual([0, 29, true])
  })
  it('come at once where most tracks end', () => {
    const tracks = [
      ...Array.from({ length: 40 }, (_, n) =>
        track(
          n,
          0,
          Array.from({ length: 12 }, (): Place => [n, n]),
        ),
      ),
      ...Array.from({ length: 40 }, (_, n) =>
        track(
          100 + n,
          8,
          Array.from({ length: 12 }, (): Place => [n, n]),
        ),
      ),
    ]
    expect(keyFrames(tracks, 20, 1000)).toContain(12)
    expect(sharedTracks(tracks, 0, 12)).toHaveLength(0)
    expect(sharedTracks(tracks, 9, 11)).toHaveLength(80)
  })
})

it('the median is the middle one and leaves its values in their order', () => {
  const values = [5, -1, 30, 2]
  expect([median(values), median([3]), median([])]).toEqual([5, 3, Number.NaN])
  expect(values).toEqual([5, -1, 30, 2])
})
