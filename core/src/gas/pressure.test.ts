import { expect, it } from 'vitest'
import { eachCell, noiseRhs, plainApply, pressureCase } from '../../testing/grids.ts'
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
