import { alongOf, baseOf, endOf, firstOf } from './grid'

// Densities carried so that nothing is lost: fluxes through the faces, a sweep along each axis in turn (Strang 1968), the upwind cell's slope limited (Koren 1993) and followed over the step (van Leer 1977).
// Between sweeps a cell's volume is what the sweeps so far have left of it, so that gas of one density stays of one density wherever the flow as a whole neither gathers nor spreads.

// @ts-ignore: decorator
@inline
function slope(a: v128, b: v128): v128 {
  // Least of 2a, 2b and (a + 2b) / 3 by size where a and b agree in sign, else 0.
  const least = f32x4.pmin(f32x4.pmin(f32x4.abs(f32x4.add(a, a)), f32x4.abs(f32x4.add(b, b))), f32x4.abs(f32x4.mul(f32x4.add(a, f32x4.add(b, b)), f32x4.splat(0.33333334))))
  const signed = v128.or(least, v128.and(a, i32x4.splat(<i32>0x80000000)))
  return v128.and(signed, f32x4.gt(f32x4.mul(a, b), f32x4.splat(0)))
}

/** Flux through a face between the cells p1 and p2 (p0 before, p3 after them) that the share c of a cell's volume passes; masks: 0 where the far cell lies beyond the grid. */
// @ts-ignore: decorator
@inline
export function flux(c: v128, p0: v128, p1: v128, p2: v128, p3: v128, maskBack: v128, maskAhead: v128): v128 {
  const across = f32x4.sub(p2, p1)
  const half = f32x4.splat(0.5), one = f32x4.splat(1)
  const ahead = f32x4.add(p1, f32x4.mul(f32x4.mul(half, f32x4.sub(one, c)), v128.and(slope(f32x4.sub(p1, p0), across), maskBack)))
  const back = f32x4.sub(p2, f32x4.mul(f32x4.mul(half, f32x4.add(one, c)), v128.and(slope(f32x4.sub(p3, p2), across), maskAhead)))
  return f32x4.mul(c, v128.bitselect(ahead, back, f32x4.ge(c, f32x4.splat(0))))
}

/** As slope, but steepening: 1.6 times the largest of the neighbours' slopes and the third order one, within what keeps a sweep between its neighbours (Leonard 1991); c: share of the cell that passes. */
// @ts-ignore: decorator
@inline
function steep(a: v128, b: v128, c: v128): v128 {
  const aa = f32x4.abs(a), ab = f32x4.abs(b)
  const one = f32x4.splat(1), two = f32x4.splat(2), least = f32x4.splat(0.2)
  const third = f32x4.mul(f32x4.splat(0.33333334), f32x4.add(f32x4.mul(f32x4.add(one, c), aa), f32x4.mul(f32x4.sub(two, c), ab)))
  const bound = f32x4.pmin(f32x4.div(f32x4.mul(two, ab), f32x4.pmax(least, f32x4.sub(one, c))), f32x4.div(f32x4.mul(two, aa), f32x4.pmax(least, c)))
  const size = f32x4.pmin(f32x4.mul(f32x4.splat(1.6), f32x4.pmax(third, f32x4.pmax(aa, ab))), bound)
  return v128.and(v128.or(size, v128.and(a, i32x4.splat(<i32>0x80000000))), f32x4.gt(f32x4.mul(a, b), f32x4.splat(0)))
}

/** As flux, with the steep slope: for smoke and dust, whose edges stay so within a few cells. */
// @ts-ignore: decorator
@inline
function steepFlux(c: v128, p0: v128, p1: v128, p2: v128, p3: v128, maskBack: v128, maskAhead: v128): v128 {
  const along = f32x4.ge(c, f32x4.splat(0))
  const size = f32x4.abs(c)
  const behind = v128.bitselect(v128.and(f32x4.sub(p1, p0), maskBack), v128.and(f32x4.sub(p3, p2), maskAhead), along)
  const half = f32x4.mul(f32x4.mul(f32x4.splat(0.5), f32x4.sub(f32x4.splat(1), size)), steep(behind, f32x4.sub(p2, p1), size))
  return f32x4.mul(c, v128.bitselect(f32x4.add(p1, half), f32x4.sub(p2, half), along))
}

export const LEAST_VOLUME: f32 = 0.05

/**
 * One sweep along `axis` (0 x, 1 y, 2 z): dst from src, densities at cell centres, ghosts of src filled. along: face velocities of that axis; first, second: those of the axes that were swept before (0: none),
 * with their axes' numbers; share = dt / cell; last: no sweep follows; sharp: 1 for slopes that steepen.
 */
export function advectScalar(dst: usize, src: usize, axis: i32, along: usize, first: usize, firstAxis: i32, second: usize, secondAxis: i32, last: i32, sharp: i32, share: f32, spans: usize, nx: i32, ny: i32, nz: i32, from: i32, to: i32): void {
  const sx = nx + 2
  const layer = ny + 2
  const s = f32x4.splat(share)
  const all = i32x4.splat(-1), none = i32x4.splat(0)
  for (let k = from + 1; k <= to; k++)
    for (let j = 1; j <= ny; j++) {
      const line = k * layer + j
      const base = baseOf(spans, line, sx)
      const row = (<usize>(base + 1)) << 2
      const b1 = alongOf(spans, line, base, axis, -1, sx, layer), b2 = axis == 2 && k == 1 ? b1 : alongOf(spans, line, base, axis, -2, sx, layer)
      const a1 = alongOf(spans, line, base, axis, 1, sx, layer), a2 = axis == 2 && k == nz ? a1 : alongOf(spans, line, base, axis, 2, sx, layer)
      const s1 = alongOf(spans, line, base, firstAxis, 1, sx, layer), s2 = alongOf(spans, line, base, secondAxis, 1, sx, layer)
      // Beyond the ghost layer there is nothing: the slope in a ghost is 0.
      const low = (axis == 1 && j == 1) || (axis == 2 && k == 1) ? none : all
      const high = (axis == 1 && j == ny) || (axis == 2 && k == nz) ? none : all
      for (let i = firstOf(spans, line), stop = endOf(spans, line, nx, nx); i < stop; i += 4) {
        const e = row + ((<usize>i) << 2)
        let back = low, ahead = high
        if (axis == 0) {
          if (i == 0) back = i32x4(0, -1, -1, -1)
          if (i + 4 >= nx) ahead = i32x4(nx - i > 1 ? -1 : 0, nx - i > 2 ? -1 : 0, nx - i > 3 ? -1 : 0, 0)
        }
        const p = src + e
        const own = v128.load(p), before = v128.load(p + b1), after = v128.load(p + a1)
        // Most of a box holds none of what it carries.
        if (!v128.any_true(v128.or(own, v128.or(before, after)))) {
          if (i + 4 <= nx) v128.store(dst + e, own)
          else for (let n = i; n < nx; n++) store<f32>(dst + e + ((<usize>(n - i)) << 2), 0)
          continue
        }
        const c0 = f32x4.mul(s, v128.load(along + e)), c1 = f32x4.mul(s, v128.load(along + e + a1))
        const f0 = sharp ? steepFlux(c0, v128.load(p + b2), before, own, after, back, all) : flux(c0, v128.load(p + b2), before, own, after, back, all)
        const f1 = sharp ? steepFlux(c1, before, own, after, v128.load(p + a2), all, ahead) : flux(c1, before, own, after, v128.load(p + a2), all, ahead)
        let volume = f32x4.splat(1)
        if (first) volume = f32x4.sub(volume, f32x4.mul(s, f32x4.sub(v128.load(first + e + s1), v128.load(first + e))))
        if (second) volume = f32x4.sub(volume, f32x4.mul(s, f32x4.sub(v128.load(second + e + s2), v128.load(second + e))))
        volume = f32x4.pmax(f32x4.splat(LEAST_VOLUME), volume)
        let next = f32x4.sub(f32x4.mul(own, volume), f32x4.sub(f1, f0))
        if (!last) next = f32x4.div(next, f32x4.pmax(f32x4.splat(LEAST_VOLUME), f32x4.sub(volume, f32x4.sub(c1, c0))))
        const d = dst + e
        if (i + 4 <= nx) v128.store(d, next)
        else {
          store<f32>(d, f32x4.extract_lane(next, 0))
          if (nx - i > 1) store<f32>(d, f32x4.extract_lane(next, 1), 4)
          if (nx - i > 2) store<f32>(d, f32x4.extract_lane(next, 2), 8)
        }
      }
    }
}
