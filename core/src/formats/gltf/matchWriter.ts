import { type MatchScene, placeAt } from '../../data/index.ts'
import type { Vec3 } from '../../math/index.ts'
import { encodeBase64 } from '../base64.ts'
import { writeCameraGltf } from './cameraWriter.ts'

interface Part {
  name: string
  positions: readonly Vec3[]
  /** Without: a cloud of points. */
  triangles?: readonly (readonly [number, number, number])[]
  extras?: object
}

/**
 * A match as glTF 2.0 JSON text: the camera as writeCameraGltf has it, its solved points as one mesh of points (extras.tracks: their tracks' numbers), test objects as meshes,
 * and the tracks in the scene's extras (frame of the first place, then x y in px; null where it is not seen). glTF is Y up and in metres by its standard. shift: added to the plate's frame numbers.
 */
export function writeMatchGltf(scene: MatchScene, shift = 0): string {
  const document = JSON.parse(
    writeCameraGltf(
      scene.name,
      scene.cameras.map(({ frame, camera }) => ({ frame: frame + shift, camera })),
      scene.rate,
    ),
  ) as {
    scenes: { nodes: number[]; extras?: object }[]
    nodes: object[]
    meshes?: object[]
    buffers: object[]
    bufferViews: object[]
    accessors: object[]
  }
  const parts: Part[] = [
    ...(scene.points.length > 0
      ? [
          {
            name: 'points',
            positions: scene.points.map(({ at }) => at),
            extras: {
              tracks: scene.points.map(({ track }) => track),
              errorPx: scene.points.map(({ px }) => Number(px.toFixed(4))),
            },
          },
        ]
      : []),
    ...scene.objects,
  ]
  document.meshes = parts.map(({ name, positions, triangles, extras }) => {
    const floats = Float32Array.from(positions.flat())
    const indices = Uint32Array.from(triangles?.flat() ?? [])
    const bytes = new Uint8Array(floats.byteLength + indices.byteLength)
    bytes.set(new Uint8Array(floats.buffer))
    bytes.set(new Uint8Array(indices.buffer), floats.byteLength)
    const buffer =
      document.buffers.push({
        byteLength: bytes.length,
        uri: `data:application/octet-stream;base64,${encodeBase64(bytes)}`,
      }) - 1
    const bound = (pick: (...values: number[]) => number): number[] =>
      [0, 1, 2].map((c) =>
        positions.reduce((best, p) => pick(best, Math.fround(p[c] as number)), Math.fround(positions[0]?.[c] ?? 0)),
      )
    const view = document.bufferViews.push({ buffer, byteOffset: 0, byteLength: floats.byteLength, target: 34962 }) - 1
    const position =
      document.accessors.push({
        bufferView: view,
        byteOffset: 0,
        componentType: 5126,
        count: positions.length,
        type: 'VEC3',
        min: bound(Math.min),
        max: bound(Math.max),
      }) - 1
    if (!triangles) return { name, primitives: [{ attributes: { POSITION: position }, mode: 0 }], extras }
    const indexView =
      document.bufferViews.push({
        buffer,
        byteOffset: floats.byteLength,
        byteLength: indices.byteLength,
        target: 34963,
      }) - 1
    return {
      name,
      primitives: [
        {
          attributes: { POSITION: position },
          mode: 4,
          indices:
            document.accessors.push({
              bufferView: indexView,
              byteOffset: 0,
              componentType: 5125,
              count: indices.length,
              type: 'SCALAR',
            }) - 1,
        },
      ],
    }
  })
  const root = document.scenes[0]
  parts.forEach(({ name }, mesh) => root?.nodes.push(document.nodes.push({ name, mesh }) - 1))
  if (document.meshes.length === 0) delete document.meshes
  if (root && scene.tracks.length > 0)
    root.extras = {
      tracks: scene.tracks.map(({ track, name }) => ({
        name,
        first: scene.first + track.first + shift,
        places: Array.from(
          { length: track.places.length / 2 },
          (_, n) => placeAt(track, track.first + n)?.map((v) => Number(v.toFixed(3))) ?? null,
        ),
      })),
    }
  return JSON.stringify(document, null, 1)
}
