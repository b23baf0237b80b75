import type { Crew } from '../../core/src/base/index.ts'
import { type ClipTiming, clipFrames, cutByColour, cutFromBlack } from '../../core/src/cards/index.ts'
import { type Camera, makeImage, type SurfaceMesh } from '../../core/src/data/index.ts'
import { panTiltRoll } from '../../core/src/math/index.ts'
import { at, ball, ground, render, thing, valueAt } from '../../core/testing/frames.ts'
import { atMost, type Row } from './row.ts'

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

export const cardRows = (crew: Crew): Row[] => [countedRow(), blackRow(), ...keyRows(), sumRow(crew), fadeRow(crew)]
