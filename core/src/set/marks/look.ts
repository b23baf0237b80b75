import type { Quaternion, Vec3 } from '../../math/index.ts'
import { type ItemDocument, type SignalInputs, settledAt } from '../../settings/index.ts'
import { piecesAt, standingPose } from '../pieces.ts'
import type { PieceItem, ThingItem } from '../schema.ts'
import { thingsAt } from '../things.ts'
import { isMarks, MARKS_SETTINGS, type MarksItem } from './schema.ts'
import type { Stamp } from './stamp.ts'

/** How a mark looks, and where it lies. */
export interface MarkLook {
  mark: MarksItem['mark']
  laid: MarksItem['laid']
  /** Shares, 0 to 1; how far it has grown by now. */
  amount: number
  soft: number
  ragged: number
  gloss: number
  grown: number
  branches: number
  /** Width of a crack in the middle, shares of half the mark. */
  thick: number
  colour: readonly [number, number, number]
  seed: number
  picture?: { width: number; height: number; values: string }
  stamp: Stamp
  /** Where each of what it lies on stands now. */
  on: readonly { item: string; position: Vec3; rotation: Quaternion }[]
}

/** What a piece is called changes no stamp. */
const plain = <T extends PieceItem | ThingItem>(piece: T): T => ({ ...piece, name: '', order: 0, locked: false })

/** How far a mark has grown at a frame, 0 to 1. */
export function grownAt({ begins, grows }: Pick<MarksItem, 'begins' | 'grows'>, frame: number): number {
  if (begins === 0) return 1
  if (frame < begins) return 0
  return Math.min(1, (frame - begins + 1) / Math.max(1, grows))
}

/** How a mark looks at a frame; undefined before it begins. */
export function markLookAt(
  document: ItemDocument,
  id: string,
  frame: number,
  inputs: SignalInputs,
): MarkLook | undefined {
  const item = document.items[id]
  if (!isMarks(item) || !item.camera) return undefined
  const grown = grownAt(item, frame)
  if (grown <= 0) return undefined
  const now = settledAt(document, item, item.follows, MARKS_SETTINGS, frame, inputs)
  const standing = [...piecesAt(document, frame, inputs), ...thingsAt(document, frame, inputs)]
  const { camera, position, width, height, turn } = now
  const pieces = piecesAt(document, item.stamped, inputs).map(([key, piece]) => [key, plain(piece)] as const)
  const things = thingsAt(document, item.stamped, inputs).map(([key, thing]) => [key, plain(thing)] as const)
  const { mark, laid, amount, blur, ragged, gloss, branches, thick, colour, seed, picture } = now
  return {
    mark,
    laid,
    amount: amount / 100,
    soft: blur / 100,
    ragged: ragged / 100,
    gloss: gloss / 100,
    grown,
    branches: Math.round(branches),
    thick: thick / 1000 / (Math.min(width, height) / 2),
    colour,
    seed: Math.round(seed),
    ...(mark === 'picture' && picture
      ? { picture: { width: picture.width, height: picture.height, values: picture.values } }
      : {}),
    stamp: { pieces, things, camera: camera ?? item.camera, position, width, height, turn },
    on: standing.map(([key, one]) => ({ item: key, ...standingPose(one) })),
  }
}
