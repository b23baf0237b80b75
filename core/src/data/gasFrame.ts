import type { CellBox } from './grid.ts'

/** Edge of a tile of a kept gas frame, cells. */
export const TILE = 8
/** Channels of a kept gas frame: soot in g/m^3, temperature above the air's in K, fuel in g/m^3, velocity at cell centres in m/s, fuel that has burnt (its products are in the gas) in g/m^3. */
export const GAS_CHANNELS = ['soot', 'heat', 'fuel', 'u', 'v', 'w', 'burnt'] as const

/** One frame of a gas: only tiles that hold something; values as half floats, tile by tile, within a tile x fastest. */
export interface GasFrame {
  box: CellBox
  /** Air temperature, K. */
  ambient: number
  /** Tile numbers, x fastest over the box's tiles, rising. */
  tiles: Int32Array
  /** Per channel, tiles.length x TILE^3 halves. */
  channels: Uint16Array[]
}

export const tileCounts = (box: CellBox): [number, number, number] => [
  Math.ceil(box.size[0] / TILE),
  Math.ceil(box.size[1] / TILE),
  Math.ceil(box.size[2] / TILE),
]

/** Whirls smaller than a kept frame's cells, on the heap: what reads the frame finer follows them. */
export interface Whirls {
  /** Cells of the finer fields along one of the frame's. */
  factor: number
  /** Times the way that a whirl of a cell's size carries in its own time. */
  amount: number
  /** How fast the motion is that the cells hardly hold, m/s, padded. */
  energy: number
  /** The tile of waves, its nodes along an edge, and nodes a cell of the first whirls. */
  wave: number
  nodes: number
  pitch: number
  /** Two sets of carried coordinates (four floats a cell, padded), their weights and their offsets in the tile. */
  sets: readonly { places: number; weight: number; offset: readonly number[] }[]
}
