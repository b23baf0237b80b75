import { LanternError } from '../../base/index.ts'
import { halfTable } from '../../data/index.ts'
import { type Deflate, plainDeflate } from '../deflate.ts'
import {
  bit,
  COMPRESS,
  components,
  countBits,
  INACTIVE,
  LEAF_VOXELS,
  LEVELS,
  MAGIC,
  OLDEST,
  type VdbGrid,
  type VdbLeaf,
} from './layout.ts'

/** Unpacks a Blosc block (the product of another package); not needed for files that this product wrote. */
export type Unblosc = (bytes: Uint8Array) => Promise<Uint8Array>

const MOST_GRIDS = 64
const MOST_LEAVES = 2_000_000
const MOST_TEXT = 1 << 20

/**
 * Reads the float and vec3s grids (half or full) of an OpenVDB file of version 222 or later; grids of other kinds are named in `skipped`. Values unpacked by zlib, or by `unblosc` where it is given.
 * names: nothing is unpacked; only the grids' names are told, all in `skipped`. Throws LanternError 'vdb' that says what is wrong with the bytes.
 */
export async function readVdb(
  bytes: Uint8Array,
  file = 'volume.vdb',
  deflate: Deflate = plainDeflate,
  unblosc?: Unblosc,
  names = false,
): Promise<{ grids: VdbGrid[]; skipped: string[] }> {
  const broken = (
    what: string,
    remedy = 'Write it again with another program, or bring the whole file.',
  ): LanternError => new LanternError('vdb', `${file} ${what}`, remedy, { file })
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  let at = 0
  const need = (count: number): number => {
    if (!(count >= 0) || at + count > bytes.length) throw broken('ends too early, or is damaged')
    const here = at
    at += count
    return here
  }
  const byte = (): number => view.getInt8(need(1))
  const word = (): number => view.getInt32(need(4), true)
  const long = (): number => Number(view.getBigInt64(need(8), true))
  const float = (): number => view.getFloat32(need(4), true)
  const double = (): number => view.getFloat64(need(8), true)
  const counted = (most: number, what: string): number => {
    const count = word()
    if (count < 0 || count > most) throw broken(`says it has ${count} ${what}`)
    return count
  }
  const text = (): string => {
    const length = counted(MOST_TEXT, 'letters in a name')
    return new TextDecoder().decode(bytes.subarray(need(length), at))
  }
  const metadata = (): Record<string, string | number | boolean> => {
    const out: Record<string, string | number | boolean> = {}
    for (let n = counted(10_000, 'notes'); n > 0; n--) {
      const name = text()
      const type = text()
      const size = counted(1 << 26, 'bytes in a note')
      const start = need(size)
      if (type === 'string') out[name] = new TextDecoder().decode(bytes.subarray(start, start + size))
      else if (type === 'bool' && size === 1) out[name] = bytes[start] !== 0
      else if (type === 'float' && size === 4) out[name] = view.getFloat32(start, true)
      else if (type === 'double' && size === 8) out[name] = view.getFloat64(start, true)
      else if (type === 'int32' && size === 4) out[name] = view.getInt32(start, true)
      else if (type === 'int64' && size === 8) out[name] = Number(view.getBigInt64(start, true))
    }
    return out
  }

  if (bytes.length < 57 || long() !== MAGIC) throw broken('is not an OpenVDB file', 'Choose a .vdb file.')
  const version = word()
  if (version < OLDEST)
    throw broken(`is of version ${version}, which is not read here`, `Write it again as version ${OLDEST} or later.`)
  need(8)
  if (byte() === 0)
    throw broken('was written as a stream, without the places of its grids', 'Write it to a file, not to a stream.')
  need(36)
  metadata()
  const grids: VdbGrid[] = []
  const skipped: string[] = []
  for (let count = counted(MOST_GRIDS, 'grids'); count > 0; count--) {
    const name = text().split('\u001e')[0] ?? ''
    const type = text()
    const parent = text()
    const [gridAt, blocksAt, end] = [long(), long(), long()]
    if (!(gridAt >= at && blocksAt >= gridAt && end >= blocksAt && end <= bytes.length))
      throw broken('gives places of its grids that lie outside it')
    const match = /^Tree_(float|vec3s)_5_4_3(_HalfFloat)?$/.exec(type)
    if (!match || parent !== '') {
      skipped.push(`${name} (${parent ? `the same as ${parent}` : type})`)
      at = end
      continue
    }
    if (names) {
      skipped.push(name)
      at = end
      continue
    }
    at = gridAt
    grids.push(await readGrid(name, match[1] === 'float' ? 'float' : 'vector', match[2] !== undefined, blocksAt))
    at = end
  }
  return { grids, skipped }

  async function readGrid(name: string, kind: VdbGrid['kind'], half: boolean, blocksAt: number): Promise<VdbGrid> {
    const size = components(kind)
    const flags = word()
    if (flags & COMPRESS.blosc && !unblosc)
      throw broken('is packed by Blosc, which can’t be unpacked here', 'Write it with zip compression.')
    const notes = metadata()
    const transform = readTransform()
    const table = halfTable()
    const value = (): number[] => Array.from({ length: size }, float)
    if (word() !== 1) throw broken('keeps more than one value a voxel')
    const background = value()
    const grid: VdbGrid = {
      name,
      kind,
      class: String(notes.class ?? 'unknown'),
      half,
      transform,
      background,
      leaves: [],
      tiles: [],
      metadata: notes,
    }

    const unpack = async (count: number): Promise<Float32Array> => {
      const wanted = count * size * (half ? 2 : 4)
      if (half && count === 0) return new Float32Array(0)
      let raw: Uint8Array
      if (flags & (COMPRESS.zip | COMPRESS.blosc)) {
        const length = long()
        if (length <= 0) {
          if (-length !== wanted) throw broken('is damaged: a run of values has another length than its voxels')
          raw = bytes.subarray(need(wanted), at)
        } else {
          const part = bytes.subarray(need(length), at)
          try {
            raw = flags & COMPRESS.blosc && unblosc ? await unblosc(part) : deflate.inflate(part, wanted)
          } catch {
            throw broken('is damaged: a run of values can’t be unpacked')
          }
        }
      } else raw = bytes.subarray(need(wanted), at)
      if (raw.length !== wanted) throw broken('is damaged: a run of values has another length than its voxels')
      const words = new DataView(raw.buffer, raw.byteOffset, raw.byteLength)
      return Float32Array.from({ length: count * size }, (_, n) =>
        half ? (table[words.getUint16(2 * n, true)] ?? 0) : words.getFloat32(4 * n, true),
      )
    }
    /** All values of a node; inactive ones from what the run says of them. */
    const run = async (count: number, active: Uint8Array): Promise<Float32Array> => {
      const kindOf = byte()
      if (kindOf < 0 || kindOf > INACTIVE.all) throw broken('is damaged: a run of values is of no known kind')
      let [off, on] = [kindOf === INACTIVE.background ? background : background.map((v) => -v), background]
      if (kindOf === INACTIVE.one || kindOf === INACTIVE.maskAndOne || kindOf === INACTIVE.maskAndTwo) off = value()
      if (kindOf === INACTIVE.maskAndTwo) on = value()
      const chosen =
        kindOf >= INACTIVE.maskAndNone && kindOf <= INACTIVE.maskAndTwo
          ? bytes.subarray(need(count >> 3), at)
          : undefined
      if (!(flags & COMPRESS.activeMask) || kindOf === INACTIVE.all) return unpack(count)
      const given = await unpack(countBits(active))
      const out = new Float32Array(count * size)
      for (let n = 0, from = 0; n < count; n++) {
        const other = chosen && bit(chosen, n) ? on : off
        for (let c = 0; c < size; c++) out[n * size + c] = bit(active, n) ? (given[from++] ?? 0) : (other[c] ?? 0)
      }
      return out
    }
    const inner = async (origin: readonly [number, number, number], level: 0 | 1): Promise<void> => {
      const { edge, child } = LEVELS[level]
      const count = 1 << (3 * edge)
      const children = bytes.subarray(need(count >> 3), at)
      const active = bytes.subarray(need(count >> 3), at)
      const values = await run(count, active)
      const corner = (n: number): [number, number, number] => [
        origin[0] + ((n >> (2 * edge)) << child),
        origin[1] + (((n >> edge) & ((1 << edge) - 1)) << child),
        origin[2] + ((n & ((1 << edge) - 1)) << child),
      ]
      for (let n = 0; n < count; n++) {
        if (bit(children, n)) {
          if (level === 0) await inner(corner(n), 1)
          else {
            if (grid.leaves.length >= MOST_LEAVES)
              throw broken(`has more than ${MOST_LEAVES} leaves`, 'Cut it, or write it with larger voxels.')
            grid.leaves.push({ origin: corner(n), active: bytes.slice(need(64), at), values: new Float32Array(0) })
          }
        } else if (bit(active, n))
          grid.tiles.push({
            origin: corner(n),
            edge: 1 << child,
            value: [...values.subarray(n * size, n * size + size)],
          })
      }
    }
    const tiles = counted(1_000_000, 'blocks')
    const nodes = counted(100_000, 'nodes')
    for (let n = 0; n < tiles; n++) {
      const origin: [number, number, number] = [word(), word(), word()]
      const one = value()
      if (byte() !== 0) grid.tiles.push({ origin, edge: 4096, value: one })
    }
    for (let n = 0; n < nodes; n++) await inner([word(), word(), word()], 0)
    at = blocksAt
    for (const leaf of grid.leaves as VdbLeaf[]) {
      leaf.active = bytes.slice(need(64), at)
      leaf.values = await run(LEAF_VOXELS, leaf.active)
    }
    return grid
  }

  function readTransform(): number[] {
    const type = text()
    const three = (): [number, number, number] => [double(), double(), double()]
    const scaled = ([x, y, z]: readonly number[], [a, b, c]: readonly number[]): number[] => [
      x ?? 1,
      0,
      0,
      0,
      0,
      y ?? 1,
      0,
      0,
      0,
      0,
      z ?? 1,
      0,
      a ?? 0,
      b ?? 0,
      c ?? 0,
      1,
    ]
    let m: number[]
    if (type === 'UniformScaleTranslateMap' || type === 'ScaleTranslateMap') {
      const shift = three()
      m = scaled(three(), shift)
      need(4 * 24)
    } else if (type === 'UniformScaleMap' || type === 'ScaleMap') {
      m = scaled(three(), [0, 0, 0])
      need(4 * 24)
    } else if (type === 'TranslationMap') m = scaled([1, 1, 1], three())
    else if (type === 'AffineMap' || type === 'UnitaryMap') m = Array.from({ length: 16 }, double)
    else throw broken(`lies in the world by a ${type}, which is not read here`, 'Write it with a linear transform.')
    if (!m.every(Number.isFinite)) throw broken('has a transform that is no number')
    return m
  }
}
