import { textKey } from '../base/index.ts'
import { carvedBodies, type Hole } from '../breaking/index.ts'
import { formMesh, type Mesh } from '../data/index.ts'
import type { SetOpening } from '../effects/index.ts'
import { type PieceItem, solidOf } from '../set/index.ts'
import { itemsInOrder, type SignalInputs } from '../settings/index.ts'
import { effectOf, type ShotDocument } from '../shot/index.ts'

// What effects change in the set: pieces that they draw themselves, and room that they take out of others.

type Document = Pick<ShotDocument, 'items' | 'plate' | 'signals'>

export interface SetChanges {
  /** Pieces that something else is drawn for. */
  replaced: ReadonlySet<string>
  holes: readonly Hole[]
}
export const NO_CHANGES: SetChanges = { replaced: new Set(), holes: [] }

/** What is changed in the set at a frame. */
export function setChanges(document: Document, frame: number, inputs: SignalInputs = {}): SetChanges {
  const all = itemsInOrder(document).flatMap(([id, item]): SetOpening[] => {
    const opening = item.shown ? effectOf(item)?.opens?.(document, id, frame, inputs) : undefined
    return opening ? [opening] : []
  })
  return all.length === 0
    ? NO_CHANGES
    : { replaced: new Set(all.map(({ replaces }) => replaces)), holes: all.map(({ hole }) => hole) }
}

/** A piece that holes are in, as triangles in the world; undefined where none is. */
export function carvedMesh(item: PieceItem, { holes }: SetChanges): Carved | undefined {
  if (holes.length === 0) return undefined
  const known = carved.get(item)
  if (known?.holes.length === holes.length && known.holes.every((hole, n) => hole === holes[n])) return known.made
  const made = carve(item, holes)
  carved.set(item, { holes, made })
  return made
}

interface Carved {
  key: string
  mesh: Mesh
}
/** Pieces that stand still are carved the same on every frame. */
const carved = new WeakMap<PieceItem, { holes: readonly Hole[]; made: Carved | undefined }>()

function carve(item: PieceItem, holes: readonly Hole[]): Carved | undefined {
  const bodies = carvedBodies(solidOf(item), holes)
  if (!bodies) return undefined
  const mesh = formMesh(bodies.map(({ corners, faces }) => ({ corners, faces: faces.map(({ ring }) => ring) })))
  return { key: textKey(`carved ${JSON.stringify([...mesh.positions])}`), mesh }
}
