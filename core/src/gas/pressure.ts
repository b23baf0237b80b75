import type { Crew } from '../base/index.ts'
import { type Level, layersPerChunk, type PressureSystem } from './multigrid.ts'

export interface SolveReport {
  iterations: number
  /** 2-norm of the residual over that of the right-hand side. */
  relative: number
  /** Largest residual, m/s. */
  largest: number
}

/** Slabs of fewer layers are swept one colour at a time. */
const LEAST_PAIRED_LAYERS = 5
const COARSEST_SWEEPS = 8
const MOST_ITERATIONS = 200

/** Sum of every `stride`-th of `count` partial results, in order: the same for any number of threads. */
export function sumPartials(crew: Crew, pointer: number, count: number, stride = 1, offset = 0): number {
  const values = crew.heap.f64(pointer, count * stride)
  let sum = 0
  for (let i = 0; i < count; i++) sum += values[i * stride + offset] ?? 0
  return sum
}

export function maxPartials(crew: Crew, pointer: number, count: number, stride = 1, offset = 0): number {
  const values = crew.heap.f64(pointer, count * stride)
  let top = 0
  for (let i = 0; i < count; i++) top = Math.max(top, values[i * stride + offset] ?? 0)
  return top
}

/** Seams between the slabs that threads share. */
const seamsOf = (crew: Crew, nz: number, chunk: number): number => (crew.threads > 1 ? Math.ceil(nz / chunk) - 1 : 0)

/** The residual of a level as the right-hand side of the next coarser one. */
function restrict(crew: Crew, level: Level, coarser: Level, residual: number): void {
  const [nx, ny, nz] = level.size
  const [cx, cy, cz] = coarser.size
  crew.run(
    'restrict',
    [coarser.b, residual, coarser.diag, coarser.spans, level.spans, nx, ny, nz, cx, cy, cz],
    cz,
    layersPerChunk(coarser.size, crew.threads, coarser.spans !== 0),
  )
}

/** One V-cycle, 2 + 2 red-black sweeps in mirrored order, so that it is a symmetric preconditioner: x = M b from a zero guess. True where system.partial then holds each layer's b . x. */
function vCycle(crew: Crew, system: PressureSystem, depth: number, x: number, b: number, t: number): boolean {
  const level = system.levels[depth]
  if (!level) return false
  const [nx, ny, nz] = level.size
  const chunk = layersPerChunk(level.size, crew.threads, level.spans !== 0)
  const cut = depth === 0 ? system.cut : undefined
  const coarser = system.levels[depth + 1]
  const correct = (): void => {
    if (coarser)
      crew.run(
        'prolong',
        [
          x,
          coarser.x,
          level.diag,
          level.norm,
          level.spans,
          coarser.spans,
          nx,
          ny,
          nz,
          coarser.size[0],
          coarser.size[1],
        ],
        nz,
        chunk,
      )
  }
  const sweep = (colour: number, fresh: boolean): void => {
    crew.run(fresh ? 'smoothFirst' : 'smooth', [x, b, level.diag, level.spans, nx, ny, nz, colour], nz, chunk)
    if (cut) crew.run('smoothCut', [x, b, cut.list, cut.offsets, cut.weights, fresh ? 1 : 0, colour], nz, chunk)
  }
  const leave = (): void => {
    crew.run('residual', [t, x, b, level.diag, level.norm, level.spans, nx, ny, nz], nz, chunk)
    if (cut) crew.run('residualCut', [t, x, b, level.norm, cut.list, cut.offsets, cut.weights], nz, chunk)
  }
  // Two sweeps, with what comes before or after them, go through the memory once where slabs are deep enough for the layers at their ends, which are gone through twice, not to matter.
  const seams = seamsOf(crew, nz, chunk)
  const pair = (first: number, { fresh = false, corrected = false, left = false, partial = 0 } = {}): boolean => {
    if (seams > 0 && chunk < LEAST_PAIRED_LAYERS) {
      if (corrected) correct()
      sweep(first, fresh)
      sweep(1 - first, false)
      if (left) leave()
      return false
    }
    const cuts = [cut?.list ?? 0, cut?.offsets ?? 0, cut?.weights ?? 0]
    const [xc, coarseSpans, cx, cy] =
      corrected && coarser ? [coarser.x, coarser.spans, coarser.size[0], coarser.size[1]] : [0, 0, 0, 0]
    const args = [
      x,
      b,
      level.diag,
      level.spans,
      nx,
      ny,
      nz,
      first,
      fresh ? 1 : 0,
      partial,
      ...cuts,
      left ? t : 0,
      level.norm,
      xc,
      coarseSpans,
      cx,
      cy,
    ]
    crew.run('smoothPass', args, nz, chunk)
    if (seams > 0) crew.run('smoothSeams', [...args, chunk], seams)
    return partial !== 0
  }
  pair(0, { fresh: true })
  if (!coarser) {
    for (let s = 0; s < COARSEST_SWEEPS; s++) pair(0)
    for (let s = 0; s <= COARSEST_SWEEPS; s++) pair(1)
    return false
  }
  pair(0, { left: true })
  restrict(crew, level, coarser, t)
  vCycle(crew, system, depth + 1, coarser.x, coarser.b, coarser.t)
  pair(1, { corrected: true })
  return pair(1, { partial: depth === 0 ? system.partial : 0 })
}

/**
 * Conjugate gradients preconditioned by one multigrid V-cycle, from a zero guess.
 * p: solution out; r: right-hand side in, residual out; d, z, q: scratch of the same padded size. Ghosts of all are set to 0 here (r's must be 0); d must hold finite numbers. Where only a part of the box is worked on, r, d, z and q must be 0 round it.
 * Stops when the 2-norm has fallen by `relative`, or the largest residual is under `largest` (m/s), whichever is given and met; both given: both must be met.
 */
export function solvePressure(
  crew: Crew,
  system: PressureSystem,
  p: number,
  r: number,
  d: number,
  z: number,
  q: number,
  stop: { relative?: number; largest?: number },
): SolveReport {
  const top = system.levels[0]
  if (!top) throw new TypeError('a pressure system needs a level')
  const [nx, ny, nz] = top.size
  const chunk = layersPerChunk(top.size, crew.threads, top.spans !== 0)
  const { partial } = system
  const { spans } = top
  if (system.spans.wide) crew.run('fillWide', [p, 0, 0, system.spans.wide, 0, nx, ny, nz], nz + 2, chunk)
  else crew.run('fill', [p, 0, (nx + 2) * (ny + 2)], nz + 2, chunk)
  // Of the others whatever lies inside is written before it is read.
  for (const field of [d, z, q]) crew.run('fillGhosts', [field, nx, ny, nz, 0, 0, 0, system.spans.wide], nz + 2, chunk)
  const dotOf = (a: number, b: number): number => {
    crew.run('dot', [a, b, partial, spans, nx, ny, nz], nz, chunk)
    return sumPartials(crew, partial, nz)
  }
  const start = Math.sqrt(dotOf(r, r))
  let largest = 0
  if (stop.largest !== undefined) {
    crew.run('fastest', [r, r, r, partial, spans, nx, ny, nz], nz, chunk)
    largest = maxPartials(crew, partial, nz)
  }
  const done = (norm: number): boolean =>
    norm === 0 ||
    ((stop.relative === undefined || norm <= stop.relative * start) &&
      (stop.largest === undefined || largest <= stop.largest))
  let norm = start
  let iterations = 0
  let rz = 0
  while (!done(norm) && iterations < MOST_ITERATIONS) {
    const next = vCycle(crew, system, 0, z, r, q) ? sumPartials(crew, partial, nz) : dotOf(r, z)
    const { cut } = system
    const cuts = [partial, cut?.list ?? 0, cut?.offsets ?? 0, cut?.weights ?? 0, spans, nx, ny, nz]
    crew.run('directionPass', [q, d, z, top.diag, iterations === 0 ? 0 : next / rz, ...cuts], nz, chunk)
    const seams = seamsOf(crew, nz, chunk)
    if (seams > 0) crew.run('directionSeams', [q, d, top.diag, ...cuts, chunk], seams)
    rz = next
    const dq = sumPartials(crew, partial, nz)
    if (!(dq > 0)) break
    crew.run('stepSolution', [p, r, d, q, rz / dq, partial, spans, nx, ny, nz], nz, chunk)
    norm = Math.sqrt(sumPartials(crew, partial, nz, 2, 0))
    largest = maxPartials(crew, partial, nz, 2, 1)
    iterations++
  }
  return { iterations, relative: start > 0 ? norm / start : 0, largest }
}
