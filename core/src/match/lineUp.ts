import { LanternError } from '../base/index.ts'
import type { Camera } from '../data/index.ts'
import {
  cross,
  dot,
  normalise,
  quaternionOfMatrix,
  scale,
  solveCholesky,
  svd3,
  symmetricEigen,
  type Vec3,
} from '../math/index.ts'
import { movePose } from './bundleCost.ts'
import { straightPlace } from './lens.ts'

// A still or locked-off view lined up by edges that are parallel in the world (Caprile & Torre 1990; Hartley & Zisserman 2004, 8.6), then bettered until the drawn lines meet their vanishing points best.

export type Axis = 'x' | 'y' | 'z'
/** Ends of a line drawn along an edge, px: x, y, x, y. */
export type DrawnLine = readonly [number, number, number, number]

export interface LineUpSettings {
  /** Lines along the world's right (x), up (y) and towards the camera (z): two axes or more with two lines or more each; one where the focal length is known. */
  lines: Partial<Record<Axis, readonly DrawnLine[]>>
  width: number
  height: number
  focalPx?: number
  k1?: number
  k2?: number
  /** Where the world's origin is seen, px; the known length starts there, runs along an axis and ends at `to`. */
  origin: readonly [number, number]
  length: { axis: Axis; to: readonly [number, number]; metres: number }
}

export interface LineUp {
  camera: Camera
  /** Root mean square distance of the lines' ends from lines to their vanishing points, px. */
  rms: number
}

const AXES: readonly Axis[] = ['x', 'y', 'z']
const STEPS = 30

/** A line's ends straight and normalised by `unit`, so that numbers are near one. */
type Ends = { axis: number; a: Vec3; b: Vec3 }

function endsOf({ lines, width, height, focalPx, k1 = 0, k2 = 0 }: LineUpSettings, unitPx: number): Ends[] {
  // Without a focal length the lens can't be undone: lines are taken as they are.
  const place = (x: number, y: number): Vec3 => {
    const [u, v] = focalPx
      ? (straightPlace([focalPx, k1, k2], x - width / 2, y - height / 2).map((p) => (p * focalPx) / unitPx) as [
          number,
          number,
        ])
      : [(x - width / 2) / unitPx, (y - height / 2) / unitPx]
    return [u, v, 1]
  }
  return AXES.flatMap((name, axis) =>
    (lines[name] ?? []).map(([x, y, u, v]) => {
      if ((x - u) * (x - u) + (y - v) * (y - v) < 4)
        throw new LanternError('line-up', 'A line is shorter than two pixels.', 'Draw it along the whole edge.', {
          field: `lines ${name}`,
        })
      return { axis, a: place(x, y), b: place(u, v) }
    }),
  )
}

/** The place where lines meet, homogeneous and of length one: the vector nearest to lying on all of them. */
function meeting(lines: readonly Ends[]): Vec3 {
  const m = new Float64Array(9)
  for (const { a, b } of lines) {
    const l = cross(a, b)
    const size = Math.sqrt(l[0] * l[0] + l[1] * l[1])
    const reach = Math.sqrt((a[0] - b[0]) * (a[0] - b[0]) + (a[1] - b[1]) * (a[1] - b[1]))
    for (let i = 0; i < 3; i++)
      for (let j = 0; j < 3; j++)
        m[i * 3 + j] = (m[i * 3 + j] as number) + ((reach * (l[i] ?? 0)) / size) * ((reach * (l[j] ?? 0)) / size)
  }
  const { vectors } = symmetricEigen(m, 3)
  return [vectors[0] as number, vectors[1] as number, vectors[2] as number]
}

/** Focal length (in the ends' unit) at which vanishing points of axes at right angles are at right angles. */
function focalOf(points: readonly (Vec3 | undefined)[]): number | undefined {
  let [top, bottom] = [0, 0]
  for (const [n, p] of points.entries())
    for (const q of points.slice(n + 1)) {
      if (!p || !q) continue
      const w = p[2] * q[2]
      top -= w * (p[0] * q[0] + p[1] * q[1])
      bottom += w * w
    }
  const square = top / bottom
  return square > 0 && Number.isFinite(square) ? Math.sqrt(square) : undefined
}

/** Signed distances of a line's ends from the line through its middle to where its axis vanishes. */
function distances({ axis, a, b }: Ends, f: number, r: ArrayLike<number>): [number, number] {
  const v: Vec3 = [f * (r[axis] as number), f * (r[3 + axis] as number), r[6 + axis] as number]
  const middle: Vec3 = [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2, 1]
  const l = cross(middle, v)
  const size = Math.sqrt(l[0] * l[0] + l[1] * l[1]) || 1e-12
  return [dot(l, a) / size, dot(l, b) / size]
}

/** Turn (world to view, x right, y down, z forward) whose columns lie nearest to the axes' directions; the world's y is up, its z towards the camera. */
function turnOf(points: readonly (Vec3 | undefined)[], f: number): Float64Array {
  const m = new Float64Array(9)
  // Which way along an axis can't be seen: x is right, y is up (down is positive in a view), z comes towards us.
  const wanted = [
    [0, 1],
    [1, -1],
    [2, -1],
  ] as const
  for (const [axis, p] of points.entries()) {
    if (!p) continue
    const d = normalise([p[0] / f, p[1] / f, p[2]])
    const [part, sign] = wanted[axis] as readonly [0 | 1 | 2, number]
    const way = d[part] * sign < 0 ? scale(d, -1) : d
    for (let i = 0; i < 3; i++) m[i * 3 + axis] = way[i] ?? 0
  }
  // One or two axes: what is missing is at right angles to them; with one, the picture's own upright helps.
  const column = (c: number): Vec3 | undefined =>
    points[c] ? [m[c] as number, m[3 + c] as number, m[6 + c] as number] : undefined
  const set = (c: number, v: Vec3): void => {
    const n = normalise(v)
    for (let i = 0; i < 3; i++) m[i * 3 + c] = n[i] ?? 0
  }
  const [x, y, z] = [column(0), column(1), column(2)]
  if (!y) set(1, z && x ? cross(z, x) : cross(z ?? [0, 0, -1], x ?? [1, 0, 0]))
  const up = column(1) ?? ([m[1] as number, m[4] as number, m[7] as number] as Vec3)
  if (!x) set(0, cross(up, z ?? [0, 0, -1]))
  const right: Vec3 = [m[0] as number, m[3] as number, m[6] as number]
  if (!z) set(2, cross(right, up))
  const { u, v } = svd3(m)
  return Float64Array.from({ length: 9 }, (_, k) =>
    [0, 1, 2].reduce((sum, l) => sum + (u[Math.floor(k / 3) * 3 + l] as number) * (v[(k % 3) * 3 + l] as number), 0),
  )
}

/**
 * The camera of a view from lines along parallel edges and one known length.
 * Throws LanternError 'line-up' naming what is missing or contradicts itself.
 */
export function lineUp(settings: LineUpSettings): LineUp {
  const { width } = settings
  const unitPx = width / 2
  const ends = endsOf(settings, unitPx)
  const groups = AXES.map((_, axis) => ends.filter((line) => line.axis === axis))
  const points = groups.map((lines) => (lines.length >= 2 ? meeting(lines) : undefined))
  const count = points.filter((p) => p !== undefined).length
  if (count < (settings.focalPx ? 1 : 2))
    throw new LanternError(
      'line-up',
      settings.focalPx ? 'No axis has two lines.' : 'Two axes need two lines each where the focal length is not known.',
      'Draw two lines along edges that are parallel in the world.',
      { field: 'lines' },
    )
  const first = settings.focalPx ? settings.focalPx / unitPx : focalOf(points)
  if (!first)
    throw new LanternError(
      'line-up',
      'These lines can’t be at right angles to one another through any lens.',
      'Check which axis each line belongs to, or state the focal length.',
      { field: 'lines' },
    )
  const pose = new Float64Array(12)
  pose.set(turnOf(points, first))
  const { f, rms } = better(
    ends.filter(({ axis }) => points[axis]),
    pose,
    first,
    settings.focalPx === undefined,
  )
  return { camera: standing(settings, pose, f * unitPx), rms: rms * unitPx }
}

/** Betters turn and focal length by Levenberg–Marquardt with differences for slopes; the pose in place. */
function better(
  ends: readonly Ends[],
  pose: Float64Array,
  first: number,
  freeFocal: boolean,
): { f: number; rms: number } {
  let f = first
  const n = freeFocal ? 4 : 3
  const rests = (p: Float64Array, focal: number): number[] => ends.flatMap((line) => distances(line, focal, p))
  const sum = (values: readonly number[]): number => values.reduce((total, v) => total + v * v, 0)
  let now = rests(pose, f)
  let damp = 1e-3
  for (let step = 0; step < STEPS; step++) {
    const e = 1e-6
    const slopes = Array.from({ length: n }, (_, k) => {
      const moved = pose.slice()
      if (k < 3)
        movePose(
          pose,
          moved,
          0,
          [0, 1, 2].map((c) => (c === k ? e : 0)),
          0,
          false,
        )
      return rests(moved, k === 3 ? f * (1 + e) : f).map((v, i) => (v - (now[i] ?? 0)) / e)
    })
    const a = new Float64Array(n * n)
    const b = new Float64Array(n)
    for (let i = 0; i < n; i++) {
      for (let j = 0; j < n; j++)
        a[i * n + j] = (slopes[i] ?? []).reduce((total, v, k) => total + v * (slopes[j]?.[k] ?? 0), 0)
      a[i * n + i] = (a[i * n + i] as number) * (1 + damp) + 1e-12
      b[i] = -(slopes[i] ?? []).reduce((total, v, k) => total + v * (now[k] ?? 0), 0)
    }
    if (!solveCholesky(a, b, n)) break
    const moved = pose.slice()
    movePose(pose, moved, 0, b, 0, false)
    const focal = n === 4 ? f * (1 + (b[3] as number)) : f
    const next = focal > 0 ? rests(moved, focal) : [Infinity]
    if (sum(next) < sum(now)) {
      const settled = sum(now) - sum(next) < 1e-12 * sum(now)
      pose.set(moved)
      f = focal
      now = next
      damp /= 5
      if (settled) break
    } else damp *= 6
  }
  return { f, rms: Math.sqrt(sum(now) / Math.max(1, now.length)) }
}

/** The camera that stands so far from the origin that the known length is as long as it is seen. */
function standing(settings: LineUpSettings, pose: Float64Array, focalPx: number): Camera {
  const { origin, length: known, width, height, k1 = 0, k2 = 0 } = settings
  if (!(known.metres > 0))
    throw new LanternError(
      'line-up',
      'The known length must be more than nothing.',
      'Say how long the edge is in metres.',
      { field: 'length' },
    )
  const ray = (x: number, y: number): Vec3 => [...straightPlace([focalPx, k1, k2], x - width / 2, y - height / 2), 1]
  const [from, to] = [ray(...origin), ray(...known.to)]
  const axis = AXES.indexOf(known.axis)
  const along: Vec3 = [pose[axis] as number, pose[3 + axis] as number, pose[6 + axis] as number]
  // (t from + metres along) x to = 0.
  const [p, q] = [cross(from, to), cross(along, to)]
  const t = (-known.metres * dot(p, q)) / dot(p, p)
  if (!(t > 0) || !Number.isFinite(t))
    throw new LanternError(
      'line-up',
      `The known length does not run along ${known.axis} as it is drawn.`,
      'Draw it from the origin along that axis, the right way round.',
      { field: 'length' },
    )
  const r = (k: number): number => pose[k] as number
  const place: Vec3 = [t * from[0], t * from[1], t * from[2]]
  // The camera in the world: -R^T (t from); its axes are those of the view with y and z turned about.
  const eye = [0, 1, 2].map((c) => -(r(c) * place[0] + r(3 + c) * place[1] + r(6 + c) * place[2])) as unknown as Vec3
  const rotation = quaternionOfMatrix([r(0), -r(3), -r(6), r(1), -r(4), -r(7), r(2), -r(5), -r(8)])
  return { position: eye, rotation, focalPx, k1, k2, centre: [width / 2, height / 2], width, height }
}
