import { readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { gasSettings } from '@lantern/core/effects/gas'
import type { Crew } from '../../core/src/base/index.ts'
import { type GasFrame, makeImage } from '../../core/src/data/index.ts'
import { readCameraGltf, readGasFrame, writeGasFrame } from '../../core/src/formats/index.ts'
import { frameWhirls, GasSimulation } from '../../core/src/gas/index.ts'
import { flatten, uploadGasFrame } from '../../core/src/picture/index.ts'
import {
  composeFrame,
  type PictureQualityName,
  pictureFrame,
  renderPicture,
  stackSettings,
} from '../../core/src/pipeline/index.ts'
import { makeShot, mergePatch, parseShot, type ShotDocument } from '../../core/src/shot/index.ts'
import { type Bench, timed } from './bench.ts'

const BURNING_FRAMES = 30

/** The demo shot's document over its plate, without a store. */
export function demoShot(): ShotDocument {
  const { patch } = JSON.parse(readFileSync('demo/shots/kiln-yard.json', 'utf8')) as { patch: object }
  return parseShot(
    mergePatch(
      makeShot('bench', {
        asset: 'none',
        file: 'none',
        width: 1280,
        height: 720,
        first: 1001,
        last: 1120,
        rate: [24, 1],
        encoding: 'srgb',
      }),
      patch,
    ),
  )
}
const FIRE = 'door-fire'
const FRAME = 1061
const atFrame = (document: ShotDocument) => {
  const path = readCameraGltf(readFileSync('demo/exact/yard-walk-camera.gltf'), 'yard-walk-camera.gltf', {
    ...document.plate,
    rate: 24,
  })
  const only = {
    ...document,
    items: Object.fromEntries(
      Object.entries(document.items).filter(
        ([id, item]) => id === FIRE || item.kind === 'box' || item.kind === 'ground',
      ),
    ),
  }
  return { document: only, at: pictureFrame(only, (frame) => path.frames[frame - document.plate.first]?.camera, FRAME) }
}

/** Frames that a final's fine whirls come through. */
const TRAIL = 8

/** Burns the demo's fire for a good second and leaves its last frames in the folder for the benchmarks' processes. */
export function prepareFire(crew: Crew, folder: string): void {
  const document = demoShot()
  const simulation = new GasSimulation(crew, gasSettings(document, FIRE, 'full'), 24)
  for (let n = 0; n < BURNING_FRAMES; n++) {
    simulation.advance()
    const ago = BURNING_FRAMES - 1 - n
    if (ago <= TRAIL) writeFileSync(join(folder, `fire-${ago}.clgf`), writeGasFrame(simulation.keep()))
  }
}
/** The last frame, or one so many frames before it. */
const fireIn = (folder: string, ago = 0): GasFrame =>
  readGasFrame(new Uint8Array(readFileSync(join(folder, `fire-${ago}.clgf`))))

const picture = (quality: PictureQualityName, runs: number): Bench => ({
  name: `picture/fire-1280x720-${quality}`,
  size: '1280x720',
  runs,
  threads: [1, 2],
  run(crew, folder) {
    const { document, at } = atFrame(demoShot())
    const frame = fireIn(folder)
    const ms = timed(1, () => void renderPicture(crew, document, at, () => frame, quality))
    return { ms, figures: { cells: frame.box.size.reduce((a, b) => a * b, 1) } }
  },
})

/** The same fire seen from so near that it and its smoke fill half of the frame; the camera moves, so that a final has its blur. */
const near = (quality: PictureQualityName, runs: number, threads: readonly number[]): Bench => ({
  name: `picture/gas-1280x720-${quality}`,
  size: '1280x720',
  runs,
  threads,
  run(crew, folder) {
    const { document, at } = atFrame(demoShot())
    const frame = fireIn(folder)
    const camera = (n: number) => ({
      ...at.camera,
      position: [2.35 + 0.02 * n, 1.2, 2.5] as const,
      rotation: [0, 0, 0, 1] as const,
      focalPx: 1000,
    })
    const close = { ...at, camera: camera(0), before: camera(-1), after: camera(1) }
    let covered = 0
    const once = (): void => {
      const { smoke, fire } = flatten(
        renderPicture(crew, document, close, () => frame, quality),
        0,
      )
      let count = 0
      for (let n = 0; n < fire.width * fire.height; n++)
        if ((smoke.data[n * 4 + 3] ?? 0) > 0.01 || (fire.data[n * 3] ?? 0) > 0.01) count++
      covered = count / (fire.width * fire.height)
    }
    const begun = performance.now()
    // A final takes a minute: nothing of that is warming up.
    if (quality === 'final') once()
    const ms = quality === 'final' ? performance.now() - begun : timed(1, once)
    return { ms, figures: { cells: frame.box.size.reduce((a, b) => a * b, 1), covered } }
  },
})

/** The whirls between the cells of the demo's fire, and its fields twice as fine: what a final adds to a frame for them. */
const detail: Bench = {
  name: 'picture/flames-detail',
  size: '2x',
  runs: 5,
  threads: [1, 2],
  run(crew, folder) {
    const frames = Array.from({ length: TRAIL + 1 }, (_, n) => fireIn(folder, TRAIL - n))
    const frame = frames.at(-1) as GasFrame
    const once = (): void => {
      const mark = crew.heap.mark()
      const whirls = frameWhirls(crew, frames, { factor: 2, amount: 1, seed: 1 }, 1 / 24, FRAME)
      uploadGasFrame(crew, frame, { extinctionPerSoot: 8700, moves: true, burns: true, whirls, lightCells: 2 })
      crew.heap.release(mark)
    }
    return { ms: timed(2, once), figures: { cells: frame.box.size.reduce((a, b) => a * b, 1) } }
  },
}

/** The fire alone, filling the picture. */
const flames = (quality: PictureQualityName, runs: number): Bench => ({
  name: `picture/flames-640x360-${quality}`,
  size: '640x360',
  runs,
  threads: [1, 2],
  run(crew, folder) {
    const { document, at } = atFrame(demoShot())
    const frames = Array.from({ length: TRAIL + 1 }, (_, ago) => fireIn(folder, ago))
    const camera = {
      ...at.camera,
      ...{ position: [2.1, 1.1, 6.4] as const, rotation: [0, 0, 0, 1] as const, centre: [320, 180] as const },
      ...{ focalPx: 760, width: 640, height: 360 },
    }
    const close = { ...at, camera, before: undefined, after: undefined }
    const once = (): void => void renderPicture(crew, document, close, (_, n) => frames[FRAME - n], quality)
    return { ms: timed(1, once), figures: { cells: (frames[0] as GasFrame).box.size.reduce((a, b) => a * b, 1) } }
  },
})

const stack: Bench = {
  name: 'sit/stack-1280x720',
  size: '1280x720',
  runs: 5,
  threads: [1, 2],
  run(crew, folder) {
    const { document, at } = atFrame(demoShot())
    const frame = fireIn(folder)
    const passes = renderPicture(crew, document, at, () => frame, 'final')
    const plate = makeImage(1280, 720, 3)
    for (let n = 0; n < plate.data.length; n++) plate.data[n] = ((n * 37) % 101) / 200
    const settings = stackSettings(document, {
      floor: [1e-5, 1e-5, 1e-5],
      slope: [1e-4, 1e-4, 1e-4],
      spread: 0.1,
    })
    return { ms: timed(5, () => void composeFrame(crew, plate, passes, settings, 1280, 1061)), figures: {} }
  },
}

export const pictureBenches: readonly Bench[] = [
  picture('look', 5),
  picture('final', 3),
  near('look', 3, [1, 2]),
  near('final', 1, [1, 2]),
  flames('look', 5),
  flames('final', 2),
  detail,
  stack,
]
