import { type Recipe, recipeKey } from '../base/index.ts'
import {
  type Camera,
  pixelRay,
  projectPoint,
  type Similarity,
  type Solve,
  solveCameraAt,
  type Track,
} from '../data/index.ts'
import type { CameraPath } from '../formats/index.ts'
import {
  clickedPoint,
  type FollowSettings,
  fitGround,
  type KnownLens,
  moveCamera,
  movePoint,
  movePointBack,
  placeOnGround,
  placePoint,
} from '../match/index.ts'
import { insidePolygon, length, scale, subtract, type Vec3 } from '../math/index.ts'
import { insideOf, shapesInOrder } from '../mattes/index.ts'
import type { ExclusionMask, MatchSettings, PicturePlace, Proof, ShotDocument } from '../shot/index.ts'
import { drawnKeepOuts, keepOutKey, plainKeepOuts } from './keepOuts.ts'
import { manualTrackNumber, manualTrackRecipe, solvingManualTracks } from './manualTracks.ts'
import { pickLevel } from './pick.ts'
import { VERSIONS } from './versions.ts'

type Corners = readonly (readonly [number, number])[]
type Matched = Pick<ShotDocument, 'plate' | 'match'> & Partial<Pick<ShotDocument, 'items' | 'signals'>>

/** Slope of a corner at a key, by frame: Catmull–Rom over uneven keys, level at the ends. */
function slopeAt(keys: ExclusionMask['keys'], n: number, p: number, c: 0 | 1): number {
  const [before, after] = [keys[n - 1], keys[n + 1]]
  if (!before || !after) return 0
  return ((after.points[p]?.[c] ?? 0) - (before.points[p]?.[c] ?? 0)) / (after.frame - before.frame)
}

/** A keep-out shape's corners at a frame: between its keys by a smooth curve, before and after them as at the first and the last. */
export function exclusionMaskAt({ keys }: Pick<ExclusionMask, 'keys'>, frame: number): Corners {
  const next = keys.findIndex((key) => key.frame >= frame)
  const [a, b] = [keys[next < 0 ? keys.length - 1 : Math.max(0, next - 1)], keys[next < 0 ? keys.length - 1 : next]]
  if (!a || !b) return []
  if (a === b || frame <= a.frame) return a.points
  const span = b.frame - a.frame
  const t = (frame - a.frame) / span
  const [h0, h1, s0, s1] = [
    (1 + 2 * t) * (1 - t) * (1 - t),
    t * t * (3 - 2 * t),
    t * (1 - t) * (1 - t) * span,
    t * t * (t - 1) * span,
  ]
  return a.points.map((from, p) => {
    const to = b.points[p] ?? from
    const part = (c: 0 | 1): number =>
      h0 * from[c] + h1 * to[c] + s0 * slopeAt(keys, next - 1, p, c) + s1 * slopeAt(keys, next, p, c)
    return [part(0), part(1)] as const
  })
}

const keepOutsOf = (match: MatchSettings): ExclusionMask[] =>
  Object.entries(match.keepOuts)
    .sort(([a], [b]) => (a < b ? -1 : 1))
    .map(([, shape]) => shape)
    .filter((shape) => shape.shown)

/** The number of the matte's frame that belongs to a plate's frame (as numbered): its own of that number where the two overlap, else counted from both starts; before and after it the nearest. */
export function matteFrame({ plate, match }: Matched, frame: number): number {
  const { first, last } = match.matte ?? plate
  const overlaps = first <= plate.last && last >= plate.first
  return Math.max(first, Math.min(last, overlaps ? frame : first + frame - plate.first))
}

/** A matte's mask of one frame: where it keeps out. Of its own size, rows from the top left. */
export interface MatteMask {
  width: number
  height: number
  out: Uint8Array
}

/** A mask from a matte's linear r g b: out where it is brighter than half grey, or darker where inverted. */
export function matteMask(rgb: Float32Array, width: number, height: number, inverted: boolean): MatteMask {
  return {
    width,
    height,
    out: Uint8Array.from({ length: width * height }, (_, n) =>
      (rgb[3 * n + 1] as number) > MATTE_LIGHT !== inverted ? 1 : 0,
    ),
  }
}
/** Linear light of a half-grey pixel. */
const MATTE_LIGHT = 0.214

/** How a plate's features are followed, as the document says. masks: of its mattes that are pictures, by frame counted from 0, where it has any. */
export function followSettings(document: Matched, masks?: readonly MatteMask[]): FollowSettings {
  const { plate, match } = document
  const shapes = keepOutsOf(match)
  const made = new Map<number, Corners[]>()
  const at = (frame: number): Corners[] => {
    let corners = made.get(frame)
    if (!corners) made.set(frame, (corners = shapes.map((shape) => exclusionMaskAt(shape, plate.first + frame))))
    return corners
  }
  const mattes = plainKeepOuts({ items: document.items ?? {} })
  const insides = new Map<number, ReturnType<typeof insideOf>[]>()
  const covered = (frame: number, x: number, y: number): boolean => {
    let own = insides.get(frame)
    if (!own) insides.set(frame, (own = mattes.map((item) => insideOf(item, plate.first + frame))))
    return own.some((inside) => inside([x, y]))
  }
  const masked = (frame: number, x: number, y: number): boolean => {
    const mask = masks?.[frame]
    return (
      mask !== undefined &&
      mask.out[
        Math.min(mask.height - 1, Math.floor((y * mask.height) / plate.height)) * mask.width +
          Math.min(mask.width - 1, Math.floor((x * mask.width) / plate.width))
      ] === 1
    )
  }
  return {
    count: match.count,
    even: match.even,
    ...(shapes.length > 0 || mattes.length > 0 || masks
      ? {
          keptOut: (frame: number, x: number, y: number): boolean =>
            masked(frame, x, y) || covered(frame, x, y) || at(frame).some((corners) => insidePolygon(corners, x, y)),
        }
      : {}),
  }
}

export function knownLens({ plate, match }: Matched): KnownLens {
  if (match.lens === 'find') return {}
  return { focalPx: match.focal * plate.width, ...(match.lens === 'all known' ? { k1: match.k1, k2: match.k2 } : {}) }
}

/** The focal length that a solve keeps where the tracks fix none, px. */
export const proposedFocal = ({ plate, match }: Matched): number => match.focal * plate.width

/** The recipe of a plate's tracks. */
export function tracksRecipe(document: Matched): Recipe {
  const { plate, match } = document
  const mattes = plainKeepOuts({ items: document.items ?? {} })
  const whole = { items: {}, signals: {}, ...document }
  const drawn = drawnKeepOuts(whole)
  const { asset, encoding, first, last, width, height } = plate
  return {
    kind: 'tracks',
    version: VERSIONS.tracks,
    settings: {
      asset,
      encoding,
      first,
      last,
      width,
      height,
      count: match.count,
      even: match.even,
      keepOuts: keepOutsOf(match).map(({ keys }) => keys),
      ...(mattes.length > 0
        ? {
            mattes: mattes.map((item) => ({
              inverted: item.inverted,
              shapes: shapesInOrder(item).flatMap(([, { way, inverted, curve, keys, shown }]) =>
                shown ? [{ way, inverted, curve, keys }] : [],
              ),
            })),
          }
        : {}),
      ...(drawn.length > 0 ? { drawn: drawn.map((id) => keepOutKey(whole, id)) } : {}),
      ...(match.matte
        ? {
            matte: {
              asset: match.matte.asset,
              inverted: match.matte.inverted,
              first: matteFrame({ plate, match }, first),
            },
          }
        : {}),
    },
    inputs: [],
  }
}

/** Ids of the tracks that a person has dropped, of those under a key. */
export const droppedTracks = (match: MatchSettings, tracksKey: string): readonly number[] =>
  match.dropped?.tracks === tracksKey ? match.dropped.ids : []

/** The recipe of a plate's solve from its tracks, those set by hand and trusted among them. */
export function solveRecipe(document: Matched, tracksKey: string): Recipe {
  const { match } = document
  const hands = solvingManualTracks(match)
  const tidied = match.tidied?.tracks === tracksKey ? match.tidied : undefined
  return {
    kind: 'solve',
    version: VERSIONS.solve,
    settings: {
      lens: knownLens(document),
      ...(match.lens === 'find' ? { proposed: proposedFocal(document) } : {}),
      dropped: [...droppedTracks(match, tracksKey)].sort((a, b) => a - b),
      ...(hands.length > 0
        ? { hands: hands.map(([id, { trust, span }]) => ({ number: manualTrackNumber(id), trust, span })) }
        : {}),
      ...(tidied && tidied.spans.length + tidied.joins.length > 0 ? { spans: tidied.spans, joins: tidied.joins } : {}),
    },
    inputs: [tracksKey, ...hands.map(([, hand]) => recipeKey(manualTrackRecipe(document, hand)))],
  }
}

/** The world point, in the solve's own world, of a place in the picture. Throws LanternError 'place'. */
export const solvedPlace = (solve: Solve, tracks: readonly Track[], place: PicturePlace): Vec3 =>
  placePoint(solve, tracks, { ...place, frame: place.frame - solve.first })

/** Where two ways of placing agree to this share of the distance, the place is on the ground. */
const ON_GROUND = 0.15

/**
 * As solvedPlace, but on the ground as it was solved where that is what lies there. by: what takes the solve's world to the shot's level one.
 * Throws LanternError 'place'.
 */
export function groundedPlace(solve: Solve, tracks: readonly Track[], place: PicturePlace, by: Similarity): Vec3 {
  const frame = place.frame - solve.first
  const clicked = clickedPoint(solve, tracks, { ...place, frame })
  if (clicked) return clicked
  const camera = moveCamera(by, solveCameraAt(solve, frame))
  const ground = placeOnGround(
    solve.points.map(({ at }) => movePoint(by, at)),
    camera,
    place.x,
    place.y,
  )
  const surface = movePoint(by, solvedPlace(solve, tracks, place))
  const far = (p: Vec3): number => length(subtract(p, camera.position))
  return movePointBack(by, ground && Math.abs(far(ground) - far(surface)) < ON_GROUND * far(surface) ? ground : surface)
}

const UNMOVED: Similarity = { scale: 1, rotation: [0, 0, 0, 1], shift: [0, 0, 0] }
const LEAST_GROUND = 3

/**
 * What takes a solve's world to the shot's, from what the document says of the ground; the solve's own world until three points are given.
 * Throws LanternError 'ground' or 'place' where what is said can't be.
 */
export function groundOf(
  match: Pick<MatchSettings, 'ground'>,
  solve: Solve,
  tracks: readonly Track[],
): { by: Similarity; ground?: { rms: number; left: number } } {
  const { points, axis, origin, distance, cameraHeight } = match.ground
  if (points.length < LEAST_GROUND) return { by: UNMOVED }
  const cameras = solve.cameras.map((_, n) => solveCameraAt(solve, n))
  const ground = points.map((place) => solvedPlace(solve, tracks, place))
  const level = fitGround({ ground }, cameras).by
  // What is said of axis, origin and distance lies on the ground, where no solved point itself is meant.
  const at = (place: PicturePlace): Vec3 => {
    const frame = place.frame - solve.first
    const point = clickedPoint(solve, tracks, { ...place, frame })
    if (point) return point
    const met = pickLevel(moveCamera(level, solveCameraAt(solve, frame)), place.x, place.y, 0)
    return met ? movePointBack(level, met) : solvedPlace(solve, tracks, place)
  }
  const { by, rms, left } = fitGround(
    {
      ground,
      ...(axis ? { axis: [at(axis[0]), at(axis[1])] as const } : {}),
      ...(origin ? { origin: at(origin) } : {}),
      ...(distance ? { distance: { from: at(distance.from), to: at(distance.to), metres: distance.metres } } : {}),
      ...(cameraHeight !== undefined ? { cameraHeight } : {}),
    },
    cameras,
  )
  return { by, ground: { rms, left } }
}

/** The cameras of a solve in the shot's world, frame by frame. */
export function solvedPath(solve: Solve, by: Similarity): CameraPath {
  return {
    frames: solve.cameras.map((_, n) => ({ frame: solve.first + n, camera: moveCamera(by, solveCameraAt(solve, n)) })),
  }
}

/** The direction of a far thing through the camera of the frame that it was set on, times its distance: where it is from whatever place the camera looks. */
export function farPlace(camera: Camera, { at, far }: Pick<Proof, 'at' | 'far'>): Vec3 | undefined {
  if (!far) return undefined
  const { along } = pixelRay(camera, at.x, at.y)
  return scale(along, far.distance / length(along))
}

/** A camera as far things are seen by it: its turn alone. */
export const farCamera = (camera: Camera): Camera => ({ ...camera, position: [0, 0, 0] })

/** A point of a solve's world in the shot's. */
export const shotPoint = (by: Similarity, at: Vec3): Vec3 => movePoint(by, at)

const NEARBY = 8

/**
 * How far a thing set on a world point slides against the plate, px by frame of the path: what is left of the motion of the tracks seen nearest to it, against the frame it was set on.
 * camera: at a frame counted from 0; from: that frame. NaN where no track round it is seen in both.
 */
export function slideOf(
  point: Vec3,
  from: number,
  frames: number,
  camera: (n: number) => Camera | undefined,
  tracks: readonly Track[],
  points: ReadonlyMap<number, Vec3>,
): number[] {
  const first = camera(from)
  const home = first && projectPoint(first, point)
  if (!first || !home) return Array.from({ length: frames }, () => Number.NaN)
  const rest = (track: Track, n: number): [number, number] | undefined => {
    const at = points.get(track.id)
    const k = (n - track.first) * 2
    const seen = camera(n)
    const p = at && seen && k >= 0 && k < track.places.length ? projectPoint(seen, at) : undefined
    return p && [(track.places[k] as number) - p.x, (track.places[k + 1] as number) - p.y]
  }
  const near = tracks
    .flatMap((track) => {
      const k = (from - track.first) * 2
      if (k < 0 || k >= track.places.length || !points.has(track.id)) return []
      const [dx, dy] = [(track.places[k] as number) - home.x, (track.places[k + 1] as number) - home.y]
      return [{ track, far: dx * dx + dy * dy }]
    })
    .sort((a, b) => a.far - b.far)
  return Array.from({ length: frames }, (_, n) => {
    const parts: [number, number][] = []
    for (const { track } of near) {
      const [a, b] = [rest(track, from), rest(track, n)]
      if (a && b) parts.push([b[0] - a[0], b[1] - a[1]])
      if (parts.length === NEARBY) break
    }
    if (parts.length === 0) return Number.NaN
    const middle = (c: 0 | 1): number => [...parts].sort((a, b) => a[c] - b[c])[parts.length >> 1]?.[c] ?? 0
    return Math.sqrt(middle(0) * middle(0) + middle(1) * middle(1))
  })
}
