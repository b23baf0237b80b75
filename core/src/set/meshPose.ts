import type { AssetAnimation, AssetChannel, AssetNode, AssetPart, MeshAsset, SurfaceMesh } from '../data/index.ts'
import { normalise, type Quaternion } from '../math/index.ts'

// A mesh asset as it stands at a time of one of its animations (glTF 2.0, appendix C for interpolation, section 3.7.3 for skins).

/** Column-major 4 x 4. */
type Matrix = Float64Array

function matrixOf({ translation: t, rotation: q, scale: s }: AssetNode): Matrix {
  const [x, y, z, w] = q
  const rows = [
    [1 - 2 * (y * y + z * z), 2 * (x * y - w * z), 2 * (x * z + w * y)],
    [2 * (x * y + w * z), 1 - 2 * (x * x + z * z), 2 * (y * z - w * x)],
    [2 * (x * z - w * y), 2 * (y * z + w * x), 1 - 2 * (x * x + y * y)],
  ]
  const out = new Float64Array(16)
  for (let c = 0; c < 3; c++) for (let r = 0; r < 3; r++) out[c * 4 + r] = (rows[r]?.[c] ?? 0) * (s[c] ?? 1)
  out.set([...t, 1], 12)
  return out
}

function times(a: Matrix, b: ArrayLike<number>): Matrix {
  const out = new Float64Array(16)
  for (let c = 0; c < 4; c++)
    for (let r = 0; r < 4; r++)
      for (let k = 0; k < 4; k++) out[c * 4 + r] = (out[c * 4 + r] ?? 0) + (a[k * 4 + r] ?? 0) * (b[c * 4 + k] ?? 0)
  return out
}

const unit = (q: readonly number[]): Quaternion => {
  const norm = Math.sqrt(q.reduce((sum, part) => sum + part * part, 0)) || 1
  return q.map((part) => part / norm) as unknown as Quaternion
}

/** A channel's value at a time; held before its first and after its last key. */
function valueAt({ of, way, times: keys, values }: AssetChannel, seconds: number): number[] {
  const size = of === 'rotation' ? 4 : 3
  const last = keys.length - 1
  if (last < 0) return of === 'rotation' ? [0, 0, 0, 1] : of === 'scale' ? [1, 1, 1] : [0, 0, 0]
  const cubic = way === 'cubic'
  const stride = cubic ? 3 * size : size
  const at = (key: number, part = 1): number[] => {
    const from = key * stride + (cubic ? part * size : 0)
    return Array.from(values.subarray(from, from + size))
  }
  let k = 0
  while (k < last && (keys[k + 1] ?? 0) <= seconds) k++
  const begins = keys[k] ?? 0
  if (seconds <= begins || k === last || way === 'step') return at(k)
  const span = (keys[k + 1] ?? 0) - begins
  const t = span > 0 ? (seconds - begins) / span : 0
  const [a, b] = [at(k), at(k + 1)]
  if (cubic) {
    const [leave, arrive] = [at(k, 2), at(k + 1, 0)]
    const [t2, t3] = [t * t, t * t * t]
    return a.map(
      (value, i) =>
        (2 * t3 - 3 * t2 + 1) * value +
        (t3 - 2 * t2 + t) * span * (leave[i] ?? 0) +
        (3 * t2 - 2 * t3) * (b[i] ?? 0) +
        (t3 - t2) * span * (arrive[i] ?? 0),
    )
  }
  // Rotations go the shorter way; straight and made unit, which for close keys is as good as along the arc.
  const dot = of === 'rotation' ? a.reduce((sum, value, i) => sum + value * (b[i] ?? 0), 0) : 1
  return a.map((value, i) => value + ((dot < 0 ? -1 : 1) * (b[i] ?? 0) - value) * t)
}

/** World matrices of all nodes. */
function worldMatrices({ nodes }: MeshAsset, animation: AssetAnimation | undefined, seconds: number): Matrix[] {
  const moved = nodes.map((node) => ({ ...node }))
  for (const channel of animation?.channels ?? []) {
    const node = moved[channel.node]
    const value = valueAt(channel, seconds)
    if (!node) continue
    if (channel.of === 'rotation') node.rotation = unit(value)
    else node[channel.of] = value as [number, number, number]
  }
  const world: Matrix[] = []
  moved.forEach((node, n) => {
    const own = matrixOf(node)
    const parent = world[node.parent]
    world[n] = parent ? times(parent, own) : own
  })
  return world
}

/** The matrices that a part's vertices go through: its node's, or one for each joint. */
function matricesOf({ node, skin }: AssetPart, world: readonly Matrix[]): Matrix[] {
  const identity = new Float64Array([1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1])
  if (!skin) return [world[node] ?? identity]
  return skin.joints.map((joint, n) => times(world[joint] ?? identity, skin.inverse.subarray(n * 16, n * 16 + 16)))
}

/** Moves a part's vertices: into `out` from vertex `first`. directions: without the shift. */
function move(
  values: Float32Array,
  part: AssetPart,
  matrices: readonly Matrix[],
  directions: boolean,
  out: Float32Array,
  first: number,
): void {
  const { skin } = part
  const [one] = matrices
  const blended = new Float64Array(16)
  for (let n = 0; n < values.length / 3; n++) {
    let m = one
    if (skin) {
      blended.fill(0)
      for (let k = 0; k < 4; k++) {
        const weight = skin.vertexWeights[n * 4 + k] ?? 0
        const joint = matrices[skin.vertexJoints[n * 4 + k] ?? 0]
        if (weight > 0 && joint) for (let i = 0; i < 16; i++) blended[i] = (blended[i] ?? 0) + weight * (joint[i] ?? 0)
      }
      m = blended
    }
    if (!m) continue
    const [x, y, z] = [values[n * 3] ?? 0, values[n * 3 + 1] ?? 0, values[n * 3 + 2] ?? 0]
    for (let r = 0; r < 3; r++)
      out[(first + n) * 3 + r] =
        (m[r] ?? 0) * x + (m[4 + r] ?? 0) * y + (m[8 + r] ?? 0) * z + (directions ? 0 : (m[12 + r] ?? 0))
    if (directions) {
      const at = (first + n) * 3
      out.set(normalise([out[at] ?? 0, out[at + 1] ?? 0, out[at + 2] ?? 1]), at)
    }
  }
}

/** At which moments of an animation, s, a mesh is taken: when the shutter opens and closes. */
export interface AssetMoment {
  animation: string
  opening: number
  closing: number
}

/** An asset's animation by its name; undefined where it has none of that name. */
export const animationOf = ({ animations }: MeshAsset, name: string): AssetAnimation | undefined =>
  animations.find((one) => one.name === name)

/**
 * An asset as one mesh, in its own units. Triangles' parts are numbers of its materials; one beyond the last is none.
 * moment: of one of its animations; without it as the file has it.
 */
export function surfaceOf(asset: MeshAsset, moment?: AssetMoment): SurfaceMesh {
  const animation = moment && animationOf(asset, moment.animation)
  const opening = worldMatrices(asset, animation, moment?.opening ?? 0)
  const closing =
    animation && moment.closing !== moment.opening ? worldMatrices(asset, animation, moment.closing) : undefined
  const vertices = asset.parts.reduce((sum, { positions }) => sum + positions.length / 3, 0)
  const corners = asset.parts.reduce((sum, { indices }) => sum + indices.length, 0)
  const has = (what: 'normals' | 'uvs' | 'colours'): boolean => asset.parts.some((part) => part[what])
  const mesh = {
    positions: new Float32Array(vertices * 3),
    indices: new Uint32Array(corners),
    parts: new Uint16Array(corners / 3),
    // A part without normals is faceted, which one mesh with normals can't say: then all are.
    ...(asset.parts.every(({ normals }) => normals) ? { normals: new Float32Array(vertices * 3) } : {}),
    ...(has('uvs') ? { uvs: new Float32Array(vertices * 2) } : {}),
    ...(has('colours') ? { colours: new Uint8Array(vertices * 4).fill(255) } : {}),
    ...(closing ? { closing: new Float32Array(vertices * 3) } : {}),
  }
  let [first, corner] = [0, 0]
  for (const part of asset.parts) {
    const matrices = matricesOf(part, opening)
    move(part.positions, part, matrices, false, mesh.positions, first)
    if (mesh.closing && closing) move(part.positions, part, matricesOf(part, closing), false, mesh.closing, first)
    if (mesh.normals && part.normals) move(part.normals, part, matrices, true, mesh.normals, first)
    if (mesh.uvs && part.uvs) mesh.uvs.set(part.uvs, first * 2)
    if (mesh.colours && part.colours) mesh.colours.set(part.colours, first * 4)
    const material = part.material < 0 ? asset.materials.length : part.material
    part.indices.forEach((index, n) => (mesh.indices[corner + n] = index + first))
    mesh.parts.fill(material, corner / 3, (corner + part.indices.length) / 3)
    first += part.positions.length / 3
    corner += part.indices.length
  }
  return mesh
}

/** Bounds of a mesh, in its units. */
export function meshBounds({ positions }: Pick<SurfaceMesh, 'positions'>): {
  low: [number, number, number]
  high: [number, number, number]
} {
  const low: [number, number, number] = [Infinity, Infinity, Infinity]
  const high: [number, number, number] = [-Infinity, -Infinity, -Infinity]
  for (let n = 0; n < positions.length; n++) {
    const [axis, value] = [n % 3, positions[n] ?? 0]
    low[axis] = Math.min(low[axis] ?? 0, value)
    high[axis] = Math.max(high[axis] ?? 0, value)
  }
  return { low, high }
}
