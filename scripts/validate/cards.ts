import { readFileSync } from 'node:fs'
import type { Crew } from '../../core/src/base/index.ts'
import { type ClipTiming, clipFrames, cutByColour, cutFromBlack, stickingTo } from '../../core/src/cards/index.ts'
import {
  type Camera,
  makeImage,
  pixelRay,
  pointAlong,
  projectPoint,
  type SurfaceMesh,
} from '../../core/src/data/index.ts'
import { readCameraFile } from '../../core/src/formats/index.ts'
import { panTiltRoll } from '../../core/src/math/index.ts'
import { readingInputs, roundedRelief, takeClipReading } from '../../core/src/pipeline/index.ts'
import { lampsAt } from '../../core/src/set/index.ts'
import { makeItem, makeShot } from '../../core/src/shot/index.ts'
import { at, ball, ground, render, thing, valueAt } from '../../core/testing/frames.ts'
import { atMost, between, type Row } from './row.ts'

// Filmed elements on cards: which frame is shown, what of it is there, and how it meets the set.

const clip: ClipTiming = {
  first: 1,
  last: 240,
  shot: 120,
  plate: 24,
  pace: 1,
  after: 'hold',
  crossFade: 0,
  offset: 0,
  between: 'blend',
}

/** Frames of a counted clip against what plain counting says. */
function countedRow(): Row {
  const ways: [Partial<ClipTiming>, (n: number) => number][] = [
    [{}, (n) => Math.min(240, 1 + 5 * n)],
    [{ pace: -1 }, (n) => Math.max(1, 240 - 5 * n)],
    [{ after: 'loop' }, (n) => 1 + ((5 * n) % 240)],
    [{ shot: 48 }, (n) => Math.min(240, 1 + 2 * n)],
    [{ offset: 7 }, (n) => Math.min(240, 8 + 5 * n)],
  ]
  let wrong = 0
  for (const [over, wanted] of ways)
    for (let n = 0; n < 120; n++) {
      const shown = clipFrames({ ...clip, ...over }, n)
      if (shown.length !== 1 || shown[0]?.frame !== wanted(n)) wrong++
    }
  return atMost('cards, a counted clip shot at 120 on 24, of 600 frames the wrong ones', 'counting', 0, wrong)
}

const [WIDE, TALL] = [200, 80] as const
/** A soft-edged element of several colours: how much of it there is, and its colour. */
const shareAt = (x: number, y: number): number => {
  const away = Math.hypot((x - 90) / 70, (y - 40) / 30)
  return Math.min(1, Math.max(0, (1.1 - away) / 0.18))
}
const colourAt = (x: number, y: number): readonly [number, number, number] => [
  0.35 + 0.2 * Math.sin(x / 9),
  0.3 + 0.1 * Math.sin(x / 9 + 0.4) + 0.05 * Math.sin(y / 5),
  0.25 + 0.15 * Math.cos(y / 11),
]
const filmed = (below: readonly [number, number, number]) => {
  const image = makeImage(WIDE, TALL, 3)
  for (let y = 0; y < TALL; y++)
    for (let x = 0; x < WIDE; x++) {
      const share = shareAt(x, y)
      image.data.set(
        colourAt(x, y).map((value, c) => value * share + (below[c] ?? 0) * (1 - share)),
        3 * (y * WIDE + x),
      )
    }
  return image
}

function blackRow(): Row {
  const [lift, grey] = [0.015, 0.18]
  // Light alone, as flames and lit dust give it over black.
  const image = filmed([0, 0, 0])
  for (let n = 0; n < image.data.length; n++) image.data[n] = (image.data[n] ?? 0) + lift
  const cut = cutFromBlack(image, lift, 0.8)
  let worst = 0
  for (let y = 0; y < TALL; y++)
    for (let x = 0; x < WIDE; x++) {
      const n = y * WIDE + x
      const alpha = cut.data[4 * n + 3] ?? 0
      colourAt(x, y).forEach((value, c) => {
        const own = value * shareAt(x, y)
        const wanted = own + grey * (1 - alpha)
        worst = Math.max(worst, Math.abs(((cut.data[4 * n + c] ?? 0) * alpha + grey * (1 - alpha)) / wanted - 1))
      })
    }
  return atMost(
    'cards, filmed on black over a grey card, worst pixel, %',
    'its own light over the card',
    1,
    100 * worst,
  )
}

function keyRows(): Row[] {
  const backing = [0.06, 0.55, 0.12] as const
  const cut = cutByColour(filmed(backing), { colour: backing, near: 0, far: 1, spill: 1, edge: 0.08 })
  let [square, spill, count] = [0, 0, 0]
  for (let y = 0; y < TALL; y++)
    for (let x = 0; x < WIDE; x++) {
      const n = y * WIDE + x
      const [r = 0, g = 0, b = 0, a = 0] = cut.data.subarray(4 * n, 4 * n + 4)
      square += (a - shareAt(x, y)) ** 2
      const [own0, own1, own2] = colourAt(x, y)
      if (a <= 0.05) continue
      count++
      spill += a * Math.max(0, g - (r + b) / 2 - Math.max(0, own1 - (own0 + own2) / 2))
    }
  return [
    atMost('cards, key of a made backing: alpha off, rms', 'known alphas', 0.02, Math.sqrt(square / (WIDE * TALL))),
    atMost('cards, the same: the backing’s colour that is left, mean, %', 'none', 2, (100 * spill) / count),
  ]
}

const CARD: SurfaceMesh = {
  positions: Float32Array.from([-2, -0.5, 0, 2, -0.5, 0, 2, 1.5, 0, -2, 1.5, 0]),
  indices: Uint32Array.from([0, 1, 2, 0, 2, 3]),
}
const camera = (size: number, focal: number): Camera => ({
  position: [0, 2.4, 5],
  rotation: panTiltRoll(0, (-24 * Math.PI) / 180, 0),
  focalPx: focal,
  centre: [size / 2, size / 2],
  k1: 0,
  k2: 0,
  width: size,
  height: size,
})
const see = { base: [0, 0, 0, 0.7], emission: [0.4, 0.4, 0.4], alpha: 'blend', fade: 0.4 } as const

function sumRow(crew: Crew): Row {
  const layers = {
    near: [thing(CARD, { opening: at([0, 0, 1]) }, see)],
    ball: [thing(ball(0.6), { opening: at([0.3, 0.6, 0.2]) })],
    far: [thing(CARD, { opening: at([0.2, 0, -1]) }, see)],
  }
  const picture = render(crew, layers, { camera: camera(96, 100), pieces: [ground()] })
  let worst = 0
  for (let y = 0; y < 96; y++)
    for (let x = 0; x < 96; x++) {
      const sum = Object.keys(layers).reduce((all, id) => all + valueAt(picture, id, 'alpha', x, y), 0)
      worst = Math.max(worst, Math.abs(sum + (picture.plate.data[y * 96 + x] ?? 0) - 1))
    }
  return atMost('cards, 1 - alphas - what is left of the plate, with a solid between two', 'they make one', 1e-5, worst)
}

/** What one sees as a line where a card of 0.5 stands on ground of 0.2. Grain of the yard's plate there: 0.004 in light. */
const GRAIN = 0.004
function fadeRow(crew: Crew): Row {
  const card = thing(CARD, {}, { ...see, base: [0, 0, 0, 1], emission: [0.5, 0.5, 0.5] })
  const size = 192
  // As near as 1280 px of a 35 mm lens see it.
  const picture = render(crew, { card: [card] }, { camera: camera(size, 1245), pieces: [ground()] })
  const light = Array.from({ length: size }, (_, y) => {
    const alpha = valueAt(picture, 'card', 'alpha', size / 2, y)
    return 0.5 * alpha + 0.2 * (1 - alpha)
  })
  const bends = light.slice(1, -1).map((value, n) => Math.abs((light[n] ?? 0) - 2 * value + (light[n + 2] ?? 0)))
  return atMost(
    'cards, faded over 0.4 m: largest second difference across its foot over the grain',
    'no line',
    1,
    Math.max(...bends) / GRAIN,
  )
}

/** A clip's reading that a lamp follows, smoothed and late, against the clip's own light. */
async function followRow(): Promise<Row> {
  const plate = { asset: 'a', file: 'f', width: 64, height: 36, first: 1, last: 120, rate: [24, 1], encoding: 'srgb' }
  const shot = makeShot('Yard', plate as Parameters<typeof makeShot>[1])
  const clip = { shot: '', asset: 'c', file: 'c', first: 1, last: 240, width: 32, height: 18, rate: 120 }
  shot.items.card = makeItem('card', {
    name: 'Flare',
    order: 1,
    begins: 20,
    after: 'nothing',
    feather: 0,
    lift: 1,
    full: 400,
    clip: { ...clip, encoding: 'linear', curve: 'clip' },
  } as never)
  const reading = {
    name: 'Flare',
    shown: true,
    area: { kind: 'clip', card: 'card' },
    show: 'mean',
    channel: 'brightness',
    percentile: 95,
  } as const
  shot.readings.flare = reading
  shot.signals.flare = { name: 'Flare', shown: true, source: { kind: 'reading', reading: 'flare' } }
  const follow = { signal: 'flare', gain: 2000, offset: 0, smoothing: 6, delay: 4 }
  shot.items.lamp = makeItem('lamp', { name: 'Lamp', order: 2, follows: { lumens: follow } } as never)
  // It flickers, over a black of 1 %.
  const level = (n: number): number => 0.6 + 0.3 * Math.sin(n / 5) + 0.2 * Math.sin(n / 1.7)
  const frameOf = (n: number) => {
    const image = makeImage(32, 18, 3)
    for (let k = 0; k < image.data.length; k++) image.data[k] = 0.01 + (k % 96 < 48 ? level(n) : 0)
    return image
  }
  const card = shot.items.card
  if (card.kind !== 'card' || !card.clip) throw new TypeError('a card')
  const progress = { report: () => undefined, cancelled: () => false }
  const taken = await takeClipReading(
    { ...card, clip: card.clip },
    95,
    async ({ frame }) => frameOf(frame),
    undefined,
    progress,
  )
  const inputs = readingInputs(shot, () => taken)
  let [light, own] = [0, 0]
  for (let frame = 1; frame <= 120; frame++) {
    const lamp = lampsAt(shot, frame, inputs)[0]?.[1]
    light += lamp?.lumens ?? 0
    // A plate frame shows every fifth of the clip's.
    const n = 1 + 5 * (frame - 20)
    if (n >= 1 && n <= 240) own += 0.5 * level(n) * follow.gain
  }
  return atMost(
    'cards, a lamp that follows a clip’s reading: its energy over the clip off by, %',
    'the clip’s own light',
    2,
    100 * Math.abs(light / own - 1),
  )
}

/** Parts of a standing figure: the middle of each, and half as far as it reaches, m. */
const FIGURE = [
  [
    [0, 1.62, 0],
    [0.1, 0.13, 0.11],
  ],
  [
    [0, 1.22, 0],
    [0.2, 0.3, 0.13],
  ],
  [
    [0, 0.92, 0],
    [0.17, 0.14, 0.13],
  ],
  [
    [-0.27, 1.15, 0.05],
    [0.06, 0.3, 0.07],
  ],
  [
    [0.26, 1.18, -0.04],
    [0.06, 0.3, 0.07],
  ],
  [
    [-0.1, 0.45, 0.08],
    [0.09, 0.46, 0.1],
  ],
  [
    [0.11, 0.45, -0.08],
    [0.09, 0.46, 0.1],
  ],
] as const

/** A figure as one mesh of egg-shaped parts. */
function figureMesh(): SurfaceMesh {
  const [positions, indices]: [number[], number[]] = [[], []]
  for (const [middle, half] of FIGURE) {
    const part = ball(1)
    const first = positions.length / 3
    part.positions.forEach((value, n) => positions.push((middle[n % 3] ?? 0) + (half[n % 3] ?? 0) * value))
    indices.push(...Array.from(part.indices, (n) => n + first))
  }
  return { positions: Float32Array.from(positions), indices: Uint32Array.from(indices) }
}

/** A figure rendered, its matte rounded, a light from its right: against its own directions. */
function relightRows(crew: Crew): Row[] {
  const seen: Camera = { ...camera(256, 420), position: [0, 0.95, 3], rotation: panTiltRoll(0, 0, 0) }
  const figure = thing(figureMesh(), {}, { base: [0.5, 0.5, 0.5, 1] })
  const truth = render(crew, { figure: [figure] }, { camera: seen })
  const mask = makeImage(256, 256, 1)
  for (let n = 0; n < mask.data.length; n++)
    mask.data[n] = valueAt(truth, 'figure', 'alpha', n % 256, Math.floor(n / 256))
  const direction = [Math.sin(1), 0.25, Math.cos(1)] as const
  const length = Math.hypot(...direction)
  const side = {
    direction: direction.map((part) => part / length) as [number, number, number],
    colour: [1, 1, 1] as [number, number, number],
  }
  const relief = roundedRelief(mask, seen, { round: 0.5, distance: 3, side, amount: 0 })
  if (!relief) throw new TypeError('it covers something')
  const picture = render(crew, { relit: [relief] }, { camera: seen })
  const [core, within] = [2, 1]
  const least = (x: number, y: number, reach: number, of: 'min' | 'max'): number => {
    const all: number[] = []
    for (let b = -reach; b <= reach; b++)
      for (let a = -reach; a <= reach; a++) all.push(mask.data[(y + b) * 256 + x + a] ?? 0)
    return Math[of](...all)
  }
  let [same, all, ours, theirs, beyond] = [0, 0, 0, 0, 0]
  for (let y = 4; y < 252; y++)
    for (let x = 4; x < 252; x++) {
      const light = valueAt(picture, 'relit', 'light', x, y)
      if (least(x, y, within, 'max') <= 0 && light > 0) beyond++
      if (least(x, y, core, 'min') < 0.99) continue
      const own = truth.normal.data.subarray(3 * (y * 256 + x), 3 * (y * 256 + x) + 3)
      const wanted = Math.max(
        0,
        side.direction.reduce((sum, part, c) => sum + part * (own[c] ?? 0), 0),
      )
      all++
      if (wanted > 0 === light > 0) same++
      ours += light
      theirs += wanted
    }
  return [
    between(
      'relight, the figure’s lit side: agrees on so much of its core, %',
      'its own directions',
      80,
      100,
      (100 * same) / all,
    ),
    atMost(
      'relight, the same: its mean light off by, %',
      'by its own directions',
      15,
      100 * Math.abs(ours / theirs - 1),
    ),
    atMost('relight, pixels lit farther than 1 px outside its matte', 'none', 0, beyond),
  ]
}

/** A card stuck to a board of the yard's wall, whose corners are seen by the exact camera of the walk. */
function stuckRow(): Row {
  const file = 'demo/exact/yard-walk-camera.gltf'
  const info = { width: 1280, height: 720, first: 1001, last: 1120, rate: 24 }
  const { frames } = readCameraFile(readFileSync(file), file, info)
  const cameras = new Map(frames.map((one) => [one.frame, one.camera]))
  const board: [number, number, number][] = [
    [-0.4, 2.6, 0],
    [1.2, 2.6, 0],
    [1.2, 1.4, 0],
    [-0.4, 1.4, 0],
  ]
  const seen = (by: Camera, place: readonly [number, number, number]): [number, number] => {
    const p = projectPoint(by, [...place])
    return [p?.x ?? Number.NaN, p?.y ?? Number.NaN]
  }
  const from = cameras.get(1001)
  if (!from) throw new TypeError('the walk has a camera')
  let worst = 0
  for (const by of cameras.values()) {
    const corners = (one: Camera) => board.map((place) => seen(one, place))
    const move = stickingTo(
      from,
      by,
      { way: 'perspective', from: corners(from), to: corners(by), plateWidth: 1280 },
      [0.4, 2, 1],
    )
    if (!move) return atMost('cards, stuck to a flat track: slides, px', 'the track', 0.2, Infinity)
    for (const [a, b] of [
      [0.1, 0.2],
      [0.5, 0.5],
      [0.9, 0.8],
    ] as const) {
      const place: [number, number, number] = [-0.4 + 1.6 * a, 2.6 - 1.2 * b, 0]
      // A metre before the wall, on the same line of sight.
      const card = pointAlong(pixelRay(from, ...seen(from, place)), 4)
      const [x, y] = seen(by, move(card))
      const [u, v] = seen(by, place)
      worst = Math.max(worst, Math.hypot(x - u, y - v))
    }
  }
  return atMost(
    'cards, stuck to a flat track over the walk’s 120 frames: slides at most, px',
    'what was tracked',
    0.2,
    worst,
  )
}

export const cardRows = async (crew: Crew): Promise<Row[]> => [
  countedRow(),
  blackRow(),
  ...keyRows(),
  sumRow(crew),
  fadeRow(crew),
  await followRow(),
  ...relightRows(crew),
  stuckRow(),
]
