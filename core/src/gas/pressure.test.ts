import { compileKernels, instantiateKernels } from '@lantern/kernels'
import { describe, expect, it } from 'vitest'
import { eachCell, noiseRhs, plainApply, pressureCase } from '../../testing/grids.ts'
import { random } from '../base/index.ts'
import { paddedIndex } from '../data/index.ts'
import { solvePressure } from './pressure.ts'

const ball = (n: number) => (i: number, j: number, k: number): boolean => (i + 0.5 - n / 2) ** 2 + (j + 0.5 - n / 2) ** 2 + (k + 0.5 - n / 2) ** 2 < (n / 6) ** 2
const ballAndWall = (n: number) => (i: number, j: number, k: number): boolean => ball(n)(i, j, k) || (Math.abs(i - n * 0.75) < 2 && j < n * 0.7)

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
  expect(solvePressure(made.crew, made.system, ...made.fields, { relative: 1e-4 })).toMatchObject({ iterations: 0, relative: 0 })
  const full = pressureCase([16, 16, 16], () => true)
  expect(solvePressure(full.crew, full.system, ...full.fields, { relative: 1e-4 }).iterations).toBe(0)
})

describe('the parts of a cycle', () => {
  const SIZE = [9, 7, 8] as const
  const [SX, SXY] = [11, 99]
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
    for (let j = 0; j < SIZE[1]; j++) for (let i = 0; i < SIZE[0]; i++) {
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

  it.each([[2, 0], [3, 1], [4, 0], [7, 1], [8, 0]])('sweep both colours in one pass as in two, in slabs of %i layers in any order, bit for bit', (chunk, first) => {
    const [nx, ny, nz] = SIZE
    const b = field(flags.length)
    const x = made.fields[0]
    const view = crew.heap.f32(x, flags.length)
    const start = view.map((_, e) => (flags[e] === 1 ? stream.next() - 0.5 : 0))
    const partial = crew.heap.alloc(8 * nz)
    const sums = crew.heap.f64(partial, nz)
    for (const cuts of [[0, 0, 0], [list, offsets, weights]])
      for (const fresh of [0, 1]) {
        view.set(start)
        for (const [n, colour] of [first, 1 - first].entries()) {
          const begins = fresh === 1 && n === 0
          crew.run(begins ? 'smoothFirst' : 'smooth', [x, b, fine.diag, 0, nx, ny, nz, colour], nz)
          if (cuts[0]) crew.run('smoothCut', [x, b, list, offsets, weights, begins ? 1 : 0, colour], nz)
        }
        const twice = view.slice()
        expect(twice.some((value, e) => value !== start[e])).toBe(true)
        crew.run('dot', [b, x, partial, 0, nx, ny, nz], nz)
        const dots = [...sums]
        sums.fill(Number.NaN)
        view.set(start)
        const slabs = Math.ceil(nz / chunk)
        for (let s = slabs - 1; s >= 0; s--) slab('smoothPair', x, b, fine.diag, 0, nx, ny, nz, first, fresh, partial, ...cuts, s * chunk, Math.min(nz, (s + 1) * chunk))
        for (let s = slabs - 2; s >= 0; s--) slab('smoothSeams', x, b, fine.diag, 0, nx, ny, chunk, 1 - first, partial, ...cuts, s, s + 1)
        expect(view).toEqual(twice)
        expect([...sums]).toEqual(dots)
      }
  })
  it('bring a coarser correction back by the same weights, shared among what is no wall', () => {
    const [nx, ny, nz] = SIZE
    const [cx, cy] = coarse.size
    const count = (coarse.size[0] + 2) * (coarse.size[1] + 2) * (coarse.size[2] + 2)
    const correction = crew.heap.f32(coarse.x, count)
    correction.forEach((_, e) => (correction[e] = (crew.heap.u8(coarse.diag, count)[e] ?? 0) > 0 ? stream.next() - 0.5 : 0))
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
        const beside = [i, j, k].map((cell, axis) => (cell >> 1) + ((n >> axis) & 1 ? (cell & 1 ? 1 : -1) : 0)) as [number, number, number]
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
