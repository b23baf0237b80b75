import { forceSchema, gasSchema, reuseSchema, sourceSchema } from './gasSchema.ts'
import {
  boxSchema,
  cameraSchema,
  groundSchema,
  matchSettingsSchema,
  type PlateInfo,
  plateLightSchema,
  type ShotDocument,
  type ShotItem,
  sitSchema,
} from './schema.ts'

export type ItemKind = ShotItem['kind']

/** A new item of a kind with every default; `over` sets what is known. */
export function makeItem(kind: ItemKind, over: Record<string, unknown> & { name: string; order: number }): ShotItem {
  if (kind === 'ground') return groundSchema.parse({ kind, ...over })
  if (kind === 'box') return boxSchema.parse({ kind, ...over })
  if (kind === 'source') return sourceSchema.parse({ kind, ...over })
  if (kind === 'force') return forceSchema.parse({ kind, ...over })
  if (kind === 'reuse') return reuseSchema.parse({ kind, ...over })
  return gasSchema.parse({ kind, ...over })
}

/** A new shot round a plate: no camera yet, nothing in it. */
export function makeShot(name: string, plate: PlateInfo): ShotDocument {
  return {
    version: 1,
    name,
    plate,
    camera: cameraSchema.parse({}),
    match: matchSettingsSchema.parse({}),
    light: plateLightSchema.parse({}),
    sit: sitSchema.parse({}),
    signals: {},
    readings: {},
    items: {},
  }
}
