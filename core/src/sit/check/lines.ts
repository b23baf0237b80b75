import type { CheckedLine } from '../../data/index.ts'
import { type CheckFigures, contrastOf, RISE, stopsOf } from './figures.ts'

// The lines of the check: what is compared, in which unit, and how much of a difference a plate itself has.

/** The lines that are read off an area's pixels alone. */
export const AREA_LINES = ['black', 'white', 'colour', 'contrast', 'grain', 'grainSize', 'sharpness'] as const
export const OTHER_LINES = ['blur', 'slide', 'light', 'shadow', 'halo', 'speed'] as const
export type AreaLine = (typeof AREA_LINES)[number]
export type LineName = AreaLine | (typeof OTHER_LINES)[number]

export interface LineKind {
  label: string
  unit: 'st' | '%' | 'px' | '°'
  /** The most that the plate's own spread counts for, and the least that can be told. */
  most: number
  least: number
  hint: string
}
export const LINE_KINDS: Readonly<Record<LineName, LineKind>> = {
  black: { label: 'Black', unit: 'st', most: 0.15, least: 0.05, hint: 'Its darkest tones against the area’s.' },
  white: { label: 'White', unit: 'st', most: 0.15, least: 0.05, hint: 'Its brightest tones against the area’s.' },
  colour: {
    label: 'Neutral',
    unit: 'st',
    most: 0.15,
    least: 0.03,
    hint: 'Red and blue over green in its greyest parts.',
  },
  contrast: {
    label: 'Contrast',
    unit: 'st',
    most: 0.15,
    least: 0.05,
    hint: 'Stops between its dark and bright tones.',
  },
  grain: { label: 'Grain', unit: '%', most: 15, least: 4, hint: 'Its noise over the plate’s at the same brightness.' },
  grainSize: { label: 'Grain size', unit: 'px', most: 0.2, least: 0.05, hint: 'How wide a speck is.' },
  sharpness: {
    label: 'Sharpness',
    unit: 'px',
    most: 0.2,
    least: 0.04,
    hint: 'Rise of its plain edges, from 10 to 90 %.',
  },
  blur: {
    label: 'Motion blur',
    unit: 'px',
    most: 0.2,
    least: 0.2,
    hint: 'Its streaks against what the plate’s shutter makes of its movement.',
  },
  slide: { label: 'Slide', unit: 'px', most: 0.2, least: 0.2, hint: 'How far it moves against the nearest tracks.' },
  light: {
    label: 'Light from',
    unit: '°',
    most: 6,
    least: 6,
    hint: 'Where the light on it comes from, against the plate’s sun.',
  },
  shadow: {
    label: 'Shadow',
    unit: '%',
    most: 15,
    least: 5,
    hint: 'How much of the light its shadow takes, against the plate’s own.',
  },
  halo: {
    label: 'Halo',
    unit: '%',
    most: 2,
    least: 1,
    hint: 'Light round its highlights, against that round the plate’s.',
  },
  speed: { label: 'Speed for size', unit: '%', most: 15, least: 15, hint: 'How fast it moves for how large it is.' },
}

/** One line: what the plate has, what the layer has, how far apart they are, and how far they may be. */
export interface CheckLine extends CheckedLine {
  name: LineName
}

/** What an area has on a line, as a number in the line's unit; undefined where that can't be told. */
export function lineValue(name: AreaLine, figures: CheckFigures): number | undefined {
  const { tones, neutral, grain, sharp } = figures
  if (name === 'black') return stopsOf(tones.p2)
  if (name === 'white') return stopsOf(tones.p98)
  if (name === 'contrast') return contrastOf(tones)
  if (name === 'colour') return neutral && Math.max(Math.abs(neutral[0]), Math.abs(neutral[1]))
  if (name === 'grain') return grain && 100 * grain.level
  if (name === 'grainSize') return grain?.size
  return sharp?.all
}

/** How two areas differ on a line: the layer's less the plate's, in the line's unit. */
function differenceOf(name: AreaLine, plate: CheckFigures, layer: CheckFigures) {
  const [a, b] = [lineValue(name, plate), lineValue(name, layer)]
  if (a === undefined || b === undefined || Number.isNaN(a) || Number.isNaN(b)) return undefined
  if (name === 'grain') return { difference: 100 * (b / a - 1) }
  if (name !== 'colour' || !plate.neutral || !layer.neutral) return { difference: b - a }
  const parts = [layer.neutral[0] - plate.neutral[0], layer.neutral[1] - plate.neutral[1]] as const
  const [red, blue] = parts
  const difference = Math.abs(red) > Math.abs(blue) ? red : blue
  return { difference, parts }
}

/** A robust standard deviation: 1.4826 x the median of what values are off their median. */
export function robustSigma(values: readonly number[]): number {
  const sorted = [...values].sort((a, b) => a - b)
  const middle = sorted[sorted.length >> 1] ?? Number.NaN
  const off = sorted.map((value) => Math.abs(value - middle)).sort((a, b) => a - b)
  return 1.4826 * (off[off.length >> 1] ?? Number.NaN)
}

export type Spreads = Readonly<Record<AreaLine, number>>

/** How much a plate differs from itself on each line, from many areas of it; held between what can be told and what is allowed. */
export function spreadsOf(areas: readonly CheckFigures[]): Spreads {
  const one = (name: AreaLine): number => {
    const { most, least } = LINE_KINDS[name]
    const values = areas.flatMap((area) => {
      const value = lineValue(name, area)
      return value === undefined || Number.isNaN(value) ? [] : [value]
    })
    const sigma = robustSigma(values)
    return Math.min(most, Math.max(least, values.length < 8 || Number.isNaN(sigma) ? most : sigma))
  }
  return Object.fromEntries(AREA_LINES.map((name) => [name, one(name)])) as Spreads
}

/** A line of two numbers. */
export const lineOf = (
  name: LineName,
  plate: number,
  layer: number,
  difference: number,
  spread: number,
  more: Pick<CheckLine, 'note' | 'parts'> = {},
): CheckLine => ({ name, plate, layer, difference, spread, within: Math.abs(difference) <= spread, ...more })

/** The lines that two areas' pixels tell. */
export const areaLines = (plate: CheckFigures, layer: CheckFigures, spreads: Spreads): CheckLine[] =>
  AREA_LINES.flatMap((name) => {
    const found = differenceOf(name, plate, layer)
    if (!found) return []
    const { difference, ...more } = found
    return [lineOf(name, lineValue(name, plate) ?? 0, lineValue(name, layer) ?? 0, difference, spreads[name], more)]
  })

/** How many px of blur make the difference of two rises; below 0: so much would have to be taken away. */
export function blurBetween({ plate, layer }: Pick<CheckLine, 'plate' | 'layer'>): number {
  const variance = (layer * layer - plate * plate) / (RISE * RISE)
  return Math.sign(variance) * Math.sqrt(Math.abs(variance))
}

/** Over the plate's, and under it. */
const WORDS: Readonly<Record<LineName, readonly [string, string]>> = {
  black: ['lifted', 'deeper'],
  white: ['brighter', 'darker'],
  colour: ['', ''],
  contrast: ['harder', 'flatter'],
  grain: ['more', 'less'],
  grainSize: ['coarser', 'finer'],
  sharpness: ['softer', 'sharper'],
  blur: ['longer', 'shorter'],
  slide: ['off', 'off'],
  light: ['off', 'off'],
  shadow: ['denser', 'thinner'],
  halo: ['more', 'less'],
  speed: ['faster', 'slower'],
}

/** What a difference is in words: over or under the plate. */
export function saidOf({ name, difference, parts }: CheckLine): string {
  const size = Math.abs(difference)
  const { unit } = LINE_KINDS[name]
  const figure = unit === '%' || unit === '°' ? `${Math.round(size)} ${unit}` : `${size.toFixed(2)} ${unit}`
  const over = difference > 0
  if (name === 'colour' && parts) {
    const [red = 0, blue = 0] = parts
    const way = Math.abs(red) > Math.abs(blue) ? (red > 0 ? 'redder' : 'less red') : blue > 0 ? 'bluer' : 'less blue'
    return `${figure} ${way}`
  }
  return `${figure} ${WORDS[name][over ? 0 : 1]}`
}
