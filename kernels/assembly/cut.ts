import { baseOf, endOf, firstOf } from './grid'

// Walls that cut through cells (Batty, Bertails & Bridson 2007 by their face areas, as Ng, Min & Gibou 2009): fu, fv, fw hold the open share of each face in 1/255.
// The finest level knows them; coarser ones keep to whole cells.

// @ts-ignore: decorator
@inline
function open(p: usize): f32 {
  return <f32>load<u8>(p) * <f32>(1.0 / 255.0)
}

// Cells whose faces are partly open are listed layer by layer (offsets: where a layer's begin, nz + 1 of them): the array elements of the cell and of its neighbours y-, y+, z- and z+, and eight floats each: the six
// shares (x-, x+, y-, y+, z-, z+), 1 / their sum, and 1 where i + j + k of the array is odd. What the whole-cell kernels wrote for them is written again.

/** Of a listed cell; bytes. */
const ENTRY: usize = 20

/** Of the field at p, listed cell l. */
// @ts-ignore: decorator
@inline
function beside(w: usize, p: usize, l: usize): f32 {
  const e = p + ((<usize>load<i32>(l)) << 2)
  const xs = load<f32>(w) * load<f32>(e - 4) + load<f32>(w, 4) * load<f32>(e, 4)
  const ys = xs + load<f32>(w, 8) * load<f32>(p + ((<usize>load<i32>(l, 4)) << 2)) + load<f32>(w, 12) * load<f32>(p + ((<usize>load<i32>(l, 8)) << 2))
  return ys + load<f32>(w, 16) * load<f32>(p + ((<usize>load<i32>(l, 12)) << 2)) + load<f32>(w, 20) * load<f32>(p + ((<usize>load<i32>(l, 16)) << 2))
}

/** After smooth (first: after smoothFirst) of a colour: the listed cells' own. */
export function smoothCut(x: usize, b: usize, list: usize, offsets: usize, weights: usize, first: i32, colour: i32, from: i32, to: i32): void {
  for (let n = load<i32>(offsets + ((<usize>from) << 2)); n < load<i32>(offsets + ((<usize>to) << 2)); n++) {
    const w = weights + ((<usize>n) << 5)
    if ((<i32>load<f32>(w, 28) + colour) & 1) continue
    const l = list + (<usize>n) * ENTRY
    const o = (<usize>load<i32>(l)) << 2
    store<f32>(x + o, load<f32>(w, 24) * (load<f32>(b + o) + (first ? <f32>0 : beside(w, x, l))))
  }
}

/** After residual: the listed cells' own. */
export function residualCut(t: usize, x: usize, b: usize, norm: usize, list: usize, offsets: usize, weights: usize, from: i32, to: i32): void {
  for (let n = load<i32>(offsets + ((<usize>from) << 2)); n < load<i32>(offsets + ((<usize>to) << 2)); n++) {
    const w = weights + ((<usize>n) << 5)
    const l = list + (<usize>n) * ENTRY
    const c = <usize>load<i32>(l)
    const o = c << 2
    const r = load<f32>(b + o) - (load<f32>(x + o) / load<f32>(w, 24) - beside(w, x, l))
    const share = load<u8>(norm + c)
    store<f32>(t + o, share ? r / <f32>share : 0)
  }
}

/** After applyDot: the listed cells' own, and what that changes of the layer's sum. */
export function applyDotCut(q: usize, d: usize, partial: usize, list: usize, offsets: usize, weights: usize, from: i32, to: i32): void {
  for (let k = from; k < to; k++) {
    let change: f64 = 0
    for (let n = load<i32>(offsets + ((<usize>k) << 2)); n < load<i32>(offsets + ((<usize>k + 1) << 2)); n++) {
      const w = weights + ((<usize>n) << 5)
      const l = list + (<usize>n) * ENTRY
      const o = (<usize>load<i32>(l)) << 2
      const own = load<f32>(d + o)
      const value: f32 = own / load<f32>(w, 24) - beside(w, d, l)
      change += <f64>own * (<f64>value - <f64>load<f32>(q + o))
      store<f32>(q + o, value)
    }
    const at = partial + ((<usize>k) << 3)
    store<f64>(at, load<f64>(at) + change)
  }
}

/** As divergence, of what passes through the open shares. */
export function divergenceCut(b: usize, u: usize, v: usize, w: usize, expansion: usize, diag: usize, fu: usize, fv: usize, fw: usize, cell: f32, partial: usize, spans: usize, nx: i32, ny: i32, nz: i32, from: i32, to: i32): void {
  const sx = nx + 2
  for (let k = from + 1; k <= to; k++) {
    let sum: f64 = 0
    let top: f32 = 0
    for (let j = 1; j <= ny; j++) {
      const line = k * (ny + 2) + j
      const base = baseOf(spans, line, sx)
      const yc = <usize>(baseOf(spans, line + 1, sx) - base), zc = <usize>(baseOf(spans, line + ny + 2, sx) - base)
      const ya = yc << 2, za = zc << 2
      for (let i = firstOf(spans, line) + 1, stop = endOf(spans, line, nx, nx); i <= stop; i++) {
        const c = <usize>(base + i)
        const e = c << 2
        let value: f32 = 0
        if (load<u8>(diag + c)) {
          let out = open(fu + c + 1) * load<f32>(u + e, 4) - open(fu + c) * load<f32>(u + e)
          out += open(fv + c + yc) * load<f32>(v + e + ya) - open(fv + c) * load<f32>(v + e)
          out += open(fw + c + zc) * load<f32>(w + e + za) - open(fw + c) * load<f32>(w + e)
          value = cell * load<f32>(expansion + e) - out
        }
        store<f32>(b + e, value)
        sum += value
        top = max(top, abs(value))
      }
    }
    const at = partial + ((<usize>(k - 1)) << 4)
    store<f64>(at, sum)
    store<f64>(at, top, 8)
  }
}

/** Faces that are wholly closed are 0 (a moving wall's are set afterwards); layers as project's. */
export function closeFaces(p: usize, shares: usize, layer: i32, from: i32, to: i32): void {
  for (let c = <usize>(from * layer); c < <usize>(to * layer); c++) if (!load<u8>(shares + c)) store<f32>(p + (c << 2), 0)
}

/** dst = the faces' speeds times their open shares: what carries densities past a cut. */
export function openFaces(dst: usize, src: usize, shares: usize, layer: i32, from: i32, to: i32): void {
  for (let c = <usize>(from * layer); c < <usize>(to * layer); c++) store<f32>(dst + (c << 2), open(shares + c) * load<f32>(src + (c << 2)))
}
