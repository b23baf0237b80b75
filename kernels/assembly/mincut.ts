// Minimum cut on a grid of pixels with eight neighbours (Boykov & Kolmogorov 2004). Trees grow from both ends; arcs are implied, their residuals f32.
const NONE: u8 = 255, TERM: u8 = 8, ORPHAN: u8 = 9
const EPS: f32 = 1e-6
const FAR: i32 = 0x7fffffff

// Per pixel of the grid with a rim of one: caps 8 f32, ends f32, stamp i32, distance i32, then parent, tree, active u8; after these a ring of active pixels and one of orphans.
/** Bytes of scratch a pixel, rim counted; FIXED beside them. */
export const CUT_BYTES: usize = 64

let W: i32 = 0, N: i32 = 0
let caps: usize = 0, ends: usize = 0, stamp: usize = 0, distance: usize = 0, parent: usize = 0, tree: usize = 0, active: usize = 0, ring: usize = 0, orphans: usize = 0
let head: i32 = 0, tail: i32 = 0, front: i32 = 0, back: i32 = 0
let offsets: StaticArray<i32> = [0, 0, 0, 0, 0, 0, 0, 0]

// @ts-ignore: decorator
@inline
function off(d: i32): i32 { return unchecked(offsets[d]) }
// @ts-ignore: decorator
@inline
function capAt(p: i32, d: i32): usize { return caps + (<usize>(p * 8 + d) << 2) }
// @ts-ignore: decorator
@inline
function cap(p: i32, d: i32): f32 { return load<f32>(capAt(p, d)) }
// @ts-ignore: decorator
@inline
function endAt(p: i32): usize { return ends + (<usize>p << 2) }
// @ts-ignore: decorator
@inline
function parentOf(p: i32): u8 { return load<u8>(parent + <usize>p) }
// @ts-ignore: decorator
@inline
function treeOf(p: i32): u8 { return load<u8>(tree + <usize>p) }
// @ts-ignore: decorator
@inline
function stampOf(p: i32): i32 { return load<i32>(stamp + (<usize>p << 2)) }
// @ts-ignore: decorator
@inline
function distanceOf(p: i32): i32 { return load<i32>(distance + (<usize>p << 2)) }
function setPlace(p: i32, d: u8, time: i32, far: i32): void {
  store<u8>(parent + <usize>p, d); store<i32>(stamp + (<usize>p << 2), time); store<i32>(distance + (<usize>p << 2), far)
}
function activate(p: i32): void {
  if (load<u8>(active + <usize>p)) return
  store<u8>(active + <usize>p, 1)
  store<i32>(ring + (<usize>tail << 2), p)
  if (++tail == N) tail = 0
}
function orphanFirst(p: i32): void {
  store<u8>(parent + <usize>p, ORPHAN)
  if (--front < 0) front = N - 1
  store<i32>(orphans + (<usize>front << 2), p)
}
function orphanLast(p: i32): void {
  store<u8>(parent + <usize>p, ORPHAN)
  store<i32>(orphans + (<usize>back << 2), p)
  if (++back == N) back = 0
}

/** Sends what fits along the path that meets between pixels s and t in direction d. */
function augment(s: i32, t: i32, d: i32): void {
  let b = cap(s, d)
  for (let i = s; ;) {
    const a = parentOf(i)
    if (a == TERM) { b = min(b, load<f32>(endAt(i))); break }
    const n = i + off(a)
    b = min(b, cap(n, a ^ 4)); i = n
  }
  for (let i = t; ;) {
    const a = parentOf(i)
    if (a == TERM) { b = min(b, -load<f32>(endAt(i))); break }
    b = min(b, cap(i, a)); i += off(a)
  }
  store<f32>(capAt(s, d), cap(s, d) - b); store<f32>(capAt(t, d ^ 4), cap(t, d ^ 4) + b)
  for (let i = s; ;) {
    const a = parentOf(i)
    if (a == TERM) {
      const left = load<f32>(endAt(i)) - b
      store<f32>(endAt(i), left <= EPS ? 0 : left)
      if (left <= EPS) orphanFirst(i)
      break
    }
    const n = i + off(a), left = cap(n, a ^ 4) - b
    store<f32>(capAt(i, a), cap(i, a) + b); store<f32>(capAt(n, a ^ 4), left <= EPS ? 0 : left)
    if (left <= EPS) orphanFirst(i)
    i = n
  }
  for (let i = t; ;) {
    const a = parentOf(i)
    if (a == TERM) {
      const left = load<f32>(endAt(i)) + b
      store<f32>(endAt(i), left >= -EPS ? 0 : left)
      if (left >= -EPS) orphanFirst(i)
      break
    }
    const n = i + off(a), left = cap(i, a) - b
    store<f32>(capAt(n, a ^ 4), cap(n, a ^ 4) + b); store<f32>(capAt(i, a), left <= EPS ? 0 : left)
    if (left <= EPS) orphanFirst(i)
    i = n
  }
}

/** Finds a new parent for an orphan, or sets it free. */
function adopt(i: i32, time: i32): void {
  const own = treeOf(i)
  let best = -1, least = FAR
  for (let d = 0; d < 8; d++) {
    const n = i + off(d)
    if (treeOf(n) != own) continue
    const c: f32 = own == 1 ? cap(n, d ^ 4) : cap(i, d)
    if (c <= EPS) continue
    let j = n, far = 0, rooted = false
    for (;;) {
      if (stampOf(j) == time) { far += distanceOf(j); rooted = true; break }
      const a = parentOf(j)
      far++
      if (a == TERM) { store<i32>(stamp + (<usize>j << 2), time); store<i32>(distance + (<usize>j << 2), 1); rooted = true; break }
      if (a == ORPHAN || a == NONE) break
      j += off(a)
    }
    if (!rooted) continue
    if (far < least) { least = far; best = d }
    for (j = n; stampOf(j) != time; j += off(parentOf(j))) {
      store<i32>(stamp + (<usize>j << 2), time); store<i32>(distance + (<usize>j << 2), far)
      far--
    }
  }
  if (best >= 0) { setPlace(i, <u8>best, time, least + 1); return }
  for (let d = 0; d < 8; d++) {
    const n = i + off(d)
    if (treeOf(n) != own) continue
    const c: f32 = own == 1 ? cap(n, d ^ 4) : cap(i, d)
    if (c > EPS) activate(n)
    const a = parentOf(n)
    if (a < 8 && n + off(a) == i) orphanLast(n)
  }
  store<u8>(tree + <usize>i, 0); store<u8>(parent + <usize>i, NONE)
}

/** Sets up the grid: ends from the unary terms, caps from the four planes of neighbours (right, below, below right, below left). */
function begin(width: i32, height: i32, unary: usize, pairs: usize): void {
  const plane = (<usize>(width * height)) << 2
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const i = (<usize>(y * width + x)) << 2, p = (y + 1) * W + x + 1
      const u = load<f32>(unary + i)
      store<f32>(endAt(p), u)
      if (x + 1 < width) { const c = load<f32>(pairs + i); store<f32>(capAt(p, 0), c); store<f32>(capAt(p + 1, 4), c) }
      if (y + 1 < height) {
        const c = load<f32>(pairs + plane + i)
        store<f32>(capAt(p, 1), c); store<f32>(capAt(p + W, 5), c)
        if (x + 1 < width) { const e = load<f32>(pairs + 2 * plane + i); store<f32>(capAt(p, 2), e); store<f32>(capAt(p + W + 1, 6), e) }
        if (x > 0) { const e = load<f32>(pairs + 3 * plane + i); store<f32>(capAt(p, 3), e); store<f32>(capAt(p + W - 1, 7), e) }
      }
      if (u != 0) {
        store<u8>(tree + <usize>p, u > 0 ? 1 : 2)
        setPlace(p, TERM, 0, 1)
        activate(p)
      }
    }
}

/**
 * Cuts a grid in two. unary: f32, positive for inside, negative for outside; pairs: four planes of f32; scratch: CUT_BYTES a pixel of (width + 2) x (height + 2), zeroed here;
 * out: a byte a pixel, 1 inside. Pixels that neither end reaches are outside. One grid only: items are 1.
 */
export function minCut(width: i32, height: i32, unary: usize, pairs: usize, scratch: usize, out: usize, from: i32, to: i32): void {
  W = width + 2
  N = W * (height + 2)
  const n = <usize>N
  caps = scratch; ends = caps + 32 * n; stamp = ends + 4 * n; distance = stamp + 4 * n; ring = distance + 4 * n; orphans = ring + 4 * n
  parent = orphans + 4 * n; tree = parent + n; active = tree + n
  memory.fill(scratch, 0, 55 * n)
  memory.fill(parent, NONE, n)
  unchecked((offsets[0] = 1)); unchecked((offsets[1] = W)); unchecked((offsets[2] = W + 1)); unchecked((offsets[3] = W - 1))
  for (let d = 0; d < 4; d++) unchecked((offsets[d + 4] = -offsets[d]))
  head = 0; tail = 0; front = 0; back = 0
  begin(width, height, unary, pairs)
  let time = 0, current = -1
  for (;;) {
    let p = current
    current = -1
    if (p < 0 || !treeOf(p)) {
      p = -1
      while (head != tail) {
        const c = load<i32>(ring + (<usize>head << 2))
        if (++head == N) head = 0
        store<u8>(active + <usize>c, 0)
        if (treeOf(c)) { p = c; break }
      }
    }
    if (p < 0) break
    const own = treeOf(p)
    let s = -1, t = -1, way = 0
    for (let d = 0; d < 8; d++) {
      const q = p + off(d)
      const c: f32 = own == 1 ? cap(p, d) : cap(q, d ^ 4)
      if (c <= EPS) continue
      const other = treeOf(q)
      if (!other) {
        store<u8>(tree + <usize>q, own)
        setPlace(q, <u8>(d ^ 4), stampOf(p), distanceOf(p) + 1)
        activate(q)
      } else if (other != own) {
        if (own == 1) { s = p; t = q; way = d } else { s = q; t = p; way = d ^ 4 }
        break
      } else if (stampOf(q) <= stampOf(p) && distanceOf(q) > distanceOf(p)) setPlace(q, <u8>(d ^ 4), stampOf(p), distanceOf(p) + 1)
    }
    time++
    if (s < 0) continue
    current = p
    augment(s, t, way)
    while (front != back) {
      const i = load<i32>(orphans + (<usize>front << 2))
      if (++front == N) front = 0
      adopt(i, time)
    }
  }
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) store<u8>(out + <usize>(y * width + x), treeOf((y + 1) * W + x + 1) == 1 ? 1 : 0)
}
