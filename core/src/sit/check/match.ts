import { pow } from '../../math/index.ts'
import { type CheckFigures, contrastOf, stopsOf, type Tones } from './figures.ts'
import { blurBetween, type CheckLine, type LineName } from './lines.ts'

// What a layer's settings become so that its lines are the plate's.

/** The settings of a layer that the check changes. */
export interface MatchedLayer {
  black: number
  white: number
  contrast: number
  pivot: number
  tint: readonly [number, number, number]
  softness: number
  grain: number
  calm: number
  shadow: number
  streak: number
}

/** The lines of a match's n-th round: in the third the ends alone, which colour and contrast moved. */
export const matchRound = (asked: readonly LineName[], round: number): LineName[] =>
  round !== 2 ? [...asked] : asked.filter((name) => name !== 'contrast' && name !== 'colour')

/** Lines that a press can match by a layer's own settings. */
export const LAYER_MATCHES: readonly LineName[] = [
  'black',
  'white',
  'colour',
  'contrast',
  'grain',
  'sharpness',
  'shadow',
  'blur',
  'halo',
]

const clamp = (value: number, low: number, high: number): number => Math.min(high, Math.max(low, value))
/** How far contrast is turned at once, and in how many steps that is looked for. */
const MOST_TURN = 1.6
const STEPS = 48
/** Beyond these a match spoils more than it mends. */
const [LEAST_CONTRAST, MOST_CONTRAST] = [0.55, 1.8]
const [LEAST_WHITE, MOST_WHITE] = [0.1, 4]
const [LEAST_TINT, MOST_TINT_GAIN] = [0.6, 1.6]
/** Of two contrasts that serve alike the lesser turn is taken: what a whole turn costs, stops. */
const TURN_COST = 0.03
/** Stops between its darkest and brightest parts by which an area counts as even. */
const EVEN = 0.5
/** How far a tint goes at once, stops. */
const MOST_TINT = 0.6

/**
 * Black, white and contrast that bring a layer's asked tones to the plate's: v becomes pivot x ((a v + b) / pivot)^c. White alone is a gain; black alone keeps the white; contrast alone keeps the middle.
 * Of all c that one is taken by which dark and bright parts are so many stops apart as the plate's.
 */
function matchedTones(
  now: MatchedLayer,
  own: Tones,
  plate: Tones,
  asked: readonly LineName[],
): Pick<MatchedLayer, 'black' | 'white' | 'contrast'> {
  const { pivot } = now
  const [black, white] = [asked.includes('black'), asked.includes('white')]
  // What is evenly lit has no tones to spread: it would only grow spots.
  const even = stopsOf(own.p98) - stopsOf(own.p2) < EVEN
  // Before the contrast that the layer has now, or would have.
  const back = (v: number, c: number): number => pivot * pow(Math.max(1e-6, v) / pivot, 1 / c)
  const before = (v: number): number => back(v, now.contrast)
  const line = (c: number): { a: number; b: number } => {
    if (!black || even) {
      const [from, to] = white ? [own.p98, plate.p98] : [own.p50, own.p50]
      return { a: back(to, c) / Math.max(1e-6, before(from)), b: 0 }
    }
    const [low, high] = [back(plate.p2, c), back(white ? plate.p98 : own.p98, c)]
    const [dark, bright] = [before(own.p2), before(own.p98)]
    const a = (high - low) / Math.max(1e-6, bright - dark)
    const b = low - a * dark
    // As much as the darkest tone has, at most; what is darker has less taken (kernels/assembly/grade.ts).
    const most = Math.max(0, dark)
    if (b >= -a * most) return { a, b }
    const held = high / Math.max(1e-6, bright - most)
    return { a: held, b: -held * most }
  }
  const contrast = asked.includes('contrast') ? matchedContrast(now, own, plate, black, line, before) : now.contrast
  const { a, b } = line(contrast)
  const darkest = clamp(a * now.black + b, -1, 2)
  return {
    black: darkest,
    white: clamp(darkest + a * (now.white - now.black), LEAST_WHITE, MOST_WHITE),
    contrast,
  }
}

/** The contrast by which a layer's dark and bright parts are so many stops apart as the plate's, and its black is as deep where that is asked too. */
function matchedContrast(
  { contrast: now, pivot }: MatchedLayer,
  own: Tones,
  plate: Tones,
  black: boolean,
  line: (c: number) => { a: number; b: number },
  before: (v: number) => number,
): number {
  const off = (c: number): number => {
    const { a, b } = line(c)
    const at = (v: number): number => stopsOf(pivot * pow(Math.max(1e-6, a * before(v) + b) / pivot, c))
    const deep = black ? Math.abs(at(own.p2) - stopsOf(plate.p2)) : 0
    return Math.abs(at(own.p90) - at(own.p10) - contrastOf(plate)) + deep
  }
  let [contrast, least] = [now, off(now)]
  for (let n = -STEPS; n <= STEPS; n++) {
    const c = now * pow(MOST_TURN, n / STEPS)
    if (c < LEAST_CONTRAST || c > MOST_CONTRAST) continue
    const cost = off(c) + TURN_COST * Math.abs(n / STEPS)
    if (cost < least) [contrast, least] = [c, cost]
  }
  return contrast
}

/** Tint that brings a layer's neutral parts to the plate's, as bright as they are. */
function matchedTint(tint: MatchedLayer['tint'], parts: readonly number[]): [number, number, number] {
  const [red = 0, blue = 0] = parts
  const held = (stops: number): number => clamp(stops, -MOST_TINT, MOST_TINT)
  const gain = [pow(2, -held(red)), 1, pow(2, -held(blue))]
  const level = 0.2126 * (gain[0] ?? 1) + 0.7152 + 0.0722 * (gain[2] ?? 1)
  return tint.map((t, c) => clamp((t * (gain[c] ?? 1)) / level, LEAST_TINT, MOST_TINT_GAIN)) as [number, number, number]
}

/** A layer's noise is what it brings and what is laid on it: variances add. What it brings too much of is taken out, a little more each time it is still seen; what is then missing is laid on. */
function matchedGrain(now: MatchedLayer, { plate, layer }: CheckLine): Pick<MatchedLayer, 'grain' | 'calm'> {
  const laid = now.grain * plate
  const brought = Math.max(0, layer * layer - laid * laid)
  const wanted = plate * plate - brought
  if (wanted >= 0) return { grain: clamp(Math.sqrt(wanted) / Math.max(1, plate), 0, 4), calm: now.calm }
  return { grain: 0, calm: clamp(now.calm + 1.3 * (1 - plate / Math.sqrt(brought)), 0, 1) }
}

/** Frames of shutter to put back so that streaks are as long as the plate's; lengths add as their squares. What the picture itself has too much of can't be taken away. */
function matchedStreak(now: number, { plate, layer, parts }: CheckLine): number {
  const long = parts?.[0] ?? 0
  if (long <= 0) return now
  const made = layer * layer - long * long * now * now
  return clamp(Math.sqrt(Math.max(0, plate * plate - made)) / long, 0, 2)
}

/**
 * The settings of a layer after the asked lines are matched. own, plate: what both areas were measured to be, plate values; scale: px of that picture per px of the full plate.
 * Lines that need nothing, or can't be told, change nothing.
 */
export function matchedLayer(
  now: MatchedLayer,
  own: CheckFigures,
  plate: CheckFigures,
  lines: readonly CheckLine[],
  asked: readonly LineName[],
  scale = 1,
): Partial<MatchedLayer> {
  const line = (name: LineName): CheckLine | undefined =>
    asked.includes(name) ? lines.find((one) => one.name === name) : undefined
  const changed: Partial<MatchedLayer> = {}
  const tones = (['black', 'white', 'contrast'] as const).filter((name) => line(name))
  if (tones.length > 0) Object.assign(changed, matchedTones(now, own.tones, plate.tones, tones))
  const colour = line('colour')
  if (colour?.parts) changed.tint = matchedTint(now.tint, colour.parts)
  const grain = line('grain')
  if (grain) Object.assign(changed, matchedGrain(now, grain))
  const sharp = line('sharpness')
  if (sharp) {
    const blur = blurBetween(sharp) / scale
    const variance = Math.sign(now.softness) * now.softness * now.softness - Math.sign(blur) * blur * blur
    changed.softness = clamp(Math.sign(variance) * Math.sqrt(Math.abs(variance)), -2, 40)
  }
  const blur = line('blur')
  if (blur) changed.streak = matchedStreak(now.streak, blur)
  const shadow = line('shadow')
  if (shadow) changed.shadow = clamp((now.shadow * shadow.plate) / Math.max(1, shadow.layer), 0, 2)
  return changed
}
