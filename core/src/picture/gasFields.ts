import type { Crew } from '../base/index.ts'
import { type GasFrame, halfTable, mixtureOf, paddedCells, TILE, tileCounts, type Whirls } from '../data/index.ts'

/** Gas hotter than this by so much burns where it still holds fuel, K. */
const BURNS_FROM = 350
/** Octaves of the whirls, steps in which their path is followed, and how much slower each octave is. */
const OCTAVES = 2
const STEPS = 2
const CASCADE = 0.7937005259840998
/** How far whirls carry in a flame over how far in smoke: a flame that is torn more is popcorn. And how much the mixture itself comes and goes. */
const FLAMING = 0.35
const TEAR = 0.35

type Counts = readonly [number, number, number]

/** A kept frame's fields on the heap: padded, of `size` cells. Pointers; none where there is none of it. */
export interface GasFields {
  size: Counts
  cell: number
  /** Corner, m. */
  low: Counts
  extinction: number
  kelvin: number
  fuel: number
  mixture: number
  /** Velocity, four floats a cell of a lattice with so many cells a cell of the others. */
  speed: number
  speedCells: number
  /** Of tiles that hold something or whose neighbours do, and their edge, m. */
  marks: number
  tiles: Counts
  tileEdge: number
}

export interface FieldWishes {
  /** m^2/kg. */
  extinctionPerSoot: number
  moves: boolean
  burns: boolean
}

/** Marks the tiles that hold something and those round them: interpolation reaches half a cell into the neighbours. */
function markTiles(crew: Crew, { box, tiles }: GasFrame): number {
  const [tx, ty, tz] = tileCounts(box)
  const marks = crew.heap.alloc(tx * ty * tz)
  const held = crew.heap.u8(marks, tx * ty * tz).fill(0)
  for (const tile of tiles) {
    const [ti, tj, tk] = [tile % tx, Math.floor(tile / tx) % ty, Math.floor(tile / (tx * ty))]
    for (let c = Math.max(0, tk - 1); c <= Math.min(tz - 1, tk + 1); c++)
      for (let b = Math.max(0, tj - 1); b <= Math.min(ty - 1, tj + 1); b++)
        for (let a = Math.max(0, ti - 1); a <= Math.min(tx - 1, ti + 1); a++) held[(c * ty + b) * tx + a] = 1
  }
  return marks
}

/** Lays a kept frame's fields out dense and padded; the floor's layer is repeated below it, so that nothing fades where it stands on the ground. */
export function uploadFields(crew: Crew, frame: GasFrame, { extinctionPerSoot, moves, burns }: FieldWishes): GasFields {
  const { heap } = crew
  const { box, tiles, channels, ambient } = frame
  const [soot, heat, fuel, u, v, w] = channels
  const cells = paddedCells(box.size)
  const [nx, ny, nz] = box.size
  const [tx, ty] = tileCounts(box)
  const dense = (value: number, floats = 1): { at: number; values: Float32Array } => {
    const at = heap.alloc(cells * 4 * floats)
    return { at, values: heap.f32(at, cells * floats).fill(value) }
  }
  const own = burns ? mixtureOf(frame) : undefined
  const mixture = own && dense(0)
  if (own) mixture?.values.set(own)
  const [extinction, kelvin] = [dense(0), dense(ambient)]
  const speed = moves && u && v && w ? dense(0, 4) : undefined
  const values = halfTable()
  const flame = burns && fuel?.some((half) => half !== 0) ? dense(0) : undefined
  const sx = nx + 2
  const sxy = sx * (ny + 2)
  const scale = extinctionPerSoot / 1000
  const take = (e: number, o: number): void => {
    const warm = values[heat?.[o] ?? 0] ?? 0
    extinction.values[e] = (values[soot?.[o] ?? 0] ?? 0) * scale
    kelvin.values[e] = ambient + warm
    if (flame && warm > BURNS_FROM) flame.values[e] = values[fuel?.[o] ?? 0] ?? 0
    if (speed) for (let c = 0; c < 3; c++) speed.values[4 * e + c] = values[channels[3 + c]?.[o] ?? 0] ?? 0
  }
  tiles.forEach((tile, n) => {
    const [ti, tj, tk] = [tile % tx, Math.floor(tile / tx) % ty, Math.floor(tile / (tx * ty))]
    for (let k = 0; k < TILE; k++)
      for (let j = 0; j < TILE; j++) {
        const row = (tk * TILE + k + 1) * sxy + (tj * TILE + j + 1) * sx + ti * TILE + 1
        const o = n * TILE ** 3 + (k * TILE + j) * TILE
        if (tk * TILE + k >= nz || tj * TILE + j >= ny) continue
        for (let i = 0; i < Math.min(TILE, nx - ti * TILE); i++) {
          take(row + i, o + i)
          if (tj === 0 && j === 0) take(row + i - sx, o + i)
        }
      }
  })
  return {
    size: box.size,
    cell: box.cell,
    low: [box.origin[0] * box.cell, box.origin[1] * box.cell, box.origin[2] * box.cell],
    extinction: extinction.at,
    kelvin: kelvin.at,
    fuel: flame?.at ?? 0,
    mixture: mixture?.at ?? 0,
    speed: speed?.at ?? 0,
    speedCells: 1,
    marks: markTiles(crew, frame),
    tiles: tileCounts(box),
    tileEdge: TILE * box.cell,
  }
}

/** The same fields so many times finer, with whirls between their cells (kernels' refineGas). */
export function refineFields(crew: Crew, fields: GasFields, ambient: number, whirls: Whirls): GasFields {
  const { factor, energy, wave, nodes, pitch, sets, amount } = whirls
  const size = fields.size.map((n) => n * factor) as [number, number, number]
  const stride = paddedCells(size) * 4
  const at = crew.heap.alloc(stride * 4)
  crew.run(
    'refineGas',
    [
      ...[at, stride, fields.extinction, fields.kelvin, fields.fuel, fields.mixture, fields.marks, ...fields.tiles],
      ...[ambient, factor, ...fields.size, energy, wave, nodes],
      ...sets.flatMap(({ places, weight, offset }) => [places, weight, ...offset]),
      ...[pitch, amount, amount * FLAMING, amount * TEAR, CASCADE, OCTAVES, STEPS],
    ],
    size[2] + 2,
    2,
  )
  return {
    ...fields,
    size,
    cell: fields.cell / factor,
    extinction: at,
    kelvin: at + stride,
    fuel: fields.fuel && at + 2 * stride,
    mixture: fields.mixture && at + 3 * stride,
    speedCells: fields.speedCells / factor,
  }
}
