import type { Crew } from '../../core/src/base/index.ts'
import { distort, straighten } from '../../core/src/data/index.ts'
import { followPlate, solveCamera } from '../../core/src/match/index.ts'
import type { Vec3 } from '../../core/src/math/index.ts'
import { patternPlate, trackErrors } from '../../core/testing/pattern.ts'
import { againstTruth, lensOf, syntheticTracks, walk, yardPoints } from '../../core/testing/tracks.ts'
import { atMost, type Row, within } from './row.ts'

const GRAIN = 0.025
const FRAMES = 60
const FOCAL = 1097
const [K1, K2] = [-0.052, 0.009]

async function followRows(crew: Crew): Promise<Row[]> {
  const rows: Row[] = []
  for (const [name, grain, limit] of [
    ['clean', 0, 0.05],
    ['with grain', GRAIN, 0.15],
  ] as const) {
    const off = trackErrors(await followPlate(crew, patternPlate(12, grain), { count: 60, even: true }))
    rows.push(
      atMost(
        `features and tracks, ${name}: median error, px`,
        'exact motion of a pattern known at every place',
        limit,
        off[off.length >> 1] ?? Number.NaN,
      ),
    )
  }
  return rows
}

async function solveRows(crew: Crew): Promise<Row[]> {
  const plate = { frames: FRAMES, camera: walk(FRAMES, 1.6, lensOf(FOCAL, K1, K2)), points: yardPoints(450, 3) }
  const tracks = syntheticTracks(plate, { noise: 0.08, wrong: 0.08, longest: FRAMES }, 5)
  const solve = await solveCamera({ tracks, frames: FRAMES, width: 1280, height: 720, known: {}, seed: 1, crew })
  const { slide } = againstTruth(
    solve.structure,
    plate.camera,
    tracks.map((track) => plate.points[track.id] as Vec3),
  )
  const reference = 'exact tracks of a stated camera, noise of 0.08 px, 8 % drifting'
  return [
    atMost('camera solve: median reprojection, px', reference, 0.35, solve.medianPx),
    within('camera solve: focal length, px', reference, FOCAL, solve.structure.lens[0] as number, 0.01),
    atMost('camera solve: k1, off by', reference, 0.01, Math.abs((solve.structure.lens[1] as number) - K1)),
    atMost('camera solve: slide, 95th percentile, px', reference, 0.5, slide),
  ]
}

/** Largest distance after straightening and bending back, over a grid of a 1280 x 720 frame, px. */
function lensRow(): Row {
  let most = 0
  for (const lens of [
    { k1: K1, k2: K2 },
    { k1: -0.15, k2: 0.03 },
    { k1: 0.08, k2: 0 },
  ])
    for (let y = 0; y <= 720; y += 20)
      for (let x = 0; x <= 1280; x += 20) {
        const [u, v] = [(x - 640) / 777, (y - 360) / 777]
        const [a, b] = distort(lens, ...straighten(lens, u, v))
        most = Math.max(most, 777 * Math.hypot(a - u, b - v))
      }
  return atMost('lens: straightened and bent back, largest error, px', 'itself', 0.05, most)
}

/** Following, solving and the lens, held against exact motion. */
export const matchRows = async (crew: Crew): Promise<Row[]> => [
  lensRow(),
  ...(await followRows(crew)),
  ...(await solveRows(crew)),
]
