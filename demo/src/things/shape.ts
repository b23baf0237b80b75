import { random } from '@lantern/core/base'
import { aboutAxis, add, normalise, type Quaternion, rotate, type Vec3 } from '@lantern/core/math'

// Solids of a thing, put together corner by corner: boxes and round bars whose faces are split and roughened, as a scan has them.

const WHOLE: Quaternion = [0, 0, 0, 1]

export interface Rough {
  /** How far corners are moved at most, m, and the size of the lumps. */
  depth: number
  size: number
  /** Longest edge of a face's parts, m. */
  part: number
}

/** Smooth noise of a place, about -1 to 1, the same at the same place. */
export function lumps(seed: number): (at: Vec3) => number {
  const value = (x: number, y: number, z: number): number =>
    random((x * 73856093) ^ (y * 19349663) ^ (z * 83492791) ^ seed).next() * 2 - 1
  const smooth = (t: number): number => t * t * (3 - 2 * t)
  return ([x, y, z]) => {
    const [i, j, k] = [Math.floor(x), Math.floor(y), Math.floor(z)]
    const [u, v, w] = [smooth(x - i), smooth(y - j), smooth(z - k)]
    let sum = 0
    for (let n = 0; n < 8; n++) {
      const [a, b, c] = [n & 1, (n >> 1) & 1, n >> 2]
      sum += value(i + a, j + b, k + c) * (a ? u : 1 - u) * (b ? v : 1 - v) * (c ? w : 1 - w)
    }
    return sum
  }
}

export class Shape {
  readonly positions: number[] = []
  readonly normals: number[] = []
  readonly uvs: number[] = []
  readonly indices: number[] = []

  /** One face: `across` x `down` parts between a corner and its two edges. uv: of its corner, and how much of the texture a metre is. */
  private face(
    corner: Vec3,
    u: Vec3,
    v: Vec3,
    pose: (at: Vec3) => Vec3,
    turn: (way: Vec3) => Vec3,
    uv: readonly [number, number, number],
    part: number,
  ): void {
    const length = (e: Vec3): number => Math.sqrt(e[0] ** 2 + e[1] ** 2 + e[2] ** 2)
    const [across, down] = [Math.max(1, Math.ceil(length(u) / part)), Math.max(1, Math.ceil(length(v) / part))]
    const normal = turn(normalise([u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]]))
    const first = this.positions.length / 3
    for (let j = 0; j <= down; j++)
      for (let i = 0; i <= across; i++) {
        const [s, t] = [i / across, j / down]
        const at: Vec3 = [
          corner[0] + u[0] * s + v[0] * t,
          corner[1] + u[1] * s + v[1] * t,
          corner[2] + u[2] * s + v[2] * t,
        ]
        this.positions.push(...pose(at))
        this.normals.push(...normal)
        this.uvs.push(uv[0] + s * length(u) * uv[2], uv[1] + t * length(v) * uv[2])
      }
    for (let j = 0; j < down; j++)
      for (let i = 0; i < across; i++) {
        const n = first + j * (across + 1) + i
        this.indices.push(n, n + 1, n + across + 2, n, n + across + 2, n + across + 1)
      }
  }

  /** A box round a middle. per: of the texture a metre; seed: where in the texture it begins, and its lumps. */
  box(
    middle: Vec3,
    size: Vec3,
    rotation: Quaternion,
    { depth, size: lump, part }: Rough,
    per: number,
    seed: number,
  ): void {
    const [x, y, z] = [size[0] / 2, size[1] / 2, size[2] / 2]
    const noise = lumps(seed)
    const stream = random(seed)
    const turn = (way: Vec3): Vec3 => rotate(rotation, way)
    const pose = (at: Vec3): Vec3 => {
      // Corners and edges are worn: pulled in more than the faces.
      const wear = Math.max(0, Math.abs(at[0]) / x + Math.abs(at[1]) / y + Math.abs(at[2]) / z - 2)
      const by = 1 + (depth * noise([at[0] / lump + seed, at[1] / lump, at[2] / lump])) / Math.max(x, y, z)
      const k = by - (wear * depth) / Math.max(x, y, z)
      return add(middle, turn([at[0] * k, at[1] * k, at[2] * k]))
    }
    const faces: [Vec3, Vec3, Vec3][] = [
      [
        [-x, -y, z],
        [2 * x, 0, 0],
        [0, 2 * y, 0],
      ],
      [
        [x, -y, -z],
        [-2 * x, 0, 0],
        [0, 2 * y, 0],
      ],
      [
        [x, -y, z],
        [0, 0, -2 * z],
        [0, 2 * y, 0],
      ],
      [
        [-x, -y, -z],
        [0, 0, 2 * z],
        [0, 2 * y, 0],
      ],
      [
        [-x, y, z],
        [2 * x, 0, 0],
        [0, 0, -2 * z],
      ],
      [
        [-x, -y, -z],
        [2 * x, 0, 0],
        [0, 0, 2 * z],
      ],
    ]
    for (const [corner, u, v] of faces) this.face(corner, u, v, pose, turn, [stream.next(), stream.next(), per], part)
  }

  /** A round bar along its own x. */
  bar(middle: Vec3, length: number, radius: number, rotation: Quaternion, per: number, seed: number, sides = 12): void {
    const stream = random(seed)
    const [u0, v0] = [stream.next(), stream.next()]
    const first = this.positions.length / 3
    for (let n = 0; n <= sides; n++)
      for (const end of [-1, 1]) {
        const a = (n / sides) * 2 * Math.PI
        const way = rotate(rotation, [0, Math.cos(a), Math.sin(a)])
        const at = rotate(rotation, [(end * length) / 2, radius * Math.cos(a), radius * Math.sin(a)])
        this.positions.push(...add(middle, at))
        this.normals.push(...way)
        this.uvs.push(u0 + ((end + 1) / 2) * length * per, v0 + (n / sides) * 2 * Math.PI * radius * per)
      }
    for (let n = 0; n < sides; n++) {
      const a = first + 2 * n
      this.indices.push(a, a + 2, a + 3, a, a + 3, a + 1)
    }
    for (const end of [-1, 1]) {
      const hub = this.positions.length / 3
      this.positions.push(...add(middle, rotate(rotation, [(end * length) / 2, 0, 0])))
      this.normals.push(...rotate(rotation, [end, 0, 0]))
      this.uvs.push(u0, v0)
      for (let n = 0; n <= sides; n++) {
        const a = (n / sides) * 2 * Math.PI
        this.positions.push(
          ...add(middle, rotate(rotation, [(end * length) / 2, radius * Math.cos(a), radius * Math.sin(a)])),
        )
        this.normals.push(...rotate(rotation, [end, 0, 0]))
        this.uvs.push(u0 + radius * per * Math.cos(a), v0 + radius * per * Math.sin(a))
      }
      for (let n = 0; n < sides; n++)
        this.indices.push(hub, ...(end > 0 ? [hub + 1 + n, hub + 2 + n] : [hub + 2 + n, hub + 1 + n]))
    }
  }

  /** A tyre about z: a ring of square section. */
  ring(middle: Vec3, radius: number, wide: number, thick: number, per: number, seed: number, sides = 36): void {
    for (let n = 0; n < sides; n++) {
      const a = ((n + 0.5) / sides) * 2 * Math.PI
      const at = add(middle, [radius * Math.cos(a), radius * Math.sin(a), 0])
      const turned = aboutAxis([0, 0, 1], a + Math.PI / 2)
      const size: Vec3 = [2 * radius * Math.tan(Math.PI / sides) * 1.02, thick, wide]
      this.box(at, size, turned, { depth: 0, size: 1, part: 1 }, per, seed + n)
    }
  }
}
export { WHOLE }
