import { describe, expect, it } from 'vitest'
import { type Crew, makeCrew, random } from '../base/index.ts'
import { paddedCells, paddedIndex } from '../data/index.ts'
import { flagGhosts } from './pressure.ts'
import { allocateTable } from './rowTables.ts'
import { wholeStore } from './sparseRows.ts'

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
    crew,
    zero,
    flags,
    view: (at) => crew.heap.f32(at, CELLS),
    noise(low, high) {
      const at = zero()
      crew.heap.f32(at, CELLS).forEach((_, n, all) => (all[n] = low + (high - low) * stream.next()))
      return at
    },
  }
}

function eachCell(visit: (element: number, i: number, j: number, k: number) => void): void {
  for (let k = 0; k < SIZE[2]; k++)
    for (let j = 0; j < SIZE[1]; j++) for (let i = 0; i < SIZE[0]; i++) visit(paddedIndex(SIZE, i, j, k), i, j, k)
}
const at = (field: Float32Array, e: number): number => field[e] ?? 0
const close = (measured: number, expected: number): void =>
  expect(Math.abs(measured - expected)).toBeLessThanOrEqual(1e-5 * Math.max(1, Math.abs(expected)))

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

describe('carrying densities', () => {
  /** Seeded velocities, at most `most` of a cell a step, none through the sides. */
  const flow = (made: Fields, most: number): number[] => {
    const faces = [made.noise(-most, most), made.noise(-most, most), made.noise(-most, most)]
    for (const [axis, f] of faces.entries())
      for (let k = -1; k <= SIZE[2]; k++)
        for (let j = -1; j <= SIZE[1]; j++)
          for (let i = -1; i <= SIZE[0]; i++) {
            const here = [i, j, k][axis] ?? 0
            if (here <= 0 || here === SIZE[axis]) made.view(f)[paddedIndex(SIZE, i, j, k)] = 0
          }
    return faces
  }
  const carried = (made: Fields, faces: readonly number[], field: number, order: readonly number[]): number => {
    let from = field
    for (const [n, axis] of order.entries()) {
      made.crew.run('fillGhosts', [from, ...SIZE, 63, 0, 0, 0], SIZE[2] + 2)
      const to = made.zero()
      made.crew.run(
        'advectScalar',
        [
          to,
          from,
          axis,
          faces[axis] ?? 0,
          ...[0, 1].flatMap((m) => (m < n ? [faces[order[m] ?? 0] ?? 0, order[m] ?? 0] : [0, 0])),
          n === 2 ? 1 : 0,
          1,
          0,
          ...SIZE,
        ],
        SIZE[2],
      )
      from = to
    }
    return from
  }
  const sum = (made: Fields, field: number): number => {
    let total = 0
    eachCell((e) => (total += at(made.view(field), e)))
    return total
  }
  it.each([[[0, 1, 2]], [[2, 1, 0]]])('loses nothing, and makes of one density 1 - divergence (order %j)', (order) => {
    const made = fields(21)
    const faces = flow(made, 0.2)
    const field = made.noise(0, 1)
    const before = sum(made, field)
    expect(sum(made, carried(made, faces, field, order)) / before).toBeCloseTo(1, 5)
    const one = made.noise(1, 1)
    const after = made.view(carried(made, faces, one, order))
    eachCell((e) => {
      const out = [1, SX, SXY].reduce(
        (total, step, axis) => total + at(made.view(faces[axis] ?? 0), e + step) - at(made.view(faces[axis] ?? 0), e),
        0,
      )
      expect(at(after, e)).toBeCloseTo(1 - out, 5)
    })
  })
  it('is one sweep of its formula: upwind, its slope limited', () => {
    for (const axis of [0, 1, 2]) {
      const made = fields(22 + axis)
      const faces = flow(made, 0.6)
      const field = made.noise(0, 1)
      const step = [1, SX, SXY][axis] ?? 1
      const to = made.zero()
      made.crew.run('fillGhosts', [field, ...SIZE, 63, 0, 0, 0], SIZE[2] + 2)
      made.crew.run('advectScalar', [to, field, axis, faces[axis] ?? 0, 0, 0, 0, 0, 1, 1, 0, ...SIZE], SIZE[2])
      const p = made.view(field)
      const slope = (a: number, b: number): number =>
        a * b > 0 ? Math.sign(a) * Math.min(2 * Math.abs(a), 2 * Math.abs(b), Math.abs(a + 2 * b) / 3) : 0
      const flux = (e: number, here: number): number => {
        const c = at(made.view(faces[axis] ?? 0), e)
        const [a, b, d, f] = [at(p, e - 2 * step), at(p, e - step), at(p, e), at(p, e + step)]
        return c >= 0
          ? c * (b + 0.5 * (1 - c) * (here > 0 ? slope(b - a, d - b) : 0))
          : c * (d - 0.5 * (1 + c) * (here < (SIZE[axis] ?? 0) ? slope(f - d, d - b) : 0))
      }
      eachCell((e, ...ijk) =>
        close(at(made.view(to), e), at(p, e) - flux(e + step, (ijk[axis] ?? 0) + 1) + flux(e, ijk[axis] ?? 0)),
      )
    }
  })
})

describe('carrying the velocity', () => {
  const STEPS = [1, SX, SXY] as const
  const NUMBERS = [0, 1, 2] as const
  /** Samples of component comp: one more than cells along it. */
  const eachFace = (comp: number, visit: (e: number, ijk: readonly number[]) => void): void => {
    const [a, b, c] = SIZE.map((n, axis) => n + (axis === comp ? 1 : 0)) as [number, number, number]
    for (let k = 0; k < c; k++)
      for (let j = 0; j < b; j++) for (let i = 0; i < a; i++) visit(paddedIndex(SIZE, i, j, k), [i, j, k])
  }
  it.each([0, 1, 2])(
    'is along axis %i one sweep of its formula for every component, past whatever was swept before',
    (axis) => {
      for (const comp of NUMBERS) {
        const made = fields(31 + 3 * axis + comp)
        const faces = [made.noise(-0.3, 0.3), made.noise(-0.3, 0.3), made.noise(-0.3, 0.3)] as const
        const [src, to] = [made.noise(-1, 1), made.zero()]
        const before = (axis + 1) % 3
        made.crew.run(
          'advectVelocity',
          [to, src, comp, axis, faces[axis] ?? 0, faces[before] ?? 0, before, 0, 0, 1, 0, ...SIZE],
          SIZE[2] + (comp === 2 ? 1 : 0),
        )
        const p = made.view(src)
        const back = STEPS[comp] ?? 1
        // Past the box's side, along the component's own axis, there is only the side's face.
        const lies = (ijk: readonly number[], along: number): boolean => along === comp && ijk[comp] === SIZE[comp]
        const through = (along: number, e: number): number =>
          (at(made.view(faces[along] ?? 0), e) + at(made.view(faces[along] ?? 0), e - back)) / 2
        const beyond = (along: number, e: number, ijk: readonly number[]): number =>
          lies(ijk, along) ? at(made.view(faces[along] ?? 0), e) : through(along, e + (STEPS[along] ?? 1))
        const slope = (a: number, b: number): number => 0.15 * a + 0.85 * b
        const flux = (
          c: number,
          [a, b, d, f]: readonly [number | undefined, number, number, number | undefined],
        ): number =>
          c >= 0
            ? c * (b + 0.5 * (1 - c) * (a === undefined ? 0 : slope(b - a, d - b)))
            : c * (d - 0.5 * (1 + c) * (f === undefined ? 0 : slope(f - d, d - b)))
        const step = STEPS[axis] ?? 1
        eachFace(comp, (e, ijk) => {
          const here = ijk[axis] ?? 0
          const last = SIZE[axis] ?? 0
          const own = at(p, e)
          const after = lies(ijk, axis) ? own : at(p, e + step)
          const [c0, c1] = [through(axis, e), beyond(axis, e, ijk)]
          const f0 = flux(c0, [here > 0 ? at(p, e - 2 * step) : undefined, at(p, e - step), own, after])
          const f1 = flux(c1, [at(p, e - step), own, after, here + 2 <= last ? at(p, e + 2 * step) : undefined])
          const volume = Math.max(0.05, 1 - (beyond(before, e, ijk) - through(before, e)))
          close(at(made.view(to), e), (own * volume - (f1 - f0)) / Math.max(0.05, volume - (c1 - c0)))
        })
      }
    },
  )
  it.each([[[0, 1, 2]], [[2, 1, 0]]])(
    'leaves a wind that is the same everywhere as it is, through gas that grows and shrinks (order %j)',
    (order) => {
      for (const comp of NUMBERS) {
        const made = fields(50 + comp)
        const faces = [made.noise(-0.2, 0.2), made.noise(-0.2, 0.2), made.noise(-0.2, 0.2)]
        let from = made.noise(3, 3)
        for (const [n, axis] of order.entries()) {
          const to = made.noise(3, 3)
          made.crew.run(
            'advectVelocity',
            [
              to,
              from,
              comp,
              axis,
              faces[axis] ?? 0,
              ...[0, 1].flatMap((m) => (m < n ? [faces[order[m] ?? 0] ?? 0, order[m] ?? 0] : [0, 0])),
              1,
              0,
              ...SIZE,
            ],
            SIZE[2] + (comp === 2 ? 1 : 0),
          )
          from = to
        }
        eachFace(comp, (e) => expect(at(made.view(from), e)).toBeCloseTo(3, 5))
      }
    },
  )
})

describe('the projection’s parts', () => {
  it('take as divergence what flows out of each fluid cell, less what is prescribed', () => {
    const { crew, noise, view, flags } = fields(4)
    const [u, v, w, expansion, b] = [noise(-1, 1), noise(-1, 1), noise(-1, 1), noise(-2, 2), noise(0, 1)]
    const diag = crew.heap.alloc(CELLS)
    crew.heap.u8(diag, CELLS).fill(0)
    crew.run('countNeighbours', [diag, flags, 0, ...SIZE], SIZE[2])
    const partial = crew.heap.alloc(SIZE[2] * 80)
    crew.run('divergence', [b, u, v, w, expansion, diag, 0.1, partial, 0, ...SIZE], SIZE[2])
    let largest = 0
    eachCell((e) => {
      const fluid = crew.heap.u8(flags, CELLS)[e] === 1
      const out =
        at(view(u), e + 1) -
        at(view(u), e) +
        at(view(v), e + SX) -
        at(view(v), e) +
        at(view(w), e + SXY) -
        at(view(w), e)
      close(at(view(b), e), fluid ? 0.1 * at(view(expansion), e) - out : 0)
      largest = Math.max(largest, Math.abs(at(view(b), e)))
    })
    expect(
      Math.max(...Array.from({ length: SIZE[2] }, (_, k) => crew.heap.f64(partial, SIZE[2] * 2)[k * 2 + 1] ?? 0)),
    ).toBeCloseTo(largest, 6)
  })
  it('count the faces that are not solid, and stop the flow at those that are', () => {
    const { crew, noise, view, flags } = fields(5)
    const [u, v, w, q] = [noise(-1, 1), noise(-1, 1), noise(-1, 1), noise(-1, 1)]
    const marks = crew.heap.u8(flags, CELLS)
    // A corner of the box is open air.
    eachCell((e, i, j, k) => i > 6 && j < 3 && k > 4 && (marks[e] = 2))
    const diag = crew.heap.alloc(CELLS)
    crew.heap.u8(diag, CELLS).fill(0)
    crew.run('countNeighbours', [diag, flags, 0, ...SIZE], SIZE[2])
    const before = [u, v, w].map((field) => view(field).slice())
    crew.run('project', [u, v, w, q, 1, flags, 0, ...SIZE], SIZE[2])
    eachCell((e) => {
      const around = [-1, 1, -SX, SX, -SXY, SXY].filter((o) => marks[e + o] !== 0).length
      expect(crew.heap.u8(diag, CELLS)[e]).toBe(marks[e] === 1 ? around : 0)
    })
    for (const [axis, step] of [1, SX, SXY].entries()) {
      const [field, old] = [view([u, v, w][axis] ?? 0), before[axis] ?? new Float32Array()]
      const [nx, ny, nz] = SIZE.map((n, m) => n + (m === axis ? 1 : 0)) as [number, number, number]
      for (let k = 0; k < nz; k++)
        for (let j = 0; j < ny; j++)
          for (let i = 0; i < nx; i++) {
            const e = paddedIndex(SIZE, i, j, k)
            const open = marks[e] === 2 && marks[e - step] === 2
            close(
              at(field, e),
              marks[e] === 0 || marks[e - step] === 0
                ? 0
                : open
                  ? at(old, e)
                  : at(old, e) - (at(view(q), e) - at(view(q), e - step)),
            )
          }
    }
  })
  it('take a share of the pressure’s slope off before the air sets out, not at walls', () => {
    const { crew, noise, zero, view, flags } = fields(14)
    const marks = crew.heap.u8(flags, CELLS)
    const h = noise(-1, 1)
    for (const [axis, step] of [1, SX, SXY].entries()) {
      const [dst, src] = [zero(), noise(-1, 1)]
      crew.run('reflect', [dst, src, h, flags, axis, 0.3, 0, ...SIZE], SIZE[2])
      eachCell((e) =>
        close(
          at(view(dst), e),
          at(view(src), e) -
            (marks[e] === 0 || marks[e - step] === 0 ? 0 : 0.3 * (at(view(h), e) - at(view(h), e - step))),
        ),
      )
    }
  })
  it('sweep one colour as Gauss and Seidel do', () => {
    const { crew, noise, zero, view, flags } = fields(6)
    const diag = crew.heap.alloc(CELLS)
    crew.heap.u8(diag, CELLS).fill(0)
    crew.run('countNeighbours', [diag, flags, 0, ...SIZE], SIZE[2])
    const marks = crew.heap.u8(flags, CELLS)
    const [x, b] = [zero(), noise(-1, 1)]
    eachCell((e, i, j, k) => {
      if (marks[e] === 1) view(x)[e] = Math.sin(i * 3 + j * 5 + k * 7)
    })
    const before = view(x).slice()
    crew.run('smooth', [x, b, diag, 0, ...SIZE, 1], SIZE[2])
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

it('what lies in solids is the mean of the free cells beside it, or the air where there are none', () => {
  for (const wall of [[], [0], [8], [4, 5], [0, 1, 2, 3, 4, 5, 6, 7, 8]]) {
    const { crew, noise, view, flags } = fields(17)
    const marks = crew.heap.u8(flags, CELLS)
    eachCell((e, i, j, k) => (marks[e] = wall.includes(i) && j !== 2 && k > 3 ? 0 : 1))
    const f = noise(1, 2)
    const before = view(f).slice()
    crew.run('fillSolid', [f, flags, 0, ...SIZE, 7], SIZE[2])
    eachCell((e) => {
      const free = [-1, 1, -SX, SX, -SXY, SXY].filter((o) => marks[e + o] === 1)
      close(
        at(view(f), e),
        marks[e] === 1
          ? at(before, e)
          : free.length > 0
            ? free.reduce((sum, o) => sum + at(before, e + o), 0) / free.length
            : 7,
      )
    })
  }
})

describe('looking over a field', () => {
  it('finds the fastest face and the range that holds something', () => {
    const { crew, noise, zero, view } = fields(7)
    const [u, v, w] = [noise(-1, 1), noise(-1, 1), noise(-1, 1)]
    const partial = crew.heap.alloc(SIZE[2] * 80)
    view(v)[paddedIndex(SIZE, 3, 2, 5)] = -7
    crew.run('fastest', [u, v, w, partial, 0, ...SIZE], SIZE[2])
    const speeds = crew.heap.f64(partial, SIZE[2])
    expect(Math.max(...speeds)).toBe(7)
    expect(speeds.indexOf(7)).toBe(5)
    const [density, fuel, soot] = [noise(1, 1), zero(), zero()]
    view(density)[paddedIndex(SIZE, 2, 4, 1)] = 0.7
    view(soot)[paddedIndex(SIZE, 8, 1, 1)] = 1
    crew.run('extent', [density, fuel, soot, 0.9, 0.1, 0.1, partial, 0, ...SIZE], SIZE[2])
    const ranges = crew.heap.i32(partial, SIZE[2] * 4)
    expect([...ranges.subarray(4, 8)]).toEqual([2, 8, 1, 4])
    expect((ranges[0] ?? 0) > (ranges[1] ?? 0)).toBe(true)
  })
  it('counts what is flame, layer by layer, and how high it stands', () => {
    const { crew, noise, view, flags } = fields(9)
    const density = noise(1, 1)
    const partial = crew.heap.alloc(SIZE[2] * 80)
    for (const [i, j, k] of [
      [2, 4, 1],
      [3, 5, 1],
      [8, 6, 1],
      [4, 4, 3],
    ] as const)
      view(density)[paddedIndex(SIZE, i, j, k)] = 0.3
    crew.run('flame', [density, flags, 0.37, partial, 0, ...SIZE], SIZE[2])
    // The last of them lies in the wall.
    expect([...crew.heap.f64(partial, SIZE[2] * 2)].slice(0, 8)).toEqual([0, 0, 3, 7, 0, 0, 0, 0])
  })
  it('lets air come in through the upper sides from air that moves with the wind', () => {
    const { crew, noise, view } = fields(10)
    const u = noise(-2, 2)
    const before = view(u).slice()
    crew.run('calmInflow', [u, 0, 0.25, 1, 0, 0, ...SIZE], 1)
    eachCell((e) => expect(at(view(u), e)).toBe(at(before, e)))
    for (const [j, k] of [
      [0, 0],
      [3, 4],
      [6, 7],
    ] as const) {
      const e = paddedIndex(SIZE, SIZE[0], j, k)
      const was = at(before, e)
      close(at(view(u), e), was < 0 ? was + (1 - was) * Math.min(1, -was * 0.25) : was)
    }
  })
  it('leaves the faces of a side that are its own', () => {
    const { crew, noise, view } = fields(13)
    const f = noise(1, 2)
    const before = view(f).slice()
    crew.run('fillGhosts', [f, ...SIZE, 128, 5, 0, 0], SIZE[2] + 2)
    expect(at(view(f), paddedIndex(SIZE, SIZE[0], 3, 3))).toBe(at(before, paddedIndex(SIZE, SIZE[0], 3, 3)))
    expect(at(view(f), paddedIndex(SIZE, -1, 3, 3))).toBe(5)
  })
  it('mirrors ghosts along closed sides and fills them beyond open ones', () => {
    const { crew, noise, view } = fields(8)
    const f = noise(1, 2)
    crew.run('fillGhosts', [f, ...SIZE, 1 + 8, 5, 0, 0], SIZE[2] + 2)
    expect(at(view(f), paddedIndex(SIZE, -1, 3, 3))).toBe(at(view(f), paddedIndex(SIZE, 0, 3, 3)))
    expect(at(view(f), paddedIndex(SIZE, SIZE[0], 3, 3))).toBe(5)
    expect(at(view(f), paddedIndex(SIZE, 3, SIZE[1], 3))).toBe(at(view(f), paddedIndex(SIZE, 3, SIZE[1] - 1, 3)))
    expect(at(view(f), paddedIndex(SIZE, 3, 3, -1))).toBe(5)
  })
})

describe('air', () => {
  // Worked on in part: cells 4 to 7 of the rows 2 to 4 of the layers 2 to 5; open air outside.
  const worked = (i: number, j: number, k: number): boolean => i >= 4 && i < 8 && j >= 2 && j < 5 && k >= 2 && k < 6
  function spansOf(crew: Crew): number {
    const rows = (SIZE[1] + 2) * (SIZE[2] + 2)
    const spans = new Int32Array(2 * rows)
    for (let k = 2; k < 6; k++) for (let j = 2; j < 5; j++) spans.set([4, 8], 2 * ((k + 1) * (SIZE[1] + 2) + j + 1))
    return allocateTable(crew, spans, wholeStore(SIZE))
  }
  it('moves with the wind between cells no pressure orders, and nowhere else', () => {
    for (const axis of [0, 1, 2]) {
      const { crew, noise, view, flags } = fields(61 + axis)
      const [speeds, rows, spans] = [noise(-1, 1), noise(0.5, 1), spansOf(crew)]
      const kinds = crew.heap.u8(flags, CELLS)
      eachCell((e, i, j, k) => (kinds[e] = (i + 2 * j + k) % 3 === 0 ? 1 : 2))
      const before = view(speeds).slice()
      crew.run('resetFaces', [speeds, flags, axis, 3, axis === 1 ? 0 : rows, spans, SIZE[0], SIZE[1]], SIZE[2] + 2, 3)
      let calmed = 0
      eachCell((e, i, j, k) => {
        const calm = worked(i, j, k) && kinds[e] === 2 && kinds[e - ([1, SX, SXY][axis] ?? 0)] === 2
        if (calm) calmed++
        expect(view(speeds)[e]).toBe(calm ? Math.fround(axis === 1 ? 3 : 3 * at(view(rows), j + 1)) : before[e])
      })
      expect(calmed).toBeGreaterThan(5)
    }
  })
  it.each([
    ['the whole box', false],
    ['what is worked on', true],
  ])('leaves %s by its open sides with what its cells hold', (_, tiled) => {
    const { crew, noise, view } = fields(71)
    const [u, v, w, density, fuel, soot, sums] = [
      noise(-1, 1),
      noise(-1, 1),
      noise(-1, 1),
      noise(0.2, 1),
      noise(0, 1),
      noise(0, 1),
      crew.heap.alloc(64),
    ]
    crew.run('outflow', [u, v, w, density, fuel, soot, tiled ? spansOf(crew) : 0, 4, sums, ...SIZE], 1)
    const expected = [0, 0, 0]
    eachCell((e, i, j, k) => {
      if (tiled && !worked(i, j, k)) return
      for (const [axis, [field, place]] of (
        [
          [u, i],
          [v, j],
          [w, k],
        ] as const
      ).entries()) {
        const stride = [1, SX, SXY][axis] ?? 0
        // The ground, axis 1's lower side, is closed.
        const out =
          (place === 0 && axis !== 1 ? Math.max(0, -at(view(field), e)) : 0) +
          (place === (SIZE[axis] ?? 0) - 1 ? Math.max(0, at(view(field), e + stride)) : 0)
        for (const [n, held] of [1 - at(view(density), e), at(view(fuel), e), at(view(soot), e)].entries())
          expected[n] = (expected[n] ?? 0) + out * held
      }
    })
    const measured = [...crew.heap.f64(sums, 3)]
    if (tiled) expect(measured).toEqual([0, 0, 0])
    else expect(Math.min(...expected)).toBeGreaterThan(1)
    measured.forEach((sum, n) => close(sum, expected[n] ?? 0))
  })
})
