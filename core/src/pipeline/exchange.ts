import type { Camera, MatchScene, Solve, Track } from '../data/index.ts'
import { aboutAxis, add, radians, rotate, type Vec3 } from '../math/index.ts'
import type { Proof, ShotDocument } from '../shot/index.ts'
import { MANUAL_TRACK_NUMBERS, manualTrackNumber } from './manualTracks.ts'
import { farPlace, groundedPlace, shotPoint } from './match.ts'

const SIDES = 24
/** Breadth and depth of the box that stands for an upright figure, m. */
const FIGURE: Vec3 = [0.5, 1.8, 0.3]

/** A test object as triangles, in the shot's world: a cone, a flat tile, a box as large as a person, or an upright card as large as its words. */
export function proofMesh(
  { shape, size, turn }: Pick<Proof, 'shape' | 'size' | 'turn'>,
  foot: Vec3,
): { positions: Vec3[]; triangles: [number, number, number][] } {
  const about = aboutAxis([0, 1, 0], radians(turn))
  const at = (x: number, y: number, z: number): Vec3 => add(foot, rotate(about, [x, y, z]))
  if (shape === 'cone') {
    const ring = Array.from({ length: SIDES }, (_, n) =>
      rotate(aboutAxis([0, 1, 0], (2 * Math.PI * n) / SIDES), [0.4 * size, 0, 0]),
    )
    return {
      positions: [at(0, size, 0), at(0, 0, 0), ...ring.map(([x, y, z]) => at(x, y, z))],
      triangles: ring.flatMap((_, n): [number, number, number][] => [
        [0, 2 + n, 2 + ((n + 1) % SIDES)],
        [1, 2 + ((n + 1) % SIDES), 2 + n],
      ]),
    }
  }
  const h = size / 2
  if (shape === 'chequer')
    return {
      positions: [at(-h, 0, -h), at(-h, 0, h), at(h, 0, h), at(h, 0, -h)],
      triangles: [
        [0, 1, 2],
        [0, 2, 3],
      ],
    }
  if (shape === 'text')
    return {
      positions: [at(-h, 0, 0), at(h, 0, 0), at(h, size, 0), at(-h, size, 0)],
      triangles: [
        [0, 1, 2],
        [0, 2, 3],
      ],
    }
  const [w, height, d] = [FIGURE[0] / 2, FIGURE[1], FIGURE[2] / 2]
  const positions = [0, height].flatMap((y) => [at(-w, y, d), at(w, y, d), at(w, y, -d), at(-w, y, -d)])
  const sides = [0, 1, 2, 3].flatMap((n): [number, number, number][] => {
    const m = (n + 1) % 4
    return [
      [n, m, m + 4],
      [n, m + 4, n + 4],
    ]
  })
  return { positions, triangles: [...sides, [4, 5, 6], [4, 6, 7], [0, 2, 1], [0, 3, 2]] }
}

/**
 * A shot's match as it goes out. cameras: in the shot's world; solve and tracks: those that the camera was solved from, where it was; chosen: points and tracks of these numbers alone.
 * Test objects stand where the solve puts them, far ones as seen from the first camera; those whose place nothing was solved near are left out.
 */
export function matchScene(
  document: ShotDocument,
  cameras: readonly { frame: number; camera: Camera }[],
  solve: Solve | undefined,
  tracks: readonly Track[],
  chosen?: ReadonlySet<number>,
): MatchScene {
  const { plate, match, camera, name } = document
  const by = camera.solve?.by
  const wanted = (id: number): boolean => !chosen || chosen.has(id)
  const hands = new Map(Object.entries(match.hands).map(([id, hand]) => [manualTrackNumber(id), hand.name]))
  const objects = Object.values(match.proofs).flatMap((proof) => {
    if (proof.far) {
      const seen = cameras.find(({ frame }) => frame === proof.at.frame)?.camera
      const foot = seen && farPlace(seen, proof)
      const from = cameras[0]?.camera.position
      return foot && from ? [{ name: proof.name, ...proofMesh(proof, add(from, foot)) }] : []
    }
    if (!solve || !by) return []
    try {
      return [{ name: proof.name, ...proofMesh(proof, shotPoint(by, groundedPlace(solve, tracks, proof.at, by))) }]
    } catch {
      return []
    }
  })
  return {
    name,
    rate: plate.rate[0] / plate.rate[1],
    first: plate.first,
    cameras: [...cameras],
    points:
      solve && by && solve.kind === 'moving'
        ? solve.points
            .filter(({ track }) => wanted(track))
            .map(({ track, at, px }) => ({ track, at: shotPoint(by, at), px }))
        : [],
    tracks: tracks
      .filter(({ id }) => wanted(id))
      .map((track) => ({
        track,
        name: track.id >= MANUAL_TRACK_NUMBERS ? (hands.get(track.id) ?? String(track.id)) : String(track.id),
      })),
    objects,
  }
}
