import { type Item, type ItemDocument, itemsInOrder, type SignalInputs, settledAt } from '../settings/index.ts'
import { effectOf, isDrawn, type ShotItem } from './itemKinds.ts'
import { SETTINGS } from './settings.ts'
import type { SitSettings } from './sit.ts'
import { type Blend, type Layer, PLAIN_LAYER } from './stackLayer.ts'

// The layers of a picture: one for each item that is drawn, or for all items of a group; and each laid any number of times.

/** One layer of a shot's stack. */
export interface ShotLayer {
  id: string
  /** The picture's layer that it lays; its own id unless it is laid once more. */
  of: string
  name: string
  /** Its items, in the roster's order. */
  items: readonly string[]
  settings: Layer
  /** How it is laid where nothing else was chosen. */
  proposed: Blend
}

type LayersDocument = ItemDocument & {
  items: Readonly<Record<string, ShotItem>>
  sit: Pick<SitSettings, 'layers'>
}

/** The layer that an item is drawn into. */
export const layerIdOf = (id: string, item: Pick<Item, 'group'>): string => (item.group ? `g-${item.group}` : id)

/** How a layer of such items is best laid: as all of them are, else over. */
function proposedBlend(items: readonly (ShotItem | undefined)[]): Blend {
  const ways = new Set(items.map((item) => (item && effectOf(item)?.blend?.(item)) ?? 'over'))
  const [only] = ways
  return ways.size === 1 && only ? only : 'over'
}

/** The mattes that layers and their groups are cut by, each once. */
export function stackMattes({
  sit,
  items,
}: Pick<LayersDocument, 'items'> & {
  sit: Pick<SitSettings, 'layers' | 'groups' | 'plateStreakMatte' | 'shimmerOver'>
}): string[] {
  const layers = [...Object.values(sit.layers), ...Object.values(sit.groups)].map(({ matte }) => matte)
  const named = [...layers, sit.plateStreakMatte, sit.shimmerOver]
  return [...new Set(named)].filter((id) => items[id]?.kind === 'matte')
}

/** The picture's layers, each once, in the roster's order. */
function drawnLayers(document: LayersDocument): ShotLayer[] {
  const layers = new Map<string, Omit<ShotLayer, 'items' | 'proposed'> & { items: string[] }>()
  for (const [id, item] of itemsInOrder(document)) {
    if (!isDrawn(item)) continue
    const layer = layerIdOf(id, item)
    const there = layers.get(layer)
    if (there) there.items.push(id)
    else {
      const settings = document.sit.layers[layer] ?? PLAIN_LAYER
      // A layer that was put together in the bench is called by its first item.
      const own = item.group && !item.group.startsWith('layer-') ? item.group : item.name
      layers.set(layer, { id: layer, of: layer, name: settings.name ?? own, items: [id], settings })
    }
  }
  return [...layers.values()].map((layer) => ({
    ...layer,
    proposed: proposedBlend(layer.items.map((id) => document.items[id])),
  }))
}

/** The layers of a shot, from the plate up: by their own order where one was given, else as the roster has their items; further lays lie on the first one. */
export function shotLayers(document: LayersDocument): ShotLayer[] {
  const drawn = drawnLayers(document)
  const lays = Object.entries(document.sit.layers)
  const all = drawn.flatMap((layer, n) => {
    const again = lays.flatMap(([id, settings]) =>
      settings.of === layer.id && id !== layer.id
        ? [{ ...layer, id, name: settings.name ?? `${layer.name} again`, settings }]
        : [],
    )
    return [layer, ...again].map((lay, k) => ({ lay, at: lay.settings.order || n + 1 + k / 1000 }))
  })
  return all.sort((a, b) => a.at - b.at).map(({ lay }) => lay)
}

/** What a shot's stack is at a frame, with what follows signals; layers of which nothing is set are there too, for they may follow. */
export function sitAt(
  document: LayersDocument & { sit: SitSettings },
  frame: number,
  inputs: SignalInputs = {},
): SitSettings {
  const { sit } = document
  const drawn = shotLayers(document).map(({ id, settings }) => [id, settings])
  const layers = { ...sit.layers, ...Object.fromEntries(drawn) }
  return settledAt(
    document,
    { ...sit, layers },
    sit.follows,
    [...SETTINGS.sit, ...SETTINGS.layer, ...SETTINGS.layerGroup],
    frame,
    inputs,
  )
}
