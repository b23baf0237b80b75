import { LanternError } from '../../base/index.ts'
import { GAS_CHANNELS, type GasFrame, halfTable, TILE, tileCounts, toHalf } from '../../data/index.ts'
import { bit, components, LEAF, LEAF_VOXELS, type VdbGrid, type VdbLeaf } from './layout.ts'

// A kept gas frame as grids and back. Voxel centres are cell centres: world = (index + 1/2) x cell.

/** Which cell of a tile (x fastest) voxel n of a leaf (z fastest) is. */
const inTile = (n: number): number => ((n & 7) * TILE + ((n >> 3) & 7)) * TILE + (n >> 6)

/** What a program may call the channels. */
const NAMES = {
  soot: ['density', 'soot', 'smoke'],
  heat: ['temperature', 'heat', 'temp'],
  fuel: ['fuel', 'flame', 'flames'],
  burnt: ['burnt'],
  velocity: ['velocity', 'vel', 'v'],
} as const
export interface VdbUnits {
  /** g/m^3 of soot in a density of 1. */
  density: number
  /** K in a temperature of 1, and what is added: 1 and 0 for kelvin, 1 and 273.15 for degrees Celsius. */
  kelvin: number
  kelvinAt0: number
}
export const KELVIN_UNITS: VdbUnits = { density: 1, kelvin: 1, kelvinAt0: 0 }
const MOST_CELLS = 400e6

/**
 * density (soot, g/m^3), temperature (K), fuel and burnt fuel (g/m^3) and velocity (m/s, at cell centres), over the tiles that hold something. half: halves the file; temperatures then keep 11 bits.
 */
export function gasGrids(frame: GasFrame, half: boolean): VdbGrid[] {
  const { cell, origin } = frame.box
  const [tx, ty] = tileCounts(frame.box)
  const table = halfTable()
  const transform = [cell, 0, 0, 0, 0, cell, 0, 0, 0, 0, cell, 0, cell / 2, cell / 2, cell / 2, 1]
  const channel = (name: (typeof GAS_CHANNELS)[number], o: number): number =>
    table[frame.channels[GAS_CHANNELS.indexOf(name)]?.[o] ?? 0] ?? 0
  const grid = (
    name: string,
    kind: VdbGrid['kind'],
    kindOf: string,
    background: number[],
    read: (o: number, c: number) => number,
  ): VdbGrid => {
    const size = components(kind)
    const leaves = new Map<string, VdbLeaf>()
    frame.tiles.forEach((tile, t) => {
      const corner = [tile % tx, Math.floor(tile / tx) % ty, Math.floor(tile / (tx * ty))].map(
        (n, axis) => (origin[axis] ?? 0) + n * TILE,
      ) as [number, number, number]
      for (let n = 0; n < LEAF_VOXELS; n++) {
        const [x, y, z] = [corner[0] + (n >> 6), corner[1] + ((n >> 3) & 7), corner[2] + (n & 7)]
        const low: [number, number, number] = [
          Math.floor(x / LEAF) * LEAF,
          Math.floor(y / LEAF) * LEAF,
          Math.floor(z / LEAF) * LEAF,
        ]
        const key = low.join()
        let leaf = leaves.get(key)
        if (!leaf)
          leaves.set(
            key,
            (leaf = {
              origin: low,
              active: new Uint8Array(LEAF_VOXELS / 8),
              values: new Float32Array(LEAF_VOXELS * size),
            }),
          )
        const at = ((x - low[0]) << 6) | ((y - low[1]) << 3) | (z - low[2])
        leaf.active[at >> 3] = (leaf.active[at >> 3] ?? 0) | (1 << (at & 7))
        for (let c = 0; c < size; c++) leaf.values[at * size + c] = read(t * TILE ** 3 + inTile(n), c)
      }
    })
    return {
      name,
      kind,
      class: kindOf,
      half,
      transform,
      background,
      leaves: [...leaves.values()],
      tiles: [],
      metadata: kind === 'vector' ? { vector_type: 'contravariant relative' } : {},
    }
  }
  return [
    grid('density', 'float', 'fog volume', [0], (o) => channel('soot', o)),
    grid('temperature', 'float', 'fog volume', [frame.ambient], (o) => frame.ambient + channel('heat', o)),
    grid('fuel', 'float', 'fog volume', [0], (o) => channel('fuel', o)),
    grid('burnt', 'float', 'fog volume', [0], (o) => channel('burnt', o)),
    grid('velocity', 'vector', 'unknown', [0, 0, 0], (o, c) => channel((['u', 'v', 'w'] as const)[c] ?? 'u', o)),
  ]
}

/** Corner of cell (0, 0, 0) of a grid in cells, and the edge of a cell; undefined where its cells are no upright cubes. */
function latticeOf(m: readonly number[]): { cell: number; offset: [number, number, number] } | undefined {
  const cell = m[0] ?? 0
  const upright =
    [1, 2, 3, 4, 6, 7, 8, 9, 11].every((n) => Math.abs(m[n] ?? 0) < 1e-9 * Math.abs(cell)) &&
    Math.abs((m[5] ?? 0) - cell) < 1e-6 * cell &&
    Math.abs((m[10] ?? 0) - cell) < 1e-6 * cell
  return upright && cell > 0
    ? { cell, offset: [12, 13, 14].map((n) => (m[n] ?? 0) / cell - 0.5) as [number, number, number] }
    : undefined
}

/** The grids that a gas is made of; undefined where the file has none. */
interface GasGrids {
  soot?: VdbGrid
  heat?: VdbGrid
  fuel?: VdbGrid
  burnt?: VdbGrid
  velocity?: VdbGrid
}
type Wrong = (what: string, remedy: string) => LanternError
type Triple = [number, number, number]

function findGrids(grids: readonly VdbGrid[]): GasGrids {
  const named = (names: readonly string[], kind: VdbGrid['kind']): VdbGrid | undefined =>
    names
      .map((name) => grids.find((grid) => grid.kind === kind && grid.name.toLowerCase() === name))
      .find((grid) => grid)
  return {
    soot: named(NAMES.soot, 'float'),
    heat: named(NAMES.heat, 'float'),
    fuel: named(NAMES.fuel, 'float'),
    burnt: named(NAMES.burnt, 'float'),
    velocity: named(NAMES.velocity, 'vector'),
  }
}

/** The lattice that all of the grids lie on. */
function sharedLattice(
  found: GasGrids,
  grids: readonly VdbGrid[],
  wrong: Wrong,
): NonNullable<ReturnType<typeof latticeOf>> {
  const first = found.soot ?? found.heat
  if (!first)
    throw wrong(
      `has no grid called density or temperature; it has ${grids.map(({ name }) => name).join(', ') || 'none that can be read'}`,
      'Write it with a grid called density or temperature.',
    )
  const lattice = latticeOf(first.transform)
  if (!lattice) throw wrong('has voxels that are turned, or no cubes', 'Write it with upright cubic voxels.')
  for (const grid of Object.values(found) as (VdbGrid | undefined)[])
    if (grid?.transform.some((v, n) => Math.abs(v - (first.transform[n] ?? 0)) > 1e-5 * lattice.cell))
      throw wrong(`has ${grid.name} on another lattice than ${first.name}`, 'Write all grids with one transform.')
  return lattice
}

interface Block {
  origin: readonly [number, number, number]
  edge: number
}

/** The lowest corner of the blocks and the voxels that they reach over. */
function reachOf(blocks: readonly Block[], wrong: Wrong): { low: Triple; size: Triple } {
  const low = [0, 1, 2].map((axis) =>
    blocks.reduce((least, { origin }) => Math.min(least, origin[axis] ?? 0), Infinity),
  ) as Triple
  const size = [0, 1, 2].map(
    (axis) =>
      blocks.reduce((most, { origin, edge }) => Math.max(most, (origin[axis] ?? 0) + edge), -Infinity) -
      (low[axis] ?? 0),
  ) as Triple
  if (size[0] * size[1] * size[2] > MOST_CELLS)
    throw wrong(
      `reaches over ${size.join(' x ')} voxels, more than can be held`,
      'Cut it, or write it with larger voxels.',
    )
  return { low, size }
}

/** Visits the corners of the leaf-sized blocks that a block consists of. */
function eachLeafOf({ origin, edge }: Block, visit: (x: number, y: number, z: number) => void): void {
  for (let z = 0; z < edge; z += LEAF)
    for (let y = 0; y < edge; y += LEAF)
      for (let x = 0; x < edge; x += LEAF) visit(origin[0] + x, origin[1] + y, origin[2] + z)
}

/** Writes a grid's values into channels. tileAt: the tile of a voxel; place: where a tile is stored. */
function fillChannels(
  grid: VdbGrid | undefined,
  channels: readonly Uint16Array[],
  tileAt: (x: number, y: number, z: number) => number,
  place: ReadonlyMap<number, number>,
  value: (v: number) => number,
): void {
  if (!grid) return
  const parts = components(grid.kind)
  const put = (tile: number, n: number, values: ArrayLike<number>, at: number): void => {
    const to = (place.get(tile) ?? 0) * TILE ** 3 + inTile(n)
    for (let c = 0; c < parts; c++) {
      const channel = channels[c]
      if (channel) channel[to] = toHalf(value(values[at + c] ?? 0))
    }
  }
  for (const leaf of grid.class === 'staggered' ? centred(grid) : grid.leaves) {
    const tile = tileAt(...leaf.origin)
    for (let n = 0; n < LEAF_VOXELS; n++) if (bit(leaf.active, n)) put(tile, n, leaf.values, n * parts)
  }
  for (const tile of grid.tiles)
    eachLeafOf(tile, (x, y, z) => {
      const at = tileAt(x, y, z)
      for (let n = 0; n < LEAF_VOXELS; n++) put(at, n, tile.value, 0)
    })
}

/**
 * A gas frame from grids of one lattice: density or temperature at least. Staggered velocities are brought to the centres. ambient: K where no temperature says otherwise.
 * Throws LanternError 'vdb' where there is none of them, or they lie on other lattices, turned, or too far apart to be held.
 */
export function gasOfGrids(
  grids: readonly VdbGrid[],
  file: string,
  units: VdbUnits = KELVIN_UNITS,
  ambient = 288.15,
): GasFrame {
  const wrong: Wrong = (what, remedy) => new LanternError('vdb', `${file} ${what}`, remedy, { file })
  const found = findGrids(grids)
  const lattice = sharedLattice(found, grids, wrong)
  const blocks: Block[] = (Object.values(found) as (VdbGrid | undefined)[]).flatMap((grid) =>
    grid ? [...grid.leaves.map(({ origin }) => ({ origin, edge: LEAF })), ...grid.tiles] : [],
  )
  if (blocks.length === 0)
    return {
      box: { cell: lattice.cell, origin: lattice.offset, size: [TILE, TILE, TILE] },
      ambient,
      tiles: new Int32Array(0),
      channels: GAS_CHANNELS.map(() => new Uint16Array(0)),
    }
  const { low, size } = reachOf(blocks, wrong)
  const origin = low.map((v, axis) => v + (lattice.offset[axis] ?? 0)) as Triple
  const box = { cell: lattice.cell, origin, size }
  const [tx, ty] = tileCounts(box)
  const tileAt = (x: number, y: number, z: number): number =>
    (((z - low[2]) >> 3) * ty + ((y - low[1]) >> 3)) * tx + ((x - low[0]) >> 3)
  const held = new Set<number>()
  for (const block of blocks) eachLeafOf(block, (x, y, z) => held.add(tileAt(x, y, z)))
  const tiles = Int32Array.from([...held].sort((a, b) => a - b))
  const place = new Map([...tiles].map((tile, n) => [tile, n]))
  const channels = GAS_CHANNELS.map(() => new Uint16Array(tiles.length * TILE ** 3))
  const air = found.heat ? units.kelvin * (found.heat.background[0] ?? 0) + units.kelvinAt0 : 0
  const still = air > 150 ? air : ambient
  const density = (v: number): number => Math.max(0, v * units.density)
  const kelvinAbove = (v: number): number => Math.max(0, units.kelvin * v + units.kelvinAt0 - still)
  fillChannels(found.soot, channels.slice(0, 1), tileAt, place, density)
  fillChannels(found.heat, channels.slice(1, 2), tileAt, place, kelvinAbove)
  fillChannels(found.fuel, channels.slice(2, 3), tileAt, place, density)
  fillChannels(found.burnt, channels.slice(6, 7), tileAt, place, density)
  fillChannels(found.velocity, channels.slice(3, 6), tileAt, place, (v) => v)
  return { box, ambient: still, tiles, channels }
}

/** Leaves of a staggered grid with each voxel's mean of its two faces; the far face may lie in the next leaf. */
function centred(grid: VdbGrid): VdbLeaf[] {
  const by = new Map(grid.leaves.map((leaf) => [leaf.origin.join(), leaf]))
  return grid.leaves.map((leaf) => {
    const values = leaf.values.slice()
    for (let n = 0; n < LEAF_VOXELS; n++)
      for (let c = 0; c < 3; c++) {
        const here = [n >> 6, (n >> 3) & 7, n & 7]
        const across = here[c] === LEAF - 1
        const other = across ? by.get(leaf.origin.map((v, axis) => v + (axis === c ? LEAF : 0)).join()) : leaf
        const there = here.map((v, axis) => (axis === c ? (v + 1) % LEAF : v))
        const m = ((there[0] ?? 0) << 6) | ((there[1] ?? 0) << 3) | (there[2] ?? 0)
        values[n * 3 + c] =
          0.5 *
          ((leaf.values[n * 3 + c] ?? 0) +
            (other && bit(other.active, m) ? (other.values[m * 3 + c] ?? 0) : (leaf.values[n * 3 + c] ?? 0)))
      }
    return { ...leaf, values }
  })
}
