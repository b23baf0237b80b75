import { describe, expect, it } from 'vitest'
import { at, CELLS, close, eachCell, fields, SIZE, SX, SXY } from '../../testing/kernelFields.ts'
import { paddedIndex } from '../data/index.ts'

// Kernels against plain twins: the formula written out cell by cell.
describe('forces', () => {
  it('lift by g (1 / (density + what floats in it) - 1) at the faces between cells', () => {
    const { crew, noise, view } = fields(1)
    const [v, density, floating] = [noise(-1, 1), noise(0.2, 1), noise(0, 0.3)]
    const before = view(v).slice()
    crew.run('buoyancy', [v, density, floating, 0.0981, 0, ...SIZE], SIZE[2])
    eachCell((e, _, j) => {
      const mean =
        (at(view(density), e) + at(view(density), e - SX) + at(view(floating), e) + at(view(floating), e - SX)) / 2
      close(at(view(v), e), at(before, e) + (j > 0 ? 0.0981 * (1 / mean - 1) : 0))
    })
  })
  it('turn by what one density leaves out of the pressure: -H grad(ln density)', () => {
    const { crew, noise, view } = fields(11)
    const [u, v, w, h, density] = [noise(-1, 1), noise(-1, 1), noise(-1, 1), noise(-3, 3), noise(0.2, 1)]
    const before = [u, v, w].map((f) => view(f).slice())
    crew.run('baroclinic', [u, v, w, h, density, 0.02, 0, ...SIZE], SIZE[2])
    for (const [n, [f, step]] of (
      [
        [u, 1],
        [v, SX],
        [w, SXY],
      ] as const
    ).entries())
      eachCell((e) => {
        const [d, b] = [at(view(density), e), at(view(density), e - step)]
        const pressure = (at(view(h), e) + at(view(h), e - step)) / 2
        close(at(view(f), e), at(before[n] as Float32Array, e) - (0.02 * pressure * (d - b)) / ((d + b) / 2))
      })
  })
  it('turn no face by more than a tenth of a cell a step, however the pressure leaps', () => {
    const { crew, noise, view } = fields(12)
    const [u, v, w, h, density] = [noise(-1, 1), noise(-1, 1), noise(-1, 1), noise(-900, 900), noise(0.2, 1)]
    const before = [u, v, w].map((f) => view(f).slice())
    crew.run('baroclinic', [u, v, w, h, density, 0.02, 0, ...SIZE], SIZE[2])
    let held = 0
    for (const [n, [f, step]] of (
      [
        [u, 1],
        [v, SX],
        [w, SXY],
      ] as const
    ).entries())
      eachCell((e) => {
        const [d, b] = [at(view(density), e), at(view(density), e - step)]
        const whole = (0.02 * (at(view(h), e) + at(view(h), e - step)) * (b - d)) / (d + b)
        if (Math.abs(whole) > 0.1 / 0.02) held++
        expect(at(view(f), e) - at(before[n] as Float32Array, e)).toBeCloseTo(
          Math.max(-0.1 / 0.02, Math.min(0.1 / 0.02, whole)),
          4,
        )
      })
    expect(held).toBeGreaterThan(50)
  })
  it('confine vorticity: strength x (N x curl), put on the faces', () => {
    const { crew, noise, zero, view } = fields(2)
    const [u, v, w] = [noise(-1, 1), noise(-1, 1), noise(-1, 1)]
    const [ox, oy, oz, length] = [zero(), zero(), zero(), zero()]
    crew.run('curl', [ox, oy, oz, length, u, v, w, 0, ...SIZE], SIZE[2])
    const middle = (f: number, e: number, step: number): number => (at(view(f), e) + at(view(f), e + step)) / 2
    const curl = (e: number): [number, number, number] => [
      (middle(w, e + SX, SXY) - middle(w, e - SX, SXY) - middle(v, e + SXY, SX) + middle(v, e - SXY, SX)) / 2,
      (middle(u, e + SXY, 1) - middle(u, e - SXY, 1) - middle(w, e + 1, SXY) + middle(w, e - 1, SXY)) / 2,
      (middle(v, e + 1, SX) - middle(v, e - 1, SX) - middle(u, e + SX, 1) + middle(u, e - SX, 1)) / 2,
    ]
    const inner = (i: number, j: number, k: number): boolean =>
      i > 0 && j > 0 && k > 0 && i < SIZE[0] - 1 && j < SIZE[1] - 1 && k < SIZE[2] - 1
    const lengths = new Float32Array(CELLS)
    eachCell((e, i, j, k) => {
      const c = inner(i, j, k) ? curl(e) : ([0, 0, 0] as const)
      ;[ox, oy, oz].forEach((f, n) => close(at(view(f), e), c[n] ?? 0))
      lengths[e] = Math.hypot(...c)
      close(at(view(length), e), lengths[e] ?? 0)
    })
    const [cx, cy, cz] = [view(ox).slice(), view(oy).slice(), view(oz).slice()]
    crew.run('confine', [ox, oy, oz, length, 0.4, 0, ...SIZE], SIZE[2])
    eachCell((e) => {
      const g = [
        at(lengths, e + 1) - at(lengths, e - 1),
        at(lengths, e + SX) - at(lengths, e - SX),
        at(lengths, e + SXY) - at(lengths, e - SXY),
      ] as const
      const s = 0.4 / (Math.hypot(...g) + 1e-6)
      close(at(view(ox), e), s * (g[1] * at(cz, e) - g[2] * at(cy, e)))
      close(at(view(oy), e), s * (g[2] * at(cx, e) - g[0] * at(cz, e)))
      close(at(view(oz), e), s * (g[0] * at(cy, e) - g[1] * at(cx, e)))
    })
    const [before, change] = [view(u).slice(), view(ox).slice()]
    crew.run('addCentred', [u, v, w, ox, oy, oz, 0, ...SIZE], SIZE[2])
    eachCell((e) => close(at(view(u), e), at(before, e) + (at(change, e) + at(change, e - 1)) / 2))
  })
})

describe('burning', () => {
  const [dt, ambient, heat, sootYield] = [0.01, 293, 154, 0.02]
  it('burns, makes soot and radiates as its formula says, and its sums are the cells’ own', () => {
    const { crew, noise, zero, view, flags } = fields(3)
    const [density, fuel, soot, burnt, expansion] = [
      noise(0.2, 1.15),
      noise(0, 0.03),
      noise(0, 0.001),
      noise(0, 0.02),
      zero(),
    ]
    const faces = [noise(-2, 2), noise(-2, 2), noise(-2, 2)] as const
    const partial = crew.heap.alloc(SIZE[2] * 80)
    const [d0, f0, s0, g0] = [density, fuel, soot, burnt].map((f) => view(f).slice()) as [
      Float32Array,
      Float32Array,
      Float32Array,
      Float32Array,
    ]
    crew.run(
      'react',
      [
        density,
        fuel,
        soot,
        burnt,
        expansion,
        flags,
        ...faces,
        5,
        dt,
        ambient,
        4,
        1.2,
        15,
        heat,
        0.35,
        sootYield,
        1.2,
        0.25,
        4e-9,
        2250,
        partial,
        0,
        ...SIZE,
      ],
      SIZE[2],
    )
    let sums: [number, number, number, number] = [0, 0, 0, 0]
    // A ghost past the upper side has one face of its own across it.
    const middle = (c: number, cell: readonly number[]): number => {
      const e = paddedIndex(SIZE, cell[0] ?? 0, cell[1] ?? 0, cell[2] ?? 0)
      const step = (cell[c] ?? 0) < (SIZE[c] ?? 0) ? ([1, SX, SXY][c] ?? 0) : 0
      return (at(view(faces[c] ?? 0), e) + at(view(faces[c] ?? 0), e + step)) / 2
    }
    eachCell((e, ...cell) => {
      if (crew.heap.u8(flags, CELLS)[e] !== 1) return expect(at(view(expansion), e)).toBe(0)
      const beside = (axis: number, step: number): number[] => cell.map((n, m) => (m === axis ? n + step : n))
      const slope = (c: number, axis: number): number => 5 * (middle(c, beside(axis, 1)) - middle(c, beside(axis, -1)))
      const curl = [slope(2, 1) - slope(1, 2), slope(0, 2) - slope(2, 0), slope(1, 0) - slope(0, 1)]
      const air = Math.max(0, at(d0, e) - at(f0, e) - 16 * at(g0, e))
      const burn = Math.min(
        0.5 / heat,
        Math.min(at(f0, e), air / 15) * (1 - Math.exp(-dt * (4 + 1.2 * Math.hypot(...curl)))),
      )
      const soots = at(s0, e) + burn * sootYield
      const before = ambient / at(d0, e)
      const gain = burn * heat
      const hot = Math.min(2250, before * (1 + gain))
      const kappa = 1.2 * soots * hot + 0.25 * Math.max(0, 1 - at(d0, e))
      const loss = Math.max(0.35 * gain, kappa * 4e-9 * (hot ** 4 - ambient ** 4))
      const there = Math.max(0, 1 - ambient / hot)
      const after = Math.min(
        2250,
        Math.max(
          Math.min(ambient, before),
          before * (1 + gain) * (1 - (loss > 0 ? (loss * there) / (loss + there) : 0)),
        ),
      )
      expect(at(view(density), e)).toBeCloseTo(at(d0, e), 6)
      expect(at(view(fuel), e)).toBeCloseTo(at(f0, e) - burn, 6)
      expect(at(view(burnt), e)).toBeCloseTo(at(g0, e) + burn, 6)
      expect(at(view(soot), e)).toBeCloseTo(soots, 7)
      expect(at(view(expansion), e)).toBeCloseTo((after / before - 1) / dt, 1)
      sums = [
        sums[0] + burn,
        sums[1] + gain - (after / before - 1),
        sums[2] + 1 - at(d0, e),
        sums[3] + at(f0, e) - burn,
      ]
    })
    const totals = [0, 1, 5, 6].map((o) =>
      Array.from({ length: SIZE[2] }, (_, k) => crew.heap.f64(partial, SIZE[2] * 8)[k * 8 + o] ?? 0).reduce(
        (a, b) => a + b,
        0,
      ),
    )
    totals.forEach((total, n) => expect(total / (sums[n] ?? 1)).toBeCloseTo(1, 3))
  })
  it.each([
    [1e-4, 4],
    [4e-4, 4],
    [2e-3, 4],
    [0.05, 4],
    [0.05, 400],
  ])(
    'warms no cell by more than its fuel gives, nor by more than half: %f of fuel, burning with %f a second, from cold to hot',
    (share, slow) => {
      // Air that is heavier than air, by its fuel or its cold, once lost what it never had, and leapt to five times its size.
      const { crew, noise, zero, view, flags } = fields(5)
      const [density, fuel, soot, burnt, expansion] = [
        noise(0.9, 1.1),
        noise(share, share),
        noise(0, 1e-4),
        noise(0, 1e-3),
        zero(),
      ]
      const faces = [zero(), zero(), zero()] as const
      crew.run(
        'react',
        [
          density,
          fuel,
          soot,
          burnt,
          expansion,
          flags,
          ...faces,
          5,
          dt,
          ambient,
          slow,
          0.6,
          15,
          heat,
          0.35,
          sootYield,
          1.2,
          0.25,
          4e-9,
          2250,
          crew.heap.alloc(SIZE[2] * 80),
          0,
          ...SIZE,
        ],
        SIZE[2],
      )
      eachCell((e) => {
        if (crew.heap.u8(flags, CELLS)[e] !== 1) return
        const grows = at(view(expansion), e) * dt
        expect(grows).toBeLessThanOrEqual(Math.min(0.5, share * (1 - Math.exp(-dt * slow)) * heat) + 1e-5)
        // And none below the air.
        expect(grows).toBeGreaterThanOrEqual(Math.min(0, at(view(density), e) - 1) - 1e-5)
      })
    },
  )
})
