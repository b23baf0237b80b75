import { ITEM_KINDS, type ItemKind, type ItemOfKind, type ShotItem } from '@lantern/core/shot'
import { Sparkles } from 'lucide-react'
import { EFFECT_VIEWS } from '../effects/index.ts'
import { LAMP_VIEW } from '../light/lampView.tsx'
import { MATTE_VIEW } from '../mattes/matteView.tsx'
import { chainPath, circlePoints } from '../picture/lines.ts'
import { keptRows } from './keptRows.ts'
import { PIECE_VIEWS } from './pieces.tsx'
import { THING_VIEW } from './things.tsx'
import type { ItemView } from './view.ts'

export type { ItemView } from './view.ts'

const VIEWS: { readonly [K in ItemKind]?: ItemView<ItemOfKind<K>> } = {
  ...PIECE_VIEWS,
  thing: THING_VIEW,
  lamp: LAMP_VIEW,
  matte: MATTE_VIEW,
  ...EFFECT_VIEWS,
}

const RADIUS = 0.3

/** How a kind is shown that brings nothing of its own. */
const plainView = (kind: string): ItemView => ({
  icon: Sparkles,
  kindName: kind,
  outline: (camera, { position }) => chainPath(camera, circlePoints(position, RADIUS)),
  radius: () => RADIUS,
})

/** How an item is shown. */
export function viewOf(item: ShotItem): ItemView {
  const view: ItemView | undefined = VIEWS[item.kind]
  const made = view ?? plainView(item.kind)
  return ITEM_KINDS[item.kind].baked && !made.stripRows ? { ...made, stripRows: keptRows } : made
}
