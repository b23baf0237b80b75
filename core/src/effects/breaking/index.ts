import { LanternError } from '../../base/index.ts'
import { boundsOfBodies, facesMesh } from '../../breaking/index.ts'
import type { BrokenFrame, SurfaceMesh } from '../../data/index.ts'
import { readBrokenFrame } from '../../formats/index.ts'
import { isSeen, isThing, plateFrameOf } from '../../set/index.ts'
import type { ItemDocument } from '../../settings/index.ts'
import { isReuse } from '../again.ts'
import type { Effect, FigureTable, FrozenPlate } from '../effect.ts'
import { type BreakingPiece, holeOf, isBreakable, pieceAt, poseOf } from './body.ts'
import { drawBreaking } from './draw.ts'
import { type BreakingLook, breakingInstances } from './instances.ts'
import { BREAKING_PRESETS } from './presets.ts'
import { BREAKING_VERSIONS, resolveBreaking } from './resolve.ts'
import { type BreakingItem, breakingSchema, isBreaking } from './schema.ts'
import { breakSettings, cutPieces } from './settings.ts'
import { firstBlow } from './strikes.ts'

export * from './bake.ts'
export * from './body.ts'
export * from './draw.ts'
export * from './instances.ts'
export * from './presets.ts'
export * from './resolve.ts'
export * from './schema.ts'
export * from './settings.ts'
export * from './simulate.ts'
export * from './strikes.ts'

/** Edge of the boxes by which pieces tell where they are, m. */
const BOX = 0.5

function brokenExtent({ count, places, states }: BrokenFrame): number[] {
  const boxes = new Map<string, number[]>()
  for (let n = 0; n < count; n++) {
    if (states[n] === 0) continue
    const low = [0, 1, 2].map((a) => Math.floor((places[3 * n + a] as number) / BOX) * BOX)
    boxes.set(low.join(), [...low, ...low.map((value) => value + BOX)])
  }
  return [...boxes.values()].flat()
}

/** The plate that its piece has on it as a thing does, which it took along already; none where it has a surface of its own. */
function carriedPlate(document: ItemDocument, piece: BreakingPiece): FrozenPlate | 'none' | undefined {
  if (isThing(piece) && piece.carries === 'nothing') return piece.way === 'set' ? undefined : 'none'
  if (!isSeen(piece)) return undefined
  if (piece.carries === 'surface' || piece.carries === 'still') return 'none'
  // Where it was fitted to the plate, before any key moved it.
  const { turn, place } = poseOf(piece)
  return { frame: plateFrameOf(document, piece, document.plate.first), pose: { rotation: turn, place, scale: 1 } }
}

const shapes = new WeakMap<object, { piece: unknown; made: SurfaceMesh[] }>()
/** Pieces whose shapes are given on at most. */
const MOST_SHAPES = 40
/** Its pieces, few of them; none where it can't be cut, which its own run says. */
function cutFor(document: ItemDocument, item: BreakingItem): ReturnType<typeof cutPieces> {
  try {
    const { parts, cut } = breakSettings(document, item)
    return cutPieces({ parts, cut: { ...cut, number: Math.min(cut.number, MOST_SHAPES) } })
  } catch (error) {
    if (error instanceof LanternError) return []
    throw error
  }
}
/** The shapes of its pieces, 1 m across about their middles; none of a taken-in mesh, which is cut only when it is kept. */
function pieceShapes(document: ItemDocument, id: string): SurfaceMesh[] {
  const item = document.items[id]
  const piece = isBreaking(item) ? document.items[item.piece] : undefined
  if (!isBreaking(item) || !isBreakable(piece) || isThing(piece)) return []
  const known = shapes.get(item)
  if (known?.piece === piece) return known.made
  const made = cutFor(document, item)
    .slice(0, MOST_SHAPES)
    .map(({ bodies, middle }) => {
      const mesh = facesMesh([{ bodies, wanted: () => true }], { height: 0, step: 1, seed: 1 }, [])
      const { low, high } = boundsOfBodies(bodies)
      const longest = Math.max(...[0, 1, 2].map((a) => (high[a] as number) - (low[a] as number)))
      const { parts: _, colours: __, ...plain } = mesh
      return { ...plain, positions: mesh.positions.map((value, n) => (value - (middle[n % 3] as number)) / longest) }
    })
  shapes.set(item, { piece, made })
  return made
}

const kept =
  (name: string) =>
  (table: FigureTable, frame: number): number | undefined => {
    const value = table.get(frame)?.[name]
    return typeof value === 'number' ? value : undefined
  }

/** Things that break. */
export const breakingEffect = {
  kind: 'breaking',
  drawn: ['breaking'],
  itemSchemas: { breaking: breakingSchema },
  versions: BREAKING_VERSIONS,
  presets: BREAKING_PRESETS,
  figures: [
    { name: 'moving', label: 'Pieces on their way', unit: '', value: kept('moving') },
    { name: 'energy', label: 'Energy, J', unit: 'J', value: kept('energy') },
    { name: 'fastest', label: 'Fastest, m/s', unit: 'm/s', value: kept('fastest') },
    { name: 'dust', label: 'Dust, kg', unit: 'kg', value: kept('dust') },
  ],
  frameFigures: ['moving', 'free', 'pieces', 'energy', 'given', 'fastest', 'parted', 'dust', 'missed'],
  shapes: pieceShapes,
  meshes: (item) => (isBreaking(item) ? [item.piece] : []),
  resolve: resolveBreaking,
  instances: breakingInstances,
  showsAgain: (item, id) => isReuse(item) && item.of === id,
  opens(document, id, frame, inputs) {
    const item = document.items[id]
    const piece = isBreaking(item) ? document.items[item.piece] : undefined
    if (!isBreaking(item) || !isBreakable(piece)) return undefined
    const begins = firstBlow(document, item, inputs)
    if (begins === undefined || frame < begins) return undefined
    const now = pieceAt(document, piece, frame, inputs)
    return { replaces: item.piece, hole: holeOf(item, now) }
  },
  frozen(document, id, _frame, inputs) {
    const item = document.items[id]
    const piece = isBreaking(item) ? document.items[item.piece] : undefined
    if (!isBreaking(item) || !isBreakable(piece)) return undefined
    const carried = carriedPlate(document, piece)
    if (carried) return carried === 'none' ? undefined : carried
    const { first, last } = document.plate
    const begins = firstBlow(document, item, inputs)
    const wanted = item.frozen || (begins ?? first) - 1
    const frame = Math.min(last, Math.max(first, Math.round(wanted)))
    const { turn, place } = poseOf(pieceAt(document, piece, frame, inputs))
    return { frame, pose: { rotation: turn, place, scale: 1 } }
  },
  decode: readBrokenFrame,
  extent: brokenExtent,
  draw: drawBreaking,
} as const satisfies Effect<BrokenFrame, BreakingLook>
