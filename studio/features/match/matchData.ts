import { LanternError } from '@lantern/core/base'
import {
  type Camera,
  placeAt,
  projectPoint,
  type Similarity,
  type Solve,
  solveCameraAt,
  type Track,
} from '@lantern/core/data'
import { readSolve, readTracks } from '@lantern/core/formats'
import type { Vec3 } from '@lantern/core/math'
import {
  allTracks,
  farPlace,
  groundedPlace,
  groundOf,
  shotPoint,
  slideOf,
  solvedPath,
  solvedPlace,
  withManualPoints,
} from '@lantern/core/pipeline'
import type { PicturePlace, Proof, ShotDocument } from '@lantern/core/shot'
import type { ShotStatus } from '@lantern/store'
import { useEffect } from 'react'
import { create } from 'zustand'
import { cameraNow, type ShotState, useShot } from '../shot/shotStore.ts'

// Kept tracks and solves in the browser, and what is shown of them: errors, the camera of a solve not yet taken, where things set on points stand.

interface MatchFiles {
  tracks: Readonly<Record<string, Track[]>>
  solves: Readonly<Record<string, Solve>>
}
export const useMatchFiles = create<MatchFiles>()(() => ({ tracks: {}, solves: {} }))

const asked = new Set<string>()

async function fetchFile(key: string, kind: keyof MatchFiles): Promise<void> {
  if (asked.has(key)) return
  asked.add(key)
  try {
    const answer = await fetch(`/api/results/${key}/0`)
    if (!answer.ok) throw new LanternError('no-result', 'The kept match can’t be read.', 'Ask for it again.')
    const bytes = new Uint8Array(await answer.arrayBuffer())
    if (kind === 'tracks') useMatchFiles.setState((old) => ({ tracks: { ...old.tracks, [key]: readTracks(bytes) } }))
    else useMatchFiles.setState((old) => ({ solves: { ...old.solves, [key]: readSolve(bytes) } }))
  } catch (error) {
    asked.delete(key)
    useShot.getState().say(error)
  }
}

/** Reads the tracks and solves that the shot names, as they come. */
export function useMatchFilesOf(document: ShotDocument | undefined, status: ShotStatus | undefined): void {
  const taken = document?.camera.solve
  const tracks = status?.match.tracks.state === 'done' ? status.match.tracks.key : ''
  const solve = status?.match.solve.state === 'done' ? status.match.solve.key : ''
  const hands = Object.values(status?.match.hands ?? {})
    .flatMap(({ key, state }) => (state === 'done' ? [key] : []))
    .join(' ')
  const things = Object.values(status?.match.things ?? {})
    .flatMap(({ solve: { key, state } }) => (state === 'done' ? [key] : []))
    .join(' ')
  useEffect(() => {
    for (const key of things.split(' ')) if (key) void fetchFile(key, 'solves')
  }, [things])
  useEffect(() => {
    for (const key of hands.split(' ')) if (key) void fetchFile(key, 'tracks')
  }, [hands])
  useEffect(() => {
    for (const key of [tracks, taken?.tracks]) if (key) void fetchFile(key, 'tracks')
    for (const key of [solve, taken?.key]) if (key) void fetchFile(key, 'solves')
  }, [tracks, solve, taken?.tracks, taken?.key])
}

/** What the Match station shows. */
export interface ShownMatch {
  tracksKey?: string
  /** Found ones as tidied, and those set by hand. */
  tracks: readonly Track[]
  /** What the tracks set by hand gave, by id: a track a place. */
  hands: Readonly<Record<string, readonly Track[]>>
  solve?: Solve
  solveKey?: string
  /** A solve that is not the shot's camera. */
  fresh: boolean
  by: Similarity
  ground?: { rms: number; left: number }
  /** Why what is said of the ground does not fit. */
  groundError?: LanternError
  /** In the shot's world, by frame counted from 0. */
  cameras: readonly Camera[]
  /** Of tracks with a point, in the solve's own world. */
  points: ReadonlyMap<number, Vec3>
  /** Median px a track, worst first, and by id. */
  worst: readonly { track: number; px: number }[]
}

const EMPTY: ShownMatch = {
  tracks: [],
  hands: {},
  fresh: false,
  by: { scale: 1, rotation: [0, 0, 0, 1], shift: [0, 0, 0] },
  cameras: [],
  points: new Map(),
  worst: [],
}
let last: { marks: readonly unknown[]; shown: ShownMatch } | undefined

/** The tracks and the solve to show: the new solve while it waits to be kept, else the shot's. */
export function shownMatch(
  { shot, status, oldSolve }: Pick<ShotState, 'shot' | 'status' | 'oldSolve'>,
  { tracks, solves }: MatchFiles,
): ShownMatch {
  if (!shot) return EMPTY
  const { camera, match } = shot.document
  const taken = camera.kind === 'solved' ? camera.solve : undefined
  const fresh =
    status?.match.solve.state === 'done' && status.match.solve.key !== taken?.key && !oldSolve
      ? status.match.solve.key
      : undefined
  const solveKey = fresh ?? taken?.key
  const tracksKey = fresh
    ? status?.match.tracks.key
    : (taken?.tracks ?? (status?.match.tracks.state === 'done' ? status.match.tracks.key : undefined))
  const ownSolve = solveKey ? solves[solveKey] : undefined
  const found = tracksKey ? tracks[tracksKey] : undefined
  const kept = Object.keys(match.hands).flatMap((id) => {
    const stage = status?.match.hands[id]
    const followed = stage ? tracks[stage.key] : undefined
    return followed ? [[id, followed] as const] : []
  })
  const marks = [
    ownSolve,
    found,
    match.ground,
    match.tidied,
    match.hands,
    kept.map(([id, followed]) => `${id}${followed[0]?.places.length}${followed[0]?.places[0]}`).join(' '),
    fresh,
    taken?.by,
  ]
  if (last && marks.every((mark, n) => mark === last?.marks[n])) return last.shown
  const list =
    found || kept.length > 0
      ? allTracks(shot.document, tracksKey ?? '', found ?? [], Object.fromEntries(kept))
      : undefined
  const solve = ownSolve && list ? withManualPoints(ownSolve, list) : ownSolve
  let placed: Pick<ShownMatch, 'by' | 'ground' | 'groundError'> = { by: taken?.by ?? EMPTY.by }
  if (solve && list) {
    try {
      placed = groundOf(match, solve, list)
    } catch (error) {
      if (!(error instanceof LanternError)) throw error
      placed = { ...placed, groundError: error }
    }
  }
  const shown: ShownMatch = {
    tracksKey,
    tracks: list ?? [],
    hands: Object.fromEntries(kept),
    solve,
    solveKey,
    fresh: fresh !== undefined,
    ...placed,
    cameras: solve ? solvedPath(solve, placed.by).frames.map((one) => one.camera) : [],
    points: new Map(solve?.points.map(({ track, at }) => [track, at])),
    worst: [...(solve?.points ?? [])].sort((a, b) => b.px - a.px).map(({ track, px }) => ({ track, px })),
  }
  last = { marks, shown }
  return shown
}

/** The shown match, in a component. */
export function useShownMatch(): ShownMatch {
  const state = useShot()
  const files = useMatchFiles()
  return shownMatch(state, files)
}

/** Px between a track and where its point lands, by frame counted from 0. */
export function trackErrors(shown: ShownMatch, id: number): Map<number, number> {
  const track = shown.tracks.find((one) => one.id === id)
  const at = shown.points.get(id)
  const errors = new Map<number, number>()
  if (!track || !at || !shown.solve) return errors
  for (let n = track.first; n < track.first + track.places.length / 2; n++) {
    const p = projectPoint(solveCameraAt(shown.solve, n), at)
    const seen = placeAt(track, n)
    if (p && seen) errors.set(n, Math.hypot(p.x - seen[0], p.y - seen[1]))
  }
  return errors
}

/** In the solve's own world; on its ground where one is given and lies there. */
const placed = (shown: ShownMatch, solve: Solve, place: PicturePlace): Vec3 =>
  shown.ground ? groundedPlace(solve, shown.tracks, place, shown.by) : solvedPlace(solve, shown.tracks, place)

/** Where a thing set on a place of the picture stands, in the shot's world; undefined where nothing is solved near it. */
export function standsAt(shown: ShownMatch, place: PicturePlace): Vec3 | undefined {
  if (!shown.solve) return undefined
  try {
    return shotPoint(shown.by, placed(shown, shown.solve, place))
  } catch {
    return undefined
  }
}

/** Where a far thing is, from the camera: its direction on the frame it was set on, times its distance. */
export function farStands(state: Pick<ShotState, 'shot' | 'cameras'>, proof: Proof): Vec3 | undefined {
  const camera = cameraNow(state, proof.at.frame)
  return camera && farPlace(camera, proof)
}

const slides = new WeakMap<ShownMatch, Map<string, number[]>>()

/** How far a test object slides, px by frame counted from 0. */
export function slideOfProof(shown: ShownMatch, proof: Proof): number[] {
  const { solve } = shown
  if (!solve || proof.far) return []
  let known = slides.get(shown)
  if (!known) slides.set(shown, (known = new Map()))
  const name = JSON.stringify(proof.at)
  const there = known.get(name)
  if (there) return there
  let slide: number[] = []
  try {
    slide = slideOf(
      placed(shown, solve, proof.at),
      proof.at.frame - solve.first,
      solve.cameras.length,
      (n) => (solve.cameras[n] ? solveCameraAt(solve, n) : undefined),
      shown.tracks,
      shown.points,
    )
  } catch {
    // Nothing solved near: no slide to tell.
  }
  known.set(name, slide)
  return slide
}
