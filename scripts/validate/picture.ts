import type { Crew } from '../../core/src/base/index.ts'
import {
  type Camera,
  type FloatImage,
  type GasFrame,
  makeImage,
  type PictureLayer,
  TILE,
  toHalf,
} from '../../core/src/data/index.ts'
import { blackBodyXyz, GLOW_FROM, GLOW_STEP, glowTable } from '../../core/src/light/index.ts'
import { FINAL, type GasVolume, type PlateLight, renderFlat } from '../../core/src/picture/index.ts'
import { BARE_STACK, compositeStack, type GrainLaw } from '../../core/src/sit/index.ts'
import { type Row, within } from './row.ts'

const _NO_GRAIN: GrainLaw = { floor: [0, 0, 0], slope: [0, 0, 0], spread: 0 }
const EXTINCTION = 8700
/** As the closed forms have it: light scattered once. */
const SINGLE = { ...FINAL, step: 0.25, orders: 1 }
const THICK = 1.6
const dusk: PlateLight = { sunDirection: [0, 0, 1], sunShare: 0, sunColour: [1, 1, 1], skyColour: [1, 1, 1] }

/** An evenly filled block of gas, `THICK` m on edge, seen square on along z. */
function block(density: number, kelvinAbove: number, albedo: number, forward = 0): GasVolume {
  // A tile of equally hot, clear air all round, so that it is one temperature to the very edge of the smoke.
  const tiles = 10
  const cell = THICK / ((tiles - 2) * TILE)
  const channels = Array.from({ length: 6 }, () => new Uint16Array(tiles ** 3 * TILE ** 3))
  const soot = toHalf((density / EXTINCTION) * 1000)
  const inner = (i: number): boolean => i > 0 && i < tiles - 1
  for (let n = 0; n < tiles ** 3; n++)
    if (inner(n % tiles) && inner(Math.floor(n / tiles) % tiles) && inner(Math.floor(n / tiles ** 2)))
      channels[0]?.fill(soot, n * TILE ** 3, (n + 1) * TILE ** 3)
  channels[1]?.fill(toHalf(kelvinAbove))
  const frame: GasFrame = {
    box: { cell, origin: [-40, -40, -40], size: [80, 80, 80] },
    ambient: 300,
    tiles: Int32Array.from({ length: tiles ** 3 }, (_, n) => n),
    channels,
  }
  return {
    kind: 'gas',
    frames: [{ frame, weight: 1, ahead: 0 }],
    emitters: [],
    glow: { from: GLOW_FROM, step: GLOW_STEP, table: glowTable(100, 1) },
    albedo,
    forward,
    extinctionPerSoot: EXTINCTION,
  }
}
const camera: Camera = {
  position: [0, 0, 400],
  rotation: [0, 0, 0, 1],
  focalPx: 8000,
  centre: [8, 8],
  k1: 0,
  k2: 0,
  width: 16,
  height: 16,
}

/** Mean over the middle pixels, where the march's jitter evens out. */
function seen(crew: Crew, gas: GasVolume, light: PlateLight, pass: 'fire' | 'smoke' | 'alpha'): number {
  const passes = renderFlat(crew, { pieces: [], camera, drawables: [gas], light, quality: SINGLE })
  let sum = 0
  for (let n = 0; n < 256; n++)
    sum +=
      pass === 'fire' ? (passes.fire.data[n * 3] ?? 0) : (passes.smoke.data[n * 4 + (pass === 'alpha' ? 3 : 0)] ?? 0)
  return sum / 256
}

function gasPicture(crew: Crew): Row[] {
  const rows: Row[] = []
  for (const density of [0.3, 1, 2.5])
    rows.push(
      within(
        `gas picture, cover at ${density} /m over ${THICK} m`,
        'Beer–Lambert: 1 - exp(-s L)',
        1 - Math.exp(-density * THICK),
        seen(crew, block(density, 0, 0), dusk, 'alpha'),
        0.01,
      ),
    )
  const black = glowTable(100, 1)[((1500 - GLOW_FROM) / GLOW_STEP) * 4] ?? 0
  rows.push(
    within(
      'gas picture, glow of a grey body at 1500 K',
      'Kirchhoff: B (1 - exp(-s L))',
      black * (1 - Math.exp(-THICK)),
      seen(crew, block(1, 1200, 0), dusk, 'fire'),
      0.01,
    ),
  )
  // The sun stands behind the camera, so light and sight run through the same smoke: integral of s exp(-2 s x); or facing it: s L exp(-s L).
  // In the plate's units: value = pi x radiance / E = pi x albedo x phase x (normal illuminance / E) x integral. Only the sun shines: share 1, held at sin = 0.1 for a level sun.
  const normal = 1 / 0.1
  const henyey = (g: number, cosine: number): number =>
    (1 - g * g) / (4 * Math.PI * (1 + g * g - 2 * g * cosine) ** 1.5)
  for (const density of [0.5, 1.5])
    for (const [name, z, forward, integral] of [
      ['sun behind the camera', 1, 0.4, (1 - Math.exp(-2 * density * THICK)) / 2],
      ['against the sun', -1, 0.4, density * THICK * Math.exp(-density * THICK)],
    ] as const) {
      const sun: PlateLight = { sunDirection: [0, 0, z], sunShare: 1, sunColour: [1, 1, 1], skyColour: [0, 0, 0] }
      rows.push(
        within(
          `gas picture, single scattering at ${density} /m, ${name}`,
          'closed form for a slab, Henyey–Greenstein',
          Math.PI * 0.8 * henyey(forward, -z) * normal * integral,
          seen(crew, block(density, 0, 0.8, forward), sun, 'smoke'),
          0.01,
        ),
      )
    }
  return rows
}

function colour(): Row[] {
  return (
    [
      [1500, 0.5857, 0.3931],
      [2000, 0.5267, 0.4133],
      [3000, 0.4369, 0.4041],
      [6500, 0.3135, 0.3237],
    ] as const
  ).map(([kelvin, x, y]) => {
    const [X, Y, Z] = blackBodyXyz(kelvin)
    const [mx, my] = [X / (X + Y + Z), Y / (X + Y + Z)]
    return {
      case: `flame colour at ${kelvin} K`,
      reference: 'CIE 1931 Planckian locus',
      expected: `${x}, ${y}`,
      measured: `${mx.toFixed(4)}, ${my.toFixed(4)}`,
      tolerance: '0.002 in x and y',
      pass: Math.max(Math.abs(mx - x), Math.abs(my - y)) <= 0.002,
    }
  })
}

function layers(crew: Crew): Row[] {
  const [w, h] = [64, 32]
  const fill = (channels: number, value: (n: number) => number): FloatImage => {
    const image = makeImage(w, h, channels)
    for (let n = 0; n < image.data.length; n++) image.data[n] = Math.fround(value(n))
    return image
  }
  // As bright as lit surfaces are: shadows leave what shines of itself.
  const plate = fill(3, (n) => 0.74 * (((n * 37) % 101) / 100))
  const emission = fill(3, (n) => ((n * 17) % 91) / 90)
  const alpha = fill(1, (n) => (n % 11) / 10)
  const colour = fill(3, (n) => ((Math.floor(n / 3) % 11) / 10) * (((n * 7) % 13) / 13))
  const light = fill(3, (n) => ((n * 5) % 29) / 28)
  const shadow = fill(1, (n) => 1 - ((n * 3) % 17) / 34)
  const whole = { id: 'a', x: 0, y: 0, width: w, height: h }
  const worstOf = (images: Partial<PictureLayer>, formula: (below: number, n: number, c: number) => number): number => {
    const picture = { width: w, height: h, layers: [{ ...whole, ...images }], sunlit: fill(1, () => 0.5) }
    const result = compositeStack(crew, plate, picture, BARE_STACK, 1, 1)
    let worst = 0
    for (let n = 0; n < w * h; n++)
      for (let c = 0; c < 3; c++)
        worst = Math.max(worst, Math.abs((result.data[n * 4 + c] ?? 9) - formula(plate.data[n * 3 + c] ?? 0, n, c)))
    return worst
  }
  const row = (name: string, reference: string, measured: number): Row => ({
    case: `layers, ${name}`,
    reference,
    expected: 0,
    measured,
    tolerance: '1e-6',
    pass: measured <= 1e-6,
  })
  const at = (image: FloatImage, n: number, c = 0): number => image.data[n * image.channels + c] ?? 0
  return [
    row(
      'over',
      'Porter & Duff 1984',
      worstOf({ colour, alpha }, (below, n, c) => at(colour, n, c) + below * (1 - at(alpha, n))),
    ),
    row(
      'plus',
      'Porter & Duff 1984',
      worstOf({ emission }, (below, n, c) => below + at(emission, n, c)),
    ),
    row(
      'multiply',
      'W3C compositing',
      worstOf({ light, sun: shadow, sky: shadow }, (below, n, c) => below * (at(shadow, n) + at(light, n, c))),
    ),
  ]
}

export const pictureRows = (crew: Crew): Row[] => [...colour(), ...gasPicture(crew), ...layers(crew)]
