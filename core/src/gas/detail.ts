import { type Crew, hash01 } from '../base/index.ts'
import {
  type CellBox,
  GAS_CHANNELS,
  type GasFrame,
  halfTable,
  paddedCells,
  TILE,
  tileCounts,
  toHalf,
  type Whirls,
} from '../data/index.ts'
import { smooth01 } from '../math/index.ts'
import { layersPerChunk } from './multigrid.ts'
import { WHIRL_NODES, WHIRL_WAVES, whirlTile } from './whirls.ts'

// A kept frame made finer: its fields are read where band-limited whirls, smaller than its cells, would have carried them from (Kim, Thuerey, James & Gross 2008: their band and their strength by the cascade from
// the energy of the coarse cells). The whirls go along with the flow: their coordinates are carried by the kept velocities for LIFE frames and then begun anew, two sets of them in turn (Neyret 2003), so that a frame
// needs only those just before it and any machine may make it.

/** Frames for which a set of coordinates is carried before it is begun anew. */
export const DETAIL_LIFE = 8
/** Steps in which a whirl's path is followed. */
const PATH_STEPS = 3
/** How long a whirl carries what it holds, in its own turnings. */
const TURNINGS = 0.6
/** Kolmogorov: the speed of whirls half as large is 2^(-1/3) of it. */
const CASCADE = 0.7937005259840998

export interface DetailSettings {
  /** Cells of the finer frame along one of the coarse one, 2 to 4. */
  factor: number
  /** Times the way that a whirl of a cell's size carries in its own time. */
  amount: number
  seed: number
}

/** Frames before a frame that its finer form needs, itself included, oldest first; held at the run's first. */
export function detailNeeds(frame: number, first: number): number[] {
  const from = Math.max(first, frame - DETAIL_LIFE)
  return Array.from({ length: frame - from + 1 }, (_, n) => from + n)
}

interface Dense {
  box: CellBox
  /** Padded: channels as floats, then the velocity as four floats a cell. */
  channels: number[]
  velocity: number
}

function uploadDense(crew: Crew, frame: GasFrame, channels: readonly number[]): Dense {
  const { box, tiles } = frame
  const count = paddedCells(box.size)
  const table = halfTable()
  const [tx, ty] = tileCounts(box)
  const [nx, ny, nz] = box.size
  const sx = nx + 2
  const sxy = sx * (ny + 2)
  const made = channels.map(() => crew.heap.alloc(count * 4))
  const views = made.map((pointer) => crew.heap.f32(pointer, count).fill(0))
  const velocity = crew.heap.alloc(count * 16)
  const flow = crew.heap.f32(velocity, count * 4).fill(0)
  tiles.forEach((tile, n) => {
    const [ti, tj, tk] = [tile % tx, Math.floor(tile / tx) % ty, Math.floor(tile / (tx * ty))]
    for (let at = 0; at < TILE ** 3; at++) {
      const [i, j, k] = [
        ti * TILE + (at % TILE),
        tj * TILE + (Math.floor(at / TILE) % TILE),
        tk * TILE + Math.floor(at / (TILE * TILE)),
      ]
      if (i >= nx || j >= ny || k >= nz) continue
      const e = (k + 1) * sxy + (j + 1) * sx + i + 1
      const o = n * TILE ** 3 + at
      channels.forEach((channel, c) => {
        const view = views[c]
        if (view) view[e] = table[frame.channels[channel]?.[o] ?? 0] ?? 0
      })
      for (let c = 0; c < 3; c++) flow[4 * e + c] = table[frame.channels[3 + c]?.[o] ?? 0] ?? 0
    }
  })
  return { box, channels: made, velocity }
}

/** Coordinates (cells of the world's lattice, four floats a coarse cell of `last`) that a set of whirls has at the last frame, begun `age` frames before it. */
function carried(crew: Crew, frames: readonly Dense[], age: number, seconds: number): number {
  const last = frames.at(-1)
  if (!last) throw new TypeError('a finer frame needs a frame')
  const { size, origin, cell } = last.box
  const at = crew.heap.alloc(paddedCells(size) * 16)
  crew.run('ownPlaces', [at, ...origin, ...size], size[2] + 2, layersPerChunk(size, crew.threads))
  for (let back = 0; back < age; back++) {
    const frame = frames[frames.length - 1 - back]
    if (!frame) break
    const from = frame.box
    // Where what is here now was a frame ago, through that frame's own velocity.
    crew.run(
      'carryPlaces',
      [at, frame.velocity, ...from.origin, ...from.size, seconds / cell, ...size],
      size[2] + 2,
      layersPerChunk(size, crew.threads),
    )
  }
  return at
}

/** A set of whirls' coordinates, its weight and its offset in the tile of waves. */
interface WhirlSet {
  places: number
  weight: number
  offset: readonly number[]
}

/** Two sets of coordinates, half a life apart; one weighs nothing when it is begun anew. */
function whirlSets(crew: Crew, flows: readonly Dense[], seed: number, seconds: number, number: number): WhirlSet[] {
  const sets = [0, 1].map((n) => {
    const turn = number + n * (DETAIL_LIFE / 2)
    const age = ((turn % DETAIL_LIFE) + DETAIL_LIFE) % DETAIL_LIFE
    const life = Math.floor(turn / DETAIL_LIFE)
    return {
      places: carried(crew, flows, Math.min(age, flows.length - 1), seconds),
      weight: Math.sqrt(smooth01(1 - Math.abs((2 * age) / DETAIL_LIFE - 1))),
      offset: [0, 1, 2].map((axis) => WHIRL_NODES * hash01(seed * 977 + axis * 2 + n, life)),
    }
  })
  const norm = Math.sqrt(sets.reduce((sum, { weight }) => sum + weight ** 2, 0)) || 1
  return sets.map((set) => ({ ...set, weight: set.weight / norm }))
}

/** A picture's first whirls, half a wave, are so many kept cells across. */
const PICTURE_WHIRL = 1 / 0.6

/**
 * The whirls between a frame's cells, for a picture that shows it from near. frames: detailNeeds' frames of one run in order, the wanted one last; seconds: a frame's time; number: the wanted frame's, which decides the whirls' turns.
 * What they point to lies on the heap from here on.
 */
export function frameWhirls(
  crew: Crew,
  frames: readonly GasFrame[],
  { factor, amount, seed }: DetailSettings,
  seconds: number,
  number: number,
): Whirls {
  const flows = frames.map((frame) => uploadDense(crew, frame, []))
  const here = flows.at(-1)
  if (!here) throw new TypeError('a finer frame needs a frame')
  return {
    factor,
    amount: amount * TURNINGS,
    ...whirlEnergy(crew, here, seed),
    nodes: WHIRL_NODES,
    pitch: WHIRL_NODES / WHIRL_WAVES / 2 / PICTURE_WHIRL,
    sets: whirlSets(crew, flows, seed, seconds, number),
  }
}

/** The tile of waves and the speed of what the coarse cells can't hold, from the difference of neighbours, m/s. */
function whirlEnergy(crew: Crew, { box: { size }, velocity }: Dense, seed: number): { wave: number; energy: number } {
  const wave = crew.heap.alloc(WHIRL_NODES ** 3 * 16)
  crew.heap.f32(wave, WHIRL_NODES ** 3 * 4).set(whirlTile(seed + 5))
  const energy = crew.heap.alloc(paddedCells(size) * 4)
  crew.run('unresolved', [energy, velocity, ...size], size[2] + 2, layersPerChunk(size, crew.threads))
  return { wave, energy }
}

/** The fine tiles that lie in the coarse frame's tiles, rising. */
function fineTiles(coarse: GasFrame, fineBox: CellBox, factor: number): Int32Array {
  const [tx, ty] = tileCounts(coarse.box)
  const [fx, fy] = tileCounts(fineBox)
  const tiles = [...coarse.tiles].flatMap((old) => {
    const [i, j, k] = [old % tx, Math.floor(old / tx) % ty, Math.floor(old / (tx * ty))]
    const list: number[] = []
    for (let c = 0; c < factor; c++)
      for (let b = 0; b < factor; b++)
        for (let a = 0; a < factor; a++) list.push(((k * factor + c) * fy + j * factor + b) * fx + i * factor + a)
    return list
  })
  return Int32Array.from(tiles.sort((a, b) => a - b))
}

/** Those of the tiles that hold something, their values as halves. values: tile by tile, channel by channel. */
function packTiles(tiles: Int32Array, values: Float32Array): Pick<GasFrame, 'tiles' | 'channels'> {
  const per = TILE ** 3
  const stride = per * GAS_CHANNELS.length
  const keep = [...tiles.keys()].filter((n) => {
    for (let at = 0; at < per * 3; at++) if ((values[n * stride + at] ?? 0) !== 0) return true
    return false
  })
  const channels = GAS_CHANNELS.map((_, c) => {
    const halves = new Uint16Array(keep.length * per)
    keep.forEach((n, to) => {
      for (let at = 0; at < per; at++) halves[to * per + at] = toHalf(values[n * stride + c * per + at] ?? 0)
    })
    return halves
  })
  return { tiles: Int32Array.from(keep, (n) => tiles[n] ?? 0), channels }
}

/**
 * A frame at so many times its resolution, with whirls between its cells. frames: detailNeeds' frames of one run in order, the wanted one last; seconds: a frame's time; number: the wanted frame's, which decides the whirls' turns.
 * The heap is left as it was. What the coarse frame holds is kept: the whirls only carry it about within a few of its cells.
 */
export function synthesiseDetail(
  crew: Crew,
  frames: readonly GasFrame[],
  settings: DetailSettings,
  seconds: number,
  number: number,
): GasFrame {
  const coarse = frames.at(-1)
  if (!coarse) throw new TypeError('a finer frame needs a frame')
  const mark = crew.heap.mark()
  try {
    const { factor, amount, seed } = settings
    const flows = frames.map((frame, n) =>
      uploadDense(crew, frame, n === frames.length - 1 ? [0, 1, 2, 3, 4, 5, 6] : []),
    )
    const here = flows.at(-1) as Dense
    const { size, origin, cell } = coarse.box
    const { wave, energy } = whirlEnergy(crew, here, seed)
    const sets = whirlSets(crew, flows, seed, seconds, number)
    const fineBox: CellBox = {
      cell: cell / factor,
      origin: origin.map((o) => o * factor) as [number, number, number],
      size: size.map((n) => n * factor) as [number, number, number],
    }
    // Only where the coarse frame holds something, or its neighbours do: whirls carry it over a tile's edge.
    const tiles = fineTiles(coarse, fineBox, factor)
    const list = crew.heap.alloc(tiles.length * 4 + 4)
    crew.heap.i32(list, tiles.length).set(tiles)
    const count = tiles.length * TILE ** 3 * GAS_CHANNELS.length
    const out = crew.heap.alloc(count * 4 + 64)
    const [fx, fy] = tileCounts(fineBox)
    // The first whirls, half a wave, are a coarse cell across: what the coarse lattice has none of.
    const pitch = WHIRL_NODES / WHIRL_WAVES / 2
    const octaves = factor > 2 ? 2 : 1
    crew.run(
      'synthesiseDetail',
      [
        ...[out, list, factor, ...here.channels, ...size, fx, fy, energy, wave, WHIRL_NODES],
        ...sets.flatMap(({ places, weight, offset }) => [places, weight, ...offset]),
        ...[pitch, amount, TURNINGS, CASCADE, octaves, PATH_STEPS],
      ],
      tiles.length,
      8,
    )
    return { box: fineBox, ambient: coarse.ambient, ...packTiles(tiles, crew.heap.f32(out, count)) }
  } finally {
    crew.heap.release(mark)
  }
}
