import { type Crew, LanternError, type Progress, silent, stopIfCancelled } from '../base/index.ts'
import type { Picture } from '../data/index.ts'
import { assemble } from './assemble.ts'
import { intoGas } from './gasBlock.ts'
import type { LaidGas } from './gases.ts'
import { type LaidLamp, lampsInGas, uploadLamps } from './lamps.ts'
import { type FrameScene, MOST_LAYERS } from './passes.ts'
import { type LaidScene, layScene } from './scene.ts'
import { lightSet } from './setLight.ts'
import { smoothSky } from './smooth.ts'
import { renderTiles, TILE } from './tiles.ts'

/** Lights the smoke of every gas by all lamps, sun and sky. */
function lightGases(
  crew: Crew,
  { light, quality }: FrameScene,
  gases: readonly LaidGas[],
  all: readonly LaidLamp[],
  progress: Progress,
): void {
  const mark = crew.heap.mark()
  const sun = crew.heap.alloc(12)
  gases.forEach(({ gas, place, blocks }, n) => {
    stopIfCancelled(progress)
    const lamps = uploadLamps(crew, lampsInGas(place, all))
    crew.heap.f32(sun, 3).set(intoGas(place, light.sunDirection))
    const orders = quality.orders
    for (const { block, coarse } of blocks)
      crew.run('lightGrid', { gas: block, lamps, count: all.length, sun, albedo: gas.albedo, orders }, coarse[2] + 2)
    progress.report(0.1 + (0.15 * (n + 1)) / gases.length, 'light in the gas')
  })
  crew.heap.release(mark)
}

/** The picture of a laid frame: what is not sampled is worked out afterwards. */
function render(crew: Crew, frame: FrameScene, laid: LaidScene, progress: Progress): Picture {
  const { width, height } = frame.camera
  const mark = crew.heap.mark()
  const tiles = renderTiles(crew, frame, laid, progress, (share) => progress.report(0.25 + 0.6 * share, 'picture'))
  crew.heap.release(mark)
  return assemble(
    frame.layers.map(({ id }) => id),
    tiles,
    width,
    height,
  )
}

/**
 * Renders one frame: layers that hide one another, held by the set, with their light and shadow on it.
 * The heap is left as it was found. Throws LanternError 'layers' where there are too many, Cancelled.
 */
export function renderPicture(crew: Crew, frame: FrameScene, progress: Progress = silent): Picture {
  if (frame.layers.length > MOST_LAYERS)
    throw new LanternError(
      'layers',
      `This picture has ${frame.layers.length} layers; ${MOST_LAYERS} is the most.`,
      'Put items that belong together into one group.',
    )
  const mark = crew.heap.mark()
  try {
    const laid = layScene(crew, frame)
    lightGases(crew, frame, laid.gases, laid.lamps, progress)
    const picture = render(crew, frame, laid, progress)
    stopIfCancelled(progress)
    if (laid.solids > 0) smoothSky(crew, picture, frame.quality.few)
    lightSet(crew, frame, laid, picture)
    progress.report(1, 'done')
    return picture
  } finally {
    crew.heap.release(mark)
  }
}

/** What is worked out after the tiles, as a share of their time. */
const AFTER = 1.08

/** Seconds that a frame takes by one tile in sixteen of it. now: a clock, s. Throws LanternError, Cancelled as renderPicture. */
export function estimatePicture(crew: Crew, frame: FrameScene, now: () => number, progress: Progress = silent): number {
  const mark = crew.heap.mark()
  try {
    const begun = now()
    const laid = layScene(crew, frame)
    lightGases(crew, frame, laid.gases, laid.lamps, progress)
    const lit = now()
    const tried = renderTiles(crew, { ...frame, trial: true }, laid, progress, () => undefined)
    const { width, height } = frame.camera
    const all = Math.ceil(width / TILE) * Math.ceil(height / TILE)
    return lit - begun + ((now() - lit) * AFTER * all) / Math.max(1, tried.length)
  } finally {
    crew.heap.release(mark)
  }
}
