import { type Item, type ItemDocument, itemsInOrder, type SignalInputs, settledAt } from '../settings/index.ts'
import { isDrawn, type ShotItem } from './itemKinds.ts'
import { SETTINGS } from './settings.ts'
import { type Layer, PLAIN_LAYER, type SitSettings } from './sit.ts'

// The layers of a picture: one for each item that is drawn, or for all items of a group.

/** One layer of a shot's picture. */
export interface ShotLayer {
  id: string
  name: string
  /** Its items, in the roster's order. */
  items: readonly string[]
  settings: Layer
}

/** The layer that an item is drawn into. */
export const layerIdOf = (id: string, item: Pick<Item, 'group'>): string => (item.group ? `g-${item.group}` : id)

/** The layers of a shot, from the plate up: by their own order where one was given, else as the roster has their items. */
export function shotLayers(
  document: ItemDocument & { items: Readonly<Record<string, ShotItem>>; sit: Pick<SitSettings, 'layers'> },
): ShotLayer[] {
  const layers = new Map<string, ShotLayer & { items: string[] }>()
  for (const [id, item] of itemsInOrder(document)) {
    if (!isDrawn(item)) continue
    const layer = layerIdOf(id, item)
    const there = layers.get(layer)
    if (there) there.items.push(id)
    else
      layers.set(layer, {
        id: layer,
        // A layer that was put together in the bench is called by its first item.
        name: item.group && !item.group.startsWith('layer-') ? item.group : item.name,
        items: [id],
        settings: document.sit.layers[layer] ?? PLAIN_LAYER,
      })
  }
  const all = [...layers.values()]
  const place = new Map(all.map((layer, n) => [layer.id, layer.settings.order || n + 1]))
  return all.sort((a, b) => (place.get(a.id) ?? 0) - (place.get(b.id) ?? 0))
}

/** What a shot's stack is at a frame, with what follows signals; layers of which nothing is set are there too, for they may follow. */
export function sitAt(
  document: Parameters<typeof shotLayers>[0] & { sit: SitSettings },
  frame: number,
  inputs: SignalInputs = {},
): SitSettings {
  const { sit } = document
  const drawn = shotLayers(document).map(({ id, settings }) => [id, settings])
  const layers = { ...sit.layers, ...Object.fromEntries(drawn) }
  return settledAt(document, { ...sit, layers }, sit.follows, [...SETTINGS.sit, ...SETTINGS.layer], frame, inputs)
}
