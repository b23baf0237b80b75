import { toHalf } from '../../data/index.ts'
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
  type VdbGrid,
  type VdbLeaf,
  VERSION,
} from './layout.ts'

/** Bytes that grow as they are written. */
class Pen {
  #bytes = new Uint8Array(1 << 16)
  #view = new DataView(this.#bytes.buffer)
  at = 0
  #room(count: number): number {
    if (this.at + count > this.#bytes.length) {
      const more = new Uint8Array(Math.max(this.#bytes.length * 2, this.at + count))
      more.set(this.#bytes)
      this.#bytes = more
      this.#view = new DataView(more.buffer)
    }
    const here = this.at
    this.at += count
    return here
  }
  byte(value: number): void {
    const here = this.#room(1)
    this.#view.setInt8(here, value)
  }
  word(value: number): void {
    const here = this.#room(4)
    this.#view.setInt32(here, value, true)
  }
  long(value: number): void {
    const here = this.#room(8)
    this.#view.setBigInt64(here, BigInt(value), true)
  }
  longAt(value: number, at: number): void {
    this.#view.setBigInt64(at, BigInt(value), true)
  }
  float(value: number): void {
    const here = this.#room(4)
    this.#view.setFloat32(here, value, true)
  }
  double(value: number): void {
    const here = this.#room(8)
    this.#view.setFloat64(here, value, true)
  }
  bytes(bytes: Uint8Array): void {
    const here = this.#room(bytes.length)
    this.#bytes.set(bytes, here)
  }
  text(text: string): void {
    const bytes = new TextEncoder().encode(text)
    this.word(bytes.length)
    this.bytes(bytes)
  }
  metadata(entries: Record<string, string | number | boolean>): void {
    this.word(Object.keys(entries).length)
    for (const [name, value] of Object.entries(entries)) {
      this.text(name)
      if (typeof value === 'string') {
        this.text('string')
        this.text(value)
      } else if (typeof value === 'boolean') {
        this.text('bool')
        this.word(1)
        this.byte(value ? 1 : 0)
      } else {
        this.text('double')
        this.word(8)
        this.double(value)
      }
    }
  }
  done(): Uint8Array<ArrayBuffer> {
    return this.#bytes.slice(0, this.at)
  }
}

type Triple = readonly [number, number, number]
interface Node {
  origin: Triple
  children: Map<number, Node | VdbLeaf>
}

/** Number of a child within its parent: z fastest. */
function childIndex([x, y, z]: Triple, { edge, child }: { edge: number; child: number }): number {
  const mask = (1 << edge) - 1
  return (((x >> child) & mask) << (2 * edge)) | (((y >> child) & mask) << edge) | ((z >> child) & mask)
}

/** The tree over the leaves: root nodes in the order of their corners. */
function treeOf(leaves: readonly VdbLeaf[]): Node[] {
  const [top, inner] = LEVELS
  const roots = new Map<string, Node>()
  for (const leaf of leaves) {
    const corner = leaf.origin.map((v) => (v >> (top.edge + top.child)) << (top.edge + top.child)) as unknown as Triple
    let root = roots.get(corner.join())
    if (!root) roots.set(corner.join(), (root = { origin: corner, children: new Map() }))
    const at = childIndex(leaf.origin, top)
    let node = root.children.get(at) as Node | undefined
    if (!node) root.children.set(at, (node = { origin: leaf.origin, children: new Map() }))
    node.children.set(childIndex(leaf.origin, inner), leaf)
  }
  return [...roots.values()].sort(
    (a, b) => a.origin[0] - b.origin[0] || a.origin[1] - b.origin[1] || a.origin[2] - b.origin[2],
  )
}
const inOrder = <T>(children: Map<number, T>): [number, T][] => [...children].sort(([a], [b]) => a - b)

function maskOf(edge: number, indices: readonly number[]): Uint8Array {
  const mask = new Uint8Array((1 << (3 * edge)) >> 3)
  for (const n of indices) mask[n >> 3] = (mask[n >> 3] ?? 0) | (1 << (n & 7))
  return mask
}

/** A run of values, zlib'd where that is shorter: the length first, as a negative number where they stand as they are. */
function packed(pen: Pen, values: Uint8Array, deflate: Deflate): void {
  const short = values.length > 0 ? deflate.deflate(values) : values
  if (short.length < values.length) {
    pen.long(short.length)
    pen.bytes(short)
  } else {
    pen.long(-values.length)
    pen.bytes(values)
  }
}

function activeValues(leaf: VdbLeaf, size: number, half: boolean): Uint8Array {
  const count = countBits(leaf.active) * size
  const out = half ? new Uint16Array(count) : new Float32Array(count)
  let at = 0
  for (let n = 0; n < LEAF_VOXELS; n++) {
    if (!bit(leaf.active, n)) continue
    for (let c = 0; c < size; c++)
      out[at++] = half ? toHalf(leaf.values[n * size + c] ?? 0) : (leaf.values[n * size + c] ?? 0)
  }
  return new Uint8Array(out.buffer)
}

/** The map from index to world as the format names it. */
function writeTransform(pen: Pen, m: readonly number[]): void {
  const [sx, sy, sz] = [m[0] ?? 1, m[5] ?? 1, m[10] ?? 1]
  if ([1, 2, 4, 6, 8, 9].some((n) => m[n] !== 0)) {
    pen.text('AffineMap')
    for (let n = 0; n < 16; n++) pen.double(m[n] ?? 0)
    return
  }
  pen.text(sx === sy && sy === sz ? 'UniformScaleTranslateMap' : 'ScaleTranslateMap')
  const scale = [sx, sy, sz]
  for (const values of [
    [m[12] ?? 0, m[13] ?? 0, m[14] ?? 0],
    scale,
    scale.map(Math.abs),
    scale.map((s) => 1 / s),
    scale.map((s) => 1 / (s * s)),
    scale.map((s) => 0.5 / s),
  ])
    for (const v of values) pen.double(v)
}

/**
 * Writes grids as an OpenVDB file, zlib-compressed, inactive voxels left out. Grids' tiles are not written: leaves only. id: 36 characters that name the file (a UUID).
 */
export function writeVdb(
  grids: readonly VdbGrid[],
  id: string,
  deflate: Deflate = plainDeflate,
): Uint8Array<ArrayBuffer> {
  const pen = new Pen()
  pen.long(MAGIC)
  pen.word(VERSION)
  pen.word(10)
  pen.word(0)
  pen.byte(1)
  pen.bytes(new TextEncoder().encode(id.padEnd(36).slice(0, 36)))
  pen.metadata({ creator: 'Coal Lantern' })
  pen.word(grids.length)
  for (const grid of grids) {
    const size = components(grid.kind)
    pen.text(grid.name)
    pen.text(`Tree_${grid.kind === 'vector' ? 'vec3s' : 'float'}_5_4_3${grid.half ? '_HalfFloat' : ''}`)
    pen.text('')
    const positions = pen.at
    for (let n = 0; n < 3; n++) pen.long(0)
    pen.longAt(pen.at, positions)
    pen.word(COMPRESS.zip | COMPRESS.activeMask)
    pen.metadata({ ...grid.metadata, name: grid.name, class: grid.class, is_saved_as_half_float: grid.half })
    writeTransform(pen, grid.transform)
    const roots = treeOf(grid.leaves)
    pen.word(1)
    for (let c = 0; c < size; c++) pen.float(grid.background[c] ?? 0)
    pen.word(0)
    pen.word(roots.length)
    const inner = (node: Node, level: 0 | 1): void => {
      const children = inOrder(node.children)
      pen.bytes(
        maskOf(
          LEVELS[level].edge,
          children.map(([n]) => n),
        ),
      )
      pen.bytes(maskOf(LEVELS[level].edge, []))
      pen.byte(INACTIVE.background)
      // Of no values a run of halves writes nothing at all, one of floats its length.
      if (!grid.half) packed(pen, new Uint8Array(0), deflate)
      for (const [, child] of children)
        if ('values' in child) pen.bytes(child.active)
        else inner(child, 1)
    }
    for (const root of roots) {
      for (const v of root.origin) pen.word(v)
      inner(root, 0)
    }
    pen.longAt(pen.at, positions + 8)
    for (const root of roots)
      for (const [, node] of inOrder(root.children))
        for (const [, leaf] of inOrder((node as Node).children) as [number, VdbLeaf][]) {
          pen.bytes(leaf.active)
          pen.byte(INACTIVE.background)
          const values = activeValues(leaf, size, grid.half)
          if (!grid.half || values.length > 0) packed(pen, values, deflate)
        }
    pen.longAt(pen.at, positions + 16)
  }
  return pen.done()
}
