import { encodeBase64 } from '../../base/index.ts'
import { type MatchScene, placeAt } from '../../data/index.ts'
import type { Vec3 } from '../../math/index.ts'
import { writeCameraGltf } from './cameraWriter.ts'

interface Part {
  name: string
  positions: readonly Vec3[]
  /** Without: a cloud of points. */
  triangles?: readonly (readonly [number, number, number])[]
  extras?: object
}

interface GltfDocument {
  scenes: { nodes: number[]; extras?: object }[]
  nodes: object[]
  meshes?: object[]
  buffers: object[]
  bufferViews: object[]
  accessors: object[]
}

/** Adds to a list and returns the place of what was added. */
const add = (list: object[], one: object): number => list.push(one) - 1

const ARRAY_BUFFER = 34962
const ELEMENT_ARRAY_BUFFER = 34963
const FLOAT = 5126
const UNSIGNED_INT = 5125

/** A part as a mesh of points, or of triangles, with a buffer of its own. */
function meshOf(document: GltfDocument, { name, positions, triangles, extras }: Part): object {
  const floats = Float32Array.from(positions.flat())
  const indices = Uint32Array.from(triangles?.flat() ?? [])
  const bytes = new Uint8Array(floats.byteLength + indices.byteLength)
  bytes.set(new Uint8Array(floats.buffer))
  bytes.set(new Uint8Array(indices.buffer), floats.byteLength)
  const uri = `data:application/octet-stream;base64,${encodeBase64(bytes)}`
  const buffer = add(document.buffers, { byteLength: bytes.length, uri })
  const bound = (pick: (...values: number[]) => number): number[] =>
    [0, 1, 2].map((c) =>
      positions.reduce((best, p) => pick(best, Math.fround(p[c] as number)), Math.fround(positions[0]?.[c] ?? 0)),
    )
  const view = { buffer, byteOffset: 0, byteLength: floats.byteLength, target: ARRAY_BUFFER }
  const position = add(document.accessors, {
    bufferView: add(document.bufferViews, view),
    byteOffset: 0,
    componentType: FLOAT,
    count: positions.length,
    type: 'VEC3',
    min: bound(Math.min),
    max: bound(Math.max),
  })
  if (!triangles) return { name, primitives: [{ attributes: { POSITION: position }, mode: 0 }], extras }
  const indexView = {
    buffer,
    byteOffset: floats.byteLength,
    byteLength: indices.byteLength,
    target: ELEMENT_ARRAY_BUFFER,
  }
  const index = add(document.accessors, {
    bufferView: add(document.bufferViews, indexView),
    byteOffset: 0,
    componentType: UNSIGNED_INT,
    count: indices.length,
    type: 'SCALAR',
  })
  return { name, primitives: [{ attributes: { POSITION: position }, mode: 4, indices: index }] }
}

const pointsOf = ({ points }: MatchScene): Part[] =>
  points.length === 0
    ? []
    : [
        {
          name: 'points',
          positions: points.map(({ at }) => at),
          extras: { tracks: points.map(({ track }) => track), errorPx: points.map(({ px }) => Number(px.toFixed(4))) },
        },
      ]

const tracksOf = ({ tracks, first }: MatchScene, shift: number): object[] =>
  tracks.map(({ track, name }) => ({
    name,
    first: first + track.first + shift,
    places: Array.from(
      { length: track.places.length / 2 },
      (_, n) => placeAt(track, track.first + n)?.map((v) => Number(v.toFixed(3))) ?? null,
    ),
  }))

/**
 * A match as glTF 2.0 JSON text: the camera as writeCameraGltf has it, its solved points as one mesh of points (extras.tracks: their tracks' numbers), test objects as meshes,
 * and the tracks in the scene's extras (frame of the first place, then x y in px; null where it is not seen). glTF is Y up and in metres by its standard. shift: added to the plate's frame numbers.
 */
export function writeMatchGltf(scene: MatchScene, shift = 0): string {
  const cameras = scene.cameras.map(({ frame, camera }) => ({ frame: frame + shift, camera }))
  const document = JSON.parse(writeCameraGltf(scene.name, cameras, scene.rate)) as GltfDocument
  const parts: Part[] = [...pointsOf(scene), ...scene.objects]
  document.meshes = parts.map((part) => meshOf(document, part))
  const root = document.scenes[0]
  parts.forEach(({ name }, mesh) => root?.nodes.push(add(document.nodes, { name, mesh })))
  if (document.meshes.length === 0) delete document.meshes
  if (root && scene.tracks.length > 0) root.extras = { tracks: tracksOf(scene, shift) }
  return JSON.stringify(document, null, 1)
}
