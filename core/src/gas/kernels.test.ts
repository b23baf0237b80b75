import { describe, expect, it } from 'vitest'
import { type Crew, makeCrew, random } from '../base/index.ts'
import { paddedCells, paddedIndex } from '../data/index.ts'
import { flagGhosts } from './pressure.ts'

// Kernels against plain twins: the formula written out cell by cell, on seeded fields, with nothing shared but the layout.
const SIZE = [9, 7, 8] as const
const CELLS = paddedCells(SIZE)
const [SX, SXY] = [SIZE[0] + 2, (SIZE[0] + 2) * (SIZE[1] + 2)]

interface Fields {
  crew: Crew
  /** Pointer of a field of seeded numbers between low and high. */
  noise(low: number, high: number): number
  zero(): number
  view(pointer: number): Float32Array
  flags: number
}

function fields(seed: number): Fields {
  const crew = makeCrew(1)
  const stream = random(seed)
  const zero = (): number => {
    const at = crew.heap.alloc(CELLS * 4)
    crew.heap.f32(at, CELLS).fill(0)
    return at
  }
  const flags = crew.heap.alloc(CELLS)
  const marks = crew.heap.u8(flags, CELLS).fill(0)
  eachCell((e, i, j, k) => (marks[e] = i === 4 && j < 5 && k > 2 ? 0 : 1))
  flagGhosts(crew.heap.u8(flags, CELLS), SIZE, 4)
  return {
    crew, zero, flags,
    view: (at) => crew.heap.f32(at, CELLS),
    noise(low, high) {
      const at = zero()
      crew.heap.f32(at, CELLS).forEach((_, n, all) => (all[n] = low + (high - low) * stream.next()))
      return at
    },
  }
}

function eachCell(visit: (element: number, i: number, j: number, k: number) => void): void {
  for (let k = 0; k < SIZE[2]; k++) for (let j = 0; j < SIZE[1]; j++) for (let i = 0; i < SIZE[0]; i++) visit(paddedIndex(SIZE, i, j, k), i, j, k)
}
const at = (field: Float32Array, e: number): number => field[e] ?? 0
const close = (measured: number, expected: number): void => expect(Math.abs(measured - expected)).toBeLessThanOrEqual(1e-5 * Math.max(1, Math.abs(expected)))

describe('forces', () => {
  it('lift by g (T / T0 - 1) at the faces between cells', () => {
    const { crew, noise, view } = fields(1)
    const [v, t] = [noise(-1, 1), noise(290, 1500)]
    const before = view(v).slice()
    crew.run('buoyancy', [v, t, 0.0981, 293, ...SIZE], SIZE[2])
    eachCell((e, _, j) => {
      const mean = (at(view(t), e) + at(view(t), e - SX)) / 2
      close(at(view(v), e), at(before, e) + (j > 0 ? 0.0981 * (mean / 293 - 1) : 0))
    })
  })
  it('confine vorticity: strength x (N x curl), put on the faces', () => {
    const { crew, noise, zero, view } = fields(2)
    const [u, v, w] = [noise(-1, 1), noise(-1, 1), noise(-1, 1)]
    const [ox, oy, oz, length] = [zero(), zero(), zero(), zero()]
    crew.run('curl', [ox, oy, oz, length, u, v, w, ...SIZE], SIZE[2])
    const middle = (f: number, e: number, step: number): number => (at(view(f), e) + at(view(f), e + step)) / 2
    const curl = (e: number): [number, number, number] => [
      (middle(w, e + SX, SXY) - middle(w, e - SX, SXY) - middle(v, e + SXY, SX) + middle(v, e - SXY, SX)) / 2,
      (middle(u, e + SXY, 1) - middle(u, e - SXY, 1) - middle(w, e + 1, SXY) + middle(w, e - 1, SXY)) / 2,
      (middle(v, e + 1, SX) - middle(v, e - 1, SX) - middle(u, e + SX, 1) + middle(u, e - SX, 1)) / 2,
    ]
    const inner = (i: number, j: number, k: number): boolean => i > 0 && j > 0 && k > 0 && i < SIZE[0] - 1 && j < SIZE[1] - 1 && k < SIZE[2] - 1
    const lengths = new Float32Array(CELLS)
    eachCell((e, i, j, k) => {
      const c = inner(i, j, k) ? curl(e) : ([0, 0, 0] as const)
      ;[ox, oy, oz].forEach((f, n) => close(at(view(f), e), c[n] ?? 0))
      lengths[e] = Math.hypot(...c)
      close(at(view(length), e), lengths[e] ?? 0)
    })
    const [cx, cy, cz] = [view(ox).slice(), view(oy).slice(), view(oz).slice()]
    crew.run('confine', [ox, oy, oz, length, 0.4, ...SIZE], SIZE[2])
    eachCell((e) => {
      const g = [at(lengths, e + 1) - at(lengths, e - 1), at(lengths, e + SX) - at(lengths, e - SX), at(lengths, e + SXY) - at(lengths, e - SXY)] as const
      const s = 0.4 / (Math.hypot(...g) + 1e-6)
      close(at(view(ox), e), s * (g[1] * at(cz, e) - g[2] * at(cy, e)))
      close(at(view(oy), e), s * (g[2] * at(cx, e) - g[0] * at(cz, e)))
      close(at(view(oz), e), s * (g[0] * at(cy, e) - g[1] * at(cx, e)))
    })
    const [before, change] = [view(u).slice(), view(ox).slice()]
    crew.run('addCentred', [u, v, w, ox, oy, oz, ...SIZE], SIZE[2])
    eachCell((e) => close(at(view(u), e), at(before, e) + (at(change, e) + at(change, e - 1)) / 2))
  })
})

describe('burning', () => {
  const [dt, ambient, energy0, burnt, heat, sootYield] = [0.01, 293, 354_000, 0.2, 44.6e6, 0.02]
  it('burns, heats, makes soot and radiates as its formula says, and its sums are the cells’ own', () => {
    const { crew, noise, zero, view, flags } = fields(3)
    const [t, fuel, soot, expansion] = [noise(293, 1400), noise(0, 0.004), noise(0, 0.001), zero()]
    const partial = crew.heap.alloc(SIZE[2] * 80)
    const [t0, f0, s0] = [view(t).slice(), view(fuel).slice(), view(soot).slice()]
    crew.run('react', [t, fuel, soot, expansion, flags, dt, ambient, energy0, 1.01, 0.99, 1, burnt, 550, heat, sootYield, 0.25, 2250, partial, ...SIZE], SIZE[2])
    let sums: [number, number, number] = [0, 0, 0]
    eachCell((e) => {
      if (crew.heap.u8(flags, CELLS)[e] !== 1) return expect(at(view(expansion), e)).toBe(0)
      const theta = Math.min(0.95, Math.max(0, (1 - ambient / at(t0, e)) * 1.01))
      const before = ambient / (1 - theta)
      const burn = before > 550 ? at(f0, e) * 0.99 * burnt : 0
      const soots = at(s0, e) + burn * sootYield
      const gain = (burn * heat) / energy0
      const hot = Math.min(2250, before * (1 + gain))
      const kappa = ((3.83 * 7) / (0.014388 * 1800)) * soots * hot + 0.25 * theta
      const loss = (4 * kappa * 5.670374e-8 * (hot ** 4 - ambient ** 4) * dt) / energy0
      const there = 1 - ambient / hot
      const after = Math.min(2250, Math.max(ambient, before * (1 + gain) * (1 - (loss > 0 ? (loss * there) / (loss + there) : 0))))
      expect(at(view(t), e) / after).toBeCloseTo(1, 4)
      expect(at(view(fuel), e)).toBeCloseTo(at(f0, e) * 0.99 - burn, 7)
      expect(at(view(soot), e)).toBeCloseTo(soots, 7)
      expect(at(view(expansion), e)).toBeCloseTo((after / before - 1) / dt, 1)
      sums = [sums[0] + burn, sums[1] + gain - (after / before - 1), sums[2] + 1 - ambient / after]
    })
    const totals = [0, 1, 5].map((o) => Array.from({ length: SIZE[2] }, (_, k) => crew.heap.f64(partial, SIZE[2] * 9)[k * 9 + o] ?? 0).reduce((a, b) => a + b, 0))
    totals.forEach((total, n) => expect(total / (sums[n] ?? 1)).toBeCloseTo(1, 3))
  })
})

describe('the projection’s parts', () => {
  it('take as divergence what flows out of each fluid cell, less what is prescribed', () => {
    const { crew, noise, view, flags } = fields(4)
    const [u, v, w, expansion, b] = [noise(-1, 1), noise(-1, 1), noise(-1, 1), noise(-2, 2), noise(0, 1)]
    const diag = crew.heap.alloc(CELLS)
    crew.heap.u8(diag, CELLS).fill(0)
    crew.run('countNeighbours', [diag, flags, ...SIZE], SIZE[2])
    const partial = crew.heap.alloc(SIZE[2] * 80)
    crew.run('divergence', [b, u, v, w, expansion, diag, 0.1, partial, ...SIZE], SIZE[2])
    let largest = 0
    eachCell((e) => {
      const fluid = crew.heap.u8(flags, CELLS)[e] === 1
      const out = at(view(u), e + 1) - at(view(u), e) + at(view(v), e + SX) - at(view(v), e) + at(view(w), e + SXY) - at(view(w), e)
      close(at(view(b), e), fluid ? 0.1 * at(view(expansion), e) - out : 0)
      largest = Math.max(largest, Math.abs(at(view(b), e)))
    })
    expect(Math.max(...Array.from({ length: SIZE[2] }, (_, k) => crew.heap.f64(partial, SIZE[2] * 2)[k * 2 + 1] ?? 0))).toBeCloseTo(largest, 6)
  })
  it('count the faces that are not solid, and stop the flow at those that are', () => {
    const { crew, noise, view, flags } = fields(5)
    const [u, v, w, q] = [noise(-1, 1), noise(-1, 1), noise(-1, 1), noise(-1, 1)]
    const marks = crew.heap.u8(flags, CELLS)
    const diag = crew.heap.alloc(CELLS)
    crew.heap.u8(diag, CELLS).fill(0)
    crew.run('countNeighbours', [diag, flags, ...SIZE], SIZE[2])
    const before = view(u).slice()
    crew.run('project', [u, v, w, q, flags, ...SIZE], SIZE[2])
    eachCell((e) => {
      const around = [-1, 1, -SX, SX, -SXY, SXY].filter((o) => marks[e + o] !== 0).length
      expect(crew.heap.u8(diag, CELLS)[e]).toBe(marks[e] === 1 ? around : 0)
      close(at(view(u), e), marks[e] === 0 || marks[e - 1] === 0 ? 0 : at(before, e) - (at(view(q), e) - at(view(q), e - 1)))
    })
  })
  it('sweep one colour as Gauss and Seidel do', () => {
    const { crew, noise, zero, view, flags } = fields(6)
    const diag = crew.heap.alloc(CELLS)
    crew.heap.u8(diag, CELLS).fill(0)
    crew.run('countNeighbours', [diag, flags, ...SIZE], SIZE[2])
    const marks = crew.heap.u8(flags, CELLS)
    const [x, b] = [zero(), noise(-1, 1)]
    eachCell((e, i, j, k) => {
      if (marks[e] === 1) view(x)[e] = Math.sin(i * 3 + j * 5 + k * 7)
    })
    const before = view(x).slice()
    crew.run('smooth', [x, b, diag, ...SIZE, 1], SIZE[2])
    const touched = new Set<number>()
    eachCell((e, i, j, k) => {
      const count = crew.heap.u8(diag, CELLS)[e] ?? 0
      if (at(view(x), e) === at(before, e)) return
      touched.add((i + j + k) % 2)
      const sum = [-1, 1, -SX, SX, -SXY, SXY].reduce((total, o) => total + at(before, e + o), 0)
      close(at(view(x), e), (at(view(b), e) + sum) / count)
    })
    expect(touched.size).toBe(1)
  })
})

describe('looking over a field', () => {
  it('finds the fastest face and the range that holds something', () => {
    const { crew, noise, zero, view } = fields(7)
    const [u, v, w] = [noise(-1, 1), noise(-1, 1), noise(-1, 1)]
    const partial = crew.heap.alloc(SIZE[2] * 80)
    view(v)[paddedIndex(SIZE, 3, 2, 5)] = -7
    crew.run('fastest', [u, v, w, partial, ...SIZE], SIZE[2])
    const speeds = crew.heap.f64(partial, SIZE[2])
    expect(Math.max(...speeds)).toBe(7)
    expect(speeds.indexOf(7)).toBe(5)
    const [t, fuel, soot] = [zero(), zero(), zero()]
    view(t)[paddedIndex(SIZE, 2, 4, 1)] = 400
    view(soot)[paddedIndex(SIZE, 8, 1, 1)] = 1
    crew.run('extent', [t, fuel, soot, 300, 0.1, 0.1, partial, ...SIZE], SIZE[2])
    const ranges = crew.heap.i32(partial, SIZE[2] * 4)
    expect([...ranges.subarray(4, 8)]).toEqual([2, 8, 1, 4])
    expect((ranges[0] ?? 0) > (ranges[1] ?? 0)).toBe(true)
  })
  it('mirrors ghosts along closed sides and fills them beyond open ones', () => {
    const { crew, noise, view } = fields(8)
    const f = noise(1, 2)
    crew.run('fillGhosts', [f, ...SIZE, 1 + 8, 5], 1)
    expect(at(view(f), paddedIndex(SIZE, -1, 3, 3))).toBe(at(view(f), paddedIndex(SIZE, 0, 3, 3)))
    expect(at(view(f), paddedIndex(SIZE, SIZE[0], 3, 3))).toBe(5)
    expect(at(view(f), paddedIndex(SIZE, 3, SIZE[1], 3))).toBe(at(view(f), paddedIndex(SIZE, 3, SIZE[1] - 1, 3)))
    expect(at(view(f), paddedIndex(SIZE, 3, 3, -1))).toBe(5)
  })
})
