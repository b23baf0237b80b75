import type { Crew } from '../base/index.ts'
import { type GasFrame, halfTable, paddedCells, TILE, tileCounts } from '../data/index.ts'
import { mixtureOf, SHEET_AT } from '../light/index.ts'
import { conjugate, type Quaternion, rotate, type Vec3 } from '../math/index.ts'

/** Fine cells per cell of the coarse light grid. */
export const LIGHT_FACTOR = 4
const BLOCK_BYTES = 172
/** Gas hotter than this by so much burns where it still holds fuel, K. */
const BURNS_FROM = 350

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

export interface GasLayout {
  /** m^2/kg. */
  extinctionPerSoot: number
  /** Its share where two frames are blended, and by how many seconds its velocity carries it. */
  weight: number
  ahead: number
  place: Placement
  /** Whether its velocity is wanted, and its fuel where it burns. */
  moves: boolean
  burns: boolean
}

const PLAIN: Omit<GasLayout, 'extinctionPerSoot'> = { weight: 1, ahead: 0, place: AT_HOME, moves: false, burns: false }

/** Writes the words of a block as the kernels read them (kernels/assembly/gaslight.ts). */
function writeBlock(
  crew: Crew,
  block: number,
  laid: {
    frame: GasFrame
    coarse: readonly [number, number, number]
    tiles: readonly [number, number, number]
    weight: number
    ahead: number
    place: Placement
    /** Pointers of the fields. */
    at: {
      extinction: number
      kelvin: number
      marks: number
      coarseExtinction: number
      light: number
      speed?: number
      flame?: number
      mixture?: number
      slope?: number
    }
  },
): void {
  const { frame, coarse, tiles, weight, ahead, place, at } = laid
  const { box } = frame
  const floats = crew.heap.f32(block, BLOCK_BYTES / 4)
  const words = crew.heap.i32(block, BLOCK_BYTES / 4)
  floats.set([box.origin[0] * box.cell, box.origin[1] * box.cell, box.origin[2] * box.cell, box.cell])
  words.set([...box.size, at.extinction, at.kelvin, at.marks, ...tiles], 4)
  floats[13] = box.cell * LIGHT_FACTOR
  words.set([...coarse, at.coarseExtinction, at.light, at.speed ?? 0, at.flame ?? 0], 14)
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
  words.set([at.mixture ?? 0, at.slope ?? 0], 41)
}

/** Lays the mixture of a frame's cells, padded, and the length of its gradient on the heap. */
function uploadFlame(crew: Crew, { box }: GasFrame, mixture: Float32Array): { mixture: number; slope: number } {
  const { heap } = crew
  const [at, slope] = [heap.alloc(mixture.byteLength), heap.alloc(mixture.byteLength)]
  heap.f32(at, mixture.length).set(mixture)
  heap.f32(slope, mixture.length).fill(0)
  crew.run('gradientLength', [slope, at, 0.5 / box.cell, ...box.size], box.size[2])
  return { mixture: at, slope }
}

/** Lays a kept gas frame on the crew's heap: extinction and temperature dense, tiles that hold something marked, the coarse extinction summed; velocity and burning fuel where they are wanted. */
export function uploadGasFrame(
  crew: Crew,
  frame: GasFrame,
  layout: Pick<GasLayout, 'extinctionPerSoot'> & Partial<GasLayout>,
): GasBlock {
  const { extinctionPerSoot, weight, ahead, place, moves, burns } = { ...PLAIN, ...layout }
  const { heap } = crew
  const { box, tiles, channels } = frame
  const [soot, heat, fuel, u, v, w] = channels
  const cells = paddedCells(box.size)
  const [nx, ny, nz] = box.size
  const [tx, ty, tz] = tileCounts(box)
  const dense = (value: number, floats = 1): { at: number; values: Float32Array } => {
    const at = heap.alloc(cells * 4 * floats)
    return { at, values: heap.f32(at, cells * floats).fill(value) }
  }
  const mixture = burns ? mixtureOf(frame) : undefined
  const ext = dense(0)
  const kelvin = dense(frame.ambient)
  const speed = moves && u && v && w ? dense(0, 4) : undefined
  const values = halfTable()
  const flame = burns && fuel?.some((half) => half !== 0) ? dense(0) : undefined
  const marks = heap.alloc(tx * ty * tz)
  const held = heap.u8(marks, tx * ty * tz).fill(0)
  const sx = nx + 2
  const sxy = sx * (ny + 2)
  const scale = extinctionPerSoot / 1000
  tiles.forEach((tile, n) => {
    const ti = tile % tx
    const tj = Math.floor(tile / tx) % ty
    const tk = Math.floor(tile / (tx * ty))
    // Interpolation reaches half a cell into the neighbours, so they are marked too.
    for (let c = Math.max(0, tk - 1); c <= Math.min(tz - 1, tk + 1); c++)
      for (let b = Math.max(0, tj - 1); b <= Math.min(ty - 1, tj + 1); b++)
        for (let a = Math.max(0, ti - 1); a <= Math.min(tx - 1, ti + 1); a++) held[(c * ty + b) * tx + a] = 1
    for (let k = 0; k < TILE; k++)
      for (let j = 0; j < TILE; j++) {
        const row = (tk * TILE + k + 1) * sxy + (tj * TILE + j + 1) * sx + ti * TILE + 1
        const o = n * TILE ** 3 + (k * TILE + j) * TILE
        if (tk * TILE + k >= nz || tj * TILE + j >= ny) continue
        for (let i = 0; i < Math.min(TILE, nx - ti * TILE); i++) {
          const warm = values[heat?.[o + i] ?? 0] ?? 0
          // Soot within a flame is the flame's own: what smokes is outside.
          const smokes = mixture ? 1 - Math.min(1, (mixture[row + i] ?? 0) / SHEET_AT) : 1
          ext.values[row + i] = (values[soot?.[o + i] ?? 0] ?? 0) * scale * smokes
          kelvin.values[row + i] = frame.ambient + warm
          if (flame && warm > BURNS_FROM) flame.values[row + i] = values[fuel?.[o + i] ?? 0] ?? 0
          if (speed)
            speed.values.set(
              [values[u?.[o + i] ?? 0] ?? 0, values[v?.[o + i] ?? 0] ?? 0, values[w?.[o + i] ?? 0] ?? 0],
              4 * (row + i),
            )
        }
      }
  })
  const coarse: [number, number, number] = [
    Math.ceil(nx / LIGHT_FACTOR),
    Math.ceil(ny / LIGHT_FACTOR),
    Math.ceil(nz / LIGHT_FACTOR),
  ]
  const coarseCells = paddedCells(coarse)
  const coarseExtinction = heap.alloc(coarseCells * 4)
  heap.f32(coarseExtinction, coarseCells).fill(0)
  const light = heap.alloc(coarseCells * 32)
  heap.f32(light, coarseCells * 8).fill(0)
  const flames = mixture && uploadFlame(crew, frame, mixture)
  const block = heap.alloc(BLOCK_BYTES)
  const at = {
    extinction: ext.at,
    kelvin: kelvin.at,
    marks,
    coarseExtinction,
    light,
    speed: speed?.at,
    flame: flame?.at,
    ...flames,
  }
  writeBlock(crew, block, { frame, coarse, tiles: [tx, ty, tz], weight, ahead, place, at })
  crew.run('coarsenExtinction', [block, LIGHT_FACTOR, weight], coarse[2])
  return { block, coarse }
}
