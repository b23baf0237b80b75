import type { Crew } from '../base/index.ts'
import { type GasFrame, paddedCells, type Whirls } from '../data/index.ts'
import { conjugate, type Quaternion, rotate, type Vec3 } from '../math/index.ts'
import { type FieldWishes, type GasFields, refineFields, uploadFields } from './gasFields.ts'

/** Kept cells per cell of the light grid: the finest whose work (its cells times the lights and directions that each looks along) stays within bounds, the last where none does. */
export const LIGHT_FACTORS = [1, 2, 4] as const
/** Directions that a cell looks along for the sun and the sky. */
const SKY_AND_SUN = 6

export function lightFactor(size: readonly [number, number, number], lights: number, work: number): number {
  const cells = size[0] * size[1] * size[2]
  return LIGHT_FACTORS.find((factor) => (cells / factor ** 3) * (lights + SKY_AND_SUN) <= work) ?? 4
}

const BLOCK_BYTES = 192

/** Where a kept gas is shown: world = turn (scale x mirror x gas) + shift. */
export interface Placement {
  turn: Quaternion
  scale: number
  /** Right for left, before it is turned. */
  mirror: boolean
  shift: Vec3
}
export const AT_HOME: Placement = { turn: [0, 0, 0, 1], scale: 1, mirror: false, shift: [0, 0, 0] }

/** A direction of the world in the gas's space, unit. */
export function intoGas(place: Placement, direction: Vec3): Vec3 {
  const [x, y, z] = rotate(conjugate(place.turn), direction)
  return [place.mirror ? -x : x, y, z]
}

/** A place of the world in the gas's space. */
export function placeInGas(place: Placement, at: Vec3): Vec3 {
  const local = intoGas(place, [at[0] - place.shift[0], at[1] - place.shift[1], at[2] - place.shift[2]])
  return [local[0] / place.scale, local[1] / place.scale, local[2] / place.scale]
}

/** A place of the gas's space in the world. */
export function placeInWorld(place: Placement, at: Vec3): Vec3 {
  const turned = rotate(place.turn, [
    (place.mirror ? -at[0] : at[0]) * place.scale,
    at[1] * place.scale,
    at[2] * place.scale,
  ])
  return [turned[0] + place.shift[0], turned[1] + place.shift[1], turned[2] + place.shift[2]]
}

/** A gas frame laid out for the light and march kernels; `block` is the table in kernels/assembly/gaslight.ts. */
export interface GasBlock {
  block: number
  coarse: readonly [number, number, number]
}

export interface GasLayout extends FieldWishes {
  /** Its share where two frames are blended, and by how many seconds its velocity carries it. */
  weight: number
  ahead: number
  place: Placement
  /** Whirls between its cells, where the picture shows them. */
  whirls?: Whirls
  /** Kept cells per cell of the light grid. */
  lightCells: number
  /** Which of the picture's layers it is. */
  layer: number
}

const PLAIN: Omit<GasLayout, 'extinctionPerSoot'> = {
  weight: 1,
  ahead: 0,
  place: AT_HOME,
  moves: false,
  burns: false,
  lightCells: 4,
  layer: 0,
}

/** What of a block's words are not its fields'. */
interface BlockParts {
  frame: GasFrame
  fields: GasFields
  coarse: readonly [number, number, number]
  lightCell: number
  coarseExtinction: number
  light: number
  slope: number
  layout: GasLayout
}

/** Writes the words of a block as the kernels read them (kernels/assembly/gaslight.ts). */
function writeBlock(crew: Crew, block: number, parts: BlockParts): void {
  const { frame, fields, coarse, lightCell, coarseExtinction, light, slope, layout } = parts
  const { weight, ahead, place } = layout
  const floats = crew.heap.f32(block, BLOCK_BYTES / 4)
  const words = crew.heap.i32(block, BLOCK_BYTES / 4)
  floats.set([...fields.low, fields.cell])
  words.set([...fields.size, fields.extinction, fields.kelvin, fields.marks, ...fields.tiles], 4)
  floats[13] = lightCell
  words.set([...coarse, coarseExtinction, light, fields.speed, fields.fuel], 14)
  // Columns of the matrix are the world's axes in the gas.
  const columns = (
    [
      [1, 0, 0],
      [0, 1, 0],
      [0, 0, 1],
    ] as const
  ).map((axis) => intoGas(place, axis).map((part) => part / place.scale))
  const shift = placeInGas(place, [0, 0, 0])
  floats.set(
    [
      weight,
      ahead,
      place.scale,
      ...[0, 1, 2].flatMap((row) => columns.map((column) => column[row] ?? 0)),
      ...shift,
      ...intoGas(place, [0, 1, 0]),
    ],
    21,
  )
  words[39] = 0
  floats[40] = frame.ambient
  words.set([fields.mixture, slope], 41)
  floats.set([fields.tileEdge, fields.speedCells], 43)
  words[45] = layout.whirls ? 0 : 1
  words[46] = layout.layer
}

/** Lays a kept gas frame on the crew's heap: its fields, finer where whirls are given, and the extinction summed for the light. */
export function uploadGasFrame(
  crew: Crew,
  frame: GasFrame,
  wanted: Pick<GasLayout, 'extinctionPerSoot'> & Partial<GasLayout>,
): GasBlock {
  const layout: GasLayout = { ...PLAIN, ...wanted }
  const { heap } = crew
  const kept = uploadFields(crew, frame, layout)
  const fields = layout.whirls ? refineFields(crew, kept, frame.ambient, layout.whirls) : kept
  const cells = paddedCells(fields.size)
  const factor = layout.lightCells * (layout.whirls?.factor ?? 1)
  const coarse = fields.size.map((n) => Math.ceil(n / factor)) as [number, number, number]
  const coarseCells = paddedCells(coarse)
  const coarseExtinction = heap.alloc(coarseCells * 4)
  heap.f32(coarseExtinction, coarseCells).fill(0)
  const light = heap.alloc(coarseCells * 32)
  heap.f32(light, coarseCells * 8).fill(0)
  const slope = fields.mixture && heap.alloc(cells * 4)
  if (slope) {
    heap.f32(slope, cells).fill(0)
    crew.run('gradientLength', [slope, fields.mixture, 0.5 / fields.cell, ...fields.size], fields.size[2])
  }
  const block = heap.alloc(BLOCK_BYTES)
  writeBlock(crew, block, {
    frame,
    fields,
    coarse,
    lightCell: fields.cell * factor,
    coarseExtinction,
    light,
    slope,
    layout,
  })
  crew.run('coarsenExtinction', [block, factor, layout.weight], coarse[2])
  return { block, coarse }
}
