import { hash01, mix32 } from '../base/index.ts'
import { type Camera, distort, pixelRay, pointAlong } from '../data/index.ts'
import { conjugate, cos, rotate, sin, subtract, type Vec3 } from '../math/index.ts'
import { diceOf } from './births.ts'
import { type DropClass, diameterIn, type SizeLaw } from './rain.ts'

// What falls without end: rain, snow. Nothing is computed from frame to frame. The air of each class of drops is a lattice of cells that falls and drifts as one; which drops a cell holds is decided by its number. So the drops seen at any moment are found in closed form, they fall already on the first frame, and a moving camera finds the same ones.

export interface FallSettings {
  seed: number
  law: SizeLaw
  classes: readonly DropClass[]
  /** m/s of a diameter in mm. */
  speedOf(millimetres: number): number
  /** m along the view between which they are seen. */
  near: number
  far: number
  /** m/s by which they sway as they fall. */
  flutter: number
  most: number
}

/** Drops seen at a moment: x y z of each, m, and m/s; diameters, m. */
export interface Falling {
  count: number
  ids: Uint32Array
  positions: Float32Array
  velocities: Float32Array
  sizes: Float32Array
}

/** Room for so many. */
export const seenRoom = (room: number): Falling => ({
  count: 0,
  ids: new Uint32Array(room),
  positions: new Float32Array(3 * room),
  velocities: new Float32Array(3 * room),
  sizes: new Float32Array(room),
})

/** Edge of a lattice's cells, m. */
const CELL = 1
/** Share of the picture round it in which drops are found too: they may be drawn into it. */
const MARGIN = 0.06
const SWAY_PACE = 2 * Math.PI * 0.9

/** The part of space that a camera sees between two distances, as it is asked: corners, and whether a place lies in it. */
export class Seen {
  readonly #camera: Camera
  readonly #back: ReturnType<typeof conjugate>
  readonly #near: number
  readonly #far: number
  readonly low: [number, number, number] = [Infinity, Infinity, Infinity]
  readonly high: [number, number, number] = [-Infinity, -Infinity, -Infinity]
  readonly #planes: { normal: Vec3; offset: number }[] = []

  constructor(camera: Camera, near: number, far: number) {
    this.#camera = camera
    this.#back = conjugate(camera.rotation)
    this.#near = near
    this.#far = far
    const [mx, my] = [MARGIN * camera.width, MARGIN * camera.height]
    const corners = [
      [-mx, -my],
      [camera.width + mx, -my],
      [camera.width + mx, camera.height + my],
      [-mx, camera.height + my],
    ].map(([x = 0, y = 0]) => pixelRay(camera, x, y))
    for (const ray of corners)
      for (const t of [near, far]) {
        const at = pointAlong(ray, t)
        for (let a = 0; a < 3; a++) {
          this.low[a] = Math.min(this.low[a] as number, at[a] as number)
          this.high[a] = Math.max(this.high[a] as number, at[a] as number)
        }
      }
    // Sides of the pyramid, inward.
    corners.forEach((ray, n) => {
      const next = (corners[(n + 1) % 4] as typeof ray).along
      const own = ray.along
      const normal: Vec3 = [
        own[2] * next[1] - own[1] * next[2],
        own[0] * next[2] - own[2] * next[0],
        own[1] * next[0] - own[0] * next[1],
      ]
      const [x, y, z] = camera.position
      const forward = pixelRay(camera, camera.centre[0], camera.centre[1]).along
      const sign = normal[0] * forward[0] + normal[1] * forward[1] + normal[2] * forward[2] < 0 ? -1 : 1
      const inward: Vec3 = [sign * normal[0], sign * normal[1], sign * normal[2]]
      this.#planes.push({ normal: inward, offset: inward[0] * x + inward[1] * y + inward[2] * z })
    })
  }

  /** Whether a cube of so many m on edge may reach in. */
  mayHold(x: number, y: number, z: number, edge: number): boolean {
    return this.#planes.every(({ normal: [a, b, c], offset }) => {
      const far = a * (a > 0 ? x + edge : x) + b * (b > 0 ? y + edge : y) + c * (c > 0 ? z + edge : z)
      return far >= offset
    })
  }

  holds(x: number, y: number, z: number): boolean {
    const camera = this.#camera
    const [px, py, pz] = rotate(this.#back, subtract([x, y, z], camera.position))
    const depth = -pz
    if (depth < this.#near || depth > this.#far) return false
    const [u, v] = distort(camera, px / depth, -py / depth)
    const [sx, sy] = [camera.centre[0] + camera.focalPx * u, camera.centre[1] + camera.focalPx * v]
    const [mx, my] = [MARGIN * camera.width, MARGIN * camera.height]
    return sx >= -mx && sx <= camera.width + mx && sy >= -my && sy <= camera.height + my
  }
}

/** The volume that a camera sees between two distances, m^3. */
export const seenVolume = (camera: Camera, near: number, far: number): number =>
  ((far * far * far - near * near * near) / 3) * (camera.width / camera.focalPx) * (camera.height / camera.focalPx)

/** The far distance at which not more than so many are seen. */
export function farFor(camera: Camera, number: number, near: number, far: number, most: number): number {
  let [low, high] = [near, far]
  if (seenVolume(camera, near, far) * number <= most) return far
  for (let n = 0; n < 40; n++) {
    const middle = (low + high) / 2
    if (seenVolume(camera, near, middle) * number <= most) low = middle
    else high = middle
  }
  return low
}

/**
 * The drops that a camera sees. time: s since the shot's first frame; drift: how far the air has gone since then, m; wind: m/s now.
 */
export function fallingAt(
  { seed, law, classes, speedOf, near, far, flutter, most }: FallSettings,
  camera: Camera,
  time: number,
  drift: Vec3,
  wind: Vec3,
): Falling {
  const whole = classes.reduce((sum, { number }) => sum + number, 0)
  const seen = new Seen(camera, near, farFor(camera, whole, near, far, most))
  const room = Math.ceil(1.5 * most) + 1000
  const [ids, sizes] = [new Uint32Array(room), new Float32Array(room)]
  const [positions, velocities] = [new Float32Array(3 * room), new Float32Array(3 * room)]
  let count = 0
  classes.forEach((own, c) => {
    const speed = speedOf(own.diameter)
    const by: Vec3 = [drift[0], drift[1] - speed * time, drift[2]]
    const from = [0, 1, 2].map((a) => Math.floor(((seen.low[a] as number) - (by[a] as number)) / CELL))
    const to = [0, 1, 2].map((a) => Math.floor(((seen.high[a] as number) - (by[a] as number)) / CELL))
    for (let k = from[2] as number; k <= (to[2] as number); k++)
      for (let j = from[1] as number; j <= (to[1] as number); j++)
        for (let i = from[0] as number; i <= (to[0] as number); i++) {
          if (!seen.mayHold(i * CELL + by[0], j * CELL + by[1], k * CELL + by[2], CELL)) continue
          const cell = seed * 64 + c
          const drops = Math.floor(own.number * CELL ** 3 + hash01(cell, i, j, k))
          const base = Math.floor(hash01(cell + 7919, i, j, k) * 4294967296)
          for (let n = 0; n < drops; n++) {
            const id = mix32(base + Math.imul(n, 0x9e3779b1))
            let [x, y, z] = [
              (i + diceOf(id, 0)) * CELL + by[0],
              (j + diceOf(id, 1)) * CELL + by[1],
              (k + diceOf(id, 2)) * CELL + by[2],
            ]
            let [u, w] = [wind[0], wind[2]]
            if (flutter > 0) {
              const [turn, pace] = [2 * Math.PI * diceOf(id, 4), SWAY_PACE * (0.6 + 0.8 * diceOf(id, 5))]
              const phase = pace * time + 2 * Math.PI * diceOf(id, 6)
              const [reach, now] = [(flutter / pace) * sin(phase), flutter * cos(phase)]
              x += reach * cos(turn)
              z += reach * sin(turn)
              u += now * cos(turn)
              w += now * sin(turn)
            }
            if (count >= room || !seen.holds(x, y, z)) continue
            ids[count] = id
            sizes[count] = diameterIn(own, law, diceOf(id, 3)) / 1000
            positions[3 * count] = x
            positions[3 * count + 1] = y
            positions[3 * count + 2] = z
            velocities[3 * count] = u
            velocities[3 * count + 1] = wind[1] - speed
            velocities[3 * count + 2] = w
            count++
          }
        }
  })
  return { count, ids, positions, velocities, sizes }
}
