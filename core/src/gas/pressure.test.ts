import { compileKernels, instantiateKernels } from '@lantern/kernels'
import { describe, expect, it } from 'vitest'
import { eachCell, noiseRhs, plainApply, pressureCase } from '../../testing/grids.ts'
import { random } from '../base/index.ts'
import { paddedIndex } from '../data/index.ts'
import { layersPerChunk } from './multigrid.ts'
import { solvePressure } from './pressure.ts'

const ball =
  (n: number) =>
  (i: number, j: number, k: number): boolean =>
    (i + 0.5 - n / 2) ** 2 + (j + 0.5 - n / 2) ** 2 + (k + 0.5 - n / 2) ** 2 < (n / 6) ** 2
const ballAndWall =
  (n: number) =>
  (i: number, j: number, k: number): boolean =>
    ball(n)(i, j, k) || (Math.abs(i - n * 0.75) < 2 && j < n * 0.7)

it('solves what it says it solves: the residual written out plainly is as small as reported', () => {
  const made = pressureCase([24, 20, 28], ballAndWall(24))
  const rhs = noiseRhs(made)
  const report = solvePressure(made.crew, made.system, ...made.fields, { relative: 1e-5 })
  const p = made.crew.heap.f32(made.fields[0], made.flags.length)
  let [error, size] = [0, 0]
  eachCell(made.size, (i, j, k) => {
    const e = paddedIndex(made.size, i, j, k)
    if (made.flags[e] !== 1) return
    error += (plainApply(made.flags, p, made.size, e) - (rhs[e] ?? 0)) ** 2
    size += (rhs[e] ?? 0) ** 2
  })
  expect(Math.sqrt(error / size)).toBeLessThan(3e-5)
  expect(report.relative).toBeLessThanOrEqual(1e-5)
})

it('needs at most 9 iterations to 1e-4 round a ball, and no third more at twice the size', () => {
  const counts = [32, 64].map((n) => {
    const made = pressureCase([n, n, n], ball(n))
    noiseRhs(made)
    return solvePressure(made.crew, made.system, ...made.fields, { relative: 1e-4 }).iterations
  }) as [number, number]
  expect(counts[1]).toBeLessThanOrEqual(9)
  expect(counts[1]).toBeLessThanOrEqual(Math.ceil(counts[0] * 1.34))
})

it('copes with a wall: at most 20', () => {
  const made = pressureCase([48, 48, 48], ballAndWall(48))
  noiseRhs(made)
  expect(solvePressure(made.crew, made.system, ...made.fields, { relative: 1e-4 }).iterations).toBeLessThanOrEqual(20)
})

it('has a symmetric V-cycle: a . M b = b . M a', async () => {
  // One iteration from zero gives p = alpha M r, so M r is read off z after it.
  const apply = (seed: number): { r: Float32Array; z: Float32Array } => {
    const made = pressureCase([17, 12, 21], ballAndWall(17))
    const r = noiseRhs(made, seed)
    solvePressure(made.crew, made.system, ...made.fields, { relative: 0.9999999 })
    return { r, z: made.crew.heap.f32(made.fields[3], r.length).slice() }
  }
  const [a, b] = [apply(1), apply(2)]
  const dot = (x: Float32Array, y: Float32Array): number => x.reduce((sum, v, n) => sum + v * (y[n] ?? 0), 0)
  expect(Math.abs(dot(a.r, b.z) - dot(b.r, a.z))).toBeLessThan(2e-4 * Math.sqrt(dot(a.r, a.z) * dot(b.r, b.z)))
})

it('leaves a zero right-hand side alone and copes with a box of solids', () => {
  const made = pressureCase([16, 16, 16], () => false)
  expect(solvePressure(made.crew, made.system, ...made.fields, { relative: 1e-4 })).toMatchObject({
    iterations: 0,
    relative: 0,
  })
  const full = pressureCase([16, 16, 16], () => true)
  expect(solvePressure(full.crew, full.system, ...full.fields, { relative: 1e-4 }).iterations).toBe(0)
})

it('hands out slabs of two layers at least, or the whole: passes leave what lies on both sides of a seam to it', () => {
  for (const threads of [2, 3, 8])
    for (const tiled of [false, true])
      for (const size of [
        [160, 160, 160],
        [400, 300, 24],
        [96, 160, 40],
        [64, 200, 8],
        [320, 320, 2],
      ] as const) {
        const chunk = layersPerChunk(size, threads, tiled)
        expect(chunk, `${size}, ${threads}, ${tiled}`).toBeGreaterThanOrEqual(2)
      }
})

describe.each([
  [9, 7, 8],
  [19, 6, 9],
] as const)('the parts of a cycle over %i x %i x %i cells', (...SIZE) => {
  const [SX, SXY] = [SIZE[0] + 2, (SIZE[0] + 2) * (SIZE[1] + 2)]
  const made = pressureCase([...SIZE], ballAndWall(9))
  const { crew, flags } = made
  const [fine, coarse] = made.system.levels
  if (!fine || !coarse) throw new Error('there are coarser levels')
  const stream = random(3)
  const field = (length: number, value = (): number => stream.next() - 0.5): number => {
    const at = crew.heap.alloc(4 * length)
    crew.heap.f32(at, length).forEach((_, n, all) => (all[n] = value()))
    return at
  }
  // Some cells that walls cut through, layer by layer.
  const cut: number[] = []
  const offsets = crew.heap.alloc(4 * (SIZE[2] + 1))
  const starts = [0]
  const parities: number[] = []
  for (let k = 0; k < SIZE[2]; k++) {
    for (let j = 0; j < SIZE[1]; j++)
      for (let i = 0; i < SIZE[0]; i++) {
        const e = paddedIndex(SIZE, i, j, k)
        if (flags[e] !== 1 || stream.next() > 0.2) continue
        cut.push(e)
        parities.push((i + j + k + 3) & 1)
      }
    starts.push(cut.length)
  }
  crew.heap.i32(offsets, starts.length).set(starts)
  const list = crew.heap.alloc(20 * cut.length)
  crew.heap.i32(list, 5 * cut.length).set(cut.flatMap((e) => [e, e - SX, e + SX, e - SXY, e + SXY]))
  const weights = field(8 * cut.length, stream.next)
  parities.forEach((parity, n) => (crew.heap.f32(weights, 8 * cut.length)[8 * n + 7] = parity))
  const { names, functions } = instantiateKernels(compileKernels(), crew.memory)
  const slab = (name: string, ...args: number[]): void => void functions[names.indexOf(name)]?.(...args)

  const inSlabs = (
    pass: string,
    seams: string,
    args: readonly number[],
    ofSeams: readonly number[],
    chunk: number,
  ): void => {
    const slabs = Math.ceil(SIZE[2] / chunk)
    for (let n = slabs - 1; n >= 0; n--) slab(pass, ...args, n * chunk, Math.min(SIZE[2], (n + 1) * chunk))
    for (let n = slabs - 2; n >= 0; n--) slab(seams, ...ofSeams, chunk, n, n + 1)
  }
  const coarseCells = (coarse.size[0] + 2) * (coarse.size[1] + 2) * (coarse.size[2] + 2)

  it.each([
    [2, 0, 'alone'],
    [3, 1, 'alone'],
    [7, 1, 'alone'],
    [4, 0, 'the residual'],
    [5, 1, 'the residual'],
    [9, 0, 'the residual'],
    [4, 1, 'the correction'],
    [6, 0, 'the correction'],
  ] as const)(
    'sweep both colours in one pass as in two, in slabs of %i layers in any order, colour %i first, %s with them, bit for bit',
    (chunk, first, also) => {
      const [nx, ny, nz] = SIZE
      const b = field(flags.length)
      const [x, t] = [made.fields[0], field(flags.length)]
      const [view, left] = [crew.heap.f32(x, flags.length), crew.heap.f32(t, flags.length)]
      const start = view.map((_, e) => (flags[e] === 1 ? stream.next() - 0.5 : 0))
      const leftStart = left.slice()
      const correction = crew.heap.f32(coarse.x, coarseCells)
      correction.forEach((_, e) => (correction[e] = stream.next() - 0.5))
      const partial = crew.heap.alloc(8 * nz)
      const sums = crew.heap.f64(partial, nz)
      for (const cuts of [
        [0, 0, 0],
        [list, offsets, weights],
      ])
        for (const fresh of also === 'the correction' ? [0] : [0, 1]) {
          view.set(start)
          left.set(leftStart)
          if (also === 'the correction')
            crew.run(
              'prolong',
              [x, coarse.x, fine.diag, fine.norm, 0, 0, nx, ny, nz, coarse.size[0], coarse.size[1]],
              nz,
            )
          for (const [n, colour] of [first, 1 - first].entries()) {
            const begins = fresh === 1 && n === 0
            crew.run(begins ? 'smoothFirst' : 'smooth', [x, b, fine.diag, 0, nx, ny, nz, colour], nz)
            if (cuts[0]) crew.run('smoothCut', [x, b, list, offsets, weights, begins ? 1 : 0, colour], nz)
          }
          if (also === 'the residual') crew.run('residual', [t, x, b, fine.diag, fine.norm, 0, nx, ny, nz], nz)
          if (also === 'the residual' && cuts[0])
            crew.run('residualCut', [t, x, b, fine.norm, list, offsets, weights], nz)
          const [swept, remains] = [view.slice(), left.slice()]
          expect(swept.some((value, e) => value !== start[e])).toBe(true)
          crew.run('dot', [b, x, partial, 0, nx, ny, nz], nz)
          const dots = [...sums]
          sums.fill(Number.NaN)
          view.set(start)
          left.set(leftStart)
          const [xc, cx, cy] = also === 'the correction' ? [coarse.x, coarse.size[0], coarse.size[1]] : [0, 0, 0]
          const args = [
            x,
            b,
            fine.diag,
            0,
            nx,
            ny,
            nz,
            first,
            fresh,
            partial,
            ...cuts,
            also === 'the residual' ? t : 0,
            fine.norm,
            xc,
            0,
            cx,
            cy,
          ]
          inSlabs('smoothPass', 'smoothSeams', args, args, chunk)
          expect(view).toEqual(swept)
          expect(left).toEqual(remains)
          expect(left.some((value, e) => value !== leftStart[e])).toBe(also === 'the residual')
          expect([...sums]).toEqual(dots)
        }
    },
  )
  it.each([2, 3, 5, 9])(
    'step along a direction and apply the matrix in one pass as in two, in slabs of %i layers, bit for bit',
    (chunk) => {
      const [nx, ny, nz] = SIZE
      const [q, d, z] = [field(flags.length), field(flags.length), field(flags.length)]
      const partial = crew.heap.alloc(8 * nz)
      const [views, sums] = [[q, d].map((at) => crew.heap.f32(at, flags.length)), crew.heap.f64(partial, nz)]
      const starts = views.map((view) => view.slice())
      for (const cuts of [
        [0, 0, 0],
        [list, offsets, weights],
      ]) {
        views.forEach((view, n) => view.set(starts[n] ?? []))
        crew.run('stepDirection', [d, z, 1, 0.4, 0, nx, ny, nz], nz)
        crew.run('applyDot', [q, d, fine.diag, partial, 0, nx, ny, nz], nz)
        if (cuts[0]) crew.run('applyDotCut', [q, d, partial, list, offsets, weights], nz)
        const [ends, dots] = [views.map((view) => view.slice()), [...sums]]
        views.forEach((view, n) => view.set(starts[n] ?? []))
        sums.fill(Number.NaN)
        const rest = [partial, ...cuts, 0, nx, ny, nz]
        inSlabs(
          'directionPass',
          'directionSeams',
          [q, d, z, fine.diag, 0.4, ...rest],
          [q, d, fine.diag, ...rest],
          chunk,
        )
        expect(views).toEqual(ends)
        expect(views).not.toEqual(starts)
        expect([...sums]).toEqual(dots)
      }
    },
  )
  it('bring a coarser correction back by the same weights, shared among what is no wall', () => {
    const [nx, ny, nz] = SIZE
    const [cx, cy] = coarse.size
    const correction = crew.heap.f32(coarse.x, coarseCells)
    correction.forEach(
      (_, e) => (correction[e] = (crew.heap.u8(coarse.diag, coarseCells)[e] ?? 0) > 0 ? stream.next() - 0.5 : 0),
    )
    const x = crew.heap.f32(field(flags.length), flags.length)
    const before = x.slice()
    crew.run('prolong', [x.byteOffset, coarse.x, fine.diag, fine.norm, 0, 0, nx, ny, nz, cx, cy], nz)
    const [system, norms] = [crew.heap.u8(fine.diag, flags.length), crew.heap.u8(fine.norm, flags.length)]
    const inner = new Set<number>()
    eachCell(SIZE, (i, j, k) => {
      const e = paddedIndex(SIZE, i, j, k)
      inner.add(e)
      if (!system[e] || !norms[e]) return expect(x[e]).toBe(before[e])
      let sum = 0
      for (let n = 0; n < 8; n++) {
        const beside = [i, j, k].map((cell, axis) => (cell >> 1) + ((n >> axis) & 1 ? (cell & 1 ? 1 : -1) : 0)) as [
          number,
          number,
          number,
        ]
        const weight = [0, 1, 2].reduce((all, axis) => all * ((n >> axis) & 1 ? 1 : 3), 1)
        sum += weight * (correction[paddedIndex(coarse.size, ...beside)] ?? 0)
      }
      expect(Math.abs((x[e] ?? 0) - (before[e] ?? 0) - sum / (norms[e] ?? 1))).toBeLessThan(1e-5)
    })
    before.forEach((value, e) => inner.has(e) || expect(x[e]).toBe(value))
  })
  it('take the residual to the coarser grid with weights 1, 3, 3, 1 along each axis', () => {
    const [nx, ny, nz] = SIZE
    const [cx, cy, cz] = coarse.size
    const t = field(flags.length)
    const values = crew.heap.f32(t, flags.length)
    // The ghosts hold nothing.
    const inner = new Set<number>()
    eachCell(SIZE, (i, j, k) => inner.add(paddedIndex(SIZE, i, j, k)))
    values.forEach((_, e) => inner.has(e) || (values[e] = 0))
    crew.run('restrict', [coarse.b, t, coarse.diag, 0, 0, nx, ny, nz, cx, cy, cz], cz)
    const count = (cx + 2) * (cy + 2) * (cz + 2)
    const [found, system] = [crew.heap.f32(coarse.b, count), crew.heap.u8(coarse.diag, count)]
    let blocked = 0
    eachCell(coarse.size, (i, j, k) => {
      const c = paddedIndex(coarse.size, i, j, k)
      if (!system[c]) {
        blocked++
        expect(found[c]).toBe(0)
        return
      }
      let sum = 0
      for (let n = 0; n < 64; n++) {
        const [di, dj, dk] = [n & 3, (n >> 2) & 3, n >> 4]
        const [a, b, c] = [2 * i + di - 1, 2 * j + dj - 1, 2 * k + dk - 1]
        if (a > nx || b > ny || c > nz) continue
        const weight = [di, dj, dk].reduce((all, d) => all * (d === 0 || d === 3 ? 1 : 3), 0.5)
        sum += weight * (values[paddedIndex(SIZE, a, b, c)] ?? 0)
      }
      expect(Math.abs((found[c] ?? 0) - sum)).toBeLessThan(1e-4)
    })
    expect(blocked).toBeGreaterThan(0)
  })
})
