import { cameraSchema } from './camera.ts'
import { ITEM_KINDS, type ItemKind, type ItemOfKind, itemSchema } from './itemKinds.ts'
import { matchSettingsSchema } from './match.ts'
import { plateLightSchema } from './plateLight.ts'
import type { PlateInfo, ShotDocument } from './schema.ts'
import { sitSchema } from './sit.ts'
import { SHOT_VERSION } from './upgrade.ts'

/** A new item of a kind with every default; `over` sets what is known. Throws ZodError where that is out of its range. */
export function makeItem<K extends ItemKind>(
  kind: K,
  over: Record<string, unknown> & { name: string; order: number },
): ItemOfKind<K> {
  const item = itemSchema.parse({ ...over, kind })
  if (!isOfKind(item, kind)) throw new TypeError(`${kind} is no kind of item`)
  return item
}

const isOfKind = <K extends ItemKind>(item: { kind: ItemKind }, kind: K): item is ItemOfKind<K> =>
  item.kind === kind && kind in ITEM_KINDS

/** A new shot round a plate: no camera yet, nothing in it. */
export function makeShot(name: string, plate: PlateInfo): ShotDocument {
  return {
    version: SHOT_VERSION,
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
