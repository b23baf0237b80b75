import type { Crew } from '@lantern/core/base'
import { BufferAttribute, BufferGeometry } from 'three'
import { CENTER, MeshBVH, SAH } from 'three-mesh-bvh'
import { type ChartSpec, MESH_STRIDE, type Mesh, type Parts, type Skin } from './builder.ts'

// The layouts that kernels/assembly/yard/yard.ts states.
const CHART_BYTES = 128
const TEXEL_BYTES = 32
const NODE_BYTES = 128
const TRIANGLE_BYTES = 64
export const VERTEX_BYTES = 128
const MOST_LEVELS = 14
const MOST_IN_LEAF = 15
/** Levels of the tree that lie together. */
const BLOCK_LEVELS = 3

/** A tree over triangles, with the triangles in its order. */
export interface LaidTree {
  nodes: number
  triangles: number
}

export interface LaidChart {
  index: number
  width: number
  height: number
  levels: number
}

export interface LaidScene {
  tree: LaidTree
  vertices: number
  vertexCount: number
  charts: number
  list: LaidChart[]
  triangleCount: number
}

const levelsOf = (width: number, height: number): number =>
  Math.min(MOST_LEVELS, Math.floor(Math.log2(Math.min(width, height))) + 1)

/** Height at a corner between texels. */
function cornerHeight(spec: ChartSpec, i: number, j: number): number {
  const i0 = Math.max(0, Math.min(spec.columns - 1, i - 1))
  const i1 = Math.min(spec.columns - 1, i)
  const j0 = Math.max(0, Math.min(spec.rows - 1, j - 1))
  const j1 = Math.min(spec.rows - 1, j)
  const at = (a: number, b: number): number => spec.height[b * spec.columns + a] ?? 0
  return 0.25 * (at(i0, j0) + at(i1, j0) + at(i0, j1) + at(i1, j1))
}

/** Writes a chart's texels, its vertex grid and its record; returns its grid's corner positions. */
function uploadChart(
  crew: Crew,
  record: number,
  spec: ChartSpec,
): { chart: LaidChart; grid: Float32Array; columns: number; rows: number } {
  const { columns: width, rows: height, step, texel } = spec
  const levels = levelsOf(width, height)
  const pointers: number[] = []
  for (let level = 0; level < levels; level++)
    pointers.push(crew.heap.alloc(Math.max(1, width >> level) * Math.max(1, height >> level) * TEXEL_BYTES))
  const columns = Math.floor(width / step) + 1
  const rows = Math.floor(height / step) + 1
  const gridAt = crew.heap.alloc(columns * rows * 12)
  const grid = crew.heap.f32(gridAt, columns * rows * 3)
  for (let j = 0; j < rows; j++)
    for (let i = 0; i < columns; i++) {
      const u = i * step * texel
      const v = j * step * texel
      const p = spec.at(u, v)
      const n = spec.out(u, v)
      const h = cornerHeight(spec, i * step, j * step)
      grid.set([p[0] + n[0] * h, p[1] + n[1] * h, p[2] + n[2] * h], (j * columns + i) * 3)
    }
  paintTexels(crew, pointers[0] ?? 0, spec)
  const table = crew.heap.i32(record, CHART_BYTES / 4)
  table.set([width, height, levels, gridAt, columns, rows])
  crew.heap.f32(record, CHART_BYTES / 4).set([step, texel], 6)
  table.set(pointers, 12)
  return { chart: { index: 0, width, height, levels }, grid, columns, rows }
}

function paintTexels(crew: Crew, pointer: number, spec: ChartSpec): void {
  const { columns: width, rows: height, texel } = spec
  const bytes = crew.heap.u8(pointer, width * height * TEXEL_BYTES)
  const words = new Uint16Array(bytes.buffer, pointer, width * height * 16)
  const signed = new Int8Array(bytes.buffer, pointer, width * height * TEXEL_BYTES)
  const skin: Skin = { r: 0, g: 0, b: 0, rough: 1, film: 0, hollow: 1 }
  const at = (i: number, j: number): number =>
    spec.height[Math.max(0, Math.min(height - 1, j)) * width + Math.max(0, Math.min(width - 1, i))] ?? 0
  for (let j = 0; j < height; j++)
    for (let i = 0; i < width; i++) {
      const n = j * width + i
      const u = (i + 0.5) * texel
      const v = (j + 0.5) * texel
      if (spec.there && !spec.there(u, v)) {
        bytes[n * 32 + 30] = 0
        continue
      }
      spec.paint(i, j, skin)
      for (let c = 0; c < 9; c++) words[n * 16 + c] = 0
      words[n * 16 + 9] = 65535 * Math.sqrt(Math.min(1, Math.max(0, skin.r))) + 0.5
      words[n * 16 + 10] = 65535 * Math.sqrt(Math.min(1, Math.max(0, skin.g))) + 0.5
      words[n * 16 + 11] = 65535 * Math.sqrt(Math.min(1, Math.max(0, skin.b))) + 0.5
      // The normal: the base normal leant against the relief's slope along the base's own edges.
      const [nx, ny, nz] = spec.out(u, v)
      let [x, y, z] = [nx, ny, nz]
      if (!spec.flat?.(i, j)) {
        const e = 0.5 * texel
        const p = spec.at(u, v)
        const pu = spec.at(u + e, v)
        const pv = spec.at(u, v + e)
        const su = (at(i + 1, j) - at(i - 1, j)) / (2 * texel)
        const sv = (at(i, j + 1) - at(i, j - 1)) / (2 * texel)
        for (let c = 0; c < 3; c++) {
          const du = ((pu[c] ?? 0) - (p[c] ?? 0)) / e
          const dv = ((pv[c] ?? 0) - (p[c] ?? 0)) / e
          const lean = su * du + sv * dv
          if (c === 0) x -= lean
          else if (c === 1) y -= lean
          else z -= lean
        }
      }
      const s = 127 / Math.sqrt(x * x + y * y + z * z)
      signed[n * 32 + 24] = Math.round(x * s)
      signed[n * 32 + 25] = Math.round(y * s)
      signed[n * 32 + 26] = Math.round(z * s)
      bytes[n * 32 + 27] = 255 * skin.rough
      bytes[n * 32 + 28] = 255 * skin.film
      bytes[n * 32 + 29] = 255 * skin.hollow
      bytes[n * 32 + 30] = 1
    }
}

/** What shading needs of one triangle: seven words. */
type Tail = { corners: Float32Array; tails: Int32Array; count: number }

/** Writes mesh vertices into the heap. */
export function uploadVertices(crew: Crew, mesh: Mesh, pointer = 0): { pointer: number; count: number } {
  const count = mesh.vertices.length / MESH_STRIDE
  const at = pointer || crew.heap.alloc(Math.max(1, count) * VERTEX_BYTES)
  const floats = crew.heap.f32(at, count * 32)
  floats.fill(0)
  for (let n = 0; n < count; n++) {
    for (let k = 0; k < 11; k++) floats[n * 32 + k] = mesh.vertices[n * MESH_STRIDE + k] ?? 0
    floats[n * 32 + 31] = mesh.vertices[n * MESH_STRIDE + 11] ?? 0
  }
  return { pointer: at, count }
}

export function meshTriangles(mesh: Mesh): Tail {
  const count = mesh.triangles.length / 3
  const corners = new Float32Array(count * 9)
  const tails = new Int32Array(count * 7)
  for (let n = 0; n < count; n++) {
    tails[n * 7] = -1
    for (let k = 0; k < 3; k++) {
      const v = mesh.triangles[n * 3 + k] ?? 0
      tails[n * 7 + 1 + k] = v
      for (let c = 0; c < 3; c++) corners[n * 9 + k * 3 + c] = mesh.vertices[v * MESH_STRIDE + c] ?? 0
    }
  }
  return { corners, tails, count }
}

/** Builds the four-way tree over triangles and lays it and them in the heap. `standing`: with more care, for a tree that many rays will meet. */
export function uploadTree(crew: Crew, { corners, tails, count }: Tail, standing = false): LaidTree {
  const geometry = new BufferGeometry()
  geometry.setAttribute('position', new BufferAttribute(corners, 3))
  const bvh = new MeshBVH(geometry, {
    strategy: standing ? SAH : CENTER,
    targetLeafSize: 4,
    maxDepth: 60,
    indirect: true,
  })
  const { roots, indirectBuffer } = MeshBVH.serialize(bvh, { cloneBuffers: false }) as unknown as {
    roots: ArrayBuffer[]
    indirectBuffer: Uint32Array
  }
  const root = roots[0]
  if (!root || roots.length !== 1) throw new Error('the tree has more than one root')
  const triangles = crew.heap.alloc(count * TRIANGLE_BYTES)
  const floats = crew.heap.f32(triangles, count * 16)
  const ints = crew.heap.i32(triangles, count * 16)
  for (let n = 0; n < count; n++) {
    const from = indirectBuffer[n] ?? n
    for (let c = 0; c < 3; c++) {
      const a = corners[from * 9 + c] ?? 0
      floats[n * 16 + c] = a
      floats[n * 16 + 3 + c] = (corners[from * 9 + 3 + c] ?? 0) - a
      floats[n * 16 + 6 + c] = (corners[from * 9 + 6 + c] ?? 0) - a
    }
    for (let k = 0; k < 7; k++) ints[n * 16 + 9 + k] = tails[from * 7 + k] ?? 0
  }
  return { nodes: widen(crew, root), triangles }
}

/** Turns a two-way tree, as three-mesh-bvh serialises it, into four-way nodes. */
function widen(crew: Crew, root: ArrayBuffer): number {
  const floats = new Float32Array(root)
  const words = new Uint32Array(root)
  const halves = new Uint16Array(root)
  const leaf = (n: number): boolean => halves[n * 16 + 15] === 0xffff
  const left = (n: number): number => n + 1
  const right = (n: number): number => n + (words[n * 8 + 6] ?? 0)
  const area = (n: number): number => {
    const [x, y, z] = [0, 1, 2].map((c) => (floats[n * 8 + 3 + c] ?? 0) - (floats[n * 8 + c] ?? 0)) as [
      number,
      number,
      number,
    ]
    return x * y + y * z + z * x
  }
  const childrenOf = (n: number): number[] => {
    let children = leaf(n) ? [n] : [left(n), right(n)]
    while (children.length < 4) {
      let widest = -1
      for (const [k, child] of children.entries())
        if (!leaf(child) && (widest < 0 || area(child) > area(children[widest] ?? 0))) widest = k
      if (widest < 0) break
      const split = children[widest] ?? 0
      children = [...children.slice(0, widest), left(split), right(split), ...children.slice(widest + 1)]
    }
    return children
  }
  // A node's children lie together and its grandchildren soon after: blocks of a few levels, each block's own subtrees in turn, so that a ray's way down stays near in memory.
  const out: number[][] = []
  const links: number[][] = []
  const add = (n: number): number => {
    out.push(childrenOf(n))
    return out.length - 1
  }
  const place = (root: number): void => {
    let edge = [root]
    for (let level = 0; level < BLOCK_LEVELS; level++) {
      const next: number[] = []
      for (const mine of edge) {
        links[mine] = (out[mine] ?? []).map((child) => (leaf(child) ? -1 : add(child)))
        next.push(...(links[mine] ?? []).filter((link) => link >= 0))
      }
      edge = next
    }
    for (const mine of edge) place(mine)
  }
  place(add(0))
  const nodes = crew.heap.alloc(out.length * NODE_BYTES)
  const f = crew.heap.f32(nodes, out.length * 32)
  const i = crew.heap.i32(nodes, out.length * 32)
  for (const [n, children] of out.entries())
    for (let k = 0; k < 4; k++) {
      const child = children[k]
      for (let c = 0; c < 3; c++) {
        f[n * 32 + c * 8 + k] = child === undefined ? 1e30 : (floats[child * 8 + c] ?? 0)
        f[n * 32 + c * 8 + 4 + k] = child === undefined ? 1e30 : (floats[child * 8 + 3 + c] ?? 0)
      }
      if (child === undefined) i[n * 32 + 24 + k] = ~0
      else if (leaf(child)) {
        const held = halves[child * 16 + 14] ?? 0
        if (held > MOST_IN_LEAF) throw new Error(`a leaf of the tree holds ${held} triangles`)
        i[n * 32 + 24 + k] = ~((words[child * 8 + 6] ?? 0) * 16 + held)
      } else i[n * 32 + 24 + k] = links[n]?.[k] ?? 0
    }
  return nodes
}

/** Lays charts, vertices and the tree over all their triangles. */
export function uploadScene(crew: Crew, parts: Parts, say: (text: string) => void = () => undefined): LaidScene {
  const charts = crew.heap.alloc(Math.max(1, parts.charts.length) * CHART_BYTES)
  const list: LaidChart[] = []
  const found: { corners: Float32Array; tails: Float32Array; count: number }[] = []
  for (const [index, spec] of parts.charts.entries()) {
    const laid = uploadChart(crew, charts + index * CHART_BYTES, spec)
    list.push({ ...laid.chart, index })
    found.push(chartTriangles(spec, index, laid))
    say(`${spec.name}: ${spec.columns} x ${spec.rows} texels`)
  }
  const { pointer: vertices, count: vertexCount } = uploadVertices(crew, parts.mesh)
  const loose = meshTriangles(parts.mesh)
  const count = found.reduce((sum, one) => sum + one.count, loose.count)
  const corners = new Float32Array(count * 9)
  const tails = new Int32Array(count * 7)
  let n = 0
  for (const one of [...found, loose]) {
    corners.set(one.corners.subarray(0, one.count * 9), n * 9)
    tails.set(new Int32Array(one.tails.buffer, 0, one.count * 7), n * 7)
    n += one.count
  }
  say(`${count} triangles`)
  const tree = uploadTree(crew, { corners, tails, count }, true)
  return { tree, vertices, vertexCount, charts, list, triangleCount: count }
}

function chartTriangles(
  spec: ChartSpec,
  index: number,
  { grid, columns, rows }: { grid: Float32Array; columns: number; rows: number },
) {
  const most = (columns - 1) * (rows - 1) * 2
  const corners = new Float32Array(most * 9)
  const tails = new Float32Array(most * 7)
  const ints = new Int32Array(tails.buffer)
  const { step, texel } = spec
  let count = 0
  for (let j = 0; j + 1 < rows; j++)
    for (let i = 0; i + 1 < columns; i++) {
      if (spec.there && !spec.there((i + 0.5) * step * texel, (j + 0.5) * step * texel)) continue
      const a = (j * columns + i) * 3
      const c = a + columns * 3
      // Both halves share the diagonal from the second to the third corner.
      for (let half = 0; half < 2; half++) {
        for (let k = 0; k < 3; k++) {
          corners[count * 9 + k] = grid[(half ? c + 3 : a) + k] ?? 0
          corners[count * 9 + 3 + k] = grid[(half ? c : a + 3) + k] ?? 0
          corners[count * 9 + 6 + k] = grid[(half ? a + 3 : c) + k] ?? 0
        }
        const sign = half ? -step : step
        const t = count * 7
        ints[t] = index
        tails[t + 1] = (i + half) * step
        tails[t + 2] = (j + half) * step
        tails[t + 3] = sign
        tails[t + 6] = sign
        count++
      }
    }
  return { corners, tails, count }
}
