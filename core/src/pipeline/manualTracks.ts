import type { Recipe } from '../base/index.ts'
import { type Camera, placeAt, type Solve, type Track } from '../data/index.ts'
import type { CameraPath } from '../formats/index.ts'
import { type ManualTrackSettings, pointOfTrack } from '../match/index.ts'
import { aboutAxis, atan2, fitPlane, multiply, throughHomography, unit } from '../math/index.ts'
import type { ManualTrack, MatchSettings, ShotDocument } from '../shot/index.ts'
import { VERSIONS } from './versions.ts'

// Tracks set by hand, tidied tracks, and the shake of a locked-off camera.

type Matched = Pick<ShotDocument, 'plate' | 'match'>

/** How a track set by hand is followed; frames counted from 0. */
export function manualTrackSettings(
  { plate }: Pick<ShotDocument, 'plate'>,
  { keys, model, pattern, search }: ManualTrack,
): ManualTrackSettings {
  return { keys: keys.map(({ frame, places }) => ({ frame: frame - plate.first, places })), model, pattern, search }
}

/** The recipe of one hand track: the plate and how it is followed. What it is worth in a solve is not part of it. */
export function manualTrackRecipe(document: Pick<ShotDocument, 'plate'>, hand: ManualTrack): Recipe {
  const { asset, encoding, first, last, width, height } = document.plate
  const { keys, model, pattern, search } = manualTrackSettings(document, hand)
  return {
    kind: 'hand',
    version: VERSIONS.hand,
    settings: {
      asset,
      encoding,
      first,
      last,
      width,
      height,
      keys,
      model,
      pattern: hand.keys[0]?.places.length === 1 ? pattern : undefined,
      search,
    },
    inputs: [],
  }
}

/** Manual tracks are numbered from here on. */
export const MANUAL_TRACK_NUMBERS = 1 << 29
/** A hand track's number among the tracks of a solve: from its id alone (FNV-1a, 29 bits), above all numbers of found tracks. */
export function manualTrackNumber(id: string): number {
  let hash = 0x811c9dc5
  for (let n = 0; n < id.length; n++) hash = Math.imul(hash ^ id.charCodeAt(n), 0x01000193)
  return MANUAL_TRACK_NUMBERS + ((hash >>> 0) % MANUAL_TRACK_NUMBERS)
}

const byId = ([a]: [string, unknown], [b]: [string, unknown]): number => (a < b ? -1 : 1)
/** Points set by hand that count in the solve, by id. */
export const solvingManualTracks = (match: MatchSettings): [string, ManualTrack][] =>
  Object.entries(match.hands)
    .filter(([, hand]) => hand.trust > 0 && hand.keys[0]?.places.length === 1)
    .sort(byId)

/** A track's places from a frame to another alone (counted from 0); undefined where fewer than two are left. */
export function trimTrack(track: Track, from: number, to: number): Track | undefined {
  const first = Math.max(track.first, from)
  const places = track.places.slice((first - track.first) * 2, Math.max(0, to - track.first + 1) * 2)
  return places.length < 4 ? undefined : { ...track, first, places }
}

/** Two tracks of one feature as one under the first's id: where both are seen the first holds, where neither is there is a gap. */
export function joinTracks(a: Track, b: Track): Track {
  const first = Math.min(a.first, b.first)
  const count = Math.max(a.first + a.places.length / 2, b.first + b.places.length / 2) - first
  const places = Float64Array.from({ length: count * 2 }, (_, n) => {
    const frame = first + (n >> 1)
    return (placeAt(a, frame) ?? placeAt(b, frame))?.[(n & 1) as 0 | 1] ?? Number.NaN
  })
  return { ...a, first, places }
}

/** The found tracks as a person has tidied them: trimmed, then joined. tracksKey: whose they are. */
export function tidiedTracks(
  match: Pick<MatchSettings, 'tidied'>,
  tracksKey: string,
  tracks: readonly Track[],
): Track[] {
  const tidied = match.tidied?.tracks === tracksKey ? match.tidied : undefined
  if (!tidied) return [...tracks]
  const spans = new Map(tidied.spans.map(([id, from, to]) => [id, [from, to] as const]))
  const kept = new Map(
    tracks.flatMap((track) => {
      const span = spans.get(track.id)
      const one = span ? trimTrack(track, span[0], span[1]) : track
      return one ? [[track.id, one] as const] : []
    }),
  )
  for (const [id, other] of tidied.joins) {
    const [a, b] = [kept.get(id), kept.get(other)]
    if (!a || !b) continue
    kept.set(id, joinTracks(a, b))
    kept.delete(other)
  }
  return [...kept.values()]
}

/** A hand track as the solve takes it: its number, its trust, trimmed. followed: what its recipe gave. */
export function manualTrackOf(
  { plate }: Pick<ShotDocument, 'plate'>,
  id: string,
  hand: ManualTrack,
  followed: readonly Track[],
): Track | undefined {
  const track = followed[0]
  const [from, to] = hand.span ?? [plate.first, plate.last]
  return (
    track &&
    trimTrack(
      { ...track, id: manualTrackNumber(id), weight: Math.max(hand.trust, 1e-3) },
      from - plate.first,
      to - plate.first,
    )
  )
}

/** All that a solve is made from: found tracks as tidied, without those dropped, and the hand tracks that count. followed: by the hands' ids. */
export function tracksToSolve(
  document: Matched,
  tracksKey: string,
  tracks: readonly Track[],
  followed: Readonly<Record<string, readonly Track[]>>,
): Track[] {
  const { match } = document
  const gone = new Set(match.dropped?.tracks === tracksKey ? match.dropped.ids : [])
  const hands = solvingManualTracks(match).flatMap(
    ([id, hand]) => manualTrackOf(document, id, hand, followed[id] ?? []) ?? [],
  )
  return [...tidiedTracks(match, tracksKey, tracks).filter(({ id }) => !gone.has(id)), ...hands]
}

/** All tracks to be seen: found ones as tidied, and the points set by hand, whether they count in the solve or not. */
export function allTracks(
  document: Matched,
  tracksKey: string,
  tracks: readonly Track[],
  followed: Readonly<Record<string, readonly Track[]>>,
): Track[] {
  const hands = Object.entries(document.match.hands)
    .sort(byId)
    .flatMap(([id, hand]) =>
      hand.keys[0]?.places.length === 1 ? (manualTrackOf(document, id, hand, followed[id] ?? []) ?? []) : [],
    )
  return [...tidiedTracks(document.match, tracksKey, tracks), ...hands]
}

/** Px off by the median, beyond which a hand track does not stand still in the solve's world, as a reflection in a puddle. */
const MOST_HAND_PX = 1

/** A solve with points for the hand tracks that it did not have: so a place that is followed by hand is known as well as any other. Those that don't stand still get none. */
export function withManualPoints(solve: Solve, tracks: readonly Track[]): Solve {
  const known = new Set(solve.points.map(({ track }) => track))
  const more = tracks
    .filter(({ id }) => id >= MANUAL_TRACK_NUMBERS && !known.has(id))
    .flatMap((track) => pointOfTrack(solve, track) ?? [])
    .filter(({ px }) => px < MOST_HAND_PX)
  return more.length > 0 ? { ...solve, points: [...solve.points, ...more] } : solve
}

/** The places of a flat track's corners, or of its point, at a frame counted from 0. */
export const manualPlaces = (followed: readonly Track[], n: number): (readonly [number, number])[] =>
  followed.flatMap((track) => {
    const place = placeAt(track, n)
    return place ? [place] : []
  })

/** The same where the track was followed there and is known at all. */
export const placesAt = (
  followed: readonly Track[] | undefined,
  n: number,
): readonly (readonly [number, number])[] | undefined => {
  const places = followed ? manualPlaces(followed, n) : []
  return followed && places.length === followed.length && places.length > 0 ? places : undefined
}

/**
 * A locked-off camera that trembles: the move that a flat track makes in the picture since `frame`, put into the camera as a shifted centre, a roll and a change of focal length.
 * Frames at which the track is not seen take the nearest one's.
 */
export function shakenPath(
  base: Camera,
  plate: Pick<ShotDocument['plate'], 'first' | 'last'>,
  frame: number,
  model: 'place' | 'turn',
  followed: readonly Track[],
): CameraPath {
  const home = manualPlaces(followed, frame - plate.first)
  const count = plate.last - plate.first + 1
  const cameras: (Camera | undefined)[] = Array.from({ length: count }, (_, n) => {
    const there = manualPlaces(followed, n)
    const motion =
      home.length > 0 && there.length === home.length
        ? fitPlane(home.length < 2 ? 'place' : model, home, there)
        : undefined
    if (!motion) return undefined
    const size = Math.sqrt(motion[0] * motion[0] + motion[3] * motion[3])
    // Turned clockwise as seen in the picture: the camera rolled the other way.
    const angle = atan2(motion[3], motion[0])
    return {
      ...base,
      focalPx: base.focalPx * size,
      centre: throughHomography(motion, base.centre[0], base.centre[1]),
      rotation: unit(multiply(base.rotation, aboutAxis([0, 0, 1], angle))),
    }
  })
  const nearest = (n: number): Camera => {
    for (let d = 0; d < count; d++)
      for (const k of [n - d, n + d]) {
        const one = cameras[k]
        if (one) return one
      }
    return base
  }
  return { frames: cameras.map((_, n) => ({ frame: plate.first + n, camera: nearest(n) })) }
}
