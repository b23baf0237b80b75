import { describe, expect, it } from 'vitest'
import { at, close, eachCell, type Fields, fields, SIZE, SX, SXY } from '../../testing/kernelFields.ts'
import { paddedIndex } from '../data/index.ts'

// Kernels against plain twins: the formula written out cell by cell.
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
          0,
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
      made.crew.run('advectScalar', [to, field, axis, faces[axis] ?? 0, 0, 0, 0, 0, 1, 0, 1, 0, ...SIZE], SIZE[2])
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

describe('carrying what keeps its edges', () => {
  it('is one sweep of its formula, and never leaves the range of its neighbours', () => {
    for (const axis of [0, 1, 2]) {
      const made = fields(42 + axis)
      const c = 0.3
      const face = made.noise(c, c)
      const field = made.noise(0, 1)
      const step = [1, SX, SXY][axis] ?? 1
      const to = made.zero()
      made.crew.run('fillGhosts', [field, ...SIZE, 63, 0, 0, 0], SIZE[2] + 2)
      made.crew.run('advectScalar', [to, field, axis, face, 0, 0, 0, 0, 0, 1, 1, 0, ...SIZE], SIZE[2])
      const p = made.view(field)
      const slope = (a: number, b: number): number => {
        if (a * b <= 0) return 0
        const [x, y] = [Math.abs(a), Math.abs(b)]
        const third = ((1 + c) * x + (2 - c) * y) / 3
        return Math.sign(a) * Math.min(1.6 * Math.max(third, x, y), (2 * y) / (1 - c), (2 * x) / c)
      }
      const flux = (e: number, here: number): number => {
        const [a, b, d] = [at(p, e - 2 * step), at(p, e - step), at(p, e)]
        return c * (b + 0.5 * (1 - c) * (here > 0 ? slope(b - a, d - b) : 0))
      }
      eachCell((e, ...ijk) => {
        const next = at(made.view(to), e)
        close(next, at(p, e) - flux(e + step, (ijk[axis] ?? 0) + 1) + flux(e, ijk[axis] ?? 0))
        expect(next).toBeGreaterThan(Math.min(at(p, e), at(p, e - step)) - 1e-5)
        expect(next).toBeLessThan(Math.max(at(p, e), at(p, e - step)) + 1e-5)
      })
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
