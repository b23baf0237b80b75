import { AIR, baseOf, endOf, firstOf, FLUID, SOLID } from './grid'
import { bytesToFloats, FULL, tail, WHOLE } from './pressure'

// Between the levels of the multigrid: trilinear transfers whose weights are renormalised beside solid cells (kernels/assembly/pressure.ts), the kinds of coarser cells and those weights.

/** Four columns of t, weighted and summed over the rows (`high` of them in each of `deep` layers) that a coarse row is made of. */
// @ts-ignore: decorator
@inline
function columns(p: usize, spans: usize, line: i32, sx: i32, layer: i32, high: i32, deep: i32): v128 {
  let sum = f32x4.splat(0)
  for (let dk = 0; dk < deep; dk++) {
    const wz: f32 = dk == 0 || dk == 3 ? 1 : 3
    for (let dj = 0; dj < high; dj++) {
      const wy: f32 = dj == 0 || dj == 3 ? wz : 3 * wz
      sum = f32x4.add(sum, f32x4.mul(f32x4.splat(wy), v128.load(p + ((<usize>baseOf(spans, line + dk * layer + dj, sx)) << 2))))
    }
  }
  return sum
}

/** One coarse cell from its four columns; `short`: with an odd nx the fourth of the last cell belongs to the next row. */
// @ts-ignore: decorator
@inline
function restrictOne(bc: usize, diagC: usize, out: usize, sum: v128, short: bool): void {
  if (load<u8>(diagC + out) == 0) {
    store<f32>(bc + (out << 2), 0)
    return
  }
  const s = f32x4.mul(sum, f32x4(0.5, 1.5, 1.5, 0.5))
  const last = short ? <f32>0 : f32x4.extract_lane(s, 3)
  store<f32>(bc + (out << 2), f32x4.extract_lane(s, 0) + f32x4.extract_lane(s, 1) + f32x4.extract_lane(s, 2) + last)
}

/** Two coarse cells whose columns, four and two more, are in `here` and `next`. */
// @ts-ignore: decorator
@inline
function restrictTwo(bc: usize, diagC: usize, out: usize, here: v128, next: v128, i: i32, nx: i32): void {
  restrictOne(bc, diagC, out, here, 2 * i + 3 > nx + 1)
  restrictOne(bc, diagC, out + 1, i32x4.shuffle(here, next, 2, 3, 4, 5), 2 * i + 5 > nx + 1)
}

/** bc = R t over the coarse grid (cx, cy, cz); the fine grid has (nx, ny, nz) cells, its ghosts 0 in t. spans, fine: of the two. Slabs are coarse layers. */
export function restrict(bc: usize, t: usize, diagC: usize, spans: usize, fine: usize, nx: i32, ny: i32, nz: i32, cx: i32, cy: i32, cz: i32, from: i32, to: i32): void {
  const sx = nx + 2
  const csx = cx + 2
  for (let k = from; k < to; k++)
    for (let j = 0; j < cy; j++) {
      const row = 2 * k * (ny + 2) + 2 * j
      const deep = min(4, nz + 2 - 2 * k), high = min(4, ny + 2 - 2 * j)
      const line = (k + 1) * (cy + 2) + j + 1
      const out = <usize>(baseOf(spans, line, csx) + 1)
      // Spans begin at multiples of four, so cells come in pairs: four of t's columns for the first, the latter two of them and the next two for the second.
      const start = firstOf(spans, line), stop = endOf(spans, line, cx, cx)
      if (start >= stop) continue
      let here = columns(t + ((<usize>(2 * start)) << 2), fine, row, sx, ny + 2, high, deep)
      let i = start
      // Eight cells at a time, so that the sums of one need not wait for those of another.
      for (; i + 8 <= stop; i += 8) {
        let s0 = f32x4.splat(0), s1 = s0, s2 = s0, s3 = s0
        for (let dk = 0; dk < deep; dk++) {
          const wz: f32 = dk == 0 || dk == 3 ? 1 : 3
          for (let dj = 0; dj < high; dj++) {
            const w = f32x4.splat(dj == 0 || dj == 3 ? wz : 3 * wz)
            const p = t + ((<usize>(baseOf(fine, row + dk * (ny + 2) + dj, sx) + 2 * i)) << 2)
            s0 = f32x4.add(s0, f32x4.mul(w, v128.load(p, 16)))
            s1 = f32x4.add(s1, f32x4.mul(w, v128.load(p, 32)))
            s2 = f32x4.add(s2, f32x4.mul(w, v128.load(p, 48)))
            s3 = f32x4.add(s3, f32x4.mul(w, v128.load(p, 64)))
          }
        }
        const at = out + <usize>i
        restrictTwo(bc, diagC, at, here, s0, i, nx)
        restrictTwo(bc, diagC, at + 2, s0, s1, i + 2, nx)
        restrictTwo(bc, diagC, at + 4, s1, s2, i + 4, nx)
        restrictTwo(bc, diagC, at + 6, s2, s3, i + 6, nx)
        here = s3
      }
      for (; i < stop; i += 2) {
        const next = columns(t + ((<usize>(2 * i + 4)) << 2), fine, row, sx, ny + 2, high, deep)
        const at = out + <usize>i
        if (i + 1 < stop) restrictTwo(bc, diagC, at, here, next, i, nx)
        else restrictOne(bc, diagC, at, here, 2 * i + 3 > nx + 1)
        here = next
      }
    }
}

/** x += P xc on fluid cells. spans, coarser: of the two. */
export function prolong(x: usize, xc: usize, diag: usize, norm: usize, spans: usize, coarser: usize, nx: i32, ny: i32, nz: i32, cx: i32, cy: i32, from: i32, to: i32): void {
  for (let k = from; k < to; k++) prolongLayer(x, xc, diag, norm, spans, coarser, nx, ny, cx, cy, k)
}

/** The same of one layer; k: of cells. */
export function prolongLayer(x: usize, xc: usize, diag: usize, norm: usize, spans: usize, coarser: usize, nx: i32, ny: i32, cx: i32, cy: i32, k: i32): void {
  const sx = nx + 2
  const csx = cx + 2
  const layer = cy + 2
  const nine = f32x4.splat(9), three = f32x4.splat(3), zero = f32x4.splat(0)
  const k0 = (k >> 1) + 1
  const k1 = k & 1 ? k0 + 1 : k0 - 1
  for (let j = 0; j < ny; j++) {
    const line = (k + 1) * (ny + 2) + j + 1
    const start = firstOf(spans, line), stop = endOf(spans, line, nx, nx)
    if (start >= stop) continue
    const j0 = (j >> 1) + 1
    const j1 = j & 1 ? j0 + 1 : j0 - 1
    const r00 = xc + ((<usize>baseOf(coarser, k0 * layer + j0, csx)) << 2)
    const r10 = xc + ((<usize>baseOf(coarser, k0 * layer + j1, csx)) << 2)
    const r01 = xc + ((<usize>baseOf(coarser, k1 * layer + j0, csx)) << 2)
    const r11 = xc + ((<usize>baseOf(coarser, k1 * layer + j1, csx)) << 2)
    const row = <usize>(baseOf(spans, line, sx) + 1)
    for (let i = start; i < stop; i += 4) {
      // Four coarse cells, summed over their rows: the two that these four cells lie in, between their neighbours.
      const o = (<usize>(i >> 1)) << 2
      const sum = f32x4.add(f32x4.add(f32x4.mul(nine, v128.load(r00 + o)), f32x4.mul(three, f32x4.add(v128.load(r10 + o), v128.load(r01 + o)))), v128.load(r11 + o))
      const c = row + <usize>i
      const value = f32x4.add(f32x4.mul(three, i32x4.shuffle(sum, sum, 1, 1, 2, 2)), i32x4.shuffle(sum, sum, 0, 2, 1, 3))
      const e = x + (c << 2)
      const old = v128.load(e)
      // Gas all round on both levels: the weights are 64.
      if (i + 4 <= nx && load<u32>(norm + c) == FULL && load<u32>(diag + c) == WHOLE) {
        v128.store(e, f32x4.add(old, f32x4.mul(value, f32x4.splat(1.0 / 64.0))))
        continue
      }
      const n = bytesToFloats(norm + c)
      let mask = v128.and(f32x4.gt(bytesToFloats(diag + c), zero), f32x4.gt(n, zero))
      if (i + 4 > nx) mask = v128.and(mask, tail(nx - i))
      v128.store(e, v128.bitselect(f32x4.add(old, f32x4.div(value, n)), old, mask))
    }
  }
}

/** A coarse cell is fluid where any of its children is, else open where any is. Ghosts are written by the caller. */
export function coarsenFlags(coarseFlags: usize, flags: usize, nx: i32, ny: i32, nz: i32, cx: i32, cy: i32, cz: i32, from: i32, to: i32): void {
  const sx = nx + 2
  const sxy = sx * (ny + 2)
  const csx = cx + 2
  const csxy = csx * (cy + 2)
  for (let k = from; k < to; k++)
    for (let j = 0; j < cy; j++)
      for (let i = 0; i < cx; i++) {
        let kind: u8 = SOLID
        for (let d = 0; d < 8; d++) {
          const x = 2 * i + (d & 1)
          const y = 2 * j + ((d >> 1) & 1)
          const z = 2 * k + (d >> 2)
          if (x >= nx || y >= ny || z >= nz) continue
          const fine = load<u8>(flags + <usize>((z + 1) * sxy + (y + 1) * sx + x + 1))
          if (fine == FLUID || (fine == AIR && kind == SOLID)) kind = fine
        }
        store<u8>(coarseFlags + <usize>((k + 1) * csxy + (j + 1) * csx + i + 1), kind)
      }
}

/** norm per fine cell: the transfer weights that fall on coarse cells that are not solid. */
export function transferNorm(norm: usize, coarseFlags: usize, spans: usize, coarser: usize, nx: i32, ny: i32, nz: i32, cx: i32, cy: i32, from: i32, to: i32): void {
  const sx = nx + 2
  const csx = cx + 2
  for (let k = from; k < to; k++)
    for (let j = 0; j < ny; j++) {
      const line = (k + 1) * (ny + 2) + j + 1
      const base = baseOf(spans, line, sx)
      for (let i = firstOf(spans, line), stop = endOf(spans, line, nx, nx); i < stop; i++) {
        let sum: u8 = 0
        for (let d = 0; d < 8; d++) {
          const x = (i >> 1) + 1 + (d & 1 ? (i & 1 ? 1 : -1) : 0)
          const y = (j >> 1) + 1 + (d & 2 ? (j & 1 ? 1 : -1) : 0)
          const z = (k >> 1) + 1 + (d & 4 ? (k & 1 ? 1 : -1) : 0)
          if (load<u8>(coarseFlags + <usize>(baseOf(coarser, z * (cy + 2) + y, csx) + x)) == SOLID) continue
          sum += (d & 1 ? <u8>1 : <u8>3) * (d & 2 ? <u8>1 : <u8>3) * (d & 4 ? <u8>1 : <u8>3)
        }
        store<u8>(norm + <usize>(base + i + 1), sum)
      }
    }
}
