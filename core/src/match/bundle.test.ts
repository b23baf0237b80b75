import { describe, expect, it } from 'vitest'
import { lensOf, syntheticTracks, walk, yardPoints } from '../../testing/tracks.ts'
import { makeCrew } from '../base/index.ts'
import { random } from '../base/random.ts'
import { adjustBundle } from './bundle.ts'
import { type Bundle, bundleCost } from './bundleCost.ts'
import { framesList, schurPlain } from './normalStep.ts'
import { solveMoving } from './solve.ts'
import { adjust, copyStructure, type Structure } from './structure.ts'

const plate = { frames: 20, camera: walk(20, 1.4, lensOf(1097, -0.052, 0.009)), points: yardPoints(120, 3) }
const tracks = syntheticTracks(plate, { noise: 0.2, wrong: 0, longest: 20 }, 5)
const solved = solveMoving({ tracks, frames: 20, width: 1280, height: 720, known: {}, seed: 1 })

/** A copy that is a little wrong everywhere. */
async function shaken(): Promise<Structure> {
  const s = copyStructure(await solved)
  const stream = random(4)
  s.poses.forEach((value, n) => (s.poses[n] = n % 12 > 8 ? value + 0.002 * (stream.next() - 0.5) : value))
  s.points.forEach((value, n) => (s.points[n] = value * (1 + 0.01 * (stream.next() - 0.5))))
  return s
}
const all = {
  frames: () => true,
  freePose: (f: number) => f > 0,
  freeLens: [true, true, false] as const,
  freePoints: true,
  huber: 1,
  steps: 6,
}

describe('adjusting a bundle', () => {
  it('never raises the loss, and comes back to where it was from a shaken start', async () => {
    const home = adjust(copyStructure(await solved), all)
    const s = await shaken()
    const before = adjust(copyStructure(s), { ...all, steps: 0 })
    const after = adjust(s, { ...all, steps: 40 })
    expect(after.cost).toBeLessThan(before.cost)
    expect(after.cost / home.cost).toBeLessThan(1.001)
  }, 60_000)
  it('goes the same way with the crew’s kernels as plainly, with poses that move and with poses that only turn', async () => {
    for (const turnOnly of [false, true]) {
      const [plain, fast] = [await shaken(), { ...(await shaken()), crew: makeCrew(1) }]
      const [a, b] = [adjust(plain, { ...all, turnOnly }), adjust(fast, { ...all, turnOnly })]
      expect(b.cost / a.cost).toBeCloseTo(1, 6)
      for (const [n, value] of plain.poses.entries())
        expect(Math.abs((fast.poses[n] as number) - value)).toBeLessThan(1e-5)
      expect(fast.lens[0] as number).toBeCloseTo(plain.lens[0] as number, 2)
    }
  }, 60_000)
  it('leaves the same of the poses’ part in the kernel as plainly, to the last digits', () => {
    const crew = makeCrew(1)
    const stream = random(9)
    const [frames, points] = [5, 7]
    const frame: number[] = []
    const firstOf: number[] = []
    for (let p = 0; p < points; p++) {
      const start = frame.length
      for (let f = p % 3; f < frames; f++) frame.push(f)
      while (firstOf.length < frame.length) firstOf.push(start)
    }
    for (const broad of [6, 3]) {
      const size = frames * broad
      // The second frame's pose is held.
      const n = {
        size,
        columnOf: Int32Array.from(frame, (f) => (f === 1 ? -1 : f * broad)),
        firstOf: Int32Array.from(firstOf),
        wPose: Float64Array.from({ length: frame.length * 18 }, () => stream.next() - 0.5),
      }
      const y = Float64Array.from({ length: frame.length * 18 }, () => stream.next() - 0.5)
      const plain = new Float64Array(size * size).fill(1)
      schurPlain(n, y, broad, plain)
      const list = framesList(Int32Array.from(frame), frames)
      const at = {
        y: crew.heap.alloc(y.byteLength),
        w: crew.heap.alloc(y.byteLength),
        column: crew.heap.alloc(1024),
        first: crew.heap.alloc(1024),
        list: crew.heap.alloc(1024),
        s: crew.heap.alloc(plain.byteLength),
      }
      crew.heap.f64(at.y, y.length).set(y)
      crew.heap.f64(at.w, y.length).set(n.wPose)
      crew.heap.i32(at.column, frame.length).set(n.columnOf)
      crew.heap.i32(at.first, frame.length).set(n.firstOf)
      crew.heap.i32(at.list, list.length).set(list)
      crew.heap.f64(at.s, size * size).fill(1)
      crew.run('schurRows', [at.y, at.w, at.column, at.first, at.list, frames, at.s, size, broad], frames)
      for (const [k, value] of crew.heap.f64(at.s, size * size).entries())
        expect(Math.abs(value - (plain[k] as number))).toBeLessThan(1e-12)
    }
  })
  it('solves what is positive as the plain way does, and says when it is not', () => {
    const crew = makeCrew(1)
    const stream = random(2)
    const size = 37
    const half = Float64Array.from({ length: size * size }, () => stream.next() - 0.5)
    const x = Float64Array.from({ length: size }, () => stream.next())
    const m = Float64Array.from({ length: size * size }, (_, k) => {
      let sum = k % (size + 1) === 0 ? 0.1 : 0
      for (let l = 0; l < size; l++)
        sum += (half[Math.floor(k / size) * size + l] as number) * (half[(k % size) * size + l] as number)
      return sum
    })
    const b = Float64Array.from({ length: size }, (_, i) =>
      x.reduce((sum, value, j) => sum + (m[i * size + j] as number) * value, 0),
    )
    const [mAt, bAt, done] = [crew.heap.alloc(m.byteLength), crew.heap.alloc(b.byteLength), crew.heap.alloc(8)]
    crew.heap.f64(mAt, m.length).set(m)
    crew.heap.f64(bAt, size).set(b)
    crew.run('solvePositive', [mAt, bAt, size, done], 1)
    expect(crew.heap.f64(done, 1)[0]).toBe(1)
    crew.heap.f64(bAt, size).forEach((value, i) => expect(value).toBeCloseTo(x[i] as number, 7))
    crew.heap.f64(mAt, m.length).set(m.map((value, k) => (k === 5 * (size + 1) ? -1 : value)))
    crew.run('solvePositive', [mAt, bAt, size, done], 1)
    expect(crew.heap.f64(done, 1)[0]).toBe(0)
  })
  it('counts a point behind the view as far off, and does nothing where there is nothing to find', () => {
    const b: Bundle = {
      poses: Float64Array.of(1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0),
      points: Float64Array.of(0, 0, -5),
      lens: Float64Array.of(1000, 0, 0),
      freeLens: [false, false, false],
      freePose: Uint8Array.of(0),
      freePoints: false,
      start: Int32Array.of(0, 1),
      frame: Int32Array.of(0),
      place: Float64Array.of(3, 4),
      weight: Float64Array.of(1),
      huber: Infinity,
    }
    expect(bundleCost(b)).toBe(10_000)
    expect(bundleCost({ ...b, points: Float64Array.of(0, 0, 5) })).toBe(25)
    expect(adjustBundle({ ...b, points: Float64Array.of(0, 0, 5) }, 3).cost).toBe(25)
  })
})
