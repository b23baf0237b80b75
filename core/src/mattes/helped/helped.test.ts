import { describe, expect, it } from 'vitest'
import { makeCrew, random } from '../../base/index.ts'
import { denseMotion, motionPicture } from '../../motion/index.ts'
import { blurred, boundsOf, dilated, eachPart, reachedFromRim, squaredDistance } from './area.ts'
import { backgroundMotion } from './background.ts'
import { Carrying } from './carry.ts'
import { minimumCut } from './cut.ts'
import { LAB_STEPS, labPicture, linearOf } from './lab.ts'
import { fitMixture, logDensity } from './mixture.ts'
import { type MatteStroke, strokeMasks } from './strokes.ts'

const crew = makeCrew(1)
const dots = (w: number, h: number, seed: number, share: number): Uint8Array => {
  const { next } = random(seed)
  return Uint8Array.from({ length: w * h }, () => (next() < share ? 1 : 0))
}

describe('areas', () => {
  it('have the distance to the nearest that is set, as looking at all of them tells', () => {
    const [w, h] = [23, 17]
    const mask = dots(w, h, 3, 0.03)
    const set = [...mask.keys()].filter((n) => mask[n])
    const found = squaredDistance(mask, w, h)
    for (let n = 0; n < mask.length; n++)
      expect(found[n]).toBe(
        Math.min(...set.map((m) => ((n % w) - (m % w)) ** 2 + (Math.floor(n / w) - Math.floor(m / w)) ** 2)),
      )
    expect(squaredDistance(new Uint8Array(12), 4, 3, 50)).toEqual(new Float32Array(12).fill(2500))
  })
  it('grow by so many px on all sides', () => {
    const mask = new Uint8Array(81)
    mask[40] = 1
    expect(boundsOf(dilated(mask, 9, 9, 2), 9, 9)).toEqual({ x0: 2, y0: 2, x1: 7, y1: 7 })
    expect(dilated(mask, 9, 9, 2).reduce((sum, one) => sum + one, 0)).toBe(25)
  })
  it('fall into parts that hang together, corners too', () => {
    const mask = Uint8Array.from([1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 0, 1])
    const sizes: number[] = []
    eachPart(mask, 4, 3, (pixels) => sizes.push(pixels.length))
    expect(sizes).toEqual([2, 1])
  })
  it('are closed where a wall goes round, open where it has a gap', () => {
    const walls = new Uint8Array(49)
    for (let n = 1; n < 6; n++) for (const m of [7 + n, 35 + n, 7 * n + 1, 7 * n + 5]) walls[m] = 1
    expect(reachedFromRim(walls, 7, 7)[24]).toBe(0)
    walls[10] = 0
    expect(reachedFromRim(walls, 7, 7)[24]).toBe(1)
  })
  it('are blurred without a change of level', () => {
    expect(blurred(new Float32Array(99).fill(0.7), 11, 9, 2).every((v) => Math.abs(v - 0.7) < 1e-6)).toBe(true)
  })
})

describe('colours', () => {
  it('are CIE Lab, and light again', () => {
    const rgb = Float32Array.from([0.2, 0.5, 0.9, 1, 1, 1, 0.001, 0, 0.002, 2, -1, 0.3])
    const { data } = labPicture(crew, rgb, 4, 1)
    expect([...data.subarray(3, 6)].map((v) => v / LAB_STEPS)).toEqual([100, 0, 0])
    const back = new Float32Array(12)
    for (let n = 0; n < 12; n += 3)
      linearOf((data[n] ?? 0) / LAB_STEPS, (data[n + 1] ?? 0) / LAB_STEPS, (data[n + 2] ?? 0) / LAB_STEPS, back, n)
    for (let n = 0; n < 12; n++) expect(back[n]).toBeCloseTo(Math.min(1, Math.max(0, rgb[n] ?? 0)), 2)
  })
  it('are fitted by mixtures that tell two heaps apart', () => {
    const { next } = random(9)
    const heap = (l: number, a: number): Float32Array =>
      Float32Array.from({ length: 900 }, (_, n) => (n % 3 === 0 ? l : n % 3 === 1 ? a : 0) + 4 * (next() + next() - 1))
    const [dark, red] = [fitMixture(heap(20, 0), 1), fitMixture(heap(50, 40), 2)]
    if (!dark || !red) throw new Error('no mixture')
    expect(logDensity(dark, 20, 0, 0)).toBeGreaterThan(logDensity(red, 20, 0, 0) + 20)
    expect(logDensity(red, 50, 40, 0)).toBeGreaterThan(logDensity(dark, 50, 40, 0) + 20)
    expect(fitMixture(new Float32Array(), 1)).toBeUndefined()
    expect(fitMixture(Float32Array.from([1, 2, 3]), 1)).toHaveLength(1)
  })
})

/** The least cut's cost by growing flow along shortest paths (Edmonds & Karp 1972), plain and slow. */
function plainFlow(unary: Float32Array, pairs: Float32Array, w: number, h: number): number {
  const [source, sink] = [w * h, w * h + 1]
  const caps = new Map<number, Map<number, number>>()
  const add = (a: number, b: number, c: number): void => {
    for (const [x, y, value] of [
      [a, b, c],
      [b, a, 0],
    ] as const) {
      const row = caps.get(x) ?? new Map<number, number>()
      caps.set(x, row.set(y, (row.get(y) ?? 0) + value))
    }
  }
  for (let n = 0; n < w * h; n++) {
    const u = unary[n] ?? 0
    add(source, n, Math.max(0, u))
    add(n, sink, Math.max(0, -u))
    const [x, y] = [n % w, Math.floor(n / w)]
    ;[
      [1, 0],
      [0, 1],
      [1, 1],
      [-1, 1],
    ].forEach(([dx = 0, dy = 0], k) => {
      if (x + dx < 0 || x + dx >= w || y + dy >= h) return
      const m = n + dy * w + dx
      add(n, m, pairs[k * w * h + n] ?? 0)
      add(m, n, pairs[k * w * h + n] ?? 0)
    })
  }
  let flow = 0
  for (;;) {
    const from = new Map([[source, source]])
    const queue = [source]
    for (let q = queue.shift(); q !== undefined && !from.has(sink); q = queue.shift())
      for (const [n, c] of caps.get(q) ?? [])
        if (c > 1e-7 && !from.has(n)) {
          from.set(n, q)
          queue.push(n)
        }
    if (!from.has(sink)) return flow
    let least = Infinity
    for (let n = sink; n !== source; n = from.get(n) ?? source)
      least = Math.min(least, caps.get(from.get(n) ?? source)?.get(n) ?? 0)
    for (let n = sink; n !== source; n = from.get(n) ?? source) add(from.get(n) ?? source, n, -least)
    for (let n = sink; n !== source; n = from.get(n) ?? source) add(n, from.get(n) ?? source, least)
    flow += least
  }
}

describe('the cut', () => {
  it('costs what the greatest flow is, on random grids', () => {
    for (let seed = 1; seed <= 6; seed++) {
      const { next } = random(seed)
      const [w, h] = [5 + seed, 4 + (seed % 3)]
      const unary = Float32Array.from({ length: w * h }, () => 4 * next() - 2)
      const pairs = Float32Array.from({ length: 4 * w * h }, () => next())
      const cut = minimumCut(crew, unary, pairs, w, h)
      let cost = 0
      for (let n = 0; n < w * h; n++) {
        const u = unary[n] ?? 0
        cost += cut[n] ? Math.max(0, -u) : Math.max(0, u)
        const [x, y] = [n % w, Math.floor(n / w)]
        ;[
          [1, 0],
          [0, 1],
          [1, 1],
          [-1, 1],
        ].forEach(([dx = 0, dy = 0], k) => {
          if (x + dx < 0 || x + dx >= w || y + dy >= h) return
          if (cut[n] !== cut[n + dy * w + dx]) cost += pairs[k * w * h + n] ?? 0
        })
      }
      expect(cost).toBeCloseTo(plainFlow(unary, pairs, w, h), 3)
    }
  })
  it('leaves all outside where nothing says inside', () => {
    expect(minimumCut(crew, new Float32Array(12), new Float32Array(48).fill(1), 4, 3)).toEqual(new Uint8Array(12))
  })
})

describe('strokes', () => {
  const stroke = (points: [number, number][], inside = true): MatteStroke => ({ frame: 1, inside, width: 3, points })
  it('cover what lies within half their width, at the size that is asked', () => {
    const { inside } = strokeMasks(
      [
        stroke([
          [4, 6],
          [16, 6],
        ]),
      ],
      10,
      6,
      0.5,
    )
    expect(boundsOf(inside, 10, 6)).toEqual({ x0: 1, y0: 2, x1: 9, y1: 4 })
  })
  it('of the other side take back what lay under them; outside the picture they leave nothing', () => {
    const { inside, outside } = strokeMasks(
      [
        stroke([
          [2, 3],
          [9, 3],
        ]),
        stroke(
          [
            [6, 0],
            [6, 6],
          ],
          false,
        ),
        stroke([
          [50, 50],
          [60, 60],
        ]),
      ],
      12,
      7,
      1,
    )
    expect(inside[3 * 12 + 6]).toBe(0)
    expect(outside[3 * 12 + 6]).toBe(1)
    expect(inside[3 * 12 + 3]).toBe(1)
  })
})

/** A dark disc with a pattern of its own that moves over a bright texture, frames 1 to 12. */
const [W, H] = [128, 96]
const centre = (frame: number): [number, number] => [28 + 6 * frame, 48 + frame]
const RADIUS = 15
function light(frame: number): Float32Array {
  const [cx, cy] = centre(frame)
  const rgb = new Float32Array(3 * W * H)
  for (let n = 0; n < W * H; n++) {
    const [x, y] = [n % W, Math.floor(n / W)]
    const own = (x + 0.5 - cx) ** 2 + (y + 0.5 - cy) ** 2 <= RADIUS ** 2
    const t = own
      ? 0.5 + 0.3 * Math.sin((x - cx) * 0.9) * Math.sin((y - cy) * 0.7)
      : 0.5 + 0.35 * Math.sin(x * 0.7 + 2 * Math.sin(y * 0.3)) * Math.sin(y * 0.6)
    rgb.set(own ? [0.12 * t, 0.2 * t, 0.3 * t] : [0.9 * t, 0.7 * t, 0.5 * t], 3 * n)
  }
  return rgb
}
const plate = {
  width: W,
  height: H,
  first: 1,
  last: 12,
  lab: async (n: number) => labPicture(crew, light(n), W, H),
  motion: async (n: number) =>
    denseMotion(crew, motionPicture(crew, light(n), W, H), motionPicture(crew, light(n + 1), W, H)),
}
const truth = (frame: number): Uint8Array => {
  const [cx, cy] = centre(frame)
  return Uint8Array.from({ length: W * H }, (_, n) =>
    ((n % W) + 0.5 - cx) ** 2 + (Math.floor(n / W) + 0.5 - cy) ** 2 <= RADIUS ** 2 ? 1 : 0,
  )
}
const overlap = (a: Uint8Array, b: Uint8Array): number => {
  let [both, either] = [0, 0]
  for (let n = 0; n < a.length; n++) {
    if (a[n] && b[n]) both++
    if (a[n] || b[n]) either++
  }
  return either === 0 ? 1 : both / either
}
const round = (frame: number): MatteStroke[] => {
  const [cx, cy] = centre(frame)
  const loop = Array.from({ length: 17 }, (_, k): [number, number] => [
    cx + 22 * Math.cos((k * Math.PI) / 8),
    cy + 22 * Math.sin((k * Math.PI) / 8),
  ])
  const line: [number, number][] = [
    [cx - 6, cy],
    [cx + 6, cy],
  ]
  return [
    { frame, inside: true, width: 3, points: line },
    { frame, inside: false, width: 2, points: loop },
  ]
}

describe('a helped matte', () => {
  it('is cut where it is stroked and carried to the frames between', async () => {
    const carrying = new Carrying(crew, { plate, strokes: [...round(1), ...round(12)], scale: 1 })
    const shares: number[] = []
    await carrying.all((share) => void shares.push(share))
    expect(shares.at(-1)).toBeCloseTo(1, 6)
    for (let n = 1; n <= 12; n++)
      expect(overlap(carrying.labels.get(n) as Uint8Array, truth(n)), `frame ${n}`).toBeGreaterThan(0.85)
    const found = await carrying.alpha(6)
    const sum = found?.alpha.reduce((all, value) => all + value, 0) ?? 0
    expect(sum / (Math.PI * RADIUS ** 2)).toBeGreaterThan(0.95)
    expect(sum / (Math.PI * RADIUS ** 2)).toBeLessThan(1.05)
  })
  it('takes a correction where it is stroked, up to the next keyed frames and no further', async () => {
    const strokes = [...round(1), ...round(6), ...round(12)]
    const carrying = new Carrying(crew, { plate, strokes, scale: 1 })
    const labels = new Map(Array.from({ length: 12 }, (_, k) => [k + 1, truth(k + 1)] as const))
    // A bite out of frames 7 to 11, as a cut that went wrong leaves it.
    for (let n = 7; n <= 11; n++) {
      const [cx, cy] = centre(n)
      labels.set(
        n,
        truth(n).map((one, k) =>
          one && k % W > cx + 4 && Math.floor(k / W) < cy + 6 ? 0 : one,
        ) as Uint8Array<ArrayBuffer>,
      )
    }
    carrying.restore(labels)
    const [cx, cy] = centre(9)
    const stroke: MatteStroke = {
      frame: 9,
      inside: true,
      width: 4,
      points: [
        [cx + 6, cy - 6],
        [cx + 10, cy],
      ],
    }
    const touched = await carrying.correct(9, [stroke], () => undefined)
    expect(touched).toEqual([7, 8, 9, 10, 11])
    expect(overlap(carrying.labels.get(9) as Uint8Array, truth(9))).toBeGreaterThan(0.9)
    expect(overlap(carrying.labels.get(8) as Uint8Array, truth(8))).toBeGreaterThan(
      overlap(labels.get(8) as Uint8Array, truth(8)) + 0.1,
    )
    for (const n of [1, 2, 3, 4, 5, 6, 12]) expect(carrying.labels.get(n), `frame ${n}`).toBe(labels.get(n))
  })
  it('is cut on a plate of one frame, with strokes beyond the picture too', async () => {
    const one = { ...plate, first: 4, last: 4, motion: () => Promise.reject(new Error('no motion')) }
    const far: MatteStroke = {
      frame: 4,
      inside: false,
      width: 3,
      points: [
        [-50, -50],
        [400, -20],
      ],
    }
    const carrying = new Carrying(crew, { plate: one, strokes: [...round(4), far], scale: 1 })
    await carrying.all(() => undefined)
    expect(overlap(carrying.labels.get(4) as Uint8Array, truth(4))).toBeGreaterThan(0.85)
    expect((await carrying.alpha(4))?.alpha.some((value) => value > 0.9)).toBe(true)
  })
  it('never computes an accepted frame anew', async () => {
    const accepted = new Map([[5, truth(2)]])
    const carrying = new Carrying(crew, { plate, strokes: round(1), scale: 1, accepted })
    await carrying.all(() => undefined)
    expect(carrying.labels.get(5)).toBe(accepted.get(5))
  })
  it('has nothing where it was not stroked inside, and stays empty where the subject is out of the picture', async () => {
    const outside = round(1).filter(({ inside }) => !inside)
    const carrying = new Carrying(crew, { plate, strokes: outside, scale: 1 })
    await carrying.first()
    expect(carrying.labels.get(1)?.some((one) => one)).toBe(false)
    expect(await carrying.alpha(1)).toBeUndefined()
  })
})

describe('the motion of what lies behind', () => {
  it('goes on smoothly beneath what is covered', async () => {
    const { to } = await plate.motion(5)
    const behind = backgroundMotion(to, truth(5), W, H)
    const [cx, cy] = centre(5)
    const at = (cy >> 1) * (W >> 1) + (cx >> 1)
    expect(Math.hypot((to.u[at] ?? 0) - 6, (to.v[at] ?? 0) - 1)).toBeLessThan(0.5)
    expect(Math.hypot(behind.u[at] ?? 9, behind.v[at] ?? 9)).toBeLessThan(0.8)
  })
})
