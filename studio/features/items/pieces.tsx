'use client'
import type { Camera } from '@lantern/core/data'
import { add, rotate, type Vec3 } from '@lantern/core/math'
import { type FormItem, formBounds, formTurn, type PieceItem, type PieceKindName } from '@lantern/core/set'
import type { ItemOfKind } from '@lantern/core/shot'
import { Box, Mountain, Shapes } from 'lucide-react'
import { blockPath, chainPath, cornersOf } from '../picture/lines.ts'
import { CarriedPlate } from '../set/CarriedPlate.tsx'
import type { Icon, ItemView } from './view.ts'

const piece = (icon: Icon, kindName: string): ItemView<PieceItem> => ({
  icon,
  kindName,
  outline: (camera, item) => blockPath(camera, cornersOf(item)),
  radius: () => 0,
})

/** A form's lines: its outline at foot and top, a ramp's slope, else the block that it fills. */
function formPath(camera: Camera, item: FormItem): string {
  const turn = formTurn(item)
  const at = (x: number, y: number, z: number): Vec3 => add(item.position, rotate(turn, [x, y, z]))
  const { low, high } = formBounds(item)
  const { height, shape, corners = [] } = item
  if (shape === 'outline' && item.copies === 1) {
    const ring = (y: number): Vec3[] => [...corners, ...corners.slice(0, 1)].map(([x, z]) => at(x, y, z))
    return [0, height].map((y) => chainPath(camera, ring(y))).join('')
  }
  const foot = [at(low[0], 0, low[2]), at(high[0], 0, low[2]), at(high[0], 0, high[2]), at(low[0], 0, high[2])]
  if (shape === 'ramp' && item.copies === 1) {
    const [a, b, c, d] = [...foot, at(low[0], height, low[2]), at(high[0], height, low[2])]
    const top = [at(low[0], height, low[2]), at(high[0], height, low[2])] as const
    return (
      chainPath(camera, [...foot, ...foot.slice(0, 1)]) +
      (a && b && c && d
        ? chainPath(camera, [a, top[0], top[1], b]) + chainPath(camera, [d, top[0]]) + chainPath(camera, [c, top[1]])
        : '')
    )
  }
  const head = [
    at(low[0], height, low[2]),
    at(high[0], height, low[2]),
    at(high[0], height, high[2]),
    at(low[0], height, high[2]),
  ]
  return blockPath(camera, [...foot, ...head])
}

/** How the set's pieces are shown. */
export const PIECE_VIEWS: { readonly [K in PieceKindName]: ItemView<ItemOfKind<K>> } = {
  ground: piece(Mountain, 'ground'),
  box: { ...piece(Box, 'box'), tools: ({ id, item }) => <CarriedPlate id={id} item={item} /> },
  form: {
    icon: Shapes,
    kindName: 'form',
    describe: ({ shape }) => shape,
    outline: formPath,
    radius: () => 0,
    tools: ({ id, item }) => <CarriedPlate id={id} item={item} />,
  },
}
