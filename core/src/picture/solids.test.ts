import { describe, expect, it } from 'vitest'
import {
  at,
  ball,
  box,
  frameOf,
  ground,
  layer,
  lookingDown,
  NOON,
  render,
  STANDING,
  thing,
  valueAt,
} from '../../testing/frames.ts'
import { makeCrew } from '../base/index.ts'
import { planeMesh, type SurfaceMesh } from '../data/index.ts'
import { normalise } from '../math/index.ts'
import { estimatePicture, FINAL, renderPicture } from './index.ts'

const crew = makeCrew(1)
const white = { base: [1, 1, 1, 1], roughness: 1 } as const
const mean = (data: Float32Array): number => data.reduce((sum, value) => sum + value, 0) / data.length

describe('What lies nearest', () => {
  it('is the surface that is seen: one that is more clear than not is looked through', () => {
    const camera = lookingDown(90, [0, 3, 0], 32, 32)
    const depthBehind = (base: number): number => {
      const film = { base: [0, 0, 0, base], roughness: 1, alpha: 'blend' } as const
      const layers = {
        floor: [thing(planeMesh([0, 0, 0], 5, 5, [0, 0, 0, 1]), {}, white)],
        film: [thing(planeMesh([0, 1, 0], 5, 5, [0, 0, 0, 1]), {}, film)],
      }
      return render(crew, layers, { camera, light: NOON }).depth.data[16 * 32 + 16] ?? 0
    }
    expect(depthBehind(0.3)).toBeCloseTo(3, 4)
    expect(depthBehind(0.7)).toBeCloseTo(2, 4)
  })
})

describe('A solid', () => {
  it('that lies white and level under sun and sky has the plate’s white', () => {
    const camera = lookingDown(90, [0, 3, 0], 32, 32)
    const mesh = planeMesh([0, 0, 0], 5, 5, [0, 0, 0, 1])
    for (const sunShare of [0, 0.5, 1]) {
      const picture = render(crew, { square: [thing(mesh, {}, white)] }, { camera, light: { ...NOON, sunShare } })
      const { colour, alpha } = layer(picture, 'square')
      expect(mean(alpha?.data ?? new Float32Array(1))).toBeCloseTo(1, 5)
      expect(mean(colour?.data ?? new Float32Array(1)), `sun ${sunShare}`).toBeCloseTo(1, 1.7)
    }
  })

  it('is brighter towards the sun, and throws a shadow on the set that is darker than beside it', () => {
    const camera = lookingDown(30, [0, 3, 5], 96, 96)
    const light = { ...NOON, sunDirection: normalise([1, 1, 0.3]) }
    const picture = render(
      crew,
      { ball: [thing(ball(0.5), { opening: at([0, 0.5, 0]) }, white)] },
      { camera, light, pieces: [ground()] },
    )
    // Found by where its alpha lies.
    const { alpha, x, y, width } = layer(picture, 'ball')
    const seen: [number, number][] = []
    alpha?.data.forEach((value, n) => {
      if (value > 0.99) seen.push([x + (n % width), y + Math.floor(n / width)])
    })
    const middle = seen.reduce(([a, b], [u, v]) => [a + u / seen.length, b + v / seen.length], [0, 0])
    const [u, v] = [Math.round(middle[0] ?? 0), Math.round(middle[1] ?? 0)]
    expect(valueAt(picture, 'ball', 'colour', u + 5, v)).toBeGreaterThan(
      1.5 * valueAt(picture, 'ball', 'colour', u - 5, v),
    )
    // The shadow lies to the left, on the ground at the ball's foot; to the right there is none.
    expect(valueAt(picture, 'ball', 'sun', u - 13, v + 5)).toBeLessThan(0.05)
    expect(valueAt(picture, 'ball', 'sun', u + 14, v + 5)).toBe(1)
    // Close by the ball the sky is hidden more than further away.
    expect(valueAt(picture, 'ball', 'sky', u - 6, v + 9)).toBeLessThan(valueAt(picture, 'ball', 'sky', u - 20, v + 9))
    expect(picture.sunlit.data[(v + 20) * 96 + u]).toBeGreaterThan(0.5)
  })

  it('hides and is hidden: shares and what is left of the plate make one', () => {
    const camera = lookingDown(10, [0, 1, 5], 64, 64)
    const layers = {
      far: [thing(ball(0.7), { opening: at([0.3, 1, -1]), closing: at([-0.3, 1.2, -1]) })],
      near: [
        thing(
          box([0.4, 0.4, 0.4]),
          { opening: at([-0.3, 0.6, 0.5]), closing: at([0.1, 0.6, 0.6]) },
          { base: [0.5, 0.3, 0.2, 0.6], alpha: 'blend' },
        ),
      ],
    }
    const picture = render(crew, layers, { camera, pieces: [ground()] })
    for (let y = 0; y < 64; y++)
      for (let x = 0; x < 64; x++) {
        const sum = valueAt(picture, 'far', 'alpha', x, y) + valueAt(picture, 'near', 'alpha', x, y)
        expect(sum + (picture.plate.data[y * 64 + x] ?? 0)).toBeCloseTo(1, 5)
      }
    expect(Math.max(...(layer(picture, 'near').alpha?.data ?? []))).toBeGreaterThan(0.5)
  })

  it('that fades before the set meets the ground without a line', () => {
    const camera = lookingDown(24, [0, 2.4, 5], 96, 320)
    const upright: SurfaceMesh = {
      positions: Float32Array.from([-2, -0.5, 0, 2, -0.5, 0, 2, 1.5, 0, -2, 1.5, 0]),
      indices: Uint32Array.from([0, 1, 2, 0, 2, 3]),
    }
    const shares = (fade: number): number[] => {
      const card = thing(upright, {}, { base: [0, 0, 0, 1], emission: [0.5, 0.5, 0.5], alpha: 'blend', fade })
      const picture = render(crew, { card: [card] }, { camera, pieces: [ground()] })
      return Array.from({ length: 96 }, (_, y) => valueAt(picture, 'card', 'alpha', 48, y))
    }
    const bend = (all: readonly number[]): number =>
      Math.max(...all.map((value, n) => Math.abs((all[n - 1] ?? value) - 2 * value + (all[n + 1] ?? value))))
    const [hard, soft] = [shares(0), shares(0.4)]
    const top = hard.findIndex((share) => share > 0.5)
    const low = hard.lastIndexOf(Math.max(...hard))
    expect(low).toBeGreaterThan(top + 10)
    expect(bend(hard.slice(top + 3))).toBeGreaterThan(0.4)
    expect(bend(soft.slice(top + 3))).toBeLessThan(0.15)
    // Where the ground lies more than that behind it, all of it is there; towards its foot less and less.
    expect(soft[top + 4]).toBeCloseTo(1, 5)
    const fading = soft.slice(low - 6, low)
    expect(fading.every((share, n) => n === 0 || share <= (fading[n - 1] ?? 0) + 1e-6)).toBe(true)
    expect(soft[low - 1]).toBeLessThan(0.35)
  })

  it('is the same whatever the number of samples’ order, and nothing where nothing is', () => {
    const empty = renderPicture(crew, frameOf({ nothing: [] }))
    expect(empty.layers).toEqual([])
    expect(Math.min(...empty.plate.data)).toBe(1)
    const away = render(crew, { away: [thing(box(), { opening: at([0, 1, 50]) })] })
    expect(away.layers).toEqual([])
    const pose = { ...STANDING, place: [0, 1, 0] as const }
    const once = render(crew, { one: [thing(box(), { opening: pose })] }, { quality: FINAL })
    const again = render(crew, { one: [thing(box(), { opening: pose })] }, { quality: FINAL })
    expect([...(layer(again, 'one').colour?.data ?? [])]).toEqual([...(layer(once, 'one').colour?.data ?? [])])
  })
})

it('is told ahead by one tile of every sixteen, and by what all of them need', () => {
  // A clock that says when it is asked: begun, laid, and after the tiles.
  const times = [0, 1, 3]
  const camera = { ...lookingDown(0, [0, 1, 5], 256), width: 256, height: 128 }
  const seconds = estimatePicture(
    makeCrew(1),
    frameOf({ ball: [thing(ball(0.5))] }, { camera }),
    () => times.shift() ?? 9,
  )
  // 8 x 4 tiles, of which two are tried.
  expect(seconds).toBeCloseTo(1 + 2 * 1.08 * 16, 6)
})
