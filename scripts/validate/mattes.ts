import sharp from 'sharp'
import type { Crew } from '../../core/src/base/index.ts'
import { motionAt, projectPoint } from '../../core/src/data/index.ts'
import { Carrying, type HelpedPlate, labPicture, squaredDistance } from '../../core/src/mattes/index.ts'
import { denseMotion, type MotionPicture, motionPicture } from '../../core/src/motion/index.ts'
import { backlitRows } from './backlit.ts'
import { betweenRows } from './between.ts'
import { exactLandmarks } from './landmarks.ts'
import { movieFrames } from './plates.ts'
import { atLeast, atMost, type Row } from './row.ts'
import { correction, type Figure, keyStrokes } from './strokeHand.ts'

// Helped mattes of the demo's worker and dense motion, against the figure and the points that the plate was drawn from.

const [W, H] = [1280, 720]
const FIRST = 1001
const MASKS_FROM = 1034
const [FROM, TO] = [1040, 1080]
const CONTEXT = 18
const KEYED = [1040, 1060, 1080]
const CORRECTIONS = 5
const SEEDS = [1, 2, 3, 4, 5]
const BEYOND = 4

const median = (values: readonly number[]): number => [...values].sort((a, b) => a - b)[values.length >> 1] ?? 0
const mean = (values: readonly number[]): number => values.reduce((sum, v) => sum + v, 0) / Math.max(1, values.length)

/** Coverage of the worker by frame, 0 to 1. */
export async function workerCover(): Promise<Map<number, Float32Array>> {
  const { data } = await sharp('demo/exact/yard-walk-worker.png', { limitInputPixels: false })
    .extractChannel(0)
    .raw()
    .toBuffer({ resolveWithObject: true })
  const cover = new Map<number, Float32Array>()
  for (let frame = FROM; frame <= TO; frame++) {
    const at = (frame - MASKS_FROM) * W * H
    cover.set(
      frame,
      Float32Array.from(data.subarray(at, at + W * H), (code) => code / 255),
    )
  }
  return cover
}
export const figureOf = (cover: Float32Array): Figure => ({
  width: W,
  height: H,
  inside: Uint8Array.from(cover, (value) => (value > 0.5 ? 1 : 0)),
})

/** The demo's walk as a matte reads it; motion that was found is held. */
export function walkPlate(crew: Crew): HelpedPlate {
  const movie = movieFrames('demo/plates/yard-walk.mp4')
  const light = async (frame: number): Promise<Float32Array> => movie.frame(frame - FIRST)
  const pictures = new Map<number, MotionPicture>()
  const motions = new Map<number, ReturnType<typeof denseMotion>>()
  const picture = async (frame: number): Promise<MotionPicture> => {
    const known = pictures.get(frame) ?? motionPicture(crew, await light(frame), W, H)
    pictures.set(frame, known)
    return known
  }
  return {
    width: W,
    height: H,
    first: FROM - CONTEXT,
    last: TO + CONTEXT,
    lab: async (frame) => labPicture(crew, await light(frame), W, H),
    async motion(frame) {
      const known = motions.get(frame) ?? denseMotion(crew, await picture(frame), await picture(frame + 1))
      motions.set(frame, known)
      return known
    },
  }
}

interface Score {
  iou: number
  /** Share of its area that is wrong further than 4 px from the true rim. */
  far: number
}
function scoreOf({ inside }: Figure, labels: Uint8Array): Score {
  const distances = [inside, inside.map((one) => 1 - one)].map((mask) => squaredDistance(mask, W, H))
  let [both, either, area, far] = [0, 0, 0, 0]
  for (let n = 0; n < inside.length; n++) {
    const [a, b] = [inside[n] === 1, labels[n] === 1]
    if (a && b) both++
    if (a || b) either++
    if (a) area++
    if (a !== b && Math.max(distances[0]?.[n] ?? 0, distances[1]?.[n] ?? 0) > BEYOND ** 2) far++
  }
  return { iou: either > 0 ? both / either : 1, far: far / Math.max(1, area) }
}

/** The mean error of alpha where the true one is neither 0 nor 1, and beside. */
async function alphaError(
  carrying: Carrying,
  cover: ReadonlyMap<number, Float32Array>,
  frame: number,
): Promise<number> {
  const truth = cover.get(frame) as Float32Array
  const found = await carrying.alpha(frame)
  const whole = new Float32Array(W * H)
  if (found) {
    const { box } = found.part
    const w = box.x1 - box.x0
    for (let y = box.y0; y < box.y1; y++)
      whole.set(found.alpha.subarray((y - box.y0) * w, (y - box.y0 + 1) * w), y * W + box.x0)
  }
  const part = (n: number): boolean => (truth[n] ?? 0) > 0.01 && (truth[n] ?? 0) < 0.99
  let [sum, count] = [0, 0]
  for (let y = 1; y < H - 1; y++)
    for (let x = 1; x < W - 1; x++) {
      const n = y * W + x
      let near = false
      for (let b = -W; b <= W && !near; b += W) for (let a = -1; a <= 1; a++) near ||= part(n + a + b)
      if (!near) continue
      sum += Math.abs((whole[n] ?? 0) - (truth[n] ?? 0))
      count++
    }
  return sum / Math.max(1, count)
}

interface Run {
  iou: number
  far: number
  alpha: number
  spoiled: number
  moved: number
  seconds: number
  corrections: number
}

async function oneRun(
  crew: Crew,
  plate: HelpedPlate,
  cover: ReadonlyMap<number, Float32Array>,
  seed: number,
): Promise<Run> {
  const figures = new Map([...cover].map(([frame, own]) => [frame, figureOf(own)] as const))
  const strokes = KEYED.flatMap((frame) => keyStrokes(figures.get(frame) as Figure, frame, seed))
  const carrying = new Carrying(crew, { plate, strokes, scale: 1, from: FROM, to: TO })
  const begun = performance.now()
  await carrying.all(() => undefined)
  const seconds = (performance.now() - begun) / 1000
  let [mended, spoiled, moved, corrections] = [0, 0, 0, 0]
  for (; corrections < CORRECTIONS; corrections++) {
    const stroke = correction(figures, carrying.labels, seed + corrections)
    if (!stroke) break
    const before = new Map(carrying.labels)
    const touched = new Set(await carrying.correct(stroke.frame, [stroke], () => undefined))
    for (const [frame, { inside }] of figures) {
      const [old, now] = [before.get(frame), carrying.labels.get(frame)]
      for (let n = 0; n < inside.length; n++) {
        if (!old || !now || old[n] === now[n]) continue
        if (!touched.has(frame)) moved++
        if (now[n] === inside[n]) mended++
        else spoiled++
      }
    }
  }
  const scores = [...figures].map(([frame, own]) => scoreOf(own, carrying.labels.get(frame) as Uint8Array))
  const errors: number[] = []
  for (let frame = FROM; frame <= TO; frame += 8) errors.push(await alphaError(carrying, cover, frame))
  return {
    iou: median(scores.map(({ iou }) => iou)),
    far: mean(scores.map(({ far }) => far)),
    alpha: mean(errors),
    spoiled: spoiled / Math.max(1, mended),
    moved,
    seconds: seconds / (TO - FROM + 1),
    corrections,
  }
}

/** How far exact points of the scene are from where the dense motion brings them, px: median and 90 % over frames. */
async function motionErrors(plate: HelpedPlate): Promise<{ median: number; most: number }> {
  const { points, cameras } = exactLandmarks('yard-walk')
  const errors: number[] = []
  const at = { u: 0, v: 0 }
  for (let frame = FROM; frame < FROM + 12; frame++) {
    const { to } = await plate.motion(frame)
    const [a, b] = [cameras[frame - FIRST], cameras[frame + 1 - FIRST]]
    if (!a || !b) continue
    for (const point of points) {
      const [p, q] = [projectPoint(a, point), projectPoint(b, point)]
      if (!p || !q || p.x < 10 || p.y < 10 || p.x > W - 10 || p.y > H - 10) continue
      motionAt(to, p.x, p.y, at)
      errors.push(Math.hypot(p.x + at.u - q.x, p.y + at.v - q.y))
    }
  }
  errors.sort((a, b) => a - b)
  return { median: median(errors), most: errors[Math.floor(0.9 * errors.length)] ?? 0 }
}

/** Rows of validation. Takes two to three minutes a seed. */
export async function matteRows(crew: Crew): Promise<Row[]> {
  const plate = walkPlate(crew)
  const cover = await workerCover()
  const motion = await motionErrors(plate)
  const reference = 'the figure that the plate was drawn from, at eight moments of the open shutter'
  const runs: Run[] = []
  for (const seed of SEEDS) {
    const run = await oneRun(crew, plate, cover, seed)
    console.log(`  seed ${seed}: ${JSON.stringify(run)}`)
    runs.push(run)
  }
  const what = 'helped matte of the worker, 41 frames, three stroked, at most five corrections'
  const of = (key: keyof Run): number[] => runs.map((run) => run[key])
  return [
    ...betweenRows(crew),
    ...backlitRows(crew),
    atMost('dense motion: landmarks, median, px', 'exact cameras and points', 0.09, motion.median),
    atMost('dense motion: landmarks, 90 %, px', 'exact cameras and points', 0.3, motion.most),
    atLeast(`${what}: overlap, median of frames, least of five hands`, reference, 0.85, Math.min(...of('iou'))),
    atMost(`${what}: share wrong beyond 4 px, mean of five hands`, reference, 0.02, mean(of('far'))),
    atMost(`${what}: alpha error in the band, mean of five hands`, reference, 0.16, mean(of('alpha'))),
    atMost(`${what}: spoiled of what corrections mend`, reference, 0.1, mean(of('spoiled'))),
    atMost(`${what}: pixels changed beyond the next keyed frames`, 'bit for bit', 0, Math.max(...of('moved'))),
  ]
}
