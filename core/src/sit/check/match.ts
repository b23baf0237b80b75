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
}

/** Lines that a press can match by a layer's own settings. */
export const LAYER_MATCHES: readonly LineName[] = [
  'black',
  'white',
  'colour',
  'contrast',
  'grain',
  'sharpness',
  'shadow',
]

const clamp = (value: number, low: number, high: number): number => Math.min(high, Math.max(low, value))
const ROUNDS = 40
/** How far contrast is turned at once. */
const LEAST_CONTRAST = 0.4
const MOST_CONTRAST = 2.5

/** Tones as the plate's should be: of lines that are not asked for as they are. */
interface Wanted {
  p2: number
  p98: number
  stops: number
}

function wantedOf(own: Tones, plate: Tones, asked: readonly LineName[]): Wanted {
  const of = (line: LineName, a: number, b: number): number => (asked.includes(line) ? a : b)
  return {
    p2: of('black', plate.p2, own.p2),
    p98: of('white', plate.p98, own.p98),
    stops: of('contrast', contrastOf(plate), contrastOf(own)),
  }
}

/**
 * Black, white and contrast that bring a layer's tones to those that are wanted: v becomes pivot x ((a v + b) / pivot)^c. For each c the ends give a and b; c itself is found by halving, so that dark and bright parts are so many stops apart.
 */
function matchedTones(
  now: MatchedLayer,
  own: Tones,
  wanted: Wanted,
): Pick<MatchedLayer, 'black' | 'white' | 'contrast'> {
  const { pivot } = now
  // Before the contrast that the layer has now.
  const back = (v: number): number => pivot * pow(Math.max(1e-6, v) / pivot, 1 / now.contrast)
  const before = { p2: back(own.p2), p10: back(own.p10), p90: back(own.p90), p98: back(own.p98) }
  const ends = (c: number): { a: number; b: number } => {
    const low = pivot * pow(Math.max(1e-6, wanted.p2) / pivot, 1 / c)
    const high = pivot * pow(Math.max(1e-6, wanted.p98) / pivot, 1 / c)
    const a = (high - low) / Math.max(1e-6, before.p98 - before.p2)
    return { a, b: low - a * before.p2 }
  }
  const stops = (c: number): number => {
    const { a, b } = ends(c)
    const at = (v: number): number => stopsOf(pivot * pow(Math.max(1e-6, a * v + b) / pivot, c))
    return at(before.p90) - at(before.p10)
  }
  let contrast = now.contrast
  // Between fixed ends more contrast brings the middle down: the stops between tones rise with it where most tones lie low.
  const [low, high] = [now.contrast * LEAST_CONTRAST, now.contrast * MOST_CONTRAST]
  const [least, most] = [stops(low), stops(high)]
  if (Math.abs(stops(contrast) - wanted.stops) > 0.02 && least !== most) {
    let [from, to] = [low, high]
    for (let n = 0; n < ROUNDS; n++) {
      const middle = (from + to) / 2
      if (stops(middle) < wanted.stops === least < most) from = middle
      else to = middle
    }
    contrast = (from + to) / 2
  }
  const { a, b } = ends(contrast)
  const black = a * now.black + b
  return {
    black: clamp(black, -1, 2),
    white: clamp(black + a * (now.white - now.black), 0, 8),
    contrast: clamp(contrast, 0.05, 8),
  }
}

/** Tint that brings a layer's neutral parts to the plate's, as bright as they are. */
function matchedTint(tint: MatchedLayer['tint'], parts: readonly number[]): [number, number, number] {
  const [red = 0, blue = 0] = parts
  const gain = [pow(2, -red), 1, pow(2, -blue)]
  const level = 0.2126 * (gain[0] ?? 1) + 0.7152 + 0.0722 * (gain[2] ?? 1)
  return tint.map((t, c) => clamp((t * (gain[c] ?? 1)) / level, 0, 4)) as [number, number, number]
}

/** A layer's noise is what it brings and what is laid on it: variances add. What it brings too much of is taken out, a little more each time it is still seen. */
function matchedGrain(now: MatchedLayer, { plate, layer }: CheckLine): Pick<MatchedLayer, 'grain' | 'calm'> {
  const laid = now.grain * plate
  const brought = Math.max(0, layer * layer - laid * laid)
  const wanted = plate * plate - brought
  if (wanted >= 0) {
    const grain = clamp(Math.sqrt(wanted) / Math.max(1, plate), 0, 4)
    return { grain: now.calm > 0 ? now.grain : grain, calm: now.calm > 0 ? clamp(now.calm * 0.8, 0, 1) : 0 }
  }
  return { grain: 0, calm: clamp(now.calm + 1.3 * (1 - plate / Math.sqrt(brought)), 0, 1) }
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
  if (tones.length > 0) Object.assign(changed, matchedTones(now, own.tones, wantedOf(own.tones, plate.tones, tones)))
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
  const shadow = line('shadow')
  if (shadow) changed.shadow = clamp((now.shadow * shadow.plate) / Math.max(1, shadow.layer), 0, 2)
  return changed
}
