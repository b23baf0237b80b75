import { sample, within } from './grid'

// MacCormack advection (Selle, Fedkiw, Kim, Liu & Rossignac 2008) on the staggered grid, traced back by the midpoint rule.
// comp: 0 u, 1 v, 2 w, 3 cell centre. shift = time step / cell size; positive traces back, negative forward.

let px: f32 = 0
let py: f32 = 0
let pz: f32 = 0

/** Velocity at the sample (a, b, c) of kind `comp`, then the midpoint trace over `shift`; leaves the cell-centred array coordinates in px, py, pz. */
// @ts-ignore: decorator
@inline
function trace(comp: i32, a: i32, b: i32, c: i32, u: usize, v: usize, w: usize, nx: i32, ny: i32, nz: i32, sx: i32, sxy: i32, shift: f32): void {
  const e = (<usize>(c * sxy + b * sx + a)) << 2
  const x1: usize = 4
  const y1 = (<usize>sx) << 2
  const z1 = (<usize>sxy) << 2
  let vu: f32, vv: f32, vw: f32
  if (comp == 0) {
    vu = load<f32>(u + e)
    vv = 0.25 * (load<f32>(v + e) + load<f32>(v + e - x1) + load<f32>(v + e + y1) + load<f32>(v + e + y1 - x1))
    vw = 0.25 * (load<f32>(w + e) + load<f32>(w + e - x1) + load<f32>(w + e + z1) + load<f32>(w + e + z1 - x1))
  } else if (comp == 1) {
    vv = load<f32>(v + e)
    vu = 0.25 * (load<f32>(u + e) + load<f32>(u + e + x1) + load<f32>(u + e - y1) + load<f32>(u + e - y1 + x1))
    vw = 0.25 * (load<f32>(w + e) + load<f32>(w + e + z1) + load<f32>(w + e - y1) + load<f32>(w + e - y1 + z1))
  } else if (comp == 2) {
    vw = load<f32>(w + e)
    vu = 0.25 * (load<f32>(u + e) + load<f32>(u + e + x1) + load<f32>(u + e - z1) + load<f32>(u + e - z1 + x1))
    vv = 0.25 * (load<f32>(v + e) + load<f32>(v + e + y1) + load<f32>(v + e - z1) + load<f32>(v + e - z1 + y1))
  } else {
    vu = 0.5 * (load<f32>(u + e) + load<f32>(u + e + x1))
    vv = 0.5 * (load<f32>(v + e) + load<f32>(v + e + y1))
    vw = 0.5 * (load<f32>(w + e) + load<f32>(w + e + z1))
  }
  const tx = <f32>(nx + 1) - 0.001
  const ty = <f32>(ny + 1) - 0.001
  const tz = <f32>(nz + 1) - 0.001
  const x = <f32>a - (comp == 0 ? <f32>0.5 : <f32>0)
  const y = <f32>b - (comp == 1 ? <f32>0.5 : <f32>0)
  const z = <f32>c - (comp == 2 ? <f32>0.5 : <f32>0)
  const half = shift * 0.5
  const mx = x - half * vu
  const my = y - half * vv
  const mz = z - half * vw
  const cx = within(mx, tx)
  const cy = within(my, ty)
  const cz = within(mz, tz)
  px = x - shift * sample(u, within(mx + 0.5, tx), cy, cz, sx, sxy)
  py = y - shift * sample(v, cx, within(my + 0.5, ty), cz, sx, sxy)
  pz = z - shift * sample(w, cx, cy, within(mz + 0.5, tz), sx, sxy)
}

/** First, semi-Lagrangian pass for `count` fields of the same placing: fwd = src at the traced point. */
export function advectForward(
  comp: i32, u: usize, v: usize, w: usize, nx: i32, ny: i32, nz: i32, shift: f32, count: i32,
  src0: usize, fwd0: usize, src1: usize, fwd1: usize, src2: usize, fwd2: usize, from: i32, to: i32,
): void {
  const sx = nx + 2
  const sxy = sx * (ny + 2)
  const ox: f32 = comp == 0 ? 0.5 : 0
  const oy: f32 = comp == 1 ? 0.5 : 0
  const oz: f32 = comp == 2 ? 0.5 : 0
  const ex = nx + (comp == 0 ? 1 : 0)
  const ey = ny + (comp == 1 ? 1 : 0)
  const tx = <f32>(nx + 1) - 0.001
  const ty = <f32>(ny + 1) - 0.001
  const tz = <f32>(nz + 1) - 0.001
  for (let c = from + 1; c <= to; c++)
    for (let b = 1; b <= ey; b++)
      for (let a = 1; a <= ex; a++) {
        trace(comp, a, b, c, u, v, w, nx, ny, nz, sx, sxy, shift)
        const x = within(px + ox, tx)
        const y = within(py + oy, ty)
        const z = within(pz + oz, tz)
        const e = (<usize>(c * sxy + b * sx + a)) << 2
        store<f32>(fwd0 + e, sample(src0, x, y, z, sx, sxy))
        if (count > 1) {
          store<f32>(fwd1 + e, sample(src1, x, y, z, sx, sxy))
          store<f32>(fwd2 + e, sample(src2, x, y, z, sx, sxy))
        }
      }
}

/** Error-corrected value held within the eight source values it was drawn from. */
// @ts-ignore: decorator
@inline
function corrected(src: usize, fwd: usize, e: usize, x: f32, y: f32, z: f32, bx: f32, by: f32, bz: f32, sx: i32, sxy: i32): f32 {
  const value = load<f32>(fwd + e) + 0.5 * (load<f32>(src + e) - sample(fwd, bx, by, bz, sx, sxy))
  const a = src + ((<usize>((<i32>z) * sxy + (<i32>y) * sx + <i32>x)) << 2)
  const b = a + ((<usize>sx) << 2)
  const c = a + ((<usize>sxy) << 2)
  const d = c + ((<usize>sx) << 2)
  const a0 = load<f32>(a), a1 = load<f32>(a, 4), b0 = load<f32>(b), b1 = load<f32>(b, 4)
  const c0 = load<f32>(c), c1 = load<f32>(c, 4), d0 = load<f32>(d), d1 = load<f32>(d, 4)
  const lo = min(min(min(a0, a1), min(b0, b1)), min(min(c0, c1), min(d0, d1)))
  const hi = max(max(max(a0, a1), max(b0, b1)), max(max(c0, c1), max(d0, d1)))
  return max(lo, min(hi, value))
}

/** Second pass: dst = fwd + (src - fwd carried back) / 2, clamped. Ghost layers of fwd must be filled. */
export function advectCorrect(
  comp: i32, u: usize, v: usize, w: usize, nx: i32, ny: i32, nz: i32, shift: f32, count: i32,
  src0: usize, fwd0: usize, dst0: usize, src1: usize, fwd1: usize, dst1: usize, src2: usize, fwd2: usize, dst2: usize, from: i32, to: i32,
): void {
  const sx = nx + 2
  const sxy = sx * (ny + 2)
  const ox: f32 = comp == 0 ? 0.5 : 0
  const oy: f32 = comp == 1 ? 0.5 : 0
  const oz: f32 = comp == 2 ? 0.5 : 0
  const ex = nx + (comp == 0 ? 1 : 0)
  const ey = ny + (comp == 1 ? 1 : 0)
  const tx = <f32>(nx + 1) - 0.001
  const ty = <f32>(ny + 1) - 0.001
  const tz = <f32>(nz + 1) - 0.001
  for (let c = from + 1; c <= to; c++)
    for (let b = 1; b <= ey; b++)
      for (let a = 1; a <= ex; a++) {
        trace(comp, a, b, c, u, v, w, nx, ny, nz, sx, sxy, shift)
        const x = within(px + ox, tx)
        const y = within(py + oy, ty)
        const z = within(pz + oz, tz)
        trace(comp, a, b, c, u, v, w, nx, ny, nz, sx, sxy, -shift)
        const bx = within(px + ox, tx)
        const by = within(py + oy, ty)
        const bz = within(pz + oz, tz)
        const e = (<usize>(c * sxy + b * sx + a)) << 2
        store<f32>(dst0 + e, corrected(src0, fwd0, e, x, y, z, bx, by, bz, sx, sxy))
        if (count > 1) {
          store<f32>(dst1 + e, corrected(src1, fwd1, e, x, y, z, bx, by, bz, sx, sxy))
          store<f32>(dst2 + e, corrected(src2, fwd2, e, x, y, z, bx, by, bz, sx, sxy))
        }
      }
}
