import { LanternError } from '../../base/index.ts'
import { type Axes, placeIn, turnIn } from '../../data/index.ts'
import { cos, length, quaternionOfMatrix, radians, scale, sin, type Vec3 } from '../../math/index.ts'
import type { PlateFrame, ReadCamera } from '../cameraFile.ts'
import { parseUsd, type UsdPrim, type UsdValue } from './parse.ts'

/** A 4 x 4 matrix in rows, which multiplies row vectors from the right, as USD's do. */
type Matrix = readonly number[]
const SAME: Matrix = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1]
const times = (a: Matrix, b: Matrix): Matrix =>
  Array.from({ length: 16 }, (_, n) =>
    [0, 1, 2, 3].reduce((sum, k) => sum + (a[(n & ~3) + k] as number) * (b[4 * k + (n & 3)] as number), 0),
  )

const flat = (value: UsdValue | undefined): number[] =>
  Array.isArray(value) ? value.flatMap(flat) : typeof value === 'number' ? [value] : []

const sorted = new WeakMap<Map<number, UsdValue>, number[]>()

/** The times of samples in order. */
function keysOf(samples: Map<number, UsdValue>): number[] {
  const keys = sorted.get(samples) ?? [...samples.keys()].sort((a, b) => a - b)
  sorted.set(samples, keys)
  return keys
}

/** A value at a time code: between two samples straight, before and after them as at the first and the last. */
function valueAt(prim: UsdPrim, name: string, time: number): number[] | undefined {
  const samples = prim.samples.get(name)
  if (!samples || samples.size === 0) {
    const value = prim.attributes.get(name)
    return value === undefined ? undefined : flat(value)
  }
  const keys = keysOf(samples)
  // The first key that is not before it.
  let [low, after] = [-1, keys.length]
  while (after - low > 1) {
    const middle = (low + after) >> 1
    if ((keys[middle] as number) >= time) after = middle
    else low = middle
  }
  const [a, b] = [keys[Math.max(0, after - 1)] as number, keys[Math.min(keys.length - 1, after)] as number]
  const [from, to] = [flat(samples.get(a)), flat(samples.get(b))]
  if (a === b || time <= a) return from
  if (time >= b) return to
  const t = (time - a) / (b - a)
  return from.map((v, n) => v + ((to[n] ?? v) - v) * t)
}

const AXES = { X: [1, 0, 0], Y: [0, 1, 0], Z: [0, 0, 1] } as const
function turning(axis: Vec3, degrees: number): Matrix {
  const [c, s] = [cos(radians(degrees)), sin(radians(degrees))]
  const [x, y, z] = axis
  const k = 1 - c
  return [
    c + x * x * k,
    x * y * k + z * s,
    x * z * k - y * s,
    0,
    x * y * k - z * s,
    c + y * y * k,
    y * z * k + x * s,
    0,
    x * z * k + y * s,
    y * z * k - x * s,
    c + z * z * k,
    0,
    0,
    0,
    0,
    1,
  ]
}

/** One operation of a transform's order at a time code. */
function operation(prim: UsdPrim, op: string, time: number, broken: (what: string) => LanternError): Matrix {
  const inverse = op.startsWith('!invert!')
  const name = inverse ? op.slice('!invert!'.length) : op
  const kind = name.split(':')[1] ?? ''
  const v = valueAt(prim, name, time)
  if (!v) return SAME
  const sign = inverse ? -1 : 1
  if (kind === 'translate') return [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, ...[0, 1, 2].map((c) => sign * (v[c] ?? 0)), 1]
  if (kind === 'scale') {
    const [x, y, z] = v.map((s) => (inverse ? 1 / s : s)) as [number, number, number]
    return [x, 0, 0, 0, 0, y, 0, 0, 0, 0, z, 0, 0, 0, 0, 1]
  }
  if (/^rotate[XYZ]$/.test(kind)) return turning(AXES[kind[6] as 'X'], sign * (v[0] ?? 0))
  if (/^rotate[XYZ]{3}$/.test(kind)) {
    const parts = [...kind.slice(6)].map((axis) => turning(AXES[axis as 'X'], sign * (v['XYZ'.indexOf(axis)] ?? 0)))
    return (inverse ? parts.reverse() : parts).reduce(times, SAME)
  }
  if (inverse) throw broken(`turns back an operation of the kind “${kind}”, which is not read here`)
  if (kind === 'orient') {
    const [w, x, y, z] = v as [number, number, number, number]
    return [
      1 - 2 * (y * y + z * z),
      2 * (x * y + w * z),
      2 * (x * z - w * y),
      0,
      2 * (x * y - w * z),
      1 - 2 * (x * x + z * z),
      2 * (y * z + w * x),
      0,
      2 * (x * z + w * y),
      2 * (y * z - w * x),
      1 - 2 * (x * x + y * y),
      0,
      0,
      0,
      0,
      1,
    ]
  }
  if (kind === 'transform' && v.length === 16) return v
  throw broken(`moves a prim by “${kind}”, which is not read here`)
}

function localAt(
  prim: UsdPrim,
  time: number,
  broken: (what: string) => LanternError,
): { matrix: Matrix; resets: boolean } {
  const order = prim.attributes.get('xformOpOrder')
  const ops = Array.isArray(order) ? order.map(String) : []
  const resets = ops.includes('!resetXformStack!')
  // The last operation acts first on row vectors.
  return {
    matrix: [...ops.filter((op) => op !== '!resetXformStack!')]
      .reverse()
      .map((op) => operation(prim, op, time, broken))
      .reduce(times, SAME),
    resets,
  }
}

/** The way down to the first camera: its parents, then itself. */
function findCamera(prims: readonly UsdPrim[]): UsdPrim[] | undefined {
  for (const prim of prims) {
    if (prim.type === 'Camera') return [prim]
    const below = findCamera(prim.children)
    if (below) return [prim, ...below]
  }
  return undefined
}

/** Frames that a layer may span. */
const MOST_SPAN = 100_000

/**
 * The first camera of a USD ASCII layer, its parents' moves included, at every time code from the layer's start to its end (or at its own samples' span).
 * Lens: focal length over aperture with its offsets; lens:k1 and lens:k2 where our own writer left them.
 * Throws LanternError 'usd' (damaged, or moved by what is not read here), 'usd-camera' (no camera in it).
 */
export function readCameraUsd(bytes: Uint8Array, file: string, plate: PlateFrame): ReadCamera {
  const broken = (what: string): LanternError =>
    new LanternError('usd', `${file} ${what}.`, 'Write the camera again with a plain transform.', { file })
  const layer = parseUsd(new TextDecoder().decode(bytes), file)
  const way = findCamera(layer.prims)
  const camera = way?.[way.length - 1]
  if (!way || !camera)
    throw new LanternError(
      'usd-camera',
      `${file} holds no camera.`,
      'Write the file with its camera, then take it in again.',
      { file },
    )
  const meta = (name: string): number | undefined => flat(layer.metadata.get(name))[0]
  const axes: Axes = { up: layer.metadata.get('upAxis') === 'Z' ? 'z' : 'y', metres: meta('metersPerUnit') ?? 0.01 }
  const spans = way.flatMap((prim) => [...prim.samples.values()].filter(({ size }) => size > 0).map(keysOf))
  const firsts = spans.map((keys) => keys[0] as number)
  const lasts = spans.map((keys) => keys[keys.length - 1] as number)
  const start = meta('startTimeCode') ?? (spans.length > 0 ? firsts.reduce((a, b) => Math.min(a, b)) : plate.first)
  const end = meta('endTimeCode') ?? (spans.length > 0 ? lasts.reduce((a, b) => Math.max(a, b)) : plate.first)
  if (!(end >= start && end - start < MOST_SPAN)) throw broken('has no sensible span of time')
  const frames = Array.from({ length: Math.floor(end - start) + 1 }, (_, n) => {
    const time = start + n
    let matrix: Matrix = SAME
    for (const prim of way) {
      const local = localAt(prim, time, broken)
      matrix = local.resets ? local.matrix : times(local.matrix, matrix)
    }
    const axis = (r: number): Vec3 => {
      const row: Vec3 = [matrix[4 * r] as number, matrix[4 * r + 1] as number, matrix[4 * r + 2] as number]
      return scale(row, 1 / Math.max(1e-12, length(row)))
    }
    const [x, y, z] = [axis(0), axis(1), axis(2)]
    const one = (name: string, missing: number): number => valueAt(camera, name, time)?.[0] ?? missing
    const across = one('horizontalAperture', 20.955)
    const perPx = plate.width / across
    return {
      frame: Math.round(time),
      camera: {
        position: placeIn(axes, [matrix[12] as number, matrix[13] as number, matrix[14] as number]),
        rotation: turnIn(axes, quaternionOfMatrix([x[0], y[0], z[0], x[1], y[1], z[1], x[2], y[2], z[2]])),
        focalPx: one('focalLength', 50) * perPx,
        centre: [
          plate.width / 2 - one('horizontalApertureOffset', 0) * perPx,
          plate.height / 2 + one('verticalApertureOffset', 0) * perPx,
        ] as [number, number],
        k1: one('lens:k1', 0),
        k2: one('lens:k2', 0),
        width: plate.width,
        height: plate.height,
      },
    }
  })
  return { frames, rate: meta('timeCodesPerSecond') ?? meta('framesPerSecond') ?? 24 }
}
