import { type Crew, LanternError } from '../base/index.ts'
import { type Camera, type FloatImage, pixelRay, pointAlong, projectPoint } from '../data/index.ts'
import type { Vec3 } from '../math/index.ts'
import type { ItemDocument } from '../settings/index.ts'
import type { CheckArea } from '../shot/index.ts'
import {
  areaLines,
  type CheckFigures,
  type CheckLine,
  coverOf,
  eroded,
  type GrainLaw,
  grown,
  isIn,
  measureArea,
  plateValues,
  type Region,
  regionOf,
  regionWhere,
  type Spreads,
  type StackPicture,
  type StackSettings,
} from '../sit/index.ts'
import { pickSurface } from './pick.ts'
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

/** What a check is made from. plate: as lightOfPlate gives it; settings: of the stack at the frame; names: by the lays' ids, in the order of settings.lays. */
export interface CheckInputs {
  plate: FloatImage
  picture: StackPicture
  settings: StackSettings
  names: readonly { id: string; name: string }[]
  fullWidth: number
  frame: number
  spreads: Spreads
  /** The area beside, px of the full plate at this frame; none: what is round each layer. */
  area?: readonly (readonly [number, number])[]
}

/** Less of a picture than this many px tells nothing. */
const LEAST_PIXELS = 260
/** What is this well covered is measured; of thin layers what is as near to their thickest. */
const COVERED = 0.9
const LEAST_COVER = 0.35
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

/** The part of a layer that can be measured. */
function measuredPart(alpha: Float32Array, width: number, height: number): Region {
  const most = alpha.reduce((a, b) => Math.max(a, b), 0)
  if (most < LEAST_COVER) return regionWhere(0, 0, () => false)
  const least = Math.max(LEAST_COVER, COVERED * Math.min(1, most))
  const whole = regionWhere(width, height, (n) => (alpha[n] ?? 0) >= least)
  const inner = eroded(whole, 2, width, height)
  return inner.pixels >= LEAST_PIXELS ? inner : whole
}

/** The plate that layers are held against: the area that was chosen, else what is round a layer and bare. Throws LanternError 'area' where none of it is in the picture. */
function platePart(
  { area, fullWidth, frame }: CheckInputs,
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

/**
 * Checks a frame: each lay, and all of them together, against the plate. Lays that hide nothing, or too little, have no lines of tones.
 * Throws LanternError 'area', 'layer-size'.
 */
export function checkFrame(crew: Crew, inputs: CheckInputs): FrameCheck {
  const { plate, picture, settings, names, fullWidth, frame, spreads } = inputs
  const { width, height } = plate
  const scale = width / fullWidth
  const law = scaledLaw(settings.grain, scale)
  const laid = plateValues(crew, composeFrame(crew, plate, picture, settings, fullWidth, frame), settings.sensor)
  const bare = plateValues(crew, plate, settings.sensor)
  const covers = settings.lays.map((lay) => coverOf(crew, plate, picture, settings, lay, scale).alpha)
  const all = new Float32Array(width * height)
  for (const cover of covers) for (let n = 0; n < all.length; n++) all[n] = Math.min(1, (all[n] ?? 0) + (cover[n] ?? 0))
  const chosen =
    inputs.area &&
    platePart(
      inputs,
      regionWhere(0, 0, () => false),
      all,
      plate,
    )
  const beside = chosen && measureArea(bare, chosen, law)
  const check = (id: string, name: string, alpha: Float32Array): LayerCheck => {
    const part = measuredPart(alpha, width, height)
    const share = part.pixels / (width * height)
    if (part.pixels < LEAST_PIXELS) return { id, name, share, lines: [] }
    const around = beside ? undefined : platePart(inputs, part, all, plate)
    const own = measureArea(laid, part, law, Math.round(3 * scale))
    if (around && around.pixels < LEAST_PIXELS) return { id, name, share, lines: [], own }
    const there = beside ?? measureArea(bare, around as Region, law)
    return { id, name, share, lines: areaLines(there, own, spreads), own, plate: there }
  }
  return {
    frame,
    scale,
    layers: [
      ...names.map(({ id, name }, n) => check(id, name, covers[n] ?? new Float32Array(width * height))),
      check('picture', 'All that is added', all),
    ],
  }
}

/** How many lines of a check are within the plate's own spread, and how many there are. */
export function checkScore({ layers }: Pick<FrameCheck, 'layers'>): { within: number; all: number } {
  const lines = layers.flatMap((layer) => layer.lines)
  return { within: lines.filter((line) => line.within).length, all: lines.length }
}
