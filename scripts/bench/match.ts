import { spawnSync } from 'node:child_process'
import type { Crew } from '../../core/src/base/index.ts'
import { followPlate, solveCamera } from '../../core/src/match/index.ts'
import { denseMotion, motionPicture } from '../../core/src/motion/index.ts'
import { lensOf, syntheticTracks, walk, yardPoints } from '../../core/testing/tracks.ts'
import { type Bench, timed } from './bench.ts'

const [W, H, FRAMES, FEATURES] = [1280, 720, 12, 300]

/** The first frames of the demo's walk as linear light. */
function walkFrames(): Float32Array[] {
  const { stdout } = spawnSync(
    'ffmpeg',
    [
      '-v',
      'error',
      '-i',
      'demo/plates/yard-walk.mp4',
      '-frames:v',
      String(FRAMES),
      '-f',
      'rawvideo',
      '-pix_fmt',
      'rgb24',
      '-',
    ],
    { maxBuffer: 1 << 28 },
  )
  const decode = Float32Array.from({ length: 256 }, (_, n) =>
    n / 255 <= 0.04045 ? n / 255 / 12.92 : ((n / 255 + 0.055) / 1.055) ** 2.4,
  )
  return Array.from({ length: FRAMES }, (_, n) =>
    Float32Array.from(stdout.subarray(n * W * H * 3, (n + 1) * W * H * 3), (code) => decode[code] as number),
  )
}

const track: Bench = {
  name: 'match/track-720p',
  size: `1280x720, ${FEATURES} features, forward and back`,
  runs: 3,
  threads: [1, 2],
  async run(crew: Crew) {
    const frames = walkFrames()
    const plate = { frames: FRAMES, width: W, height: H, frame: (n: number) => frames[n] as Float32Array }
    const once = async (): Promise<number> => {
      const begun = performance.now()
      await followPlate(crew, plate, { count: FEATURES, even: true })
      return performance.now() - begun
    }
    await once()
    const ms = await once()
    return { ms: ms / FRAMES, figures: { framesPerSecond: (1000 * FRAMES) / ms } }
  },
}

const solve: Bench = {
  name: 'match/solve-120x300',
  size: '120 frames, 300 tracks, nothing known',
  runs: 3,
  threads: [1, 2],
  async run(crew: Crew) {
    const plate = { frames: 120, camera: walk(120, 2.4, lensOf(1097, -0.052, 0.009)), points: yardPoints(360, 3) }
    const tracks = syntheticTracks(plate, { noise: 0.08, wrong: 0.08, longest: 120 }, 5).slice(0, 300)
    const begun = performance.now()
    const found = await solveCamera({ tracks, frames: 120, width: W, height: H, known: {}, seed: 1, crew })
    return { ms: performance.now() - begun, figures: { medianPx: found.medianPx, tracks: tracks.length } }
  },
}

const motion: Bench = {
  name: 'match/motion-720p',
  size: '1280x720, dense motion of a pair of frames, both ways',
  runs: 3,
  threads: [1, 2],
  run(crew: Crew) {
    const [first, second] = walkFrames()
      .slice(0, 2)
      .map((frame) => motionPicture(crew, frame, W, H))
    if (!first || !second) throw new Error('the walk has two frames')
    return { ms: timed(3, () => void denseMotion(crew, first, second)), figures: {} }
  },
}

export const matchBenches: readonly Bench[] = [track, solve, motion]
