import { LanternError, recipeKey } from '@lantern/core/base'
import type { Camera } from '@lantern/core/data'
import type { ResolvedItem, Run } from '@lantern/core/effects'
import type { CameraPath } from '@lantern/core/formats'
import {
  cameraAt,
  cameraSpeed,
  figureOf,
  objectPose,
  type PictureQualityName,
  pictureFrame,
  pictureRecipe,
  pieceKeys,
  placesAt,
  readingInputs,
  resolveRuns,
  shutterFrames,
  trackPose,
} from '@lantern/core/pipeline'
import type { PieceItem } from '@lantern/core/set'
import { frameRate, type SignalInputs } from '@lantern/core/settings'
import type { ShotDocument } from '@lantern/core/shot'
import { LRUCache } from 'lru-cache'
import type { Store } from '../open.ts'
import type { Shot } from '../queries/shots.ts'
import {
  cameraPath,
  figureTables,
  handTracks,
  OutsideReads,
  objectSolves,
  pointTables,
  readingTables,
} from './outside.ts'

/** A document with all that its results need: what its signals read, its camera, its items' runs. */
export interface ResolvedShot {
  document: ShotDocument
  path?: CameraPath
  inputs: SignalInputs
  /** The items whose runs the shot shows, and those that these take frames of. */
  items: readonly ResolvedItem[]
  camera(frame: number): Camera | undefined
  /** The key of each frame's picture. Without a camera, and for frames whose items lack something, there is none. */
  pictureKeys(quality: PictureQualityName): ReadonlyMap<number, string>
}

export type OpenShot = Pick<Shot, 'id' | 'head' | 'document'>

/** The run that is shown of a resolved item. */
export const shownRun = ({ runs }: ResolvedItem): Run | undefined => runs.at(-1)

type PictureKeys = Readonly<Record<PictureQualityName, ReadonlyMap<number, string>>>

function makePictureKeys({ document, inputs, items, camera }: Base): PictureKeys {
  const runs = new Map(items.map((one) => [one.item, shownRun(one)]))
  const { first, last } = document.plate
  const keys = { look: new Map<number, string>(), final: new Map<number, string>() }
  const meshes = new Map<PieceItem, string>()
  for (let frame = first; frame <= last; frame++) {
    if (!camera(frame)) continue
    const at = pictureFrame(document, camera, frame, inputs)
    if (at.instances.some(({ of, frames }) => frames.length > 0 && !runs.get(of))) continue
    const keyOf = (item: string, one: number): string => runs.get(item)?.frameKeys.get(one) ?? ''
    for (const quality of ['look', 'final'] as const) {
      const pieces = pieceKeys(document, shutterFrames(document, at, quality), inputs, meshes)
      keys[quality].set(frame, `${recipeKey(pictureRecipe(document, at, quality, keyOf, pieces))}-${frame}`)
    }
  }
  return keys
}

/** What does not depend on the figures of kept frames. */
type Base = Omit<ResolvedShot, 'pictureKeys'>

async function resolveBase(store: Store, { document }: OpenShot, reads: OutsideReads): Promise<Base> {
  const path = await cameraPath(store, document, reads)
  const readings = await readingTables(store, document, reads)
  const points = await pointTables(store, document)
  const objects = await objectSolves(store, document, reads)
  const tracks = await handTracks(store, document, reads)
  const cameras = new Map<number, Camera | undefined>()
  const camera = (frame: number): Camera | undefined => {
    if (!cameras.has(frame)) cameras.set(frame, cameraAt(document, path, frame))
    return cameras.get(frame)
  }
  const cornersOf = (id: string, frame: number) => placesAt(tracks.get(id), frame - document.plate.first)
  const inputs: SignalInputs = {
    ...readingInputs(document, (id) => readings.get(id)),
    cameraSpeed: (frame) => cameraSpeed(camera, frame, document.plate),
    object(id, frame) {
      const solve = objects.get(id)
      return solve && objectPose(solve, frame, camera)
    },
    track: cornersOf,
    trackPose: (id, ride, frame, place) =>
      trackPose({ corners: (at) => cornersOf(id, at), camera }, ride, frame, place),
  }
  // Runs are decided before they are made: what follows an effect's figures are the layers and lights alone.
  const items = resolveRuns(document, {
    inputs,
    camera,
    points: (blob, frame) => points.get(blob)?.at(frame),
  })
  return { document, ...(path ? { path } : {}), inputs, items, camera }
}

/** With what signals read of kept frames, which grow while runs are made. */
async function withFigures(store: Store, base: Base, reads: OutsideReads): Promise<ResolvedShot> {
  const { document } = base
  const figures = await figureTables(store, document, base.items, reads)
  const rate = frameRate(document.plate)
  const inputs: SignalInputs = {
    ...base.inputs,
    figure: (item, name, frame) => figureOf(document.items[item], figures.get(item), name, frame, rate),
  }
  const made: Base = { ...base, inputs }
  let pictures: PictureKeys | undefined
  return {
    ...made,
    pictureKeys(quality) {
      pictures ??= makePictureKeys(made)
      return pictures[quality]
    },
  }
}

/** A value made from what was read beside the document. */
interface Memo<T> {
  reads: OutsideReads
  made: Promise<T>
}
interface Remembered {
  head: number
  base: Memo<Base>
  whole?: Memo<ResolvedShot>
}

const MOST_SHOTS = 16
const remembered = new WeakMap<Store, LRUCache<number, Remembered>>()

/** How often a store's documents were resolved, and how often their figures were read anew: for tests. */
export interface ResolveCounts {
  base: number
  figures: number
}
const counts = new WeakMap<Store, ResolveCounts>()
export const resolveCounts = (store: Store): ResolveCounts => counts.get(store) ?? { base: 0, figures: 0 }

const count = (store: Store, what: keyof ResolveCounts): void => {
  const now = resolveCounts(store)
  counts.set(store, { ...now, [what]: now[what] + 1 })
}

/** All that a shot's results need, made once for a revision and what it reads from beside it. What is missing beside it is missing here too, and said by what needs it. */
export async function resolveShot(store: Store, shot: OpenShot): Promise<ResolvedShot> {
  const shots = remembered.get(store) ?? new LRUCache<number, Remembered>({ max: MOST_SHOTS })
  remembered.set(store, shots)
  let known = shots.get(shot.id)
  if (known?.head !== shot.head || !(await known.base.reads.holds(store))) {
    count(store, 'base')
    const reads = new OutsideReads()
    known = { head: shot.head, base: { reads, made: resolveBase(store, shot, reads) } }
    shots.set(shot.id, known)
    known.base.made.catch(() => shots.delete(shot.id))
  }
  const base = await known.base.made
  if (!known.whole || !(await known.whole.reads.holds(store))) {
    count(store, 'figures')
    const reads = new OutsideReads()
    known.whole = { reads, made: withFigures(store, base, reads) }
    known.whole.made.catch(() => shots.delete(shot.id))
  }
  return known.whole.made
}

/** The same of a document that is no shot's own: not remembered. */
export async function resolveDocument(store: Store, document: ShotDocument): Promise<ResolvedShot> {
  const reads = new OutsideReads()
  return withFigures(store, await resolveBase(store, { id: 0, head: 0, document }, reads), reads)
}

/** An item with its runs. Throws LanternError: that the item is none that bakes, or what it lacks. */
export function itemIn(resolved: ResolvedShot, item: string): ResolvedItem {
  const found = resolved.items.find((one) => one.item === item)
  if (found?.error) throw found.error
  if (!found || found.runs.length === 0)
    throw new LanternError(
      'no-item',
      `“${item.slice(0, 40)}” is not an effect that this shot shows.`,
      'Choose one from the roster, and show it.',
      { field: 'item' },
    )
  return found
}
