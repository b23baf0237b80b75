import { LanternError } from '../base/index.ts'
import { type Camera, type Solve, seenAt } from '../data/index.ts'
import { symmetricEigen } from '../math/index.ts'
import { cameraAt, pointAt } from './align.ts'
import { type Carried, type LensErrors, solveCarried } from './carried.ts'
import { parallaxBetween, sharedTracks } from './keys.ts'
import { commonMotion, SIGNIFICANCE } from './lockedOff.ts'
import { median } from './median.ts'
import { solveRotation } from './rotationSolve.ts'
import { type SolveInput, solveMoving } from './solve.ts'
import { eyeOf, hasPoint, residualsOf, type Structure } from './structure.ts'

/** A solved camera with what is known of how good it is. Places in px of the full frame; world without ground or scale yet. */
export interface CameraSolve {
  /** moving: with parallax; turning: about one place, points are directions. */
  kind: 'moving' | 'turning'
  structure: Structure
  cameras: Camera[]
  /** Of all places of kept tracks. */
  medianPx: number
  rmsPx: number
  /** Median over the tracks seen, frame by frame; NaN where none is. */
  framePx: number[]
  /** Tracks that have a point, and all. */
  kept: number
  tracks: number
  /** Median over the points of the largest angle between two of their rays, degrees; 0 for a turn. */
  parallax: number
  /** Why it should not be trusted as it is, and what to do. Empty: fit. */
  doubts: { what: string; remedy: string }[]
  lens: Carried
}

// Median error at which a turn explains the plate so well that nothing speaks for a move; and at which a camera is called unfit.
const TURN_PX = 0.3
const UNFIT_PX = 1
const LEAST_PARALLAX_COSINE = 0.99966
const LEAST_KEPT = 0.35
const FEW_TRACKS = 16

/** Cosine of the largest angle between the first ray of a point and its others: median over the points. */
function parallaxCosine(s: Structure): number {
  return median(
    s.tracks.flatMap((track, n) => {
      if (!hasPoint(s, n)) return []
      const ways = Array.from({ length: track.places.length / 2 }, (_, k) => track.first + k)
        .filter((f) => s.solved[f])
        .map((f) => {
          const eye = eyeOf(s.poses, f)
          const d = [0, 1, 2].map((c) => (s.points[n * 3 + c] as number) - (eye[c] ?? 0))
          const size = Math.sqrt(d.reduce((sum, x) => sum + x * x, 0))
          return d.map((x) => x / size)
        })
      const first = ways[0]
      return first ? [Math.min(...ways.map((way) => way.reduce((sum, x, c) => sum + x * (first[c] ?? 0), 0)))] : []
    }),
  )
}

/** A lens of which all is known. */
export type KnownLensExact = Required<SolveInput['known']>

/** What a lens that the tracks do not fix is said to be. */
function lensDoubts(s: Structure, kind: CameraSolve['kind'], { held }: Carried): CameraSolve['doubts'] {
  const focal = held.find(({ term }) => term === 'focalPx')
  if (!focal) return []
  const widths = (px: number): string => (px / s.width).toFixed(2)
  const why =
    kind === 'turning'
      ? 'The camera turned too little to fix its focal length'
      : liesFlat(s)
        ? 'All that was followed lies in one plane, which does not fix the focal length'
        : 'The camera moved too little to fix its focal length'
  return [
    {
      what: `${why}: ${
        Number.isFinite(focal.error)
          ? `the tracks give ${widths(focal.found)} ± ${widths(focal.error)} picture widths`
          : 'any would do as well'
      }. ${widths(focal.at)} is kept.`,
      remedy: 'State the focal length if it is known: all that is measured in the shot hangs on it.',
    },
  ]
}

/** Least spread of points off their best plane, as a share of their spread along it, that counts as depth. */
const FLAT = 0.03

/** Whether a structure's points lie in one plane. */
function liesFlat(s: Structure): boolean {
  const at = s.tracks.flatMap((_, n) => (hasPoint(s, n) && !s.dropped[n] ? [pointAt(s, n)] : []))
  const middle = [0, 1, 2].map((c) => median(at.map((p) => p[c] as number)))
  const m = new Float64Array(9)
  for (const p of at)
    for (let i = 0; i < 3; i++)
      for (let j = 0; j < 3; j++)
        m[i * 3 + j] =
          (m[i * 3 + j] as number) +
          ((p[i] as number) - (middle[i] as number)) * ((p[j] as number) - (middle[j] as number))
  const [least, next] = symmetricEigen(m, 3).values
  return (least as number) < FLAT * FLAT * (next as number)
}

/** Why a solve should not be trusted as it is. */
function doubtsOf(
  s: Structure,
  kind: CameraSolve['kind'],
  { medianPx, kept, cosine, lens }: { medianPx: number; kept: number; cosine: number; lens: Carried },
): CameraSolve['doubts'] {
  const doubts: CameraSolve['doubts'] = lensDoubts(s, kind, lens)
  const unsolved = Array.from(s.solved, (on, f) => (on ? -1 : f)).filter((f) => f >= 0)
  if (unsolved.length > 0)
    doubts.push({
      what: `${unsolved.length} frames have no camera, the first of them frame ${unsolved[0]} of the plate.`,
      remedy: 'Track more features there, or trim the plate.',
    })
  if (medianPx > UNFIT_PX)
    doubts.push({
      what: `The error of ${medianPx.toFixed(2)} px is above ${UNFIT_PX} px: unfit.`,
      remedy: 'Keep out what moves by itself, drop the worst tracks, and solve again.',
    })
  if (kind === 'moving' && cosine > LEAST_PARALLAX_COSINE)
    doubts.push({
      what: 'The camera moved too little for its distance from things to be sure of.',
      remedy: 'State the focal length, or treat the plate as a turn.',
    })
  if (kept < LEAST_KEPT * s.tracks.length)
    doubts.push({
      what: `Only ${kept} of ${s.tracks.length} tracks agree with this camera.`,
      remedy: 'Keep out what moves by itself: most of what was followed does not stand still.',
    })
  if (kept < FEW_TRACKS)
    doubts.push({
      what: `Only ${kept} tracks carry this camera; ${FEW_TRACKS} are the least to be sure of one.`,
      remedy: 'Track more features, or set some by hand.',
    })
  return doubts
}

const KNOWN: Carried = { errors: {}, held: [] }

/** A structure as a solve, with how good it is. lens: what of it the tracks carry, where it was not all known. */
export function solvedAs(kind: CameraSolve['kind'], s: Structure, lens = KNOWN): CameraSolve {
  const perTrack = s.tracks.map((_, n) => (s.dropped[n] || !hasPoint(s, n) ? [] : residualsOf(s, n)))
  const all = perTrack.flat()
  const byFrame: number[][] = Array.from({ length: s.frames }, () => [])
  for (const [n, rests] of perTrack.entries()) {
    const track = s.tracks[n]
    for (let f = track?.first ?? 0, k = 0; track && k < rests.length; f++)
      if (s.solved[f] && seenAt(track, f)) byFrame[f]?.push(rests[k++] as number)
  }
  const kept = perTrack.filter((rests) => rests.length > 0).length
  const cosine = kind === 'moving' ? parallaxCosine(s) : 1
  const medianPx = median(all)
  return {
    kind,
    structure: s,
    cameras: Array.from({ length: s.frames }, (_, f) => cameraAt(s, f)),
    medianPx,
    rmsPx: Math.sqrt(all.reduce((sum, r) => sum + r * r, 0) / Math.max(1, all.length)),
    framePx: byFrame.map(median),
    kept,
    tracks: s.tracks.length,
    parallax: cosine < 1 ? angleOf(cosine) : 0,
    doubts: doubtsOf(s, kind, { medianPx, kept, cosine, lens }),
    lens,
  }
}
/** Most of the parallax that frames a quarter of the plate apart show, px: what one homography between them leaves. */
function usualParallax({ tracks, frames, width, height }: SolveInput): number {
  const gap = Math.max(1, frames >> 2)
  return Math.max(
    0,
    ...[0, 1, 2, 3].map((n) => {
      const [a, b] = [n * gap, Math.min(frames - 1, (n + 1) * gap)]
      const shared = sharedTracks(tracks, a, b)
      return shared.length < 20 ? 0 : (parallaxBetween(shared, a, b, width, height) * 1280) / width
    }),
  )
}

/** Small angle of a cosine, degrees. */
const angleOf = (cosine: number): number => (Math.sqrt(2 * (1 - cosine)) * 180) / Math.PI

/** Share of the work that looking for a turn is. */
const TURN_SHARE = 0.3
/** Median parallax between frames from which the plate is plainly no turn, px of a 1280-px picture: lens distortion alone leaves less. */
const NO_TURN_PX = 5
/** Median parallax of the points at which a move is beyond doubt, degrees. */
const SURE_PARALLAX = 1.5
const LEAST_TRACKS = 12
const LEAST_FRAMES = 3

/**
 * Solves a plate's camera: as a turn where a turn explains all tracks, else as a move.
 * Throws LanternError 'solve' with what was tried, why it failed and what to do; what is solved but not to be trusted says so in `doubts`.
 */
export async function solveCamera(input: SolveInput): Promise<CameraSolve> {
  if (input.frames < LEAST_FRAMES)
    throw new LanternError(
      'solve',
      `The plate has ${input.frames} frames; a camera that moves needs ${LEAST_FRAMES} or more.`,
      'Line up a still by its edges instead.',
    )
  if (input.tracks.length < LEAST_TRACKS)
    throw new LanternError(
      'solve',
      `Only ${input.tracks.length} features could be followed; ${LEAST_TRACKS} are the least.`,
      'Even out the contrast, place tracks by hand, or line the plate up by its edges.',
    )
  const common = commonMotion(input.tracks, input.frames, input.width, input.height)
  if (common?.locked)
    throw new LanternError(
      'locked-off',
      `The camera does not move: all that stands still moves together by at most ${common.mostPx.toFixed(2)} px, no more than its noise of ${common.noisePx.toFixed(2)} px explains (F test, 1 in ${1 / SIGNIFICANCE}).`,
      'Its lens can’t be found from that: line the shot up by its edges, or type the camera.',
    )
  const settled = async (
    kind: CameraSolve['kind'],
    whole: SolveInput,
    solve: (input: SolveInput) => Promise<Structure>,
  ): Promise<CameraSolve> => {
    const { s, lens } = await solveCarried(kind, whole, solve)
    return solvedAs(kind, s, lens)
  }
  const tried: string[] = []
  const attempt = async (name: string, work: () => Promise<CameraSolve>): Promise<CameraSolve | undefined> => {
    try {
      const found = await work()
      tried.push(`${name} leaves ${found.medianPx.toFixed(2)} px`)
      return found
    } catch (error) {
      if (!(error instanceof LanternError)) throw error
      tried.push(`${name}: ${error.message} ${error.remedy}`)
      return undefined
    }
  }
  const part = (from: number, to: number): SolveInput => ({
    ...input,
    say: (share, what) => input.say?.(from + (to - from) * share, what),
  })
  const turn = (from: number, to: number): Promise<CameraSolve | undefined> =>
    attempt('a turn', () => settled('turning', part(from, to), solveRotation))
  const move = (from: number, to: number): Promise<CameraSolve | undefined> =>
    attempt('a move', () => settled('moving', part(from, to), solveMoving))
  // Where things plainly shift against one another a move is sought first, and a turn only if that is in doubt: a lens that bends can make a turn look so.
  const apart = usualParallax(input) > NO_TURN_PX
  const moved = apart ? await move(0, 1) : undefined
  if (moved && moved.doubts.length === 0 && moved.parallax > SURE_PARALLAX) return moved
  const turned = await turn(0, apart ? 1 : TURN_SHARE)
  if (
    turned &&
    turned.doubts.length === 0 &&
    turned.medianPx < TURN_PX &&
    turned.kept > 0.6 * turned.tracks &&
    !(moved && moved.medianPx < 0.5 * turned.medianPx)
  ) {
    await input.say?.(1, 'solved as a turn')
    return turned
  }
  const second = moved ?? (apart ? undefined : await move(TURN_SHARE, 1))
  // A move that explains no more than a turn is a turn seen through noise.
  if (second && !(turned && turned.medianPx < 1.15 * second.medianPx && turned.kept >= second.kept)) return second
  if (turned) return turned
  throw new LanternError(
    'solve',
    `No camera was found. Tried: ${tried.join('; ')}`,
    'Keep out what moves by itself, track more features, or state the focal length.',
  )
}

/** A solve as it is kept. first: number of the plate's first frame. */
export function keptSolve(found: CameraSolve, first: number): Solve {
  const { structure: s } = found
  return {
    kind: found.kind,
    width: s.width,
    height: s.height,
    first,
    focalPx: s.lens[0] as number,
    k1: s.lens[1] as number,
    k2: s.lens[2] as number,
    medianPx: found.medianPx,
    rmsPx: found.rmsPx,
    framePx: found.framePx.map((px) => (Number.isFinite(px) ? px : null)),
    cameras: found.cameras.map(({ position, rotation }, n) => (s.solved[n] ? { position, rotation } : null)),
    points: s.tracks
      .flatMap((track, n) =>
        s.dropped[n] || !hasPoint(s, n) ? [] : [{ track: track.id, at: pointAt(s, n), px: median(residualsOf(s, n)) }],
      )
      .filter(({ px }) => Number.isFinite(px)),
    tracks: found.tracks,
    parallax: found.parallax,
    doubts: found.doubts,
    lensErrors: finiteOnly(found.lens.errors),
    held: found.lens.held.map((one) => ({ ...one, error: Number.isFinite(one.error) ? one.error : null })),
  }
}

const finiteOnly = (errors: LensErrors): LensErrors =>
  Object.fromEntries(Object.entries(errors).filter(([, error]) => Number.isFinite(error)))
