import type { Crew } from '../../core/src/base/index.ts'
import type { Camera, GasFrame } from '../../core/src/data/index.ts'
import { GAS_PRESETS, gasSettings } from '../../core/src/effects/gas/index.ts'
import { GasSimulation } from '../../core/src/gas/index.ts'
import { type FlatPicture, flatten } from '../../core/src/picture/index.ts'
import { instancesAt, renderPicture } from '../../core/src/pipeline/index.ts'
import { makeItem, makeShot, type ShotDocument } from '../../core/src/shot/index.ts'
import { atMost, type Row } from './row.ts'

// The noise of a final against grain of a plate's kind: the same picture with so many moments that none is left says what is noise.
const FRAMES = 40
const MANY = 64
const PLATE = 0.08
/** Variance of the grain: at nothing, and a brightness. */
const [FLOOR, SLOPE] = [4e-6, 1.5e-4]
/** What covers less than this is no gas. */
const LEAST_COVER = 0.01

function shotOf(kind: string): ShotDocument {
  const document = makeShot('noise', {
    asset: 'none',
    file: 'none',
    width: 320,
    height: 320,
    first: 1,
    last: 48,
    rate: [24, 1],
    encoding: 'srgb',
  })
  document.items.ground = makeItem('ground', { name: 'Ground', order: 1 })
  const chosen = GAS_PRESETS.find(({ id }) => id === kind)
  if (!chosen) throw new Error(`no kind is called ${kind}`)
  const { items } = chosen.place(document, 'gas', { position: [0, 0, 0], frame: 1 }) as {
    items: ShotDocument['items']
  }
  Object.assign(document.items, items)
  return document
}

/** The root of the mean square of what is noise over the grain's own deviation, where the gas covers anything and the camera does not clip. */
function noiseOf(crew: Crew, kind: string, camera: Camera): number {
  const document = shotOf(kind)
  const simulation = new GasSimulation(crew, gasSettings(document, 'gas', 'full'), 24)
  for (let n = 0; n < FRAMES; n++) simulation.advance()
  const frame: GasFrame = simulation.keep()
  const at = { frame: 1, camera, before: camera, after: camera, instances: instancesAt(document, 1) }
  const [made, clean] = [{}, { marches: MANY, mostMarches: MANY }].map((changed) =>
    flatten(
      renderPicture(crew, document, at, () => frame, 'final', { changed }),
      document.light.sunShare,
    ),
  ) as [FlatPicture, FlatPicture]
  const value = ({ smoke, fire, smokeLight }: FlatPicture, n: number, c: number): number =>
    (smoke.data[n * 4 + c] ?? 0) +
    (smokeLight.data[n * 3 + c] ?? 0) +
    (fire.data[n * 3 + c] ?? 0) +
    PLATE * (1 - (smoke.data[n * 4 + 3] ?? 0))
  let [sum, count] = [0, 0]
  for (let n = 0; n < camera.width * camera.height; n++)
    for (let c = 0; c < 3; c++) {
      const light = value(clean, n, c)
      const covered =
        (clean.smoke.data[n * 4 + 3] ?? 0) > LEAST_COVER || (clean.fire.data[n * 3 + c] ?? 0) > LEAST_COVER
      if (!covered || light > 1) continue
      sum += (value(made, n, c) - light) ** 2 / (FLOOR + SLOPE * light)
      count++
    }
  return Math.sqrt(sum / count)
}

/** A fire and a plume from 6 m, as many pixels a metre as a frame of 1280 pixels has there. */
export function noiseRows(crew: Crew): Row[] {
  const camera: Camera = {
    position: [0, 1.2, 6],
    rotation: [0, 0, 0, 1],
    focalPx: 1100,
    centre: [160, 160],
    k1: 0,
    k2: 0,
    width: 320,
    height: 320,
  }
  const reference = `the same with ${MANY} moments; grain of ${Math.sqrt(FLOOR + SLOPE * PLATE).toPrecision(2)} at ${PLATE}`
  return ['drum', 'smoulder'].map((kind) =>
    atMost(
      `final picture, ${GAS_PRESETS.find(({ id }) => id === kind)?.name.toLowerCase() ?? kind}: its noise over the plate’s grain`,
      reference,
      1,
      noiseOf(crew, kind, camera),
    ),
  )
}
