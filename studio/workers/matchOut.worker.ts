import type { Camera, MatchScene } from '@lantern/core/data'
import { writeCameraCsv, writeLensMap, writeMatchGltf, writeMatchUsd, writeTracksCsv } from '@lantern/core/formats'

// Writes a match's files off the page's own thread: a lens map of a large plate takes seconds.

export type MatchForm = 'gltf' | 'usda' | 'camera-csv' | 'tracks-csv' | 'lens-exr'
export interface MatchOutRequest {
  form: MatchForm
  scene: MatchScene
  lens: Camera
  up: 'y' | 'z'
  unit: 'm' | 'cm'
  /** Added to the plate's frame numbers. */
  shift: number
}

self.onmessage = ({ data: { form, scene, lens, up, unit, shift } }: MessageEvent<MatchOutRequest>) => {
  const axes = { up, metres: unit === 'cm' ? 0.01 : 1 }
  const write: Record<MatchForm, () => string | Uint8Array<ArrayBuffer>> = {
    gltf: () => writeMatchGltf(scene, shift),
    usda: () => writeMatchUsd(scene, axes, shift),
    'camera-csv': () => writeCameraCsv(scene, axes, shift),
    'tracks-csv': () => writeTracksCsv(scene, shift),
    'lens-exr': () => writeLensMap(lens),
  }
  self.postMessage(new Blob([write[form]()]))
}
