import { z } from 'zod'
import { decodeBase64, LanternError } from '../../base/index.ts'
import type { Camera } from '../../data/index.ts'
import { multiply, type Quaternion, rotate, tan, unit, type Vec3 } from '../../math/index.ts'

const index = z.int().nonnegative()
const numbers = (count: number) => z.array(z.number()).length(count)
const gltfSchema = z.object({
  asset: z.object({ version: z.string() }),
  scene: index.optional(),
  nodes: z
    .array(
      z.object({
        name: z.string().optional(),
        camera: index.optional(),
        children: z.array(index).optional(),
        translation: numbers(3).optional(),
        rotation: numbers(4).optional(),
        matrix: numbers(16).optional(),
      }),
    )
    .default([]),
  cameras: z
    .array(
      z.object({
        type: z.string(),
        perspective: z
          .object({ yfov: z.number().positive(), aspectRatio: z.number().positive().optional() })
          .optional(),
        extras: z.unknown().optional(),
      }),
    )
    .default([]),
  buffers: z.array(z.object({ uri: z.string().optional(), byteLength: index })).default([]),
  bufferViews: z
    .array(z.object({ buffer: index, byteOffset: index.optional(), byteLength: index, byteStride: index.optional() }))
    .default([]),
  accessors: z
    .array(
      z.object({
        bufferView: index.optional(),
        byteOffset: index.optional(),
        componentType: z.int(),
        count: index,
        type: z.string(),
      }),
    )
    .default([]),
  animations: z
    .array(
      z.object({
        samplers: z.array(z.object({ input: index, output: index, interpolation: z.string().optional() })),
        channels: z.array(z.object({ sampler: index, target: z.object({ node: index.optional(), path: z.string() }) })),
      }),
    )
    .default([]),
})
type Gltf = z.infer<typeof gltfSchema>
const lensSchema = z.object({
  width: z.number().positive(),
  height: z.number().positive(),
  focalPx: z.number().positive(),
  centre: z.tuple([z.number(), z.number()]),
  k1: z.number(),
  k2: z.number(),
  first: z.int().optional(),
  rate: z.number().positive().optional(),
})

export interface CameraPath {
  /** In the plate's numbering. */
  frames: { frame: number; camera: Camera }[]
  /** As the file says, where it does. */
  rate?: number
  first?: number
}

const GLB_MAGIC = 0x46546c67
const FLOAT = 5126

/** JSON and binary chunk of .gltf text or .glb bytes. */
function chunks(bytes: Uint8Array, broken: (what: string) => LanternError): { text: string; binary?: Uint8Array } {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  if (bytes.length < 12 || view.getUint32(0, true) !== GLB_MAGIC) return { text: new TextDecoder().decode(bytes) }
  const parts: Uint8Array[] = []
  for (let at = 12; at + 8 <= bytes.length; ) {
    const length = view.getUint32(at, true)
    if (at + 8 + length > bytes.length) throw broken('ends too early')
    parts.push(bytes.subarray(at + 8, at + 8 + length))
    at += 8 + length
  }
  return { text: new TextDecoder().decode(parts[0] ?? new Uint8Array()), binary: parts[1] }
}

/** Reads accessors as floats, each one once. */
function floatReader(
  gltf: Gltf,
  binary: Uint8Array | undefined,
  broken: (what: string) => LanternError,
): (n: number, width: number) => Float32Array {
  const buffers = new Map<number, Uint8Array>()
  const made = new Map<string, Float32Array>()
  const bufferOf = (n: number): Uint8Array => {
    const uri = gltf.buffers[n]?.uri
    const data = buffers.get(n) ?? (uri?.startsWith('data:') ? decodeBase64(uri.slice(uri.indexOf(',') + 1)) : binary)
    if (!data) throw broken('keeps its numbers in another file')
    buffers.set(n, data)
    return data
  }
  return (n, width) => {
    const key = `${n}.${width}`
    const before = made.get(key)
    if (before) return before
    const accessor = gltf.accessors[n]
    const view = accessor?.bufferView === undefined ? undefined : gltf.bufferViews[accessor.bufferView]
    if (!accessor || !view || !gltf.buffers[view.buffer] || accessor.componentType !== FLOAT || accessor.count === 0)
      throw broken('has an animation whose numbers are not plain floats')
    const data = bufferOf(view.buffer)
    const start = (view.byteOffset ?? 0) + (accessor.byteOffset ?? 0)
    const stride = view.byteStride ?? width * 4
    if (stride < width * 4) throw broken('has numbers that lie on one another')
    if (start + (accessor.count - 1) * stride + width * 4 > data.length) throw broken('ends too early')
    const numbers = new DataView(data.buffer, data.byteOffset, data.byteLength)
    const floats = Float32Array.from({ length: accessor.count * width }, (_, i) =>
      numbers.getFloat32(start + Math.floor(i / width) * stride + (i % width) * 4, true),
    )
    made.set(key, floats)
    return floats
  }
}

/** Keys of one animated property, looked up by time: STEP holds, everything else runs straight between keys. */
function sampler(times: Float32Array, values: Float32Array, width: number, steps: boolean): (time: number) => number[] {
  return (time) => {
    // The last key that is not after it.
    let [n, after] = [0, times.length]
    while (after - n > 1) {
      const middle = (n + after) >> 1
      if ((times[middle] ?? 0) <= time + 1e-5) n = middle
      else after = middle
    }
    const at = (k: number): number[] => Array.from(values.subarray(k * width, (k + 1) * width))
    const t0 = times[n] ?? 0
    const t1 = times[n + 1]
    if (steps || t1 === undefined || time <= t0) return at(n)
    const f = (time - t0) / (t1 - t0)
    const a = at(n)
    const b = at(n + 1)
    const sign = width === 4 && a.reduce((sum, v, i) => sum + v * (b[i] ?? 0), 0) < 0 ? -1 : 1
    return a.map((v, i) => v * (1 - f) + (b[i] ?? 0) * f * sign)
  }
}

const MOST_PARENTS = 1000

/** A node and its parents, from the top down. */
function wayTo(gltf: Gltf, node: number, broken: (what: string) => LanternError): number[] {
  const parents = new Map<number, number>()
  for (const [parent, { children = [] }] of gltf.nodes.entries())
    for (const child of children) parents.set(child, parent)
  const way = [node]
  for (let at = parents.get(node); at !== undefined; at = parents.get(at)) {
    if (way.length > MOST_PARENTS) throw broken('has nodes that hold one another, or more than a thousand in a chain')
    way.push(at)
  }
  return way.reverse()
}

/**
 * The first camera of a glTF 2.0 file (.gltf with embedded buffers, or .glb) over the frames of a plate, its parents' moves included.
 * Lens: camera.extras.lens as writeCameraGltf leaves it, else the field of view with the centre in the middle and no distortion.
 * Throws LanternError 'gltf' (not glTF, damaged) or 'gltf-camera' (no camera in it).
 */
export function readCameraGltf(
  bytes: Uint8Array,
  file: string,
  plate: { width: number; height: number; first: number; last: number; rate: number },
): CameraPath {
  const broken = (what: string): LanternError =>
    new LanternError('gltf', `${file} ${what}.`, 'Write the camera again as glTF 2.0 with everything in one file.', {
      file,
    })
  const { text, binary } = chunks(bytes, broken)
  let gltf: Gltf
  try {
    gltf = gltfSchema.parse(JSON.parse(text))
  } catch {
    throw broken('is not a glTF 2.0 file')
  }
  const cameraNode = gltf.nodes.findIndex((node) => node.camera !== undefined)
  const holder = gltf.nodes[cameraNode]
  const made = holder?.camera === undefined ? undefined : gltf.cameras[holder.camera]
  if (!made?.perspective)
    throw new LanternError(
      'gltf-camera',
      `${file} holds no perspective camera.`,
      'Write the file with its camera, then take it in again.',
      { file },
    )
  const lens = lensSchema.safeParse(z.object({ lens: z.unknown() }).safeParse(made.extras).data?.lens).data
  const scale = lens ? plate.width / lens.width : 1
  const still = {
    focalPx: lens ? lens.focalPx * scale : plate.height / 2 / tan(made.perspective.yfov / 2),
    centre: (lens ? [lens.centre[0] * scale, lens.centre[1] * scale] : [plate.width / 2, plate.height / 2]) as [
      number,
      number,
    ],
    k1: lens?.k1 ?? 0,
    k2: lens?.k2 ?? 0,
    width: plate.width,
    height: plate.height,
  }
  const way = wayTo(gltf, cameraNode, broken)
  const floats = floatReader(gltf, binary, broken)
  const tracks = new Map<string, (time: number) => number[]>()
  for (const animation of gltf.animations)
    for (const { sampler: used, target } of animation.channels) {
      const source = animation.samplers[used]
      const width = { translation: 3, rotation: 4 }[target.path]
      if (!source || !width || target.node === undefined || !way.includes(target.node)) continue
      const steps = source.interpolation === 'STEP'
      tracks.set(
        `${target.node}.${target.path}`,
        sampler(floats(source.input, 1), floats(source.output, width), width, steps),
      )
    }
  const ownAt = (node: number, time: number): { position: Vec3; rotation: Quaternion } => {
    const source = gltf.nodes[node]
    if (source?.matrix) throw broken('turns a node by a matrix, which is not read here')
    const [x, y, z] = tracks.get(`${node}.translation`)?.(time) ?? source?.translation ?? []
    const [a, b, c, w] = tracks.get(`${node}.rotation`)?.(time) ?? source?.rotation ?? []
    return { position: [x ?? 0, y ?? 0, z ?? 0], rotation: unit([a ?? 0, b ?? 0, c ?? 0, w ?? 1]) }
  }
  const poseAt = (time: number): { position: Vec3; rotation: Quaternion } =>
    way
      .map((node) => ownAt(node, time))
      .reduce((above, own) => {
        const moved = rotate(above.rotation, own.position)
        return {
          position: [above.position[0] + moved[0], above.position[1] + moved[1], above.position[2] + moved[2]],
          rotation: multiply(above.rotation, own.rotation),
        }
      })
  const first = lens?.first ?? plate.first
  return {
    ...(lens?.rate === undefined ? {} : { rate: lens.rate }),
    ...(lens?.first === undefined ? {} : { first: lens.first }),
    frames: Array.from({ length: plate.last - plate.first + 1 }, (_, n) => {
      const frame = plate.first + n
      return { frame, camera: { ...still, ...poseAt(Math.max(0, frame - first) / plate.rate) } }
    }),
  }
}
