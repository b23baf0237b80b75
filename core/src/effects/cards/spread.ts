import { hash01 } from '../../base/index.ts'
import { placeRound, placesInArea } from '../../cards/index.ts'
import { solidBounds } from '../../data/index.ts'
import { add, type Quaternion, rotate, type Vec3 } from '../../math/index.ts'
import { isPieceKind, isThing, type PieceItem, solidOf, thingBounds } from '../../set/index.ts'
import { type ItemDocument, movedAndSettledAt, type SignalInputs } from '../../settings/index.ts'
import type { CardItem } from './schema.ts'

// Copies of a card: where they stand, and what tells one from another.

/** The first stands where the card is, as it is. */
export interface Copy {
  /** Frames by which it begins later. */
  later: number
  scale: number
  stops: number
  mirror: boolean
}

const dice = ({ seed }: Pick<CardItem, 'seed'>, n: number, k: number): number => hash01(Math.round(seed), n, k, 83)

export function copiesOf(item: CardItem): Copy[] {
  const { copies, startSpread, every, scaleSpread, exposureSpread } = item
  const round = (n: number, k: number): number => 2 * dice(item, n, k) - 1
  return Array.from({ length: Math.round(copies) }, (_, n): Copy => {
    if (n === 0) return { later: 0, scale: 1, stops: 0, mirror: false }
    return {
      later: every > 0 ? n * every : Math.floor(dice(item, n, 2) * startSpread),
      scale: 1 + (round(n, 3) * scaleSpread) / 100,
      stops: round(n, 4) * exposureSpread,
      mirror: dice(item, n, 5) < 0.5,
    }
  })
}

/** Places round a thing of the set as it stands at a frame, about its foot; none where it is gone. */
function placesRound(document: ItemDocument, of: CardItem, frame: number, inputs: SignalInputs): Vec3[] {
  const { round, beyond, copies } = of
  const item = document.items[round]
  if (!item) return []
  const now = movedAndSettledAt(document, item, [], frame, inputs)
  const solid = isThing(now) ? thingBounds(now) : isPieceKind(now.kind) ? solidOf(now as PieceItem) : undefined
  const bounds = solid && solidBounds(solid)
  if (!solid || !bounds) return []
  const { low, high } = bounds
  const own = solid.kind === 'box'
  const half = own ? solid.half : ([(high[0] - low[0]) / 2, 0, (high[2] - low[2]) / 2] as const)
  const centre: Vec3 = own ? solid.centre : [(low[0] + high[0]) / 2, 0, (low[2] + high[2]) / 2]
  return Array.from({ length: Math.round(copies) - 1 }, (_, n): Vec3 => {
    const share = (n + dice(of, n + 1, 0)) / Math.max(1, Math.round(copies) - 1)
    const [x, z] = placeRound([half[0] + beyond, half[2] + beyond], share)
    const [wx, , wz] = add(centre, own ? rotate(solid.rotation, [x, 0, z]) : [x, 0, z])
    return [wx, low[1], wz]
  })
}

/** Where a card and its copies stand at a frame, m; fewer where there is no room for them. now: the card as it is then. */
export function copyPlaces(
  document: ItemDocument,
  now: CardItem,
  turn: Quaternion,
  frame: number,
  inputs: SignalInputs,
): Vec3[] {
  const { position, spread, area, copies, seed, wide, deep } = now
  const more = Math.round(copies) - 1
  if (more < 1) return [position]
  if (spread === 'round a thing') return [position, ...placesRound(document, now, frame, inputs)]
  if (spread === 'in the drawn area' && area) return [position, ...placesInArea(area, more, Math.round(seed))]
  return Array.from({ length: more + 1 }, (_, n): Vec3 => {
    if (n === 0) return position
    const away = (k: number): number => dice(now, n, k) - 0.5
    return add(position, rotate(turn, [away(0) * wide, 0, away(1) * deep]))
  })
}
