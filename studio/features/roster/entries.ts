import { arrayMove } from '@dnd-kit/sortable'
import { itemsInOrder } from '@lantern/core/settings'
import { isBaked, kindInfo, type ShotDocument, type ShotItem, type ShotLayer, shotLayers } from '@lantern/core/shot'
import type { ItemStatus, ShotStatus } from '@lantern/store'
import {
  Activity,
  Camera,
  Cone,
  Crosshair,
  Folder,
  Layers,
  Move3d,
  Pipette,
  Scan,
  Sun,
  VenetianMask,
} from 'lucide-react'
import { viewOf } from '../items/index.ts'
import type { Icon } from '../items/view.ts'
import type { Station } from '../shot/stations.ts'

// What the roster lists, and in which order.

export interface Entry {
  id: string
  name: string
  kind: string
  group: string
  icon: Icon
  item?: ShotItem
  /** A layer of the stack, or a group of them. */
  layer?: { path: readonly string[]; shown: boolean; locked?: boolean; inside?: boolean }
  /** Share kept, for the bar under the name. */
  kept?: number
}

/** Which groups a station's roster shows; all others show everything. */
export const GROUPS_AT: Partial<Record<Station, readonly string[]>> = {
  Plate: ['Readings'],
  Match: ['Camera', 'Keep out', 'By hand', 'Things', 'Test objects'],
  Set: ['Set'],
  Mattes: ['Mattes'],
  Effects: ['Effects', 'Signals'],
  Light: ['Light', 'Signals'],
  Sit: ['Layers', 'Signals'],
}
/** Layers from the top down. */
const layersTopDown = (document: ShotDocument): ShotLayer[] => shotLayers(document).reverse()

/** The change that moves a layer to another one's place in the list. */
export function moveLayer(document: ShotDocument, moved: string, onto: string): Record<string, unknown> {
  const before = layersTopDown(document).map(({ id }) => id)
  const order = arrayMove(before, before.indexOf(moved), before.indexOf(onto))
  return { sit: { layers: Object.fromEntries(order.map((id, n) => [id, { order: order.length - n }])) } }
}

function layerEntry({ items, sit }: ShotDocument, { id, name, items: own, settings, proposed }: ShotLayer): Entry {
  const first = items[own[0] ?? '']
  const what = own.length > 1 ? `${own.length} items` : first ? viewOf(first).kindName : 'layer'
  const blend = settings.blend === 'proposed' ? proposed : settings.blend
  const { shown, locked } = settings
  const inside = sit.groups[settings.within] !== undefined
  const layer = { path: ['sit', 'layers', id], shown, locked, inside }
  return { id: `layer.${id}`, name, kind: blend === 'over' ? what : blend, group: 'Layers', icon: Layers, layer }
}

/** Layers from the top down, each group as a row of its own over its first one. */
function layerEntries(document: ShotDocument): Entry[] {
  const { groups } = document.sit
  const seen = new Set<string>()
  const group = (id: string): Entry[] => {
    const own = groups[id]
    if (!own || seen.has(id)) return []
    seen.add(id)
    const layer = { path: ['sit', 'groups', id], shown: own.shown }
    return [{ id: `layers.${id}`, name: own.name, kind: 'group', group: 'Layers', icon: Folder, layer }]
  }
  const rows = layersTopDown(document).flatMap((one) => [...group(one.settings.within), layerEntry(document, one)])
  return [...rows, ...Object.keys(groups).flatMap(group)]
}

function itemEntry(id: string, item: ShotItem, status: ItemStatus | undefined): Entry {
  const { icon, kindName } = viewOf(item)
  const kept = status ? status.kept.length / (status.last - status.first + 1) : 0
  return {
    id,
    name: item.name,
    kind: kindName,
    item,
    group: kindInfo(item).station,
    icon,
    ...(isBaked(item) ? { kept } : {}),
  }
}

/** Everything in the shot, by group. */
export function rosterEntries(document: ShotDocument, status: ShotStatus | undefined): Entry[] {
  return [
    ...layerEntries(document),
    ...itemsInOrder(document).map(([id, item]) => itemEntry(id, item, status?.items[id])),
    ...Object.entries(document.signals).map(
      ([id, signal]): Entry => ({
        id: `signal.${id}`,
        name: signal.name,
        kind: signal.source.kind,
        group: 'Signals',
        icon: Activity,
      }),
    ),
    { id: 'plateLight', name: 'Plate light', kind: 'sun, sky', group: 'Light', icon: Sun },
    {
      id: 'camera',
      name: document.camera.kind === 'path' ? (document.camera.path?.file ?? 'Camera') : 'Camera',
      kind: document.camera.kind === 'lined' ? 'lined up' : document.camera.kind,
      group: 'Camera',
      icon: Camera,
    },
    ...Object.entries(document.match.keepOuts).map(
      ([id, one]): Entry => ({
        id: `keepout.${id}`,
        name: one.name,
        kind: one.shown ? `${one.keys.length} key${one.keys.length > 1 ? 's' : ''}` : 'not used',
        group: 'Keep out',
        icon: VenetianMask,
      }),
    ),
    ...Object.entries(document.match.hands).map(
      ([id, one]): Entry => ({
        id: `hand.${id}`,
        name: one.name,
        kind:
          status?.match.hands[id]?.state === 'done'
            ? one.keys[0]?.places.length === 1
              ? 'point'
              : 'flat'
            : 'not followed',
        group: 'By hand',
        icon: one.keys[0]?.places.length === 1 ? Crosshair : Scan,
      }),
    ),
    ...Object.entries(document.match.things).map(
      ([id, one]): Entry => ({
        id: `thing.${id}`,
        name: one.name,
        kind: status?.match.things[id]?.solve.state === 'done' ? 'solved' : 'not solved',
        group: 'Things',
        icon: Move3d,
      }),
    ),
    ...Object.entries(document.readings).map(
      ([id, one]): Entry => ({
        id: `reading.${id}`,
        name: one.name,
        kind: status?.readings.areas[id]?.reading.state === 'done' ? one.area.kind : 'not taken',
        group: 'Readings',
        icon: Pipette,
      }),
    ),
    ...Object.entries(document.match.proofs).map(
      ([id, one]): Entry => ({ id: `proof.${id}`, name: one.name, kind: one.shape, group: 'Test objects', icon: Cone }),
    ),
  ]
}
