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
  /** Squares that are left out of grounds, by ground. */
  squares: ReadonlyMap<string, readonly Square[]>
}
type Square = NonNullable<SetOpening['square']>
export const NO_CHANGES: SetChanges = { replaced: new Set(), holes: [], squares: new Map() }

/** What is changed in the set at a frame. */
export function setChanges(document: Document, frame: number, inputs: SignalInputs = {}): SetChanges {
  const all = itemsInOrder(document).flatMap(([id, item]): SetOpening[] => {
    const opening = item.shown ? effectOf(item)?.opens?.(document, id, frame, inputs) : undefined
    return opening ? [opening] : []
  })
  if (all.length === 0) return NO_CHANGES
  const squares = new Map<string, Square[]>()
  for (const { ground, square } of all)
    if (ground && square) squares.set(ground, [...(squares.get(ground) ?? []), square])
  return {
    replaced: new Set(all.flatMap(({ replaces }) => replaces ?? [])),
    holes: all.flatMap(({ hole }) => (hole ? [hole] : [])),
    squares,
  }
}
/** A piece that something is taken out of, as triangles in the world; undefined where nothing is. */
export function carvedMesh(id: string, item: PieceItem, { holes, squares }: SetChanges): Carved | undefined {
  const out = squares.get(id)
  if (out && item.kind === 'ground') return groundWithout(item, out)
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

/** A level ground without some squares, as rectangles. */
function groundWithout(item: Extract<PieceItem, { kind: 'ground' }>, out: readonly Square[]): Carved {
  const [x, level, z] = item.position
  // As far as its corners reach, however it is turned.
  const reach = item.size * Math.SQRT1_2
  const cut = (at: number, low: number, high: number): number => Math.min(high, Math.max(low, at))
  const rest = out.reduce<Square[]>(
    (all, { low, high }) =>
      all.flatMap((own) => {
        const [x0, x1] = [cut(low[0], own.low[0], own.high[0]), cut(high[0], own.low[0], own.high[0])]
        const [z0, z1] = [cut(low[1], own.low[1], own.high[1]), cut(high[1], own.low[1], own.high[1])]
        if (x0 >= x1 || z0 >= z1) return [own]
        return [
          { low: own.low, high: [x0, own.high[1]] as const },
          { low: [x1, own.low[1]] as const, high: own.high },
          { low: [x0, own.low[1]] as const, high: [x1, z0] as const },
          { low: [x0, z1] as const, high: [x1, own.high[1]] as const },
        ].filter((one) => one.low[0] < one.high[0] && one.low[1] < one.high[1])
      }),
    [{ low: [x - reach, z - reach], high: [x + reach, z + reach] }],
  )
  const positions = rest.flatMap(({ low, high }) => [
    ...[low[0], level, low[1]],
    ...[high[0], level, low[1]],
    ...[low[0], level, high[1]],
    ...[high[0], level, high[1]],
  ])
  const indices = rest.flatMap((_, n) => [0, 2, 1, 1, 2, 3].map((k) => 4 * n + k))
  return {
    key: textKey(`ground ${positions.join()}`),
    mesh: { positions: Float32Array.from(positions), indices: Uint32Array.from(indices) },
  }
}
