// Builds trees of boxes four wide, by binned surface area (Wald 2007), straight into the nodes that rays.ts walks.
//   Node, 128 bytes: low x[4] 0, y 16, z 32; high x[4] 48, y 64, z 80; child[4] u32 96: the byte offset of an inner node, or LEAF | index of a packet or instance; NONE where there is none (low 3e38, high -3e38).
//   Packet of four triangles, 160 bytes: corner a x[4] y[4] z[4], edges u = b - a and v = c - a likewise, triangle i32[4] (-1: none); of deforming meshes 304: then how corner and edges change until the shutter closes.
//   Primitive, 32 bytes: its box, low x y z 0, high x y z 0.

export const LEAF: u32 = 0x80000000
export const NONE: u32 = 0xffffffff
export const INDEX: u32 = 0x7fffffff
export const NODE: usize = 128
export const PACKET: usize = 160
export const MOVING_PACKET: usize = 304
const BINS = 16
const BIN: usize = 48
const FAR: f32 = 3e38
const NARROW: f32 = -3e38
/** Deeper ranges are halved by count, so that no tree outgrows a walker's stack. */
const DEEPEST = 40

let low: v128 = f32x4.splat(0), high: v128 = f32x4.splat(0)
let centreLow: v128 = f32x4.splat(0), centreHigh: v128 = f32x4.splat(0)
let nodesUsed: i32 = 0
let leavesUsed: i32 = 0

// @ts-ignore: decorator
@inline
function area(lo: v128, hi: v128): f32 {
  const d = f32x4.sub(hi, lo)
  const x = f32x4.extract_lane(d, 0), y = f32x4.extract_lane(d, 1), z = f32x4.extract_lane(d, 2)
  return x * y + y * z + z * x
}

// @ts-ignore: decorator
@inline
function primitive(primitives: usize, order: usize, n: i32): usize {
  return primitives + ((<usize>load<u32>(order + ((<usize>n) << 2))) << 5)
}

/** Box of the primitives in [from, to), and of twice their centres. */
function bounds(primitives: usize, order: usize, from: i32, to: i32): void {
  let lo = f32x4.splat(FAR), hi = f32x4.splat(NARROW), cl = lo, ch = hi
  for (let n = from; n < to; n++) {
    const p = primitive(primitives, order, n)
    const a = v128.load(p), b = v128.load(p, 16)
    const c = f32x4.add(a, b)
    lo = f32x4.pmin(lo, a)
    hi = f32x4.pmax(hi, b)
    cl = f32x4.pmin(cl, c)
    ch = f32x4.pmax(ch, c)
  }
  low = lo
  high = hi
  centreLow = cl
  centreHigh = ch
}

/** Bins per unit of each axis, 0 where all centres are at one place. */
function binScale(): v128 {
  const extent = f32x4.sub(centreHigh, centreLow)
  const x = f32x4.extract_lane(extent, 0), y = f32x4.extract_lane(extent, 1), z = f32x4.extract_lane(extent, 2)
  const full: f32 = <f32>BINS * 0.9999
  return f32x4(x > 0 ? full / x : 0, y > 0 ? full / y : 0, z > 0 ? full / z : 0, 0)
}

/** Bins of three axes, 48 bytes each: box, count, then room for sums from below. */
function fillBins(primitives: usize, order: usize, from: i32, to: i32, bins: usize, scale: v128): void {
  for (let n = 0; n < BINS * 3; n++) {
    const b = bins + <usize>n * BIN
    v128.store(b, f32x4.splat(FAR))
    v128.store(b, f32x4.splat(NARROW), 16)
    store<i32>(b, 0, 32)
  }
  for (let n = from; n < to; n++) {
    const p = primitive(primitives, order, n)
    const a = v128.load(p), b = v128.load(p, 16)
    const at = i32x4.trunc_sat_f32x4_s(f32x4.mul(f32x4.sub(f32x4.add(a, b), centreLow), scale))
    for (let axis = 0; axis < 3; axis++) {
      const own = axis == 0 ? i32x4.extract_lane(at, 0) : axis == 1 ? i32x4.extract_lane(at, 1) : i32x4.extract_lane(at, 2)
      const bin = bins + <usize>(axis * BINS + own) * BIN
      v128.store(bin, f32x4.pmin(v128.load(bin), a))
      v128.store(bin, f32x4.pmax(v128.load(bin, 16), b), 16)
      store<i32>(bin, load<i32>(bin, 32) + 1, 32)
    }
  }
}

let bestAxis: i32 = -1
let bestBin: i32 = 0

/** Where the sum of area times packets of four is least; left in bestAxis, bestBin. */
function chooseSplit(bins: usize): void {
  let best: f32 = FAR
  bestAxis = -1
  for (let axis = 0; axis < 3; axis++) {
    const base = bins + <usize>(axis * BINS) * BIN
    let lo = f32x4.splat(FAR), hi = f32x4.splat(NARROW), count = 0
    for (let n = 0; n < BINS - 1; n++) {
      const bin = base + <usize>n * BIN
      lo = f32x4.pmin(lo, v128.load(bin))
      hi = f32x4.pmax(hi, v128.load(bin, 16))
      count += load<i32>(bin, 32)
      store<f32>(bin, count ? area(lo, hi) * <f32>((count + 3) >> 2) : 0, 36)
      store<i32>(bin, count, 40)
    }
    lo = f32x4.splat(FAR)
    hi = f32x4.splat(NARROW)
    count = 0
    for (let n = BINS - 1; n > 0; n--) {
      const bin = base + <usize>n * BIN
      lo = f32x4.pmin(lo, v128.load(bin))
      hi = f32x4.pmax(hi, v128.load(bin, 16))
      count += load<i32>(bin, 32)
      if (!count || !load<i32>(bin - BIN, 40)) continue
      const cost = area(lo, hi) * <f32>((count + 3) >> 2) + load<f32>(bin - BIN, 36)
      if (cost < best) {
        best = cost
        bestAxis = axis
        bestBin = n
      }
    }
  }
}

/** Splits [from, to), whose bounds were just taken, into two; returns where the second begins. */
function split(primitives: usize, order: usize, from: i32, to: i32, depth: i32, bins: usize): i32 {
  const middle = (from + to) >> 1
  if (depth > DEEPEST) return middle
  const scale = binScale()
  if (!v128.any_true(scale)) return middle
  fillBins(primitives, order, from, to, bins, scale)
  chooseSplit(bins)
  if (bestAxis < 0) return middle
  const c = bestAxis == 0 ? f32x4.extract_lane(centreLow, 0) : bestAxis == 1 ? f32x4.extract_lane(centreLow, 1) : f32x4.extract_lane(centreLow, 2)
  const s = bestAxis == 0 ? f32x4.extract_lane(scale, 0) : bestAxis == 1 ? f32x4.extract_lane(scale, 1) : f32x4.extract_lane(scale, 2)
  const offset = (<usize>bestAxis) << 2
  let i = from, j = to - 1
  while (i <= j) {
    const at = order + ((<usize>i) << 2)
    const id = load<u32>(at)
    const p = primitives + ((<usize>id) << 5) + offset
    if (<i32>((load<f32>(p) + load<f32>(p, 16) - c) * s) < bestBin) i++
    else {
      const other = order + ((<usize>j) << 2)
      store<u32>(at, load<u32>(other))
      store<u32>(other, id)
      j--
    }
  }
  return i > from && i < to ? i : middle
}

/** Writes the box of [from, to) and its child into a lane of a node. */
function putLane(lane: usize, primitives: usize, order: usize, from: i32, to: i32, child: u32): void {
  if (child == NONE) {
    low = f32x4.splat(FAR)
    high = f32x4.splat(NARROW)
  } else bounds(primitives, order, from, to)
  store<f32>(lane, f32x4.extract_lane(low, 0))
  store<f32>(lane, f32x4.extract_lane(low, 1), 16)
  store<f32>(lane, f32x4.extract_lane(low, 2), 32)
  store<f32>(lane, f32x4.extract_lane(high, 0), 48)
  store<f32>(lane, f32x4.extract_lane(high, 1), 64)
  store<f32>(lane, f32x4.extract_lane(high, 2), 80)
  store<u32>(lane, child, 96)
}

/** Fills `node` with [from, to), split into four at most. leaf: primitives of a leaf at most; leaves: a pair u32 first, count for each. */
function buildRange(primitives: usize, order: usize, from: i32, to: i32, nodes: usize, node: i32, leaf: i32, depth: i32, leaves: usize, bins: usize): void {
  let f0 = from, t0 = to, f1 = 0, t1 = 0, f2 = 0, t2 = 0, f3 = 0, t3 = 0, parts = 1
  while (parts < 4) {
    let pick = -1
    let largest: f32 = -1
    for (let m = 0; m < parts; m++) {
      const f = m == 0 ? f0 : m == 1 ? f1 : f2, t = m == 0 ? t0 : m == 1 ? t1 : t2
      if (t - f <= leaf) continue
      bounds(primitives, order, f, t)
      const a = area(low, high)
      if (a > largest) {
        largest = a
        pick = m
      }
    }
    if (pick < 0) break
    const f = pick == 0 ? f0 : pick == 1 ? f1 : f2, t = pick == 0 ? t0 : pick == 1 ? t1 : t2
    bounds(primitives, order, f, t)
    const middle = split(primitives, order, f, t, depth, bins)
    if (pick == 0) t0 = middle
    else if (pick == 1) t1 = middle
    else t2 = middle
    if (parts == 1) {
      f1 = middle
      t1 = t
    } else if (parts == 2) {
      f2 = middle
      t2 = t
    } else {
      f3 = middle
      t3 = t
    }
    parts++
  }
  const at = nodes + <usize>node * NODE
  for (let m = 0; m < 4; m++) {
    const f = m == 0 ? f0 : m == 1 ? f1 : m == 2 ? f2 : f3, t = m == 0 ? t0 : m == 1 ? t1 : m == 2 ? t2 : t3
    const lane = at + ((<usize>m) << 2)
    if (m >= parts || f >= t) putLane(lane, primitives, order, f, t, NONE)
    else if (t - f <= leaf) {
      store<u32>(leaves + ((<usize>leavesUsed) << 3), f)
      store<u32>(leaves + ((<usize>leavesUsed) << 3), t - f, 4)
      putLane(lane, primitives, order, f, t, LEAF | <u32>leavesUsed)
      leavesUsed++
    } else {
      const child = nodesUsed++
      putLane(lane, primitives, order, f, t, <u32>child * <u32>NODE)
      buildRange(primitives, order, f, t, nodes, child, leaf, depth + 1, leaves, bins)
    }
  }
}

/** Builds a tree over `count` primitives. order: u32 each, left in the order of the leaves; nodes: as many as primitives; leaves: a pair each; bins: 2304 bytes; used: i32 nodes, leaves. One item. */
export function buildTree(primitives: usize, order: usize, count: i32, nodes: usize, leaf: i32, leaves: usize, bins: usize, used: usize, from: i32, to: i32): void {
  for (let n = 0; n < count; n++) store<u32>(order + ((<usize>n) << 2), n)
  nodesUsed = 1
  leavesUsed = 0
  buildRange(primitives, order, 0, count, nodes, 0, leaf, 0, leaves, bins)
  store<i32>(used, nodesUsed)
  store<i32>(used, leavesUsed, 4)
}

// @ts-ignore: decorator
@inline
function corner(positions: usize, index: u32): v128 {
  const p = positions + <usize>index * 12
  return f32x4(load<f32>(p), load<f32>(p, 4), load<f32>(p, 8), 0)
}

/** Boxes of triangles (items), over both positions where a mesh deforms (`closing` is not 0). */
export function triangleBoxes(positions: usize, closing: usize, indices: usize, primitives: usize, from: i32, to: i32): void {
  for (let n = from; n < to; n++) {
    const i = indices + <usize>n * 12
    const out = primitives + ((<usize>n) << 5)
    let lo = f32x4.splat(FAR), hi = f32x4.splat(NARROW)
    for (let m = 0; m < 3; m++) {
      const index = load<u32>(i + ((<usize>m) << 2))
      const a = corner(positions, index)
      const b = closing ? corner(closing, index) : a
      lo = f32x4.pmin(lo, f32x4.pmin(a, b))
      hi = f32x4.pmax(hi, f32x4.pmax(a, b))
    }
    v128.store(out, lo)
    v128.store(out, hi, 16)
  }
}

/** Writes a triangle's corner and edges into a lane of a packet; of another set of positions less those of the first, where it says so. */
function putTriangle(lane: usize, positions: usize, less: usize, i: usize): void {
  for (let q: usize = 0; q < 3; q++) {
    const c = q << 2
    let a = load<f32>(positions + <usize>load<u32>(i) * 12 + c)
    let u = load<f32>(positions + <usize>load<u32>(i, 4) * 12 + c) - a
    let v = load<f32>(positions + <usize>load<u32>(i, 8) * 12 + c) - a
    if (less) {
      const b = load<f32>(less + <usize>load<u32>(i) * 12 + c)
      u -= load<f32>(less + <usize>load<u32>(i, 4) * 12 + c) - b
      v -= load<f32>(less + <usize>load<u32>(i, 8) * 12 + c) - b
      a -= b
    }
    store<f32>(lane + (q << 4), a)
    store<f32>(lane + ((q + 3) << 4), u)
    store<f32>(lane + ((q + 6) << 4), v)
  }
}

/** Packs the triangles of leaves (items) into packets, one a leaf. */
export function packLeaves(leaves: usize, order: usize, positions: usize, closing: usize, indices: usize, packets: usize, from: i32, to: i32): void {
  const size = closing ? MOVING_PACKET : PACKET
  for (let n = from; n < to; n++) {
    const first = load<u32>(leaves + ((<usize>n) << 3)), count = load<i32>(leaves + ((<usize>n) << 3), 4)
    const packet = packets + <usize>n * size
    memory.fill(packet, 0, size)
    for (let m = 0; m < 4; m++) {
      const lane = packet + ((<usize>m) << 2)
      store<i32>(lane, -1, 144)
      if (m >= count) continue
      const id = load<u32>(order + ((<usize>(first + m)) << 2))
      const i = indices + <usize>id * 12
      putTriangle(lane, positions, 0, i)
      if (closing) putTriangle(lane + PACKET, closing, positions, i)
      store<i32>(lane, <i32>id, 144)
    }
  }
}

/** Leaves of a top level hold one instance each: its number takes the leaf's place. Items are nodes. */
export function nameInstances(nodes: usize, leaves: usize, order: usize, from: i32, to: i32): void {
  for (let n = from; n < to; n++)
    for (let m = 0; m < 4; m++) {
      const child = nodes + <usize>n * NODE + ((<usize>m) << 2) + 96
      const value = load<u32>(child)
      if (value == NONE || !(value & LEAF)) continue
      const first = load<u32>(leaves + ((<usize>(value & INDEX)) << 3))
      store<u32>(child, LEAF | load<u32>(order + ((<usize>first) << 2)))
    }
}

/**
 * Nodes of a top level whose boxes move: 224 bytes, the node when the shutter opens, then at 112 how its bounds change until it closes. nodes: a tree over the whole boxes; opening, closing: an instance's box then.
 * Children lie after their parents, so one pass from the last to the first. One item.
 */
export function movingNodes(nodes: usize, count: i32, opening: usize, closing: usize, out: usize, from: i32, to: i32): void {
  for (let n = count - 1; n >= 0; n--)
    for (let m: usize = 0; m < 4; m++) {
      const child = load<u32>(nodes + <usize>n * NODE + (m << 2), 96)
      const lane = out + <usize>n * MOVING_NODE + (m << 2)
      let l0 = f32x4.splat(FAR), h0 = f32x4.splat(NARROW), l1 = l0, h1 = h0
      if (child != NONE && child & LEAF) {
        const b = (<usize>(child & INDEX)) << 5
        l0 = v128.load(opening + b)
        h0 = v128.load(opening + b, 16)
        l1 = v128.load(closing + b)
        h1 = v128.load(closing + b, 16)
      } else if (child != NONE) {
        const inner = out + (<usize>child / NODE) * MOVING_NODE
        for (let q: usize = 0; q < 4; q++) {
          const e = inner + (q << 2)
          if (load<u32>(e, 96) == NONE) continue
          const a = f32x4(load<f32>(e), load<f32>(e, 16), load<f32>(e, 32), 0), b = f32x4(load<f32>(e, 48), load<f32>(e, 64), load<f32>(e, 80), 0)
          l0 = f32x4.pmin(l0, a)
          h0 = f32x4.pmax(h0, b)
          l1 = f32x4.pmin(l1, f32x4.add(a, f32x4(load<f32>(e, 112), load<f32>(e, 128), load<f32>(e, 144), 0)))
          h1 = f32x4.pmax(h1, f32x4.add(b, f32x4(load<f32>(e, 160), load<f32>(e, 176), load<f32>(e, 192), 0)))
        }
      }
      const none = child == NONE
      const dl = none ? f32x4.splat(0) : f32x4.sub(l1, l0), dh = none ? f32x4.splat(0) : f32x4.sub(h1, h0)
      putBounds(lane, l0, h0)
      putBounds(lane + 112, dl, dh)
      store<u32>(lane, child, 96)
    }
}
export const MOVING_NODE: usize = 224

function putBounds(lane: usize, lo: v128, hi: v128): void {
  store<f32>(lane, f32x4.extract_lane(lo, 0))
  store<f32>(lane, f32x4.extract_lane(lo, 1), 16)
  store<f32>(lane, f32x4.extract_lane(lo, 2), 32)
  store<f32>(lane, f32x4.extract_lane(hi, 0), 48)
  store<f32>(lane, f32x4.extract_lane(hi, 1), 64)
  store<f32>(lane, f32x4.extract_lane(hi, 2), 80)
}
