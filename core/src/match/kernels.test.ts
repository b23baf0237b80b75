import { describe, expect, it } from 'vitest'
import { makeCrew, random } from '../base/index.ts'

// The kernels that make a picture ready for following, against plain twins, on a picture whose width is no multiple of four.
const [W, H] = [53, 41]
const stream = random(3)
const image = Float32Array.from({ length: W * H }, (_, n) => 0.5 + 0.3 * Math.sin(n * 0.37) + 0.2 * stream.next())
const held = (n: number, most: number): number => Math.min(most - 1, Math.max(0, n))
const at = (x: number, y: number): number => image[held(y, H) * W + held(x, W)] as number
const crew = makeCrew(1)
const put = (values: Float32Array): number => {
  const pointer = crew.heap.alloc(values.byteLength)
  crew.heap.f32(pointer, values.length).set(values)
  return pointer
}
const near = (found: Float32Array, wanted: (x: number, y: number) => number, width: number, digits: number): void => {
  for (const [n, value] of found.entries())
    expect(value, `${n % width}, ${Math.floor(n / width)}`).toBeCloseTo(
      wanted(n % width, Math.floor(n / width)),
      digits,
    )
}

describe('a picture made ready for following', () => {
  it('is the root of its brightness', () => {
    const rgb = Float32Array.from({ length: 12 }, (_, n) => (n === 11 ? -9 : n * 0.1))
    const [from, to] = [put(rgb), crew.heap.alloc(16)]
    crew.run('rootBrightness', [from, to], 4)
    near(
      crew.heap.f32(to, 4),
      (n) =>
        Math.sqrt(
          Math.max(0, 0.2126 * (rgb[n * 3] ?? 0) + 0.7152 * (rgb[n * 3 + 1] ?? 0) + 0.0722 * (rgb[n * 3 + 2] ?? 0)),
        ),
      4,
      6,
    )
  })
  it('is halved with weights 1 5 10 10 5 1 along both axes, edges repeated', () => {
    const [w, h] = [W >> 1, H >> 1]
    const to = crew.heap.alloc(w * h * 4)
    crew.run('halvePicture', [put(image), W, H, to], h)
    const weights = [1, 5, 10, 10, 5, 1]
    near(
      crew.heap.f32(to, w * h),
      (x, y) =>
        weights.reduce(
          (sum, b, j) => sum + b * weights.reduce((row, a, i) => row + a * at(2 * x - 2 + i, 2 * y - 2 + j), 0),
          0,
        ) / 1024,
      w,
      5,
    )
  })
  it('has its local contrast evened out', () => {
    const reach = 6
    const least = 0.012
    const [sums, to, from] = [crew.heap.alloc(W * H * 8), crew.heap.alloc(W * H * 4), put(image)]
    crew.run('boxSums', [from, W, H, reach, sums], H)
    crew.run('evenContrast', [from, sums, W, H, reach, least, to], H, 32)
    near(
      crew.heap.f32(to, W * H),
      (x, y) => {
        let [sum, squares] = [0, 0]
        for (let b = -reach; b <= reach; b++)
          for (let a = -reach; a <= reach; a++) {
            const v = at(x + a, y + b)
            sum += v
            squares += v * v
          }
        const count = (2 * reach + 1) ** 2
        return (at(x, y) - sum / count) / (Math.sqrt(squares / count - (sum / count) ** 2) + least)
      },
      W,
      2,
    )
  })
  it('tells its corners by the smaller eigenvalue of the slopes’ products, and none at its rim', () => {
    const to = crew.heap.alloc(W * H * 4)
    crew.run('cornerStrength', [put(image), W, H, to], H)
    near(
      crew.heap.f32(to, W * H),
      (x, y) => {
        if (x < 4 || y < 4 || x >= W - 4 || y >= H - 4) return 0
        let [xx, xy, yy] = [0, 0, 0]
        for (let b = -3; b <= 3; b++)
          for (let a = -3; a <= 3; a++) {
            const [gx, gy] = [at(x + a + 1, y + b) - at(x + a - 1, y + b), at(x + a, y + b + 1) - at(x + a, y + b - 1)]
            xx += gx * gx
            xy += gx * gy
            yy += gy * gy
          }
        return (xx + yy) / 2 - Math.hypot((xx - yy) / 2, xy)
      },
      W,
      3,
    )
  })
})
