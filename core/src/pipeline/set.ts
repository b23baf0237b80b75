import { boxMesh, planeMesh, type Solid } from '../data/index.ts'
import { aboutAxis, radians } from '../math/index.ts'
import type { ScenePiece } from '../picture/index.ts'
import type { BoxItem, GroundItem, ShotDocument, ShotItem } from '../shot/index.ts'

const turnOf = (item: GroundItem | BoxItem) => aboutAxis([0, 1, 0], radians(item.turn))

/** Items in the roster's order. */
export const itemsInOrder = (document: Pick<ShotDocument, 'items'>): [string, ShotItem][] => Object.entries(document.items).sort(([a, x], [b, y]) => x.order - y.order || (a < b ? -1 : 1))

/** The shapes that gas stops at. A ground reaches down without end. */
export function solidsOf(document: Pick<ShotDocument, 'items'>): Solid[] {
  return itemsInOrder(document).flatMap(([, item]): Solid[] => {
    if (item.kind === 'gas' || !item.roles.stops || !item.shown) return []
    if (item.kind === 'ground') return [{ kind: 'halfspace', point: item.position, normal: [0, 1, 0] }]
    return [{ kind: 'box', centre: [item.position[0], item.position[1] + item.height / 2, item.position[2]], half: [item.width / 2, item.height / 2, item.depth / 2], rotation: turnOf(item) }]
  })
}

/** The pieces that the picture's rays meet. */
export function scenePieces(document: Pick<ShotDocument, 'items'>): ScenePiece[] {
  return itemsInOrder(document).flatMap(([, item]): ScenePiece[] => {
    if (item.kind === 'gas' || !item.shown) return []
    const { holdsOut, receives } = item.roles
    const mesh = item.kind === 'ground'
      ? planeMesh(item.position, item.size / 2, item.size / 2, turnOf(item))
      : boxMesh([item.position[0], item.position[1] + item.height / 2, item.position[2]], [item.width / 2, item.height / 2, item.depth / 2], turnOf(item))
    return [{ mesh, holdsOut, receives }]
  })
}
