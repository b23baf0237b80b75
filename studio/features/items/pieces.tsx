import type { PieceItem, PieceKindName } from '@lantern/core/set'
import type { ItemOfKind } from '@lantern/core/shot'
import { Box, Mountain } from 'lucide-react'
import { blockPath, cornersOf } from '../picture/lines.ts'
import type { Icon, ItemView } from './view.ts'

const piece = (icon: Icon, kindName: string): ItemView<PieceItem> => ({
  icon,
  kindName,
  outline: (camera, item) => blockPath(camera, cornersOf(item)),
  radius: () => 0,
})

/** How the set's pieces are shown. */
export const PIECE_VIEWS: { readonly [K in PieceKindName]: ItemView<ItemOfKind<K>> } = {
  ground: piece(Mountain, 'ground'),
  box: piece(Box, 'box'),
}
