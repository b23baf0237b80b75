import { type Deflate, plainDeflate } from '../deflate.ts'
import { VdbCursor } from './cursor.ts'
import { MAGIC, OLDEST, type VdbGrid } from './layout.ts'
import { readGrid, type Unblosc } from './readGrid.ts'

export type { Unblosc } from './readGrid.ts'

const MOST_GRIDS = 64

/** Goes past the file's head. */
function readHead(cursor: VdbCursor): void {
  if (cursor.bytes.length < 57 || cursor.long() !== MAGIC)
    throw cursor.broken('is not an OpenVDB file', 'Choose a .vdb file.')
  const version = cursor.word()
  if (version < OLDEST)
    throw cursor.broken(
      `is of version ${version}, which is not read here`,
      `Write it again as version ${OLDEST} or later.`,
    )
  cursor.need(8)
  if (cursor.byte() === 0)
    throw cursor.broken(
      'was written as a stream, without the places of its grids',
      'Write it to a file, not to a stream.',
    )
  cursor.need(36)
  cursor.notes()
}

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
  const cursor = new VdbCursor(bytes, file)
  readHead(cursor)
  const grids: VdbGrid[] = []
  const skipped: string[] = []
  for (let count = cursor.counted(MOST_GRIDS, 'grids'); count > 0; count--) {
    const name = cursor.text().split('\u001e')[0] ?? ''
    const type = cursor.text()
    const parent = cursor.text()
    const [gridAt, blocksAt, end] = [cursor.long(), cursor.long(), cursor.long()]
    if (!(gridAt >= cursor.at && blocksAt >= gridAt && end >= blocksAt && end <= bytes.length))
      throw cursor.broken('gives places of its grids that lie outside it')
    const match = /^Tree_(float|vec3s)_5_4_3(_HalfFloat)?$/.exec(type)
    if (!match || parent !== '') skipped.push(`${name} (${parent ? `the same as ${parent}` : type})`)
    else if (names) skipped.push(name)
    else {
      cursor.at = gridAt
      const kind = match[1] === 'float' ? ('float' as const) : ('vector' as const)
      grids.push(await readGrid(cursor, { name, kind, half: match[2] !== undefined }, blocksAt, deflate, unblosc))
    }
    cursor.at = end
  }
  return { grids, skipped }
}
