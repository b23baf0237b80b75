import type { Camera } from '../data/index.ts'
import { isMatte, type MatteItem, partsInOrder } from '../mattes/index.ts'
import { itemsInOrder, type SignalInputs } from '../settings/index.ts'
import { effectOf, type ShotDocument } from '../shot/index.ts'
import { type DataOf, drawMatteOf } from './mattes.ts'
import { matteWorld } from './matteWorld.ts'

// Mattes inside which nothing is tracked. Those of drawn shapes alone are asked place by place; all others are drawn frame by frame, without a camera: the camera comes of the tracks.

type Document = Pick<ShotDocument, 'items' | 'plate' | 'signals'>

const isPlain = ({ helped, takes, shapes }: MatteItem): boolean =>
  !helped && Object.keys(takes).length === 0 && !Object.values(shapes).some(({ rides }) => rides)

const keeping = ({ items }: Pick<Document, 'items'>): [string, MatteItem][] =>
  itemsInOrder({ items }).flatMap(([id, item]): [string, MatteItem][] =>
    isMatte(item) && item.shown && item.keepsOut ? [[id, item]] : [],
  )

/** Mattes of drawn shapes alone that keep the match out. */
export const plainKeepOuts = (document: Pick<Document, 'items'>): MatteItem[] =>
  keeping(document).flatMap(([, item]) => (isPlain(item) && Object.keys(item.shapes).length > 0 ? [item] : []))

/** The other ones: carried, taken from others, or going with a track. */
export const drawnKeepOuts = (document: Pick<Document, 'items'>): string[] =>
  keeping(document).flatMap(([id, item]) => (isPlain(item) ? [] : [id]))

/** The carried mattes that a matte is made of, itself among them: their runs, by matte. */
export function carriedRuns(
  document: Document,
  id: string,
  around: readonly string[] = [],
): { item: string; key: string; frameKeys: ReadonlyMap<number, string> }[] {
  const item = document.items[id]
  if (!isMatte(item) || around.includes(id)) return []
  const own = item.helped ? (effectOf(item)?.resolve(document, id, {}) ?? []) : []
  const taken = Object.values(item.takes).flatMap(({ of, shown }) =>
    shown ? carriedRuns(document, of, [...around, id]) : [],
  )
  return [...own.map(({ key, frameKeys }) => ({ item: id, key, frameKeys })), ...taken]
}

/** What decides where a matte keeps the match out. */
export function keepOutKey(document: Document, id: string, around: readonly string[] = []): unknown {
  const item = document.items[id]
  if (!isMatte(item) || around.includes(id)) return undefined
  const { grow, soften, inverted } = item
  const parts = partsInOrder(item).map((part) => {
    if ('taken' in part)
      return { ...part.taken, of: keepOutKey(document, part.taken.of, [...around, id]), shown: undefined }
    const { name: _, order: __, shown: ___, ...shape } = part.shape
    return shape
  })
  const [run] = item.helped ? (effectOf(item)?.resolve(document, id, {}) ?? []) : []
  return { grow, soften, inverted, parts, ...(run ? { run: run.key } : {}) }
}

const NO_CAMERA = (): Camera | undefined => undefined

/** Where the mattes that are drawn frame by frame keep the match out, at half the plate's size: 1 for each pixel where nothing is tracked. */
export function keptOutAt(document: Document, frame: number, dataOf: DataOf, inputs: SignalInputs = {}) {
  const { plate } = document
  const [width, height] = [Math.max(1, plate.width >> 1), Math.max(1, plate.height >> 1)]
  const out = new Uint8Array(width * height)
  const camera: Camera = {
    position: [0, 0, 0],
    rotation: [0, 0, 0, 1],
    focalPx: width,
    centre: [width / 2, height / 2],
    k1: 0,
    k2: 0,
    width,
    height,
  }
  const world = matteWorld(document, frame, NO_CAMERA, inputs)
  for (const id of drawnKeepOuts(document)) {
    const open = { opening: frame, closing: frame }
    const drawn = drawMatteOf(document, id, camera, plate.width, { frame, open, world, inputs }, dataOf)
    drawn?.image.data.forEach((share, n) => {
      if (share >= 0.5) out[n] = 1
    })
  }
  return { width, height, out }
}
