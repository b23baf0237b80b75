import { LEAST_VOLUME } from './advectScalar'
import { alongOf, baseOf, endOf, firstOf } from './grid'

// The velocity carried on its faces as densities are between theirs (kernels/assembly/advectScalar.ts): a sweep along each axis, over the volumes round the faces. What flows into such a volume is the mean of what
// flows through the two cells' faces that it lies between. Each sweep divides by what is left of the volume: a velocity that is the same everywhere stays so, also where gas grows.

// @ts-ignore: decorator
@inline
function between(p: usize, e: usize, back: usize): v128 {
  return f32x4.mul(f32x4.splat(0.5), f32x4.add(v128.load(p + e), v128.load(p + e + back)))
}

/** The same on the far side of the volume, a step on (corner: and then back); where `end` is set that lies in the box's side, whose own face has it. */
// @ts-ignore: decorator
@inline
function beyond(p: usize, e: usize, step: usize, corner: usize, end: v128): v128 {
  return v128.bitselect(v128.load(p + e), f32x4.mul(f32x4.splat(0.5), f32x4.add(v128.load(p + e + step), v128.load(p + e + corner))), end)
}

/** From an element one step on along `axis` and one back along `comp`: bytes. on: whether there is a step to take. */
// @ts-ignore: decorator
@inline
function cornerOf(spans: usize, row: i32, base: i32, axis: i32, comp: i32, on: bool, sx: i32, layer: i32): usize {
  const columns = (on && axis == 0 ? 1 : 0) - (comp == 0 ? 1 : 0)
  const rows = (on ? (axis == 1 ? 1 : axis == 2 ? layer : 0) : 0) - (comp == 1 ? 1 : comp == 2 ? layer : 0)
  return (<usize>(baseOf(spans, row + rows, sx) - base + columns)) << 2
}

/** Lanes of the four samples from i on (0-based) that are sample n. */
// @ts-ignore: decorator
@inline
function lanesAt(i: i32, n: i32): v128 {
  return i32x4.eq(i32x4.splat(n - i), i32x4(0, 1, 2, 3))
}

/**
 * Of the upwind cell by its two neighbours, unlimited, of van Leer's family (1985) with kappa = 0.7: between Leonard's 1/2 (1979) and the central 1, which would keep all noise. What damps more stirs shear up
 * too late: by kappa = 1/3 and 0 a 3 m pool fire drew in a quarter and a third less air than its law and stood a fifth and two fifths too high, and plumes then widened twice as fast as theirs.
 */
// @ts-ignore: decorator
@inline
function slope(a: v128, b: v128): v128 {
  return f32x4.add(f32x4.mul(a, f32x4.splat(0.15)), f32x4.mul(b, f32x4.splat(0.85)))
}

// @ts-ignore: decorator
@inline
function flux(c: v128, p0: v128, p1: v128, p2: v128, p3: v128, maskBack: v128, maskAhead: v128): v128 {
  const across = f32x4.sub(p2, p1)
  const half = f32x4.splat(0.5), one = f32x4.splat(1)
  const ahead = f32x4.add(p1, f32x4.mul(f32x4.mul(half, f32x4.sub(one, c)), v128.and(slope(f32x4.sub(p1, p0), across), maskBack)))
  const back = f32x4.sub(p2, f32x4.mul(f32x4.mul(half, f32x4.add(one, c)), v128.and(slope(f32x4.sub(p3, p2), across), maskAhead)))
  return f32x4.mul(c, v128.bitselect(ahead, back, f32x4.ge(c, f32x4.splat(0))))
}

/**
 * One sweep of velocity component `comp` along `axis` (0 x, 1 y, 2 z): dst from src, both on comp's faces, ghosts of src filled. along, first and second: face velocities of that axis and of those that were swept
 * before (0: none) with their axes' numbers, ghosts filled; share = dt / cell. Slabs are interior layers, one more of them for comp 2.
 */
export function advectVelocity(dst: usize, src: usize, comp: i32, axis: i32, along: usize, first: usize, firstAxis: i32, second: usize, secondAxis: i32, share: f32, spans: usize, nx: i32, ny: i32, nz: i32, from: i32, to: i32): void {
  const sx = nx + 2
  const layer = ny + 2
  const ex = nx + (comp == 0 ? 1 : 0), ey = ny + (comp == 1 ? 1 : 0)
  const s = f32x4.splat(share)
  const all = i32x4.splat(-1), none = i32x4.splat(0)
  for (let k = from + 1; k <= to; k++)
    for (let j = 1; j <= ey; j++) {
      const line = k * layer + j
      const base = baseOf(spans, line, sx)
      const row = (<usize>(base + 1)) << 2
      // Nothing lies beyond the ghost layer, nor beyond a side's own faces.
      const low = (axis == 1 && j == 1) || (axis == 2 && k == 1) ? none : all
      const high = (axis == 1 && j >= ny) || (axis == 2 && k >= nz) ? none : all
      const last = (comp == 1 && j > ny) || (comp == 2 && k > nz)
      const on = !(last && axis == comp), on1 = !(last && firstAxis == comp), on2 = !(last && secondAxis == comp)
      const back1 = alongOf(spans, line, base, comp, -1, sx, layer)
      const b1 = alongOf(spans, line, base, axis, -1, sx, layer), b2 = axis == 2 && k == 1 ? b1 : alongOf(spans, line, base, axis, -2, sx, layer)
      const step: usize = on ? alongOf(spans, line, base, axis, 1, sx, layer) : 0
      const far: usize = axis == 2 && k >= nz ? step : alongOf(spans, line, base, axis, on ? 2 : 1, sx, layer)
      const step1: usize = on1 ? alongOf(spans, line, base, firstAxis, 1, sx, layer) : 0, step2: usize = on2 ? alongOf(spans, line, base, secondAxis, 1, sx, layer) : 0
      const corner = cornerOf(spans, line, base, axis, comp, on, sx, layer), corner1 = cornerOf(spans, line, base, firstAxis, comp, on1, sx, layer), corner2 = cornerOf(spans, line, base, secondAxis, comp, on2, sx, layer)
      for (let i = firstOf(spans, line), stop = endOf(spans, line, nx, ex); i < stop; i += 4) {
        const e = row + ((<usize>i) << 2)
        const end = last ? all : comp == 0 ? lanesAt(i, nx) : none
        const endAlong = axis == comp ? end : none
        let back = low, ahead = high
        if (axis == 0) {
          if (i == 0) back = i32x4(0, -1, -1, -1)
          if (i + 4 >= nx) ahead = i32x4(nx - i > 1 ? -1 : 0, nx - i > 2 ? -1 : 0, nx - i > 3 ? -1 : 0, 0)
        }
        const p = src + e
        const own = v128.load(p), before = v128.load(p + b1)
        const after = v128.bitselect(own, v128.load(p + step), endAlong)
        const c0 = f32x4.mul(s, between(along, e, back1)), c1 = f32x4.mul(s, beyond(along, e, step, corner, endAlong))
        const f0 = flux(c0, v128.load(p + b2), before, own, after, back, all)
        const f1 = flux(c1, before, own, after, v128.load(p + far), all, ahead)
        let volume = f32x4.splat(1)
        if (first) volume = f32x4.sub(volume, f32x4.mul(s, f32x4.sub(beyond(first, e, step1, corner1, firstAxis == comp ? end : none), between(first, e, back1))))
        if (second) volume = f32x4.sub(volume, f32x4.mul(s, f32x4.sub(beyond(second, e, step2, corner2, secondAxis == comp ? end : none), between(second, e, back1))))
        volume = f32x4.pmax(f32x4.splat(LEAST_VOLUME), volume)
        const left = f32x4.pmax(f32x4.splat(LEAST_VOLUME), f32x4.sub(volume, f32x4.sub(c1, c0)))
        const next = f32x4.div(f32x4.sub(f32x4.mul(own, volume), f32x4.sub(f1, f0)), left)
        const d = dst + e
        if (i + 4 <= ex) v128.store(d, next)
        else {
          store<f32>(d, f32x4.extract_lane(next, 0))
          if (ex - i > 1) store<f32>(d, f32x4.extract_lane(next, 1), 4)
          if (ex - i > 2) store<f32>(d, f32x4.extract_lane(next, 2), 8)
        }
      }
    }
}
