import type { Crew } from '../../core/src/base/index.ts'
import { random } from '../../core/src/base/index.ts'
import { type FloatImage, makeImage, type PictureLayer } from '../../core/src/data/index.ts'
import { cos, log, pow } from '../../core/src/math/index.ts'
import { type CheckInputs, checkFrame, codeWidth, type LayerCheck, plateImage } from '../../core/src/pipeline/index.ts'
import {
  BARE_LAYER,
  BARE_STACK,
  blurBetween,
  type CheckLine,
  fromSensor,
  type GrainLaw,
  LAYER_MATCHES,
  type LineName,
  type MatchedLayer,
  matchedLayer,
  matchRound,
  measureGrain,
  PLAIN_SENSOR,
  plateScene,
  plateSpreads,
  type StackLayer,
  type StackSettings,
} from '../../core/src/sit/index.ts'
import { movieFrame } from './movieFrame.ts'
import { type Row, within } from './row.ts'

// A real patch of a plate, cut out as a layer and spoiled by known amounts: what the check says of it, and whether a match mends it.

const [WIDTH, HEIGHT] = [1280, 720]
const PLATE = 'demo/plates/yard-walk.mp4'
const FRAME = 50
/** Cobbles, crates and the foot of the wall: dark and bright, grey and brown, with edges. */
const PATCH = { x: 220, y: 420, width: 560, height: 280 } as const
const ROUNDS = 4

type Spoil = (value: number, c: number, n: number) => number
interface Spoiled {
  name: string
  line: LineName
  /** What was done, in the line's unit. */
  done(clean: LayerCheck): number
  /** The least error that is let pass. */
  least: number
  patch: FloatImage
}

export interface PatchSet {
  plate: FloatImage
  law: GrainLaw
  settings: StackSettings
  inputs(patch: FloatImage, how?: Partial<StackLayer>): CheckInputs
}

/** A patch of the yard's plate as it was recorded: linear plate values, and all that a check of it takes. */
export function patchSet(crew: Crew): PatchSet {
  const values = plateImage(movieFrame(PLATE, FRAME, WIDTH, HEIGHT), WIDTH, HEIGHT, 'srgb')
  const law = measureGrain(values, codeWidth('srgb'))
  const plate = plateScene(crew, values)
  const spreads = plateSpreads(values, law)
  const settings: StackSettings = { ...BARE_STACK, grain: law, grainAmount: 1, sensor: PLAIN_SENSOR }
  const corners = [
    [PATCH.x, PATCH.y],
    [PATCH.x + PATCH.width, PATCH.y],
    [PATCH.x + PATCH.width, PATCH.y + PATCH.height],
    [PATCH.x, PATCH.y + PATCH.height],
  ] as const
  const sunlit = makeImage(WIDTH, HEIGHT, 1)
  return {
    plate: values,
    law,
    settings,
    inputs(patch, how = {}) {
      const alpha = makeImage(PATCH.width, PATCH.height, 1)
      alpha.data.fill(1)
      const layer: PictureLayer = { id: 'patch', ...PATCH, colour: patch, alpha }
      const lay = { of: 'patch', how: { ...BARE_LAYER, grain: 0, ...how } }
      return {
        plate,
        picture: { width: WIDTH, height: HEIGHT, layers: [layer], sunlit },
        settings: { ...settings, lays: [lay] },
        names: [{ id: 'patch', name: 'Patch', area: corners }],
        fullWidth: WIDTH,
        frame: 1,
        spreads,
        area: corners,
      }
    },
  }
}

/** The patch of a picture of plate values, as light. */
function cut(plate: FloatImage, spoil: Spoil = (v) => v): FloatImage {
  const out = makeImage(PATCH.width, PATCH.height, 3)
  for (let y = 0; y < PATCH.height; y++)
    for (let x = 0; x < PATCH.width; x++) {
      const n = (PATCH.y + y) * WIDTH + PATCH.x + x
      const rgb = [0, 1, 2].map((c) => Math.max(0, spoil(plate.data[n * 3 + c] ?? 0, c, n))) as [number, number, number]
      out.data.set(fromSensor(rgb), (y * PATCH.width + x) * 3)
    }
  return out
}

/** A plate blurred by a Gaussian, plainly. */
function blurred(plate: FloatImage, sigma: number): FloatImage {
  const radius = Math.ceil(4 * sigma)
  const weights = Array.from({ length: 2 * radius + 1 }, (_, k) => Math.exp(-((k - radius) ** 2) / (2 * sigma * sigma)))
  const sum = weights.reduce((all, w) => all + w, 0)
  const along = (image: FloatImage, dx: number, dy: number): FloatImage => {
    const out = makeImage(WIDTH, HEIGHT, 3)
    for (let y = 0; y < HEIGHT; y++)
      for (let x = 0; x < WIDTH; x++)
        for (let c = 0; c < 3; c++) {
          let total = 0
          for (const [k, w] of weights.entries()) {
            const u = Math.min(WIDTH - 1, Math.max(0, x + dx * (k - radius)))
            const v = Math.min(HEIGHT - 1, Math.max(0, y + dy * (k - radius)))
            total += w * (image.data[(v * WIDTH + u) * 3 + c] ?? 0)
          }
          out.data[(y * WIDTH + x) * 3 + c] = total / sum
        }
    return out
  }
  return along(along(plate, 1, 0), 0, 1)
}

/** Noise of the plate's own law and size, so strong that with the plate's own there is `share` more. */
function noisier(law: GrainLaw, share: number): Spoil {
  const stream = random(7)
  const normal = (): number => Math.sqrt(-2 * log(1 - stream.next())) * cos(2 * Math.PI * stream.next())
  const white = Float32Array.from({ length: WIDTH * HEIGHT * 3 }, normal)
  const more = Math.sqrt((1 + share) ** 2 - 1) / Math.sqrt(1 + 4 * law.spread * law.spread)
  return (v, c, n) => {
    const at = (k: number): number => white[Math.min(white.length - 1, Math.max(0, (n + k) * 3 + c))] ?? 0
    const speck = at(0) + law.spread * (at(1) + at(-1) + at(WIDTH) + at(-WIDTH))
    return v + more * Math.sqrt((law.floor[c] ?? 0) + (law.slope[c] ?? 0) * v) * speck
  }
}

/** Contrast of 1.2 about 0.18. */
const harder = (v: number): number => 0.18 * pow(Math.max(1e-6, v) / 0.18, 1.2)
const lineOf = (check: LayerCheck, name: LineName): CheckLine | undefined =>
  check.lines.find((one) => one.name === name)

function spoiledPatches({ plate, law }: PatchSet): Spoiled[] {
  const lift = 0.01
  const lifted = (clean: LayerCheck): number => {
    const dark = clean.own?.tones.p2 ?? 0
    return log((dark + lift + 0.004) / (dark + 0.004)) / Math.LN2
  }
  const soft = blurred(plate, 0.5)
  return [
    {
      name: '0.3 stop brighter',
      line: 'white',
      done: () => 0.3,
      least: 0.1,
      patch: cut(plate, (v) => v * pow(2, 0.3)),
    },
    { name: 'black lifted by 0.01', line: 'black', done: lifted, least: 0.1, patch: cut(plate, (v) => v + lift) },
    {
      name: 'red 15 % up',
      line: 'colour',
      done: () => log(1.15) / Math.LN2,
      least: 0.1,
      patch: cut(plate, (v, c) => (c === 0 ? 1.15 * v : v)),
    },
    {
      name: 'contrast 1.2 about 0.18',
      line: 'contrast',
      done: ({ own }) => {
        const [dark, bright] = [own?.tones.p10 ?? 0, own?.tones.p90 ?? 0]
        const stops = (a: number, b: number): number => log((b + 0.004) / (a + 0.004)) / Math.LN2
        return stops(harder(dark), harder(bright)) - stops(dark, bright)
      },
      least: 0.1,
      patch: cut(plate, harder),
    },
    { name: 'grain 20 % up', line: 'grain', done: () => 20, least: 3, patch: cut(plate, noisier(law, 0.2)) },
    {
      name: 'blurred by 0.5 px',
      line: 'sharpness',
      done: () => 0.5,
      least: 0.1,
      patch: cut(plate, (_, c, n) => soft.data[n * 3 + c] ?? 0),
    },
  ]
}

/** What a patch is after all its lines are matched, a few rounds. */
function matched(crew: Crew, set: PatchSet, patch: FloatImage): LayerCheck {
  let now: MatchedLayer = { ...BARE_LAYER, grain: 0 }
  let check: LayerCheck | undefined
  for (let round = 0; round < ROUNDS; round++) {
    check = checkFrame(crew, set.inputs(patch, now)).layers[0] as LayerCheck
    const off = check.lines
      .filter((one) => !one.within && matchRound(LAYER_MATCHES, round).includes(one.name))
      .map(({ name }) => name)
    if (off.length === 0 || !check.own || !check.plate) break
    now = { ...now, ...matchedLayer(now, check.own, check.plate, check.lines, off) }
  }
  return checkFrame(crew, set.inputs(patch, now)).layers[0] as LayerCheck
}

const linesOut = ({ lines }: LayerCheck): string =>
  lines
    .filter((one) => !one.within)
    .map(({ name, difference }) => `${name} ${difference.toFixed(2)}`)
    .join(', ') || 'none'

/** Rows of spoiled patches: what was said against what was done, and what is left after match all. */
export function patchRows(crew: Crew): Row[] {
  const set = patchSet(crew)
  const clean = checkFrame(crew, set.inputs(cut(set.plate))).layers[0] as LayerCheck
  const rows: Row[] = [
    {
      case: 'sit, an untouched patch: lines out of the spread',
      reference: 'the plate itself',
      expected: 'none',
      measured: linesOut(clean),
      tolerance: 'exact',
      pass: clean.lines.length >= 6 && linesOut(clean) === 'none',
    },
  ]
  for (const { name, line, done, least, patch } of spoiledPatches(set)) {
    const found = checkFrame(crew, set.inputs(patch)).layers[0] as LayerCheck
    const own = lineOf(found, line)
    const said = own === undefined ? Number.NaN : line === 'sharpness' ? blurBetween(own) : own.difference
    const wanted = done(clean)
    const row = within(`sit, a patch ${name}: said (${line})`, 'what was done', wanted, said, 0.15)
    rows.push({
      ...row,
      tolerance: `15 % or ${least}`,
      pass: Math.abs(said - wanted) <= Math.max(0.15 * Math.abs(wanted), least),
    })
    const after = matched(crew, set, patch)
    rows.push({
      case: `sit, a patch ${name}: out after match all`,
      reference: 'the plate itself',
      expected: 'none',
      measured: linesOut(after),
      tolerance: 'exact',
      pass: linesOut(after) === 'none',
    })
  }
  return rows
}
