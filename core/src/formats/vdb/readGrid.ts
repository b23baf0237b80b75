import { halfTable } from '../../data/index.ts'
import type { Deflate } from '../deflate.ts'
import type { VdbCursor } from './cursor.ts'
import {
  bit,
  COMPRESS,
  components,
  countBits,
  INACTIVE,
  LEAF_VOXELS,
  LEVELS,
  type VdbGrid,
  type VdbLeaf,
} from './layout.ts'

/** Unpacks a Blosc block (the product of another package); not needed for files that this product wrote. */
export type Unblosc = (bytes: Uint8Array) => Promise<Uint8Array>

const MOST_LEAVES = 2_000_000
const OTHER_LENGTH = 'is damaged: a run of values has another length than its voxels'

/** How the values of a grid are packed. */
interface Packing {
  flags: number
  half: boolean
  /** Values a voxel. */
  size: number
  background: readonly number[]
  deflate: Deflate
  unblosc?: Unblosc
}

/** The bytes of so many values. */
async function packedBytes(cursor: VdbCursor, wanted: number, packing: Packing): Promise<Uint8Array> {
  const { flags, unblosc, deflate } = packing
  if (!(flags & (COMPRESS.zip | COMPRESS.blosc))) return cursor.take(wanted)
  const length = cursor.long()
  if (length <= 0) {
    if (-length !== wanted) throw cursor.broken(OTHER_LENGTH)
    return cursor.take(wanted)
  }
  const part = cursor.take(length)
  try {
    return flags & COMPRESS.blosc && unblosc ? await unblosc(part) : deflate.inflate(part, wanted)
  } catch {
    throw cursor.broken('is damaged: a run of values can’t be unpacked')
  }
}

async function unpack(cursor: VdbCursor, count: number, packing: Packing): Promise<Float32Array> {
  const { half, size } = packing
  const wanted = count * size * (half ? 2 : 4)
  if (half && count === 0) return new Float32Array(0)
  const raw = await packedBytes(cursor, wanted, packing)
  if (raw.length !== wanted) throw cursor.broken(OTHER_LENGTH)
  const words = new DataView(raw.buffer, raw.byteOffset, raw.byteLength)
  const table = halfTable()
  return Float32Array.from({ length: count * size }, (_, n) =>
    half ? (table[words.getUint16(2 * n, true)] ?? 0) : words.getFloat32(4 * n, true),
  )
}

const readValue = (cursor: VdbCursor, size: number): number[] => Array.from({ length: size }, () => cursor.float())

/** All values of a node; inactive ones from what the run says of them. */
async function readRun(cursor: VdbCursor, count: number, active: Uint8Array, packing: Packing): Promise<Float32Array> {
  const { flags, size, background } = packing
  const kind = cursor.byte()
  if (kind < 0 || kind > INACTIVE.all) throw cursor.broken('is damaged: a run of values is of no known kind')
  let [off, on] = [kind === INACTIVE.background ? background : background.map((v) => -v), background]
  if (kind === INACTIVE.one || kind === INACTIVE.maskAndOne || kind === INACTIVE.maskAndTwo)
    off = readValue(cursor, size)
  if (kind === INACTIVE.maskAndTwo) on = readValue(cursor, size)
  const chosen = kind >= INACTIVE.maskAndNone && kind <= INACTIVE.maskAndTwo ? cursor.take(count >> 3) : undefined
  if (!(flags & COMPRESS.activeMask) || kind === INACTIVE.all) return unpack(cursor, count, packing)
  const given = await unpack(cursor, countBits(active), packing)
  const out = new Float32Array(count * size)
  for (let n = 0, from = 0; n < count; n++) {
    const other = chosen && bit(chosen, n) ? on : off
    for (let c = 0; c < size; c++) out[n * size + c] = bit(active, n) ? (given[from++] ?? 0) : (other[c] ?? 0)
  }
  return out
}

/** Reads an inner node: where its leaves lie, and its active tiles. */
async function readInner(
  cursor: VdbCursor,
  origin: readonly [number, number, number],
  level: 0 | 1,
  grid: VdbGrid,
  packing: Packing,
): Promise<void> {
  const { edge, child } = LEVELS[level]
  const { size } = packing
  const count = 1 << (3 * edge)
  const children = cursor.take(count >> 3)
  const active = cursor.take(count >> 3)
  const values = await readRun(cursor, count, active, packing)
  const corner = (n: number): [number, number, number] => [
    origin[0] + ((n >> (2 * edge)) << child),
    origin[1] + (((n >> edge) & ((1 << edge) - 1)) << child),
    origin[2] + ((n & ((1 << edge) - 1)) << child),
  ]
  for (let n = 0; n < count; n++) {
    if (bit(children, n)) {
      if (level === 0) await readInner(cursor, corner(n), 1, grid, packing)
      else {
        if (grid.leaves.length >= MOST_LEAVES)
          throw cursor.broken(`has more than ${MOST_LEAVES} leaves`, 'Cut it, or write it with larger voxels.')
        grid.leaves.push({ origin: corner(n), active: cursor.take(64).slice(), values: new Float32Array(0) })
      }
    } else if (bit(active, n))
      grid.tiles.push({ origin: corner(n), edge: 1 << child, value: [...values.subarray(n * size, n * size + size)] })
  }
}

/** Reads a grid's tree (float or vec3s, levels 5, 4, 3). blocksAt: where its values lie. */
export async function readGrid(
  cursor: VdbCursor,
  head: Pick<VdbGrid, 'name' | 'kind' | 'half'>,
  blocksAt: number,
  deflate: Deflate,
  unblosc: Unblosc | undefined,
): Promise<VdbGrid> {
  const size = components(head.kind)
  const flags = cursor.word()
  if (flags & COMPRESS.blosc && !unblosc)
    throw cursor.broken('is packed by Blosc, which can’t be unpacked here', 'Write it with zip compression.')
  const metadata = cursor.notes()
  const transform = cursor.transform()
  if (cursor.word() !== 1) throw cursor.broken('keeps more than one value a voxel')
  const background = readValue(cursor, size)
  const kind = String(metadata.class ?? 'unknown')
  const grid: VdbGrid = { ...head, class: kind, transform, background, leaves: [], tiles: [], metadata }
  const packing: Packing = { flags, half: head.half, size, background, deflate, unblosc }
  const tiles = cursor.counted(1_000_000, 'blocks')
  const nodes = cursor.counted(100_000, 'nodes')
  for (let n = 0; n < tiles; n++) {
    const origin: [number, number, number] = [cursor.word(), cursor.word(), cursor.word()]
    const value = readValue(cursor, size)
    if (cursor.byte() !== 0) grid.tiles.push({ origin, edge: 4096, value })
  }
  for (let n = 0; n < nodes; n++)
    await readInner(cursor, [cursor.word(), cursor.word(), cursor.word()], 0, grid, packing)
  cursor.at = blocksAt
  for (const leaf of grid.leaves as VdbLeaf[]) {
    leaf.active = cursor.take(64).slice()
    leaf.values = await readRun(cursor, LEAF_VOXELS, leaf.active, packing)
  }
  return grid
}
