import type { Camera, Similarity } from '../data/index.ts'
import { conjugate, multiply, quaternionOfMatrix, rotate, svd3, unit, type Vec3 } from '../math/index.ts'
import { eyeOf, type Structure } from './structure.ts'

/** The camera of a solved frame, in the world of the solve turned to glTF's axes (Y up, looking along -Z). */
export function cameraAt(s: Structure, frame: number): Camera {
  const eye = eyeOf(s.poses, frame)
  const o = frame * 12
  const r = (k: number): number => s.poses[o + k] as number
  // Camera to world is R^T; both the world and the camera have y and z turned about: F R^T F with F = diag(1, -1, -1).
  const m = [r(0), -r(3), -r(6), -r(1), r(4), r(7), -r(2), r(5), r(8)]
  return {
    position: [eye[0], -eye[1], -eye[2]],
    rotation: quaternionOfMatrix(m),
    focalPx: s.lens[0] as number,
    k1: s.lens[1] as number,
    k2: s.lens[2] as number,
    centre: [s.width / 2, s.height / 2],
    width: s.width,
    height: s.height,
  }
}

/** The point of a track, in the same world as cameraAt's. */
export const pointAt = (s: Structure, track: number): Vec3 => [
  s.points[track * 3] as number,
  -(s.points[track * 3 + 1] as number),
  -(s.points[track * 3 + 2] as number),
]

/** The similarity that brings points nearest to others, in the sense of least squares: Umeyama 1991. Three points or more that are not on one line. */
export function alignPoints(from: readonly Vec3[], to: readonly Vec3[]): Similarity {
  const n = from.length
  const middle = (points: readonly Vec3[]): Vec3 =>
    [0, 1, 2].map((c) => points.reduce((sum, p) => sum + (p[c] ?? 0), 0) / n) as unknown as Vec3
  const [a, b] = [middle(from), middle(to)]
  const cov = new Float64Array(9)
  let spread = 0
  for (let k = 0; k < n; k++)
    for (let i = 0; i < 3; i++) {
      const p = (from[k]?.[i] ?? 0) - (a[i] ?? 0)
      spread += p * p
      for (let j = 0; j < 3; j++)
        cov[i * 3 + j] =
          (cov[i * 3 + j] as number) + ((to[k]?.[i] ?? 0) - (b[i] ?? 0)) * ((from[k]?.[j] ?? 0) - (a[j] ?? 0))
    }
  const { u, s, v } = svd3(cov)
  const det = (m: Float64Array): number => {
    const [p, q, r, t, w, x, y, z, e] = m as unknown as [
      number,
      number,
      number,
      number,
      number,
      number,
      number,
      number,
      number,
    ]
    return p * (w * e - x * z) - q * (t * e - x * y) + r * (t * z - w * y)
  }
  const sign = det(u) * det(v) < 0 ? -1 : 1
  const m = Array.from({ length: 9 }, (_, k) =>
    [0, 1, 2].reduce(
      (sum, l) =>
        sum + (u[Math.floor(k / 3) * 3 + l] as number) * (l === 2 ? sign : 1) * (v[(k % 3) * 3 + l] as number),
      0,
    ),
  )
  const rotation = quaternionOfMatrix(m)
  const scale = ((s[0] as number) + (s[1] as number) + sign * (s[2] as number)) / spread
  const turned = rotate(rotation, a)
  return {
    scale,
    rotation,
    shift: [(b[0] as number) - scale * turned[0], b[1] - scale * turned[1], b[2] - scale * turned[2]],
  }
}

export function movePoint({ scale, rotation, shift }: Similarity, p: Vec3): Vec3 {
  const [x, y, z] = rotate(rotation, p)
  return [scale * x + shift[0], scale * y + shift[1], scale * z + shift[2]]
}

/** Where movePoint's result came from. */
export const movePointBack = ({ scale, rotation, shift }: Similarity, [x, y, z]: Vec3): Vec3 =>
  rotate(conjugate(rotation), [(x - shift[0]) / scale, (y - shift[1]) / scale, (z - shift[2]) / scale])

export const moveCamera = (by: Similarity, camera: Camera): Camera => ({
  ...camera,
  position: movePoint(by, camera.position),
  rotation: unit(multiply(by.rotation, camera.rotation)),
})
