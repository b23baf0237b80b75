import { takenSchema } from '../effects/gas/index.ts'
import { type Setting, settingsOf } from '../settings/index.ts'
import { cameraSchema } from './camera.ts'
import { ITEM_KINDS, type ItemKind } from './itemKinds.ts'
import { manualTrackSchema, matchSettingsSchema, movingObjectSchema, proofSchema } from './match.ts'
import { plateLightSchema } from './plateLight.ts'
import { readingSchema } from './reading.ts'
import { sitSchema } from './sit.ts'
import { layerGroupSchema, layerSchema } from './stackLayer.ts'

const OTHERS = {
  taken: settingsOf(takenSchema),
  camera: settingsOf(cameraSchema),
  match: settingsOf(matchSettingsSchema),
  proof: settingsOf(proofSchema),
  hand: settingsOf(manualTrackSchema),
  movingObject: settingsOf(movingObjectSchema),
  reading: settingsOf(readingSchema),
  cameraPath: settingsOf(cameraSchema.shape.path.unwrap()),
  plateLight: settingsOf(plateLightSchema),
  sit: settingsOf(sitSchema),
  layer: settingsOf(layerSchema),
  layerGroup: settingsOf(layerGroupSchema),
} as const
export type SettingsKind = ItemKind | keyof typeof OTHERS

/** The settings of everything that the bench can show: every kind of item, and what a shot has besides. */
export const SETTINGS: Readonly<Record<SettingsKind, readonly Setting[]>> = Object.assign(
  {} as Record<ItemKind, readonly Setting[]>,
  OTHERS,
  Object.fromEntries(Object.entries(ITEM_KINDS).map(([kind, { settings }]) => [kind, settings])),
)
