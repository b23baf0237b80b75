import { z } from 'zod'
import { LanternError } from '../base/index.ts'
import { type BrokenFrame, type Convex, type ConvexFace, emptyBroken, type SurfaceMesh } from '../data/index.ts'
import type { Vec3 } from '../math/index.ts'
import { type Deflate, plainDeflate } from './deflate.ts'

// A kept frame of what breaks: "CLBF", u32 length of the JSON head, the head, then one zlib stream: the floats of each array, the states, and, in a run's first frame, the pieces as 32-bit numbers, with the triangles of a taken-in mesh's pieces. Little-endian.
const MAGIC = 0x46424c43
const MOST_PIECES = 20_000
const MOST_DUST = 200_000
const MOST_WORDS = 100_000_000

const headSchema = z.object({
  count: z.int().min(0).max(MOST_PIECES),
  dust: z.int().min(0).max(MOST_DUST),
  /** Words of the pieces; 0: it has none. */
  words: z.int().min(0).max(MOST_WORDS),
  /** Words of their triangles; 0: it has none. */
  meshWords: z.int().min(0).max(MOST_WORDS).default(0),
})

const FRAME_ARRAYS = ['turns', 'places', 'velocities', 'spins'] as const
const DUST_ARRAYS = ['positions', 'velocities', 'areas', 'masses', 'impulses'] as const
const arraysOf = (frame: BrokenFrame): Float32Array[] => [
  ...FRAME_ARRAYS.map((name) => frame[name]),
  ...DUST_ARRAYS.map((name) => frame.dust[name]),
]

/** Pieces as words: how many bodies, and of each its corners (floats) and its faces (what lies beyond, then the ring). */
function pieceWords(pieces: readonly (readonly Convex[])[]): Int32Array<ArrayBuffer> {
  const out: number[] = []
  const float = new Float32Array(1)
  const bits = new Int32Array(float.buffer)
  for (const bodies of pieces) {
    out.push(bodies.length)
    for (const { corners, faces } of bodies) {
      out.push(corners.length, faces.length)
      for (const at of corners)
        for (const value of at) {
          float[0] = value
          out.push(bits[0] as number)
        }
      for (const { beyond, ring } of faces) out.push(beyond, ring.length, ...ring)
    }
  }
  return Int32Array.from(out)
}

function readPieces(words: Int32Array, count: number): Convex[][] {
  const floats = new Float32Array(words.buffer, words.byteOffset, words.length)
  let at = 0
  const next = (): number => {
    if (at >= words.length) throw new RangeError('words')
    return words[at++] as number
  }
  const some = (most: number): number => {
    const value = next()
    if (value < 0 || value > most) throw new RangeError('count')
    return value
  }
  return Array.from({ length: count }, () =>
    Array.from({ length: some(10_000) }, (): Convex => {
      const [corners, faces] = [some(words.length), some(words.length)]
      const places = Array.from({ length: corners }, (): Vec3 => {
        at += 3
        return [floats[at - 3] ?? 0, floats[at - 2] ?? 0, floats[at - 1] ?? 0]
      })
      const sides = Array.from({ length: faces }, (): ConvexFace => {
        const beyond = next()
        return { beyond, ring: Array.from({ length: some(corners) }, () => some(corners - 1)) }
      })
      return { corners: places, faces: sides }
    }),
  )
}

/** What vertices and triangles of a mesh carry, in the order in which it is kept; each as bits of a bit field. */
const MESH_FLOATS = ['positions', 'normals', 'uvs'] as const

/** Meshes as words: of each which of the above it has, how many vertices and triangles, then all of it. */
function meshWords(meshes: readonly SurfaceMesh[]): Int32Array<ArrayBuffer> {
  const parts = meshes.flatMap((mesh) => {
    const floats = MESH_FLOATS.flatMap((name) => mesh[name] ?? [])
    const has = MESH_FLOATS.reduce((bits, name, n) => bits | (mesh[name] ? 1 << n : 0), mesh.colours ? 8 : 0)
    return [
      Int32Array.from([has, mesh.positions.length / 3, mesh.indices.length / 3]),
      ...floats.map((array) => new Int32Array(array.buffer, array.byteOffset, array.length)),
      ...(mesh.colours ? [new Int32Array(mesh.colours.slice().buffer)] : []),
      Int32Array.from(mesh.indices),
      Int32Array.from(mesh.parts ?? new Uint16Array(mesh.indices.length / 3)),
    ]
  })
  const out = new Int32Array(parts.reduce((sum, { length }) => sum + length, 0))
  let at = 0
  for (const part of parts) {
    out.set(part, at)
    at += part.length
  }
  return out
}

function readMeshes(words: Int32Array): SurfaceMesh[] {
  const out: SurfaceMesh[] = []
  let at = 0
  const take = (count: number): Int32Array<ArrayBuffer> => {
    if (count < 0 || at + count > words.length) throw new RangeError('words')
    at += count
    return words.slice(at - count, at)
  }
  while (at < words.length) {
    const [has = 0, vertices = -1, triangles = -1] = take(3)
    const floats = (bit: number, size: number): Float32Array | undefined =>
      has & bit ? new Float32Array(take(vertices * size).buffer) : undefined
    const [positions, normals, uvs] = [floats(1, 3), floats(2, 3), floats(4, 2)]
    const colours = has & 8 ? new Uint8Array(take(vertices).buffer) : undefined
    const indices = new Uint32Array(take(3 * triangles).buffer)
    if (!positions || indices.some((index) => index >= vertices)) throw new RangeError('corner')
    out.push({
      positions,
      indices,
      parts: Uint16Array.from(take(triangles)),
      ...(normals ? { normals } : {}),
      ...(uvs ? { uvs } : {}),
      ...(colours ? { colours } : {}),
    })
  }
  return out
}

export function writeBrokenFrame(frame: BrokenFrame, deflate: Deflate = plainDeflate): Uint8Array<ArrayBuffer> {
  const words = frame.pieces ? pieceWords(frame.pieces) : new Int32Array()
  const meshes = meshWords(frame.meshes ?? [])
  const told = { count: frame.count, dust: frame.dust.count, words: words.length }
  const head = new TextEncoder().encode(
    JSON.stringify(meshes.length > 0 ? { ...told, meshWords: meshes.length } : told),
  )
  const arrays = arraysOf(frame)
  const size =
    arrays.reduce((sum, array) => sum + array.byteLength, 0) + words.byteLength + meshes.byteLength + frame.count
  const body = new Uint8Array(size)
  let at = 0
  for (const array of [...arrays, words, meshes, frame.states]) {
    body.set(new Uint8Array(array.buffer, array.byteOffset, array.byteLength), at)
    at += array.byteLength
  }
  const packed = deflate.deflate(body)
  const out = new Uint8Array(8 + head.length + packed.length)
  const view = new DataView(out.buffer)
  view.setUint32(0, MAGIC, true)
  view.setUint32(4, head.length, true)
  out.set(head, 8)
  out.set(packed, 8 + head.length)
  return out
}

/** Throws LanternError 'broken-frame' on bytes that are none. */
export function readBrokenFrame(bytes: Uint8Array, deflate: Deflate = plainDeflate): BrokenFrame {
  try {
    const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
    if (view.getUint32(0, true) !== MAGIC) throw new RangeError('magic')
    const length = view.getUint32(4, true)
    if (length > 1000) throw new RangeError('head')
    const text = new TextDecoder().decode(bytes.subarray(8, 8 + length))
    const { count, dust, words, meshWords: more } = headSchema.parse(JSON.parse(text))
    const frame = emptyBroken(count, dust)
    const arrays = arraysOf(frame)
    const size = arrays.reduce((sum, array) => sum + array.byteLength, 0) + 4 * (words + more) + count
    const body = deflate.inflate(bytes.subarray(8 + length), size)
    if (body.length !== size) throw new RangeError('length')
    let at = 0
    const take = (into: Float32Array | Int32Array | Uint8Array): void => {
      new Uint8Array(into.buffer, into.byteOffset, into.byteLength).set(body.subarray(at, at + into.byteLength))
      at += into.byteLength
    }
    for (const array of arrays) take(array)
    const own = new Int32Array(words)
    const meshes = new Int32Array(more)
    take(own)
    take(meshes)
    take(frame.states)
    if (words === 0) return frame
    return { ...frame, pieces: readPieces(own, count), ...(more > 0 ? { meshes: readMeshes(meshes) } : {}) }
  } catch {
    throw new LanternError('broken-frame', 'A kept frame of pieces is damaged.', 'Bake it again.')
  }
}
