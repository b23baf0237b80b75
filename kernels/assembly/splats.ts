import { jobSplatLists, jobSplatOffsets, jobSplats } from './layouts.generated'
import { hitsAt, MOST_HITS, sortedAt, SPLAT, startsAt } from './scratch'
import { putSplat } from './solids'

// Thin particles: each is drawn along its path while the shutter is open, in closed form. The kernel (1 - r^2 / R^2)^2 serves as its shape and as the pixel's filter; its integral along the path is a polynomial.
//   Splat, 64 bytes: x0 y0 z0 at opening, x1 y1 z1 at closing (px, px, m from the camera), 24 radius px (0: the pixel alone that x0 y0 lies in), 28 i32 layer; 32 colour r g b a (premultiplied; a 0: it only gives light), 48 opacity, 52 i32 1: its colour is its own light.
//   Hit, 16 bytes: distance, share, splat, pixel of the tile.

const SPLAT_BYTES: usize = 64
const TILE = 32
const PI: f32 = 3.14159265

/** Sorting keys of splats (items): nearest distance as ordered bits, and the splat's number. */
export function splatKeys(splats: usize, keys: usize, from: i32, to: i32): void {
  for (let n = from; n < to; n++) {
    const s = splats + <usize>n * SPLAT_BYTES
    store<u32>(keys + ((<usize>n) << 3), reinterpret<u32>(max<f32>(0, min(load<f32>(s, 8), load<f32>(s, 20)))))
    store<u32>(keys + ((<usize>n) << 3), <u32>n, 4)
  }
}

/** Sorts keys (8 bytes: key, number) by radix, nearest first; they end in `a`. counts: 1024 bytes. One item. */
export function sortKeys(a: usize, b: usize, count: i32, counts: usize, from: i32, to: i32): void {
  let source = a, target = b
  for (let pass = 0; pass < 4; pass++) {
    const shift = <u32>(pass << 3)
    memory.fill(counts, 0, 1024)
    for (let n = 0; n < count; n++) {
      const c = counts + ((<usize>((load<u32>(source + ((<usize>n) << 3)) >>> shift) & 255)) << 2)
      store<u32>(c, load<u32>(c) + 1)
    }
    let sum: u32 = 0
    for (let n: usize = 0; n < 256; n++) {
      const c = load<u32>(counts + (n << 2))
      store<u32>(counts + (n << 2), sum)
      sum += c
    }
    for (let n = 0; n < count; n++) {
      const e = load<u64>(source + ((<usize>n) << 3))
      const c = counts + ((<usize>((<u32>e >>> shift) & 255)) << 2)
      const at = load<u32>(c)
      store<u32>(c, at + 1)
      store<u64>(target + ((<usize>at) << 3), e)
    }
    const s = source
    source = target
    target = s
  }
}

/** Puts splats into the lists of the tiles that they touch, in the order of their keys. offsets: tiles + 1 u32, where each tile's list ends after the last pass; lists: 0 counts only. total: u32, entries of all lists. One item. */
export function binSplats(splats: usize, keys: usize, count: i32, across: i32, down: i32, offsets: usize, lists: usize, total: usize, from: i32, to: i32): void {
  const tiles = across * down
  if (!lists) memory.fill(offsets, 0, (<usize>(tiles + 1)) << 2)
  for (let n = 0; n < count; n++) {
    const id = load<u32>(keys + ((<usize>n) << 3), 4)
    const s = splats + <usize>id * SPLAT_BYTES
    const R: f32 = load<f32>(s, 24) + 1
    const x0 = load<f32>(s), y0 = load<f32>(s, 4), x1 = load<f32>(s, 12), y1 = load<f32>(s, 16)
    const size = <f32>TILE
    const top = max(0, <i32>floor((min(y0, y1) - R) / size)), bottom = min(down - 1, <i32>floor((max(y0, y1) + R) / size))
    for (let r = top; r <= bottom; r++) {
      // The part of the path within the row of tiles, widened.
      let a: f32 = 0, b: f32 = 1
      const dy = y1 - y0
      if (abs(dy) > 1e-6) {
        const ta: f32 = (<f32>r * size - R - y0) / dy, tb: f32 = (<f32>(r + 1) * size + R - y0) / dy
        a = max<f32>(0, min(ta, tb))
        b = min<f32>(1, max(ta, tb))
      }
      if (a > b) continue
      const xa = x0 + a * (x1 - x0), xb = x0 + b * (x1 - x0)
      const first = max(0, <i32>floor((min(xa, xb) - R) / size)), last = min(across - 1, <i32>floor((max(xa, xb) + R) / size))
      for (let c = first; c <= last; c++) {
        const o = offsets + ((<usize>(r * across + c)) << 2)
        const at = load<u32>(o)
        if (lists) store<u32>(lists + ((<usize>at) << 2), id)
        store<u32>(o, at + 1)
      }
    }
  }
  if (lists) return
  // Counts become where each list begins.
  let sum: u32 = 0
  for (let n = 0; n < tiles; n++) {
    const c = load<u32>(offsets + ((<usize>n) << 2))
    store<u32>(offsets + ((<usize>n) << 2), sum)
    sum += c
  }
  store<u32>(total, sum)
}

/** Share of a path of length L that lies within the kernel, at a place `along` it and `across` from it: the integral of (1 - r^2 / R^2)^2, divided by its whole (pi R^2 / 3) and by L. */
// @ts-ignore: decorator
@inline
function shareOf(along: f32, across: f32, L: f32, R2: f32): f32 {
  const q = R2 - across * across
  if (q <= 0) return 0
  const h = sqrt(q)
  const g = min(h, L - along), l = max(-h, -along)
  if (g <= l) return 0
  const q2 = q * q, k: f32 = q * 0.6666667
  const g2 = g * g, l2 = l * l
  return (g * (q2 - g2 * (k - g2 * <f32>0.2)) - l * (q2 - l2 * (k - l2 * <f32>0.2))) * 3 / (PI * R2 * R2 * R2 * L)
}

let hits: i32 = 0

/** Counts a hit of a tile's pixel in. */
// @ts-ignore: decorator
@inline
function putHit(scratch: usize, distance: f32, share: f32, id: u32, pixel: i32): void {
  const h = hitsAt(scratch) + ((<usize>hits) << 4)
  hits++
  store<f32>(h, distance)
  store<f32>(h, share, 4)
  store<u32>(h, id, 8)
  store<i32>(h, pixel, 12)
  const c = startsAt(scratch) + ((<usize>pixel) << 2)
  store<u32>(c, load<u32>(c) + 1)
}

/** One of no radius is its pixel alone: another picture's. */
function emitPixel(scratch: usize, id: u32, s: usize, X0: i32, Y0: i32, X1: i32, Y1: i32): void {
  const x = <i32>floor(load<f32>(s)), y = <i32>floor(load<f32>(s, 4))
  if (x < X0 || y < Y0 || x >= X1 || y >= Y1 || hits >= MOST_HITS) return
  putHit(scratch, load<f32>(s, 8), load<f32>(s, 48), id, (y - Y0) * TILE + x - X0)
}

function emitSplat(scratch: usize, id: u32, s: usize, X0: i32, Y0: i32, X1: i32, Y1: i32): void {
  const x0 = load<f32>(s), y0 = load<f32>(s, 4), z0 = load<f32>(s, 8), x1 = load<f32>(s, 12), y1 = load<f32>(s, 16), z1 = load<f32>(s, 20)
  const R = load<f32>(s, 24), opacity = load<f32>(s, 48)
  const dx = x1 - x0, dy = y1 - y0
  const L = max<f32>(0.05, sqrt(dx * dx + dy * dy))
  const moves = dx * dx + dy * dy > 0
  const ux: f32 = moves ? dx / L : 1, uy: f32 = moves ? dy / L : 0, R2 = R * R
  const w0: f32 = 1 / z0, dw: f32 = (1 / z1 - w0) / L
  const top = max(Y0, <i32>ceil(min(y0, y1) - R - 0.5)), bottom = min(Y1 - 1, <i32>floor(max(y0, y1) + R - 0.5))
  for (let y = top; y <= bottom; y++) {
    const py: f32 = <f32>y + 0.5 - y0
    let a: f32 = 0, b: f32 = 1
    if (abs(dy) > 1e-6) {
      const ta: f32 = (py - R) / dy, tb: f32 = (py + R) / dy
      a = max<f32>(0, min(ta, tb))
      b = min<f32>(1, max(ta, tb))
    }
    const xa = x0 + a * dx, xb = x0 + b * dx
    const first = max(X0, <i32>ceil(min(xa, xb) - R - 0.5)), last = min(X1 - 1, <i32>floor(max(xa, xb) + R - 0.5))
    for (let x = first; x <= last; x++) {
      const px: f32 = <f32>x + 0.5 - x0
      const along = px * ux + py * uy
      const share = opacity * shareOf(along, px * uy - py * ux, L, R2)
      if (share <= 0 || hits >= MOST_HITS) continue
      putHit(scratch, <f32>1 / (w0 + dw * max<f32>(0, min(L, along))), min<f32>(1, share), id, (y - Y0) * TILE + x - X0)
    }
  }
}

/** Finds the hits of a tile's splats and puts them in the order of pixels, nearest splat first. */
export function emitHits(job: usize, scratch: usize, tile: i32, X0: i32, Y0: i32, width: i32, height: i32): void {
  const starts = startsAt(scratch)
  memory.fill(starts, 0, 1025 * 4)
  hits = 0
  const offsets = jobSplatOffsets(job)
  const begin = tile ? load<u32>(offsets + ((<usize>(tile - 1)) << 2)) : 0, end = load<u32>(offsets + ((<usize>tile) << 2))
  for (let m = begin; m < end; m++) {
    const id = load<u32>(jobSplatLists(job) + ((<usize>m) << 2))
    const s = jobSplats(job) + <usize>id * SPLAT_BYTES
    if (load<f32>(s, 24) == 0) emitPixel(scratch, id, s, X0, Y0, min(width, X0 + TILE), min(height, Y0 + TILE))
    else emitSplat(scratch, id, s, X0, Y0, min(width, X0 + TILE), min(height, Y0 + TILE))
  }
  let sum: u32 = 0
  for (let n = 0; n <= TILE * TILE; n++) {
    const c = load<u32>(starts + ((<usize>n) << 2))
    store<u32>(starts + ((<usize>n) << 2), sum)
    sum += c
  }
  for (let n = 0; n < hits; n++) {
    const h = hitsAt(scratch) + ((<usize>n) << 4)
    const c = starts + ((<usize>load<u32>(h, 12)) << 2)
    const at = load<u32>(c)
    store<u32>(c, at + 1)
    v128.store(sortedAt(scratch) + ((<usize>at) << 4), v128.load(h))
  }
}

/** Puts a pixel's hits among its events. */
export function takeHits(job: usize, scratch: usize, pixel: i32): void {
  const starts = startsAt(scratch)
  const begin = pixel ? load<u32>(starts + ((<usize>(pixel - 1)) << 2)) : 0, end = load<u32>(starts + ((<usize>pixel) << 2))
  for (let n = begin; n < end; n++) {
    const h = sortedAt(scratch) + ((<usize>n) << 4)
    const s = jobSplats(job) + <usize>load<u32>(h, 8) * SPLAT_BYTES
    const share = load<f32>(h, 4)
    const colour = f32x4.replace_lane(v128.load(s, 32), 3, 0)
    const alpha = load<f32>(s, 44)
    putSplat(scratch, load<f32>(h), share, alpha, load<i32>(s, 28), colour, load<i32>(s, 52) != 0)
  }
}
