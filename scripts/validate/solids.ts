import type { Crew } from '../../core/src/base/index.ts'
import { type Camera, planeMesh, type SurfaceMesh } from '../../core/src/data/index.ts'
import { aboutAxis, normalise } from '../../core/src/math/index.ts'
import { FINAL, renderPicture, type Splats } from '../../core/src/picture/index.ts'
import { uploadLobes } from '../../core/src/picture/tables.ts'
import {
  at,
  ball,
  frameOf,
  ground,
  layer,
  lookingDown,
  NOON,
  piece,
  render,
  STANDING,
  thing,
  valueAt,
} from '../../core/testing/frames.ts'
import { lampRows } from './lamps.ts'
import { atMost, type Row, within } from './row.ts'

// What solids are held against: closed forms of light, shadow and blur, and the sum of what a picture's layers hide.

const WHITE = { base: [1, 1, 1, 1], roughness: 1 } as const
const mean = (data: Float32Array | undefined): number =>
  data ? data.reduce((sum, value) => sum + value, 0) / data.length : Number.NaN

function lambert(crew: Crew): Row[] {
  const camera = lookingDown(90, [0, 3, 0], 48, 48)
  const mesh = planeMesh([0, 0, 0], 5, 5, [0, 0, 0, 1])
  return [0, 0.4, 1].map((sunShare) => {
    const picture = render(crew, { square: [thing(mesh, {}, WHITE)] }, { camera, light: { ...NOON, sunShare } })
    return within(
      `solids, white level square, ${sunShare * 100} % of its light from the sun`,
      'the plate’s own white',
      1,
      mean(layer(picture, 'square').colour?.data),
      0.01,
    )
  })
}

function furnace(crew: Crew): Row[] {
  const lobes = uploadLobes(crew)
  const out = crew.heap.alloc(8)
  return [0.3, 0.5, 0.7, 1].flatMap((roughness) =>
    [0, 1].map((metal) => {
      let worst = 1
      for (const cosine of [0.2, 0.4, 0.6, 0.8, 1]) {
        crew.run('testReflection', { lobes, cosine, base: 1, metal, roughness, samples: 128, out }, 1)
        const [sent = 0] = crew.heap.f32(out, 2)
        if (Math.abs(sent - 1) > Math.abs(worst - 1)) worst = sent
      }
      const name = `solids, white furnace of a ${metal ? 'metal' : 'glossy white'} of roughness ${roughness}, worst of 5 angles`
      return within(name, 'all of an even sky’s light comes back', 1, worst, 0.02)
    }),
  )
}

/** A camera far off, so that its rays are as good as parallel. */
const farDown = (size: number, metres: number): Camera => lookingDown(90, [0, 200, 0], size, (size * 200) / metres)

function penumbra(crew: Crew): Row {
  // A blade 2 m above the ground and as far to the side as a sun at 45 degrees shifts its shadow: the shadow's edge is as wide as the sun's disc is from there.
  const disc = 0.03
  const light = { ...NOON, sunDirection: normalise([0, 1, 1]), sunShare: 1, sunDisc: disc }
  const blade = planeMesh([2, 2, 2], 2, 1, [0, 0, 0, 1])
  const camera = farDown(160, 0.4)
  const quality = { ...FINAL, few: 64, many: 256, most: 256 }
  const picture = render(crew, { blade: [thing(blade)] }, { camera, light, quality, pieces: [ground()] })
  // The visible part of a disc behind an edge: from a tenth to nine tenths of it lies within 0.6870 radii of the middle.
  const row = Array.from({ length: 160 }, (_, x) => {
    let sum = 0
    for (let y = 60; y < 100; y++) sum += valueAt(picture, 'blade', 'sun', x, y) / 40
    return sum
  })
  const crossing = (level: number): number => {
    const n = row.findIndex((value) => value < level)
    const [a = 1, b = 0] = [row[n - 1], row[n]]
    return n - 1 + (a - level) / (a - b)
  }
  // Share of a disc on one side of a line t radii from its middle: (acos t - t sqrt(1 - t^2)) / pi; 0.1 at t = 0.6870.
  const wide = (crossing(0.1) - crossing(0.9)) * (0.4 / 160)
  return within(
    'solids, penumbra of the sun’s disc, 10 % to 90 %, m',
    'circular segment, 2.8 m from the edge',
    2 * 0.687 * 2 * Math.SQRT2 * disc,
    wide,
    0.03,
  )
}

/** A small glowing disc that faces the camera. */
function disc(radius: number): SurfaceMesh {
  const sides = 48
  const positions = [0, 0, 0]
  for (let n = 0; n < sides; n++)
    positions.push(radius * Math.cos((n / sides) * 2 * Math.PI), radius * Math.sin((n / sides) * 2 * Math.PI), 0)
  const indices = Array.from({ length: sides }, (_, n) => [0, 1 + n, 1 + ((n + 1) % sides)]).flat()
  return { positions: Float32Array.from(positions), indices: Uint32Array.from(indices) }
}

function streak(crew: Crew): Row {
  const camera = lookingDown(0, [0, 0, 10], 128, 400)
  const opening = at([-0.6, 0, 0])
  const dot = thing(disc(0.05), { opening, closing: at([0.6, 0, 0]) }, { emission: [1, 1, 1] })
  const picture = render(
    crew,
    { dot: [dot] },
    {
      camera,
      quality: { ...FINAL, few: 64, many: 256, most: 256 },
      shutter: { seconds: 1 / 48, camera: () => camera },
    },
  )
  const alpha = layer(picture, 'dot')
  let [left, right] = [Infinity, -Infinity]
  alpha.alpha?.data.forEach((value, n) => {
    if (value < 0.5 * (alpha.alpha?.data.reduce((a, b) => Math.max(a, b), 0) ?? 0)) return
    const x = alpha.x + (n % alpha.width)
    left = Math.min(left, x)
    right = Math.max(right, x + 1)
  })
  return within('solids, streak of a moving dot, px', 'speed x open shutter', (1.2 * 400) / 10, right - left, 0.02)
}

function blurDisc(crew: Crew): Row {
  const camera = lookingDown(0, [0, 0, 10], 160, 600)
  const lens = { radius: 0.04, focus: 2.5, blades: 0, squeeze: 1 }
  const dot = thing(disc(0.03), {}, { emission: [1, 1, 1] })
  const quality = { ...FINAL, few: 1024, many: 1024, most: 1024 }
  const picture = render(crew, { dot: [dot] }, { camera, lens, quality })
  const own = layer(picture, 'dot')
  // As wide as a disc of the same sum whose height is its middle's mean.
  const data = own.alpha?.data ?? new Float32Array(0)
  let [sum, inner, count] = [0, 0, 0]
  data.forEach((value, n) => {
    const [x, y] = [own.x + (n % own.width) - 79.5, own.y + Math.floor(n / own.width) - 79.5]
    sum += value
    if (x * x + y * y > 16) return
    inner += value
    count++
  })
  // Circle of confusion of a thin lens: 2 a f |1/focus - 1/z| in px.
  const expected = 2 * 0.04 * 600 * (1 / 2.5 - 1 / 10)
  return within(
    'solids, blur disc’s width, px',
    'thin lens',
    expected,
    2 * Math.sqrt(sum / (inner / count) / Math.PI),
    0.03,
  )
}

/** Alphas and what is left of the plate, with solids, see-through ones, particles and a matte. */
function sums(crew: Crew): Row[] {
  const camera = lookingDown(8, [0, 1.2, 6], 96, 110)
  const splats: Splats = { kind: 'splats', data: new Float32Array(200 * 16) }
  for (let n = 0; n < 200; n++) {
    const [x, y, z] = [(n * 37) % 96, (n * 53) % 96, 3 + (n % 9)]
    splats.data.set([x, y, z, x + 3, y + 14, z, 2, 0, 0.2, 0.2, 0.25, 0.5, 0.9, 0, 0, 0], n * 16)
  }
  const layers = {
    ball: [thing(ball(0.7), { opening: at([0.3, 0.8, -1]), closing: at([-0.2, 0.9, -1]) }, WHITE)],
    glass: [thing(ball(0.6), { opening: at([-0.4, 0.7, 0.6]) }, { base: [0.4, 0.5, 0.6, 0.4], alpha: 'blend' })],
    rain: [splats],
  }
  const matte = {
    width: 96,
    height: 96,
    channels: 1,
    data: new Float32Array(96 * 96).map((_, n) => (n % 96 < 40 ? 0.7 : 0)),
  }
  const picture = renderPicture(
    crew,
    frameOf(layers, { camera, pieces: [ground()], mattes: [{ image: matte, distance: 4 }] }),
  )
  let worst = 0
  for (let y = 0; y < 96; y++)
    for (let x = 0; x < 96; x++) {
      const all = Object.keys(layers).reduce((sum, id) => sum + valueAt(picture, id, 'alpha', x, y), 0)
      worst = Math.max(worst, Math.abs(1 - all - (picture.plate.data[y * 96 + x] ?? 0)))
    }
  return [
    atMost('solids, 1 - alphas - what is left of the plate, with particles and a matte', 'they make one', 1e-5, worst),
  ]
}

/** Coverage of a hidden edge against many samples. */
function edges(crew: Crew): Row {
  const camera = lookingDown(0, [0, 1, 5], 64, 80)
  const wall = piece(planeMesh([0.3, 1, 1], 0.5, 2, aboutAxis([1, 0, 0], Math.PI / 2)))
  const layers = { ball: [thing(ball(0.8), { opening: { ...STANDING, place: [0, 1, 0] } })] }
  const [fast, slow] = [FINAL, { ...FINAL, few: 256, many: 256, most: 256 }].map((quality) =>
    render(crew, layers, { camera, quality, pieces: [wall] }),
  )
  let [sum, count] = [0, 0]
  for (let y = 0; y < 64; y++)
    for (let x = 0; x < 64; x++) {
      const truth = slow ? valueAt(slow, 'ball', 'alpha', x, y) : 0
      if (truth <= 0.001 || truth >= 0.999) continue
      sum += ((fast ? valueAt(fast, 'ball', 'alpha', x, y) : 0) - truth) ** 2
      count++
    }
  return atMost('solids, alpha at a hidden edge, rms', '256 samples', 0.02, Math.sqrt(sum / Math.max(1, count)))
}

/** The shadow's tint against the plate's own: a lit and a shaded patch say what the sun and the sky are. */
function tint(crew: Crew): Row[] {
  const light = {
    ...NOON,
    sunDirection: normalise([0, 1, 0.01]),
    sunShare: 0.7,
    sunColour: [1.2, 1, 0.7] as const,
    skyColour: [0.8, 1, 1.3] as const,
  }
  const camera = farDown(64, 2)
  const lid = planeMesh([0, 0.05, 0], 0.3, 0.3, [0, 0, 0, 1])
  const picture = render(crew, { lid: [thing(lid)] }, { camera, light, pieces: [ground()] })
  // Under a small lid that is high enough the sun alone is gone: what is left is the sky's part.
  const sunlit = picture.sunlit.data[10 * 64 + 10] ?? 0
  const expected = 0.7 / (0.7 + 0.3 * 1)
  return [within('solids, the sun’s part of the light on level ground', 'as the light says', expected, sunlit, 0.05)]
}

/** How far a final is off one of 300 samples a pixel, on a ball and in the penumbra of its shadow, in plate value. */
function noise(crew: Crew): Row[] {
  const camera = lookingDown(25, [0, 2.2, 4.2], 128, 128)
  const light = { ...NOON, sunDirection: normalise([1, 0.8, 0.4]), sunShare: 0.5, sunDisc: 0.03 }
  const made = [FINAL, { ...FINAL, few: 300, many: 300, most: 300 }].map((quality) =>
    render(
      crew,
      { ball: [thing(ball(0.8), { opening: at([0, 0.8, 0]) }, WHITE)] },
      { camera, light, quality, pieces: [ground()] },
    ),
  )
  const [final, whole] = made
  if (!final || !whole) return []
  let [sum, count, edge, edges, brightest] = [0, 0, 0, 0, 0]
  for (let y = 0; y < 128; y++)
    for (let x = 0; x < 128; x++) {
      const off = valueAt(final, 'ball', 'colour', x, y, 1) - valueAt(whole, 'ball', 'colour', x, y, 1)
      if (valueAt(whole, 'ball', 'alpha', x, y) > 0.99) {
        sum += off * off
        count++
        const round = [-1, 0, 1].flatMap((v) =>
          [-1, 0, 1].map((u) => valueAt(final, 'ball', 'colour', x + u, y + v, 1)),
        )
        const near = (round.reduce((all, one) => all + one, 0) - (round[4] ?? 0)) / 8
        brightest = Math.max(brightest, near > 0.02 ? (round[4] ?? 0) / near : 0)
      }
      const through = valueAt(whole, 'ball', 'sun', x, y)
      if (through > 0.05 && through < 0.95) {
        edge += (light.sunShare * (valueAt(final, 'ball', 'sun', x, y) - through)) ** 2
        edges++
      }
    }
  return [
    atMost(
      'solids, noise of a final on a ball under sun and sky, rms',
      'of white, against 300 samples',
      0.015,
      Math.sqrt(sum / count),
    ),
    atMost(
      'solids, noise of a final in a penumbra, rms',
      'of white, against 300 samples',
      0.03,
      Math.sqrt(edge / Math.max(1, edges)),
    ),
    atMost('solids, brightest pixel of a final over the mean of those round it', 'no stray bright ones', 3, brightest),
  ]
}

export const solidRows = (crew: Crew): Row[] => [
  ...lambert(crew),
  ...furnace(crew),
  penumbra(crew),
  streak(crew),
  blurDisc(crew),
  ...sums(crew),
  edges(crew),
  ...tint(crew),
  ...lampRows(crew),
  ...noise(crew),
]
