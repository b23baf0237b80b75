import { LanternError, type Recipe } from '../base/index.ts'
import { type Camera, placeAt, projectPoint, type Solve, solveCameraAt, type Track } from '../data/index.ts'
import type { FollowSettings, ObjectInput } from '../match/index.ts'
import { conjugate, insidePolygon, multiply, rotate, subtract, unit, type Vec3 } from '../math/index.ts'
import type { WorldPose } from '../settings/index.ts'
import type { MovingObject, ShotDocument } from '../shot/index.ts'
import { exclusionMaskAt } from './match.ts'
import { pickSurface } from './pick.ts'
import { VERSIONS } from './versions.ts'

// Things that move by themselves: what is followed on them, and what their solve is made from.

/** Where an object is against where its geometry stands in the set: what takes a place that the solve's camera sees to where the shot's camera sees it. */
function objectPoseOn(solve: Solve, frame: number, cameraOf: (frame: number) => Camera | undefined) {
  const n = frame - solve.first
  const camera = cameraOf(frame)
  if (!camera || !solve.cameras[n]) return undefined
  const own = solveCameraAt(solve, n)
  const rotation = multiply(camera.rotation, conjugate(own.rotation))
  return { rotation, position: subtract(camera.position, rotate(rotation, own.position)) }
}

/** The same at a frame that may lie between frames; undefined where it was not found. */
export function objectPose(
  solve: Solve,
  frame: number,
  cameraOf: (frame: number) => Camera | undefined,
): WorldPose | undefined {
  return poseBetween((at) => objectPoseOn(solve, at, cameraOf), frame)
}

/** A pose that is known at whole frames, at one that may lie between them; undefined where it is not known. */
export function poseBetween(poseOf: (frame: number) => WorldPose | undefined, frame: number): WorldPose | undefined {
  const before = poseOf(Math.floor(frame))
  const w = frame - Math.floor(frame)
  const after = w > 0 ? poseOf(Math.floor(frame) + 1) : undefined
  if (!before || !after) return before ?? after
  const turned = after.rotation.reduce((sum, part, c) => sum + part * (before.rotation[c] ?? 0), 0) < 0 ? -1 : 1
  const mix = (a: number, b: number): number => a + w * (b - a)
  const [p, q] = [before.position, after.position]
  const [a, b] = [before.rotation, after.rotation]
  return {
    position: [mix(p[0], q[0]), mix(p[1], q[1]), mix(p[2], q[2])],
    rotation: unit([
      mix(a[0], turned * b[0]),
      mix(a[1], turned * b[1]),
      mix(a[2], turned * b[2]),
      mix(a[3], turned * b[3]),
    ]),
  }
}

type Corners = ReturnType<typeof exclusionMaskAt>

/** How a thing's features are followed: inside its region alone, as densely as its share of the picture asks. */
export function objectFollow(
  { plate }: Pick<ShotDocument, 'plate'>,
  thing: Pick<MovingObject, 'keys' | 'count'>,
): FollowSettings {
  const made = new Map<number, Corners>()
  const at = (frame: number): Corners => {
    let corners = made.get(frame)
    if (!corners) made.set(frame, (corners = exclusionMaskAt(thing, plate.first + frame)))
    return corners
  }
  const area = (corners: Corners): number =>
    Math.abs(
      corners.reduce((sum, a, n) => {
        const b = corners[(n + 1) % corners.length] ?? a
        return sum + a[0] * b[1] - a[1] * b[0]
      }, 0),
    ) / 2
  const share = Math.max(...thing.keys.map(({ points }) => area(points))) / (plate.width * plate.height)
  return {
    count: thing.count,
    even: true,
    share: Math.min(1, Math.max(1e-3, share)),
    keptOut: (frame, x, y) => !insidePolygon(at(frame), x, y),
  }
}

/** The recipe of a thing's own tracks. */
export function objectTracksRecipe({ plate }: Pick<ShotDocument, 'plate'>, { keys, count }: MovingObject): Recipe {
  const { asset, encoding, first, last, width, height } = plate
  return {
    kind: 'tracks',
    version: VERSIONS.tracks,
    settings: { asset, encoding, first, last, width, height, thing: keys, count },
    inputs: [],
  }
}

/** The recipe of where a thing is: its tracks, the camera whose lens it is seen through, and its geometry as it stands in the set. */
export function objectRecipe(document: ShotDocument, { geometry }: MovingObject, tracksKey: string): Recipe {
  const { camera, items } = document
  const { kind, focal, k1, k2, path, solve, lineUp, height, tilt, roll, shake } = camera
  return {
    kind: 'thing',
    version: VERSIONS.thing,
    settings: {
      camera: { kind, focal, k1, k2, path, solve, lineUp, height, tilt, roll, shake },
      ...(geometry ? { frame: geometry.frame, item: items[geometry.item] } : {}),
    },
    inputs: [tracksKey],
  }
}

/**
 * What a thing's solve is made from. camera: the shot's, by frame as numbered. Throws LanternError 'no-camera' where there is none, 'geometry' where its geometry is gone from the set.
 */
export function objectInput(
  document: ShotDocument,
  thing: MovingObject,
  tracks: readonly Track[],
  camera: (frame: number) => Camera | undefined,
): Omit<ObjectInput, 'seed' | 'crew' | 'say'> {
  const { plate } = document
  const lens = camera(plate.first)
  if (!lens)
    throw new LanternError(
      'no-camera',
      'A thing is solved through the shot’s camera, and there is none yet.',
      'Solve or line up the camera first.',
      { field: 'camera' },
    )
  const base = {
    tracks,
    frames: plate.last - plate.first + 1,
    first: plate.first,
    width: plate.width,
    height: plate.height,
    lens: { focalPx: lens.focalPx, k1: lens.k1, k2: lens.k2 },
  }
  if (!thing.geometry) return base
  const { item, frame } = thing.geometry
  const own = document.items[item]
  const there = camera(frame)
  if (!own || !there)
    throw new LanternError(
      'geometry',
      `The geometry of ${thing.name} is gone from the set.`,
      'Choose another box, or none.',
      { field: 'geometry' },
    )
  const points = new Map<number, Vec3>()
  for (const track of tracks) {
    const at = placeAt(track, frame - plate.first)
    const met =
      at && pickSurface({ items: { [item]: { ...own, shown: true } }, plate, signals: {} }, there, at[0], at[1], frame)
    if (met?.item === item) points.set(track.id, met.point)
  }
  return { ...base, geometry: { frame: frame - plate.first, camera: there, points } }
}

/** Metres in a unit of a thing's own world: 1 with geometry, else by how far its middle is said to be on its first frame. */
export function objectSize(thing: Pick<MovingObject, 'geometry' | 'distance'>, solve: Solve): number {
  if (thing.geometry) return 1
  const first = solve.cameras.findIndex((one) => one !== null)
  const depths = solve.points
    .flatMap(({ at }) => {
      const p = projectPoint(solveCameraAt(solve, first), at)
      return p ? [p.depth] : []
    })
    .sort((a, b) => a - b)
  return thing.distance / (depths[depths.length >> 1] ?? 1)
}
