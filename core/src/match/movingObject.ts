import { type Crew, LanternError } from '../base/index.ts'
import type { Camera, Solve, Track } from '../data/index.ts'
import { conjugate, multiply, type Quaternion, rotate, subtract, unit, type Vec3 } from '../math/index.ts'
import { type KnownLensExact, keptSolve, solvedAs } from './camera.ts'
import { makePoints, resect, type SolveInput, solveMoving } from './solve.ts'
import { adjust, dropWorst, hasPoint, newStructure, type Structure, setPose } from './structure.ts'

// A thing that moves by itself, through a camera whose lens is known: its own tracks give where it is against the camera, frame by frame. The solve's world is the thing's own.

export interface ObjectInput {
  tracks: readonly Track[]
  /** Frames of the plate; number of the first. */
  frames: number
  first: number
  width: number
  height: number
  lens: KnownLensExact
  /** Where its tracks lie on its rough geometry (by track, in the shot's world) as it stands at one frame, and the shot's camera there. */
  geometry?: { frame: number; camera: Camera; points: ReadonlyMap<number, Vec3> }
  seed: number
  crew?: Crew
  say?: SolveInput['say']
}

const LEAST_POINTS = 6
const LEAST_SHARE = 0.4
const LOOSE_PX = 6

/** A camera's pose as a structure holds one: world to camera, y and z turned about. */
function poseOf({ position, rotation }: Pick<Camera, 'position' | 'rotation'>): { turn: number[]; shift: number[] } {
  const back = conjugate(rotation)
  const flip = [1, -1, -1]
  const turn = [0, 1, 2].flatMap((i) =>
    [0, 1, 2].map((j) => {
      const axis: Vec3 = [j === 0 ? 1 : 0, j === 1 ? 1 : 0, j === 2 ? 1 : 0]
      return (flip[i] as number) * (flip[j] as number) * (rotate(back, axis)[i] as number)
    }),
  )
  const eye = position.map((v, c) => v * (flip[c] as number))
  return { turn, shift: [0, 1, 2].map((i) => -eye.reduce((sum, v, j) => sum + v * (turn[3 * i + j] as number), 0)) }
}

/** Poses from points that are known on one frame: outward from it frame by frame, then points and poses together, the rough geometry mended by its tracks. */
async function fromGeometry(
  input: ObjectInput,
  { frame: home, camera, points }: NonNullable<ObjectInput['geometry']>,
): Promise<Structure> {
  const s = newStructure(
    input.tracks,
    input.frames,
    input.width,
    input.height,
    [input.lens.focalPx, input.lens.k1, input.lens.k2],
    input.crew,
  )
  for (const [n, track] of s.tracks.entries()) {
    const at = points.get(track.id)
    if (at) s.points.set([at[0], -at[1], -at[2]], 3 * n)
  }
  const known = s.tracks.filter((_, n) => hasPoint(s, n)).length
  if (known < LEAST_POINTS)
    throw new LanternError(
      'object',
      `Only ${known} of its tracks lie on its geometry; ${LEAST_POINTS} are the least.`,
      'Move the geometry over the thing at that frame, draw its region larger, or ask for more features.',
    )
  const { turn, shift } = poseOf(camera)
  setPose(s, home, turn, shift)
  const reach = async (way: 1 | -1): Promise<void> => {
    for (let n = home + way; n >= 0 && n < input.frames; n += way) {
      await input.say?.(0.8 * (Math.abs(n - home) / input.frames), 'where it is, frame by frame')
      if (resect(s, n, n - way) < LEAST_SHARE) {
        s.solved[n] = 0
        return
      }
      // What comes into sight as it turns gets points of its own.
      if (n % 4 === 0) makePoints(s, () => true, LOOSE_PX)
    }
  }
  await reach(1)
  await reach(-1)
  for (let round = 0; round < 2; round++) {
    dropWorst(s, 5, 12)
    adjust(s, {
      frames: () => true,
      freePose: (f) => f !== home,
      freeLens: [false, false, false],
      freePoints: true,
      huber: 0.5,
      steps: 12,
    })
    makePoints(s, () => true, LOOSE_PX)
  }
  return s
}

/**
 * Where a thing that moves by itself is, from its own tracks: a solve in the thing's own world, whose cameras are the shot's camera as the thing sees it.
 * With geometry: at its size, its world the shot's as it stands at the geometry's frame. Without: it must turn or pass enough to be seen in depth; size unknown.
 * Throws LanternError 'object' for too few tracks or points, 'solve' where none of it can be told.
 */
export async function solveObject(input: ObjectInput): Promise<Solve> {
  const long = input.tracks.filter((track) => track.places.length >= 6)
  if (long.length < LEAST_POINTS)
    throw new LanternError(
      'object',
      `Only ${long.length} features could be followed on it; ${LEAST_POINTS} are the least.`,
      'Draw its region over more of it, ask for more features, or place tracks by hand.',
    )
  const { focalPx, k1, k2 } = input.lens
  const s = input.geometry
    ? await fromGeometry(input, input.geometry)
    : await solveMoving({
        tracks: input.tracks,
        frames: input.frames,
        width: input.width,
        height: input.height,
        known: { focalPx, k1, k2 },
        seed: input.seed,
        ...(input.crew ? { crew: input.crew } : {}),
        ...(input.say ? { say: input.say } : {}),
      })
  return keptSolve(solvedAs('moving', s), input.first)
}

/** Where a thing is in the shot's world at a frame against where it was at `home`, both counted from 0: the turn about the origin, then the shift. size: metres in a unit of the thing's world. */
export function objectMotion(
  solve: Solve,
  size: number,
  cameras: readonly Pick<Camera, 'position' | 'rotation'>[],
  n: number,
): { rotation: Quaternion; shift: Vec3 } | undefined {
  const [own, camera] = [solve.cameras[n], cameras[n]]
  if (!own || !camera) return undefined
  // A point X of the thing lies at own^-1 X before the camera, and from there in the world.
  const rotation = unit(multiply(camera.rotation, conjugate(own.rotation)))
  const eye = rotate(rotation, [own.position[0] * size, own.position[1] * size, own.position[2] * size])
  return { rotation, shift: subtract(camera.position, eye) }
}
