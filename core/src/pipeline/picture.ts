import { type Crew, LanternError, type Progress } from '../base/index.ts'
import { type Camera, type GasFrame, scaleCamera, straighten } from '../data/index.ts'
import { GLOW_FROM, GLOW_STEP, gatherEmitters, glowTable, SOOT_EXTINCTION } from '../light/index.ts'
import { cos, radians, sin } from '../math/index.ts'
import { FINAL, LOOK, layScene, type Passes, type PictureGas, type PlateLight, renderPasses } from '../picture/index.ts'
import type { GasItem, PlateLightSettings, ShotDocument } from '../shot/index.ts'
import { itemsInOrder, scenePieces } from './set.ts'
import { type Recipe, VERSIONS } from './recipe.ts'

export type PictureQualityName = 'look' | 'final'
/** A look is made at half the plate's size. */
export const LOOK_SCALE = 0.5
const EMITTERS = { look: 24, final: 64 } as const

export const pictureScale = (quality: PictureQualityName): number => (quality === 'look' ? LOOK_SCALE : 1)

export function plateLight(settings: PlateLightSettings): PlateLight {
  const from = radians(settings.sunFrom)
  const height = radians(settings.sunHeight)
  return {
    sunDirection: [sin(from) * cos(height), sin(height), -cos(from) * cos(height)],
    sunShare: settings.sunShare, sunColour: settings.sunColour, skyColour: settings.skyColour,
  }
}

/** The gas items that are shown, in order. */
export const shownGases = (document: Pick<ShotDocument, 'items'>): [string, GasItem][] => itemsInOrder(document).flatMap(([id, item]) => (item.kind === 'gas' && item.shown ? [[id, item] as [string, GasItem]] : []))

/**
 * The recipe of one picture frame. gasKeys: the keys of the shown gases' runs, in order. The camera goes in by value, so a frame stays kept when only other frames' cameras change.
 */
export function pictureRecipe(document: Pick<ShotDocument, 'items' | 'plate' | 'light'>, camera: Camera, quality: PictureQualityName, gasKeys: readonly string[]): Recipe {
  const looks = shownGases(document).map(([, { albedo, forward, thickness }]) => ({ albedo, forward, thickness }))
  return { kind: 'picture', version: VERSIONS.picture, settings: { camera, quality, looks, light: document.light, pieces: scenePieces(document).map((piece) => ({ ...piece, mesh: { positions: [...piece.mesh.positions], indices: [...piece.mesh.indices] } })) }, inputs: gasKeys }
}

/**
 * Renders one frame's passes at a quality. frames: the shown gases' frames in the roster's order, undefined where one has none.
 * Throws LanternError 'no-camera', Cancelled.
 */
export function renderPicture(crew: Crew, document: Pick<ShotDocument, 'items' | 'plate' | 'light'>, camera: Camera | undefined, frames: readonly (GasFrame | undefined)[], quality: PictureQualityName, progress?: Progress): Passes {
  if (!camera) throw new LanternError('no-camera', 'The shot has no camera yet, so nothing can be seen through it.', 'Take in a camera or type one at the Match station.', { field: 'camera' })
  const mark = crew.heap.mark()
  try {
    const glow = { from: GLOW_FROM, step: GLOW_STEP, table: glowTable(document.light.illuminance, 1) }
    const gases = shownGases(document).flatMap(([, item], n): PictureGas[] => {
      const frame = frames[n]
      if (!frame) return []
      const emitters = gatherEmitters(frame, glow.table, item.albedo, EMITTERS[quality])
      return [{ frame, emitters, glow, albedo: item.albedo, forward: item.forward, extinctionPerSoot: SOOT_EXTINCTION * item.thickness }]
    })
    const seen = scaleCamera(camera, pictureScale(quality))
    const scene = layScene(crew, scenePieces(document))
    const straightenPixel = (x: number, y: number): [number, number] => straighten(seen, (x - seen.centre[0]) / seen.focalPx, (y - seen.centre[1]) / seen.focalPx)
    return renderPasses(crew, scene, seen, straightenPixel, gases, plateLight(document.light), quality === 'look' ? LOOK : FINAL, progress)
  } finally {
    crew.heap.release(mark)
  }
}
