import type { Crew } from '../../core/src/base/index.ts'
import {
  type Camera,
  type FloatImage,
  makeImage,
  type PictureLayer,
  pixelRay,
  projectPoint,
} from '../../core/src/data/index.ts'
import { exp } from '../../core/src/math/index.ts'
import { type CheckInputs, checkFrame, fallOf, type LayerCheck, plateImage } from '../../core/src/pipeline/index.ts'
import { BARE_LAYER, type CheckLine, fromSensor, type LineName, plateScene } from '../../core/src/sit/index.ts'
import { exactLandmarks } from './landmarks.ts'
import { movieFrame } from './movieFrame.ts'
import { type Row, within } from './row.ts'
import type { PatchSet } from './sitPatches.ts'

// What the check says of patches that slide or have a halo of their own, and of what falls too slowly.

const [WIDTH, HEIGHT] = [1280, 720]
const [FRAME, OTHER] = [50, 44]
const PLATE = 'demo/plates/yard-walk.mp4'

interface Rect {
  x: number
  y: number
  width: number
  height: number
}
/** Cobbles before the wall; and what shines in the plate, with what is round it. */
const GROUND: Rect = { x: 610, y: 590, width: 240, height: 110 }
const SHINES: Rect = { x: 780, y: 420, width: 200, height: 190 }

/** A part of a picture of plate values as a layer, moved to the right by so many px. depth: of a pixel. */
function layerFrom(values: FloatImage, rect: Rect, by = 0): PictureLayer {
  const { width, height } = rect
  const [colour, alpha] = [makeImage(width, height, 3), makeImage(width, height, 1)]
  alpha.data.fill(1)
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const n = (rect.y + y) * WIDTH + Math.max(0, rect.x + x - by)
      const rgb = [0, 1, 2].map((c) => values.data[3 * n + c] ?? 0) as [number, number, number]
      colour.data.set(fromSensor(rgb), 3 * (y * width + x))
    }
  return { id: 'patch', ...rect, colour, alpha }
}

const pictureOf = (layer: PictureLayer) => ({
  width: WIDTH,
  height: HEIGHT,
  layers: [layer],
  sunlit: makeImage(WIDTH, HEIGHT, 1),
})
const valuesAt = (frame: number): FloatImage =>
  plateImage(movieFrame(PLATE, frame, WIDTH, HEIGHT), WIDTH, HEIGHT, 'srgb')

function inputsOf(set: PatchSet, plate: FloatImage, layer: PictureLayer, more: Partial<CheckInputs>): CheckInputs {
  const { spreads } = set.inputs(layer.colour as FloatImage)
  const how = { ...BARE_LAYER, grain: 0 }
  return {
    plate,
    picture: pictureOf(layer),
    settings: { ...set.settings, lays: [{ of: 'patch', how }] },
    names: [{ id: 'patch', of: 'patch', name: 'Patch' }],
    fullWidth: WIDTH,
    frame: FRAME,
    spreads,
    ...more,
  }
}
const lineOf = (check: LayerCheck | undefined, name: LineName): CheckLine | undefined =>
  check?.lines.find((one) => one.name === name)

/** How far along the view the ground is that each pixel of a patch shows, which was moved to the right. */
function groundDepths(camera: Camera, by: number): FloatImage {
  const depths = makeImage(WIDTH, HEIGHT, 1)
  for (let n = 0; n < depths.data.length; n++) {
    const { from, along } = pixelRay(camera, (n % WIDTH) + 0.5 - by, Math.floor(n / WIDTH) + 0.5)
    depths.data[n] = Math.max(0, -from[1] / along[1])
  }
  return depths
}

function slideRows(crew: Crew, set: PatchSet): Row[] {
  const { cameras, points } = exactLandmarks('yard-walk')
  const [camera, other] = [cameras[FRAME], cameras[OTHER]] as [Camera, Camera]
  const [now, then] = [valuesAt(FRAME), valuesAt(OTHER)]
  const offs = points.flatMap((point) => {
    const p = projectPoint(camera, point)
    return p && p.x > 0 && p.y > 0 && p.x < WIDTH && p.y < HEIGHT ? [{ x: p.x, y: p.y, dx: 0, dy: 0 }] : []
  })
  const whole = { x: 0, y: 0, width: WIDTH, height: HEIGHT }
  const before = pictureOf(layerFrom(then, whole))
  const said = (by: number): CheckLine | undefined => {
    const layer = layerFrom(now, GROUND, by)
    const slide = { camera, other: { camera: other, frame: OTHER, picture: before }, offs, nudges: {} }
    const depth = groundDepths(camera, by)
    const more = { slide: { ...slide, standing: new Set(['patch']) }, picture: { ...pictureOf(layer), depth } }
    const inputs = inputsOf(set, plateScene(crew, now), layer, more)
    return lineOf(checkFrame(crew, inputs).layers[0], 'slide')
  }
  const [clean, slid] = [said(0), said(3)]
  return [
    {
      case: 'sit, an untouched patch of the ground over 6 frames: slide, px',
      reference: 'the plate itself',
      expected: '<= 0.2',
      measured: clean?.difference ?? Number.NaN,
      tolerance: 'limit',
      pass: clean?.within === true,
    },
    near('sit, a patch slid by 3 px: said (slide), px', 3, slid?.difference, 0.3),
  ]
}

const near = (name: string, wanted: number, said: number | undefined, most: number): Row => ({
  case: name,
  reference: 'what was done',
  expected: wanted,
  measured: said ?? Number.NaN,
  tolerance: `${most}`,
  pass: Math.abs((said ?? Number.NaN) - wanted) <= most,
})

/** Light that spreads 10 px round what is clipped, and how much of it lies in the ring that is asked: by counting. */
function haloed(values: FloatImage, share: number): { image: FloatImage; level: number } {
  const image = makeImage(WIDTH, HEIGHT, 3)
  image.data.set(values.data)
  const light = (n: number): number =>
    0.2126 * (values.data[3 * n] ?? 0) + 0.7152 * (values.data[3 * n + 1] ?? 0) + 0.0722 * (values.data[3 * n + 2] ?? 0)
  const bright = Array.from({ length: WIDTH * HEIGHT }, (_, n) => n).filter((n) => light(n) > 0.93)
  let [sum, count] = [0, 0]
  for (let y = SHINES.y; y < SHINES.y + SHINES.height; y++)
    for (let x = SHINES.x; x < SHINES.x + SHINES.width; x++) {
      const n = y * WIDTH + x
      let [more, nearest] = [0, Infinity]
      for (const m of bright) {
        const [dx, dy] = [x - (m % WIDTH), y - Math.floor(m / WIDTH)]
        const square = dx * dx + dy * dy
        more += (share * exp(-square / 200)) / (200 * Math.PI)
        nearest = Math.min(nearest, Math.sqrt(square))
      }
      for (let c = 0; c < 3; c++) image.data[3 * n + c] = Math.min(1, (image.data[3 * n + c] ?? 0) + more)
      if (nearest < 0.004 * WIDTH || nearest >= 0.012 * WIDTH || light(n) > 0.8) continue
      sum += more
      count++
    }
  return { image, level: (100 * sum) / count }
}

function haloRows(crew: Crew, set: PatchSet): Row[] {
  const now = valuesAt(FRAME)
  const plate = plateScene(crew, now)
  const area = [
    [SHINES.x, SHINES.y],
    [SHINES.x + SHINES.width, SHINES.y],
    [SHINES.x + SHINES.width, SHINES.y + SHINES.height],
    [SHINES.x, SHINES.y + SHINES.height],
  ] as const
  const names = [{ id: 'patch', name: 'Patch', area }]
  const said = (values: FloatImage): number | undefined =>
    lineOf(checkFrame(crew, inputsOf(set, plate, layerFrom(values, SHINES), { names })).layers[0], 'halo')?.difference
  const { image, level } = haloed(now, 0.6)
  const clean = said(now)
  return [
    near('sit, an untouched patch with a highlight: halo, %', 0, clean, 1),
    near('sit, a patch with a halo of its own: said (halo), %', level, said(image), Math.max(0.15 * level, 1)),
  ]
}

/** A thing that falls at a speed of its own. */
function fallRows(): Row[] {
  const at = (share: number, frame: number): number => 20 - 0.5 * 9.81 * (share * (frame / 24)) ** 2
  return [1, 0.8].map((share) => {
    const gain = fallOf(
      [9, 10, 11, 12, 13, 14, 15].map((frame) => at(share, frame)),
      24,
    )
    return within(
      `sit, what falls at ${share} of its speed: said (speed for size), %`,
      'free fall',
      100 * share,
      100 * Math.sqrt((gain ?? Number.NaN) / 9.81),
      0.02,
    )
  })
}

export const slideAndHaloRows = (crew: Crew, set: PatchSet): Row[] => [
  ...slideRows(crew, set),
  ...haloRows(crew, set),
  ...fallRows(),
]
