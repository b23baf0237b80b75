import { AIR, baseOf, endOf, firstOf } from './grid'

/**
 * The faces of axis `comp` that are carried with what is worked on but lie between two cells of open air, which no pressure orders, move with `wind` (times their row's factor) again: left to itself the flow there
 * would drive itself up. Array layers [from, to), ghosts too.
 */
export function resetFaces(p: usize, flags: usize, comp: i32, wind: f64, rows: usize, faces: usize, nx: i32, ny: i32, from: i32, to: i32): void {
  const sx = nx + 2
  for (let k = from; k < to; k++)
    for (let j = 0; j < ny + 2; j++) {
      const row = k * (ny + 2) + j
      const end = load<i32>(faces + ((<usize>row) << 4), 4)
      if (firstOf(faces, row) >= end) continue
      const base = baseOf(faces, row, sx)
      const before = comp == 0 ? -1 : baseOf(faces, row - (comp == 1 ? 1 : ny + 2), sx) - base
      const held = <f32>(rows ? wind * <f64>load<f32>(rows + ((<usize>j) << 2)) : wind)
      for (let i = firstOf(faces, row); i < end; i += 16) {
        const e: usize = base + i + 1
        const air = i8x16.splat(AIR)
        const calm = i8x16.bitmask(v128.and(i8x16.eq(v128.load(flags + e), air), i8x16.eq(v128.load(flags + e + <usize>before), air)))
        if (calm) for (let n = 0; n < min(16, end - i); n++) if (calm & (1 << n)) store<f32>(p + ((e + n) << 2), held)
      }
    }
}

/**
 * What flows out through the open sides of 1 - density, fuel and soot, summed over faces (value x speed), upwind; nothing where nothing is worked on. Three doubles at `sums`. Runs whole on one thread, so that the
 * order of the sum is fixed.
 */
export function outflow(u: usize, v: usize, w: usize, density: usize, fuel: usize, soot: usize, spans: usize, closed: i32, sums: usize, nx: i32, ny: i32, nz: i32, from: i32, to: i32): void {
  const sx = nx + 2
  let theta: f64 = 0, fuels: f64 = 0, soots: f64 = 0
  for (let axis = 0; axis < 3; axis++) {
    const speeds = axis == 0 ? u : axis == 1 ? v : w
    const n = axis == 0 ? nx : axis == 1 ? ny : nz
    // The two axes along the side, the next one inside.
    const np = axis == 0 ? ny : axis == 1 ? nz : nx, nq = axis == 0 ? nz : axis == 1 ? nx : ny
    for (let end = 0; end < 2; end++) {
      if (closed & (1 << (axis * 2 + end))) continue
      const at = end ? n : 1
      for (let b = 1; b <= nq; b++)
        for (let a = 1; a <= np; a++) {
          const i = axis == 0 ? at : axis == 1 ? b : a
          const j = axis == 0 ? a : axis == 1 ? at : b
          const k = axis == 0 ? b : axis == 1 ? a : at
          const row = k * (ny + 2) + j
          if (i <= firstOf(spans, row) || i > endOf(spans, row, nx, nx)) continue
          const inner = baseOf(spans, row, sx) + i
          const next = axis == 0 ? inner + 1 : baseOf(spans, row + (axis == 1 ? 1 : ny + 2), sx) + i
          const face = <f64>load<f32>(speeds + ((<usize>(end ? next : inner)) << 2))
          const out = end ? face : -face
          if (out <= 0) continue
          theta += out * (1 - <f64>load<f32>(density + ((<usize>inner) << 2)))
          fuels += out * <f64>load<f32>(fuel + ((<usize>inner) << 2))
          soots += out * <f64>load<f32>(soot + ((<usize>inner) << 2))
        }
    }
  }
  store<f64>(sums, theta)
  store<f64>(sums, fuels, 8)
  store<f64>(sums, soots, 16)
}
