import { type Crew, LanternError } from '../base/index.ts'
import { type Camera, type FloatImage, pixelRay, pointAlong, projectPoint } from '../data/index.ts'
import type { Vec3 } from '../math/index.ts'
import type { ItemDocument } from '../settings/index.ts'
import { type CheckArea, type ShotDocument, shotLayers } from '../shot/index.ts'
import {
  areaLines,
  type CheckFigures,
  type CheckLine,
  type Cover,
  eroded,
  type GrainLaw,
  grown,
  isIn,
  type LaidAside,
  measureArea,
  NO_COVER,
  NO_REGION,
  plateValues,
  type Region,
  regionOf,
  regionWhere,
  type Spreads,
  type StackLay,
  type StackPicture,
  type StackSettings,
} from '../sit/index.ts'
import { thinLayers } from './motions.ts'
import { pickSurface } from './pick.ts'
import { blurLine, fireHaloLine, haloLine, type LineContext, lightLine, type PlateSun, shadowLine } from './sitLines.ts'
import { type SlideInputs, slideLine } from './slides.ts'
import { composeFrame } from './stack.ts'

// The sit check of one frame: what each layer has against the plate beside it.

/** What one lay was found to be. */
export interface LayerCheck {
  /** Of the lay; 'picture' for all that is added together. */
  id: string
  name: string
  /** Share of the picture that is measured of it. */
  share: number
  lines: CheckLine[]
  /** What it and the plate's area were measured to be, for a match; none where too little of it is seen. */
  own?: CheckFigures
  plate?: CheckFigures
}

export interface FrameCheck {
  frame: number
  /** Px of the picture that was measured per px of the full plate. */
  scale: number
  layers: LayerCheck[]
}

/** What a check is made from. plate: as lightOfPlate gives it; settings: of the stack at the frame; names: the lays, in the order of settings.lays; area: of the picture as a whole. */
export interface CheckInputs {
  plate: FloatImage
  picture: StackPicture
  settings: StackSettings
  names: readonly CheckedLay[]
  fullWidth: number
  frame: number
  spreads: Spreads
  area?: CheckedLay['area']
  /** The plate's sun and sky. */
  sun?: PlateSun
  /** Whether the picture is a quick one, whose own noise tells nothing of the layer's grain. */
  quick?: boolean
  /** How far lays slide since another frame. */
  slide?: SlideInputs
  /** How fast lays go for their size, by lay. */
  speeds?: Readonly<Record<string, CheckLine>>
  /** Share of a frame's time with the shutter open: of the plate as measured, of the picture as it was made. */
  shutter?: { plate: number; picture: number }
}

/** A lay as the check takes it. */
export interface CheckedLay {
  id: string
  name: string
  /** The picture's layer; none: several together. */
  of?: string
  /** Smoke, dust, rain: its tones are no surface's; only what is darker than the plate's black is wrong. */
  thin?: boolean
  /** Filmed: what lets much through is taken as thin. */
  filmed?: boolean
  /** The area beside, px of the full plate at this frame; none: what is round it. */
  area?: readonly (readonly [number, number])[]
}

/** Less of a picture than this many px tells nothing. */
const LEAST_PIXELS = 260
/** What is this well covered is measured; of thin layers what is as near to their thickest. */
const COVERED = 0.9
const LEAST_COVER = 0.35
/** Of what is filmed more than this share must hide the plate, else it is thin. */
const LEAST_SOLID = 0.5
const SEEN = 0.1
/** How far round a layer the plate is taken where no area was chosen, px of the full plate. */
const ROUND = 70
const GAP = 5

/** Where an area of the plate lies at another frame: each corner goes with the set under it, or with what is under its middle. */
export function areaAt(
  document: ItemDocument,
  area: CheckArea,
  cameras: (frame: number) => Camera | undefined,
  frame: number,
): [number, number][] {
  const [then, now] = [cameras(area.frame), cameras(frame)]
  const corners = area.corners.map(([x, y]): [number, number] => [x, y])
  if (!then || !now || area.frame === frame) return corners
  const middle = corners.reduce(
    (sum, [x, y]): [number, number] => [sum[0] + x / corners.length, sum[1] + y / corners.length],
    [0, 0],
  )
  const under = (x: number, y: number): Vec3 | undefined => pickSurface(document, then, x, y, area.frame)?.point
  const held = under(...middle)
  const depth = held && projectPoint(then, held)?.depth
  return corners.map(([x, y]) => {
    const place = under(x, y) ?? (depth === undefined ? undefined : pointAlong(pixelRay(then, x, y), depth))
    const at = place && projectPoint(now, place)
    return at ? [at.x, at.y] : [x, y]
  })
}

/** Whether a lay is no surface. */
function isThin({ thin, filmed }: CheckedLay, { alpha }: Cover): boolean {
  if (thin || !filmed) return thin === true
  let [seen, hides] = [0, 0]
  for (const share of alpha) {
    if (share >= SEEN) seen++
    if (share >= COVERED) hides++
  }
  return hides < LEAST_SOLID * seen
}

/** The part of a layer that can be measured. What others hide of it its picture has left out. */
function measuredPart(cover: Cover, width: number, height: number): Region {
  const most = cover.alpha.reduce((a, b) => Math.max(a, b), 0)
  if (most < LEAST_COVER) return NO_REGION
  const least = Math.max(LEAST_COVER, COVERED * Math.min(1, most))
  const at = (n: number): number => (Math.floor(n / width) - cover.y) * cover.width + (n % width) - cover.x
  const whole = regionWhere(width, height, (n) => (cover.alpha[at(n)] ?? 0) >= least, cover)
  const inner = eroded(whole, 2, width, height)
  return inner.pixels >= LEAST_PIXELS ? inner : whole
}

/** The plate that layers are held against: the area that was chosen, else what is round a layer and bare. Throws LanternError 'area' where none of it is in the picture. */
function platePart(
  { fullWidth, frame }: CheckInputs,
  area: CheckedLay['area'],
  part: Region,
  covered: Float32Array,
  { width, height }: FloatImage,
): Region {
  const scale = width / fullWidth
  if (area) {
    const chosen = regionOf(
      area.map(([x, y]) => [x * scale, y * scale]),
      width,
      height,
    )
    if (chosen.pixels < LEAST_PIXELS)
      throw new LanternError(
        'area',
        `The area beside is not in the picture at frame ${frame}.`,
        'Drag it to where the plate is seen, or draw it again.',
        { frame, field: 'area' },
      )
    return chosen
  }
  const gap = grown(part, Math.max(2, Math.round(GAP * scale)), width, height)
  const round = grown(part, Math.round(ROUND * scale), width, height)
  return regionWhere(
    width,
    height,
    (n) => {
      const [x, y] = [n % width, Math.floor(n / width)]
      return isIn(round, x, y) && !isIn(gap, x, y) && (covered[n] ?? 0) < 0.02
    },
    round,
  )
}

/** A plate's grain as a picture of this scale has it: a pixel there is a mean of 1 / scale^2. */
export const scaledLaw = ({ floor, slope, spread }: GrainLaw, scale: number): GrainLaw => {
  const less = (values: readonly number[]) => values.map((v) => v * scale * scale) as [number, number, number]
  return { floor: less(floor), slope: less(slope), spread }
}

/** What all lays cover together. */
function covered(covers: readonly Cover[], width: number, height: number): Cover {
  const all: Cover = { x: 0, y: 0, width, height, alpha: new Float32Array(width * height), light: new Float32Array() }
  for (const { x, y, width: w, height: h, alpha } of covers)
    for (let j = 0; j < h; j++)
      for (let i = 0; i < w; i++) {
        const n = (y + j) * width + x + i
        all.alpha[n] = Math.min(1, (all.alpha[n] ?? 0) + (alpha[j * w + i] ?? 0))
      }
  return all
}

/** The lines of what is no surface: black, where it is deeper than the plate's, and grain. */
const thinLines = (lines: readonly CheckLine[]): CheckLine[] =>
  lines.flatMap((line) => {
    if (line.name === 'black') return [{ ...line, within: line.difference >= -line.spread }]
    return line.name === 'grain' || line.name === 'grainSize' ? [line] : []
  })

/**
 * Checks a frame: each lay, and all of them together, against the plate. Lays that hide nothing, or too little, have no lines of tones.
 * Throws LanternError 'area', 'layer-size'.
 */
export function checkFrame(crew: Crew, inputs: CheckInputs): FrameCheck {
  const { plate, picture, settings, names, fullWidth, frame, spreads } = inputs
  const { width, height } = plate
  const scale = width / fullWidth
  const law = scaledLaw(settings.grain, scale)
  const aside: LaidAside = { covers: settings.lays.map(() => NO_COVER) }
  const light = composeFrame(crew, plate, picture, settings, fullWidth, frame, aside)
  const { covers, shadows, unspread = light } = aside
  const laid = plateValues(crew, light, settings.sensor)
  // The plate alone as it is seen: drawn out where that is asked for.
  const alone = settings.plateStreak ? composeFrame(crew, plate, undefined, settings, fullWidth, frame) : plate
  const bare = plateValues(crew, alone, settings.sensor)
  const all = covered(covers, width, height)
  const { sun, shutter } = inputs
  const context: LineContext = {
    ...{ crew, frame, fullWidth, picture, settings, plate, alone, unspread, shadows, bare, laid, covered: all.alpha },
    ...(sun ? { sun } : {}),
    ...(shutter ? { shutter } : {}),
  }
  const besides = new Map<CheckedLay['area'], { figures: CheckFigures; region: Region }>()
  /** The plate that a layer is held against; undefined where too little of it is bare. */
  const besideOf = (area: CheckedLay['area'], part: Region) => {
    const known = besides.get(area)
    if (known) return known
    const there = platePart(inputs, area, part, all.alpha, plate)
    if (there.pixels < LEAST_PIXELS) return undefined
    const made = { figures: measureArea(bare, there, law), region: there }
    if (area) besides.set(area, made)
    return made
  }
  const check = (one: CheckedLay, cover: Cover, lay?: StackLay): LayerCheck => {
    const { id, of, name, area } = one
    const speed = inputs.speeds?.[id]
    const cast = [...(of === undefined ? [] : shadowLine(context, of)), ...(speed ? [speed] : [])]
    const part = measuredPart(cover, width, height)
    const share = part.pixels / (width * height)
    if (part.pixels < LEAST_PIXELS) return { id, name, share, lines: cast }
    const own = measureArea(laid, part, law, Math.round(3 * scale))
    const there = besideOf(area, part)
    if (!there) return { id, name, share, lines: cast, own }
    const tones = areaLines(there.figures, own, spreads).filter(
      ({ name: line }) => !inputs.quick || !/^grain/.test(line),
    )
    const solid = isThin(one, cover)
      ? thinLines(tones)
      : [
          ...tones,
          ...blurLine(context, lay, part),
          ...(inputs.slide && of ? slideLine(inputs.slide, { id, of }, picture, part, width) : []),
          ...(of ? lightLine(context, of, part) : []),
          ...haloLine(context, part, there.region),
        ]
    return { id, name, share, lines: [...solid, ...cast], own, plate: there.figures }
  }
  const solid = covered(
    covers.filter((cover, n) => names[n] && !isThin(names[n], cover)),
    width,
    height,
  )
  const whole = check(
    { id: 'picture', name: 'All that is added', ...(inputs.area ? { area: inputs.area } : {}) },
    solid,
  )
  const halo = fireHaloLine(context, covers)
  return {
    frame,
    scale,
    layers: [
      ...names.flatMap((one, n) => (covers[n] ? [check(one, covers[n], settings.lays[n])] : [])),
      { ...whole, lines: [...whole.lines.filter(({ name }) => name !== 'halo' || halo.length === 0), ...halo] },
    ],
  }
}

/** How many lines of a check are within the plate's own spread, and how many there are. */
export function checkScore({ layers }: Pick<FrameCheck, 'layers'>): { within: number; all: number } {
  const lines = layers.flatMap((layer) => layer.lines)
  return { within: lines.filter((line) => line.within).length, all: lines.length }
}

/** A shot's lays as the check takes them. areas: layers' own, as they lie at the frame. */
export const checkedLays = (
  document: Pick<ShotDocument, 'items' | 'plate' | 'signals' | 'sit'>,
  areas: Readonly<Record<string, CheckedLay['area']>>,
  shots?: CheckedLay['area'],
): CheckedLay[] => {
  const thin = thinLayers(document)
  return shotLayers(document).map(({ id, of, name, items }) => {
    const area = areas[id] ?? shots
    const filmed = items.every((item) => document.items[item]?.kind === 'card')
    return { id, of, name, thin: thin.has(of), filmed, ...(area ? { area } : {}) }
  })
}
