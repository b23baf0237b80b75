import { type Crew, silent } from '../../core/src/base/index.ts'
import { type Camera, type GasFrame, planeMesh } from '../../core/src/data/index.ts'
import { GAS_PRESETS, type GasItem, gasSchema, gasSettings, resized } from '../../core/src/effects/gas/index.ts'
import { type GasFigures, GasSimulation } from '../../core/src/gas/index.ts'
import {
  blackBodyTable,
  type Emitter,
  GLOW_ENTRIES,
  GLOW_FROM,
  GLOW_STEP,
  gatherEmitters,
  glowTable,
} from '../../core/src/light/index.ts'
import { AT_REST, type Drawable, FINAL, type FlatPicture, flatten, renderFlat } from '../../core/src/picture/index.ts'
import { pictureFrame, renderPicture } from '../../core/src/pipeline/index.ts'
import { makeItem, makeShot, type ShotDocument } from '../../core/src/shot/index.ts'
import { AxisMeans, axisRows } from './fireAxis.ts'
import {
  alphaOf,
  brightLevel,
  fineStructure,
  foundAgain,
  type Grey,
  luminance,
  outlineDimension,
  structureAt,
} from './pictureMeasures.ts'
import { atLeast, between, type Row, within } from './row.ts'

// Whether fires and smoke pass for filmed: pictures of the presets at 640x360, measured; and the light that they throw.
const RATE = 24
const [WIDTH, HEIGHT] = [640, 360]
const PICTURES = 24
const EVERY = 6
/** Pictures that the next frame is looked at as well. */
const PAIRS = 6
/** Frames before a frame that its fine whirls come through. */
const TRAIL = 9
const ACROSS = 18
const BEGIN_SECONDS = 2.5
export const FIRES = [0.5, 1.2, 3] as const

const mean = (values: readonly number[]): number => values.reduce((sum, v) => sum + v, 0) / Math.max(1, values.length)

function shotOf(id: string, diameter: number, over: Partial<GasItem>): ShotDocument {
  const document = makeShot('filmed', {
    asset: 'none',
    file: 'none',
    width: WIDTH,
    height: HEIGHT,
    first: 1,
    last: 1000,
    rate: [RATE, 1],
    encoding: 'srgb',
  })
  document.camera.kind = 'typed'
  document.items.ground = makeItem('ground', { name: 'Ground', order: 1 })
  const preset = GAS_PRESETS.find((one) => one.id === id)?.settings
  const item = gasSchema.parse({ kind: 'gas', name: 'Fire', order: 2, ...preset })
  document.items.fire = makeItem('gas', { ...item, ...resized(item, diameter), position: [0, 0, 0], runUp: 0, ...over })
  return document
}

/** A camera that sees so many metres of height from the ground up, level. */
const cameraFor = (tall: number): Camera => {
  const far = 3 * tall
  return {
    position: [0, 0.5 * tall, far],
    rotation: [0, 0, 0, 1],
    focalPx: (HEIGHT * 0.86 * far) / tall,
    centre: [WIDTH / 2, HEIGHT / 2],
    k1: 0,
    k2: 0,
    width: WIDTH,
    height: HEIGHT,
  }
}

interface Shot {
  passes: FlatPicture
  frame: GasFrame
}

/** Runs a shot and calls for its pictures: every sixth frame, and the next after the first few of them. each: of every frame that counts. */
function photograph(
  crew: Crew,
  document: ShotDocument,
  camera: Camera,
  each: (simulation: GasSimulation, figures: GasFigures) => void,
): { pictures: Shot[]; next: (Shot | undefined)[] } {
  const simulation = new GasSimulation(crew, gasSettings(document, 'fire', 'full'), RATE)
  const begin = Math.ceil(BEGIN_SECONDS * RATE)
  const kept = new Map<number, GasFrame>()
  const [pictures, next]: [Shot[], (Shot | undefined)[]] = [[], []]
  const taken = (number: number): Shot => {
    const at = pictureFrame(document, () => camera, number)
    const frame = kept.get(number) as GasFrame
    const picture = renderPicture(crew, document, at, (_, n) => kept.get(n), 'final')
    return { passes: flatten(picture, document.light.sunShare), frame }
  }
  for (let number = 1; number <= begin + PICTURES * EVERY; number++) {
    const figures = simulation.advance(silent)
    kept.set(number, simulation.keep())
    kept.delete(number - TRAIL)
    if (number <= begin) continue
    each(simulation, figures)
    const n = number - begin
    if (n % EVERY === 0) pictures.push(taken(number))
    if (n % EVERY === 1 && n > 1 && next.length < PAIRS) next.push(taken(number))
  }
  return { pictures, next }
}

const WATTS = new Float32Array(GLOW_ENTRIES * 4).map(
  (_, n) => (5.670374e-8 * (GLOW_FROM + Math.floor(n / 4) * GLOW_STEP) ** 4) / Math.PI,
)
const ALBEDO = 0.3
/** Lamps of a frame by a table of what a black body gives. */
const lampsOf = (frame: GasFrame, bodies: Float32Array, most = 64): Emitter[] =>
  gatherEmitters(frame, glowTable(Math.PI, 1), ALBEDO, most, undefined, bodies)
const total = (lamps: readonly Emitter[], value: (rgb: Emitter['intensity']) => number): number =>
  lamps.reduce((sum, { intensity }) => sum + value(intensity), 0)
const bright = ([r, g, b]: Emitter['intensity']): number => 0.2126 * r + 0.7152 * g + 0.0722 * b

/** The light that a frame's fire gives where no smoke dims it, 1 lux making white. */
const burning = (frame: GasFrame): Drawable => ({
  kind: 'gas',
  frames: [{ frame, weight: 1, ahead: 0 }],
  emitters: lampsOf(frame, blackBodyTable(1)),
  glow: { from: GLOW_FROM, step: GLOW_STEP, table: glowTable(1, 1), bodies: blackBodyTable(1) },
  albedo: ALBEDO,
  forward: 0,
  extinctionPerSoot: 0,
})
const DARK = { sunDirection: [0, 1, 0], sunShare: 0, sunColour: [1, 1, 1], skyColour: [1, 1, 1] } as const
const PLAIN = { ...FINAL, step: 0.5, lightStride: 4, lightWork: 1e6, orders: 1, blurs: false }

function flameAlone(crew: Crew, frame: GasFrame, camera: Camera): FlatPicture {
  return renderFlat(crew, {
    pieces: [],
    camera,
    drawables: [burning(frame)],
    light: DARK,
    quality: PLAIN,
  })
}

/** Illuminance that a frame's fire throws on the middle of a wall, lux: rendered as the picture does. */
function wallLight(crew: Crew, frame: GasFrame, distance: number, height: number): number {
  const mark = crew.heap.mark()
  const camera: Camera = {
    position: [0.4, height, 0],
    rotation: [0, 0, 0, 1],
    focalPx: 400,
    centre: [8, 8],
    k1: 0,
    k2: 0,
    width: 16,
    height: 16,
  }
  const half = Math.SQRT1_2
  const mesh = planeMesh([0, height, -distance], 8, 8, [half, 0, 0, half])
  const passes = renderFlat(crew, {
    // A wall that stands behind the fire and faces it, and nothing else.
    pieces: [{ key: 'wall', mesh, opening: AT_REST, closing: AT_REST, holdsOut: true, receives: true }],
    camera: { ...camera, position: [0, height, -distance + 0.3] },
    drawables: [burning(frame)],
    light: DARK,
    quality: PLAIN,
  })
  crew.heap.release(mark)
  const middle = (8 * 16 + 8) * 3
  return bright([
    passes.light.data[middle] ?? 0,
    passes.light.data[middle + 1] ?? 0,
    passes.light.data[middle + 2] ?? 0,
  ])
}

/** By hand: so many lumens evenly along an upright line from the ground to a height, on a wall that faces it. */
function lineLight(lumens: number, tall: number, distance: number, height: number): number {
  const parts = 200
  let sum = 0
  for (let n = 0; n < parts; n++) {
    const dy = ((n + 0.5) / parts) * tall - height
    const r2 = distance ** 2 + dy ** 2
    sum += (lumens / (4 * Math.PI * parts) / r2) * (distance / Math.sqrt(r2))
  }
  return sum
}

/** The light's power and what reaches a wall, against the heat that the fire radiates. */
function lightRows(crew: Crew, name: string, pictures: readonly Shot[], axis: AxisMeans, camera: Camera): Row[] {
  const frames = pictures.filter((_, n) => n % 4 === 0).map(({ frame }) => frame)
  const radiated = (1000 * axis.radiated) / axis.frames
  const watts = mean(pictures.map(({ frame }) => 4 * Math.PI * total(lampsOf(frame, WATTS), ([r]) => r)))
  const lumens = mean(frames.map((frame) => 4 * Math.PI * total(lampsOf(frame, blackBodyTable(Math.PI)), bright)))
  const own = mean(frames.map((frame) => 4 * Math.PI * total(lampsOf(frame, WATTS), ([r]) => r)))
  const seen = mean(
    frames.map((frame) => {
      const light = luminance(flameAlone(crew, frame, camera).fire).data.reduce((sum, v) => sum + v, 0)
      const pixel = (camera.position[2] / camera.focalPx) ** 2
      return (light * pixel) / total(lampsOf(frame, blackBodyTable(1)), bright)
    }),
  )
  const tall = mean(pictures.map(({ passes }) => flameTop(luminance(passes.fire), camera)))
  const [distance, height] = [2, 1]
  const hand = lineLight((radiated * lumens) / own, tall, distance, height)
  return [
    within(
      `${name}, light that the pictures show over that of the lamps`,
      'both integrate one emission',
      1,
      seen,
      0.15,
    ),
    within(
      `${name}, heat that its light carries off, kW`,
      'what the run radiates',
      radiated / 1000,
      watts / 1000,
      0.15,
    ),
    within(
      `${name}, illuminance on a wall ${distance} m off, lux`,
      'by hand: radiated heat x lumens a watt of its spectrum, from an upright line as tall as the flame',
      hand,
      mean(frames.map((frame) => wallLight(crew, frame, distance, height))),
      0.15,
    ),
  ]
}

/** How high a picture's flame reaches, m. */
function flameTop(image: Grey, camera: Camera): number {
  // Exposed for the fire it stands at 3.5 times white: a tenth of white is seen.
  const level = (0.1 / 3.5) * brightLevel(image)
  for (let y = 0; y < image.height; y++)
    if (image.data.subarray(y * image.width, (y + 1) * image.width).some((v) => v > level)) return heightOf(y, camera)
  return 0
}
const heightOf = (y: number, camera: Camera): number =>
  camera.position[1] - ((y + 0.5 - camera.centre[1]) * camera.position[2]) / camera.focalPx

const TURBULENT =
  'cuts of turbulent fronts have 1.3 to 1.4 (Sreenivasan & Meneveau 1986), clouds seen whole 1.35 (Lovejoy 1982)'

function pictureRows(
  name: string,
  images: readonly Grey[],
  next: readonly Grey[],
  size: { px: number; across: number },
): Row[] {
  const half = Math.max(1, Math.round((6 * size.px) / 500))
  const part = Math.max(4, Math.round(size.across / 10))
  const again = mean(
    next.map((other, n) => {
      const first = images[n] as Grey
      return foundAgain(structureAt(first, part), structureAt(other, part), first, 2 * part, 3 * part)
    }),
  )
  return [
    between(`${name}, dimension of its outline`, TURBULENT, 1.2, 1.4, mean(images.map((one) => outlineDimension(one)))),
    atLeast(
      `${name}, fine structure`,
      'a trial’s pictures: 0.066 for smooth cells, 0.285 for sheets',
      0.2,
      mean(images.map((one) => fineStructure(one, half))),
    ),
    atLeast(
      `${name}, correlation of its structure along its motion over a frame`,
      'what swims or flickers is not found again',
      0.7,
      again,
    ),
  ]
}

/** A pool fire as its preset makes it, so large. */
export function filmedFireRows(crew: Crew, diameter: number): Row[] {
  const document = shotOf('pool', diameter, {
    cell: (1000 * diameter) / ACROSS,
    reach: Math.max(0.6, 1.5 * diameter),
    rise: 4.5 * diameter + 1,
  })
  const settings = gasSettings(document, 'fire', 'full')
  const heat =
    (settings.sceneInputs[0]?.sources[0]?.heat ?? 0) *
    (settings.sources[0]?.perArea ? (Math.PI * diameter ** 2) / 4 : 1)
  const tall = 0.235 * (heat / 1000) ** 0.4 - 1.02 * diameter
  const camera = cameraFor(1.7 * tall)
  const axis = new AxisMeans()
  const { pictures, next } = photograph(crew, document, camera, (simulation, { heatKw, radiatedKw }) => {
    axis.add(crew, simulation, settings.ambient)
    axis.heat += heatKw
    axis.radiated += radiatedKw
  })
  const images = pictures.map(({ passes }) => luminance(passes.fire))
  const px = (tall * camera.focalPx) / camera.position[2]
  const across = (diameter * camera.focalPx) / camera.position[2]
  const name = `filmed, pool fire of ${diameter} m`
  const stands = mean(images.map((image) => (flameTop(image, camera) >= tall ? 1 : 0)))
  return [
    ...pictureRows(
      name,
      images,
      next.map((one) => luminance((one as Shot).passes.fire)),
      { px, across },
    ),
    between(
      `${name}, share of the time that flame stands at the law’s height`,
      'Heskestad 1983: half',
      0.35,
      0.65,
      stands,
    ),
    ...axisRows(name, axis),
    ...lightRows(crew, name, pictures, axis, camera),
  ]
}

/** The chimney's smoke. */
export function filmedSmokeRows(crew: Crew): Row[] {
  const document = shotOf('chimney', 0.8, { cell: 90, reach: 4, rise: 6 })
  const camera = { ...cameraFor(7), position: [1.5, 3.2, 21] as const }
  const { pictures, next } = photograph(crew, document, camera, () => undefined)
  const images = pictures.map(({ passes }) => alphaOf(passes.smoke))
  const shaded = pictures.map(({ passes }) => luminance(passes.smoke))
  const across = (0.8 * camera.focalPx) / 21
  const [outline] = pictureRows('filmed, smoke of a chimney', images, [], { px: 300, across })
  const [, , again] = pictureRows(
    'filmed, smoke of a chimney',
    shaded,
    next.map((one) => luminance((one as Shot).passes.smoke)),
    { px: 300, across },
  )
  return [outline, again].flatMap((row) => (row ? [row] : []))
}
