import { baseOf, endOf, firstOf, startOf, stopOf } from './grid'

// Forces on the air: accelerations at faces (m/s^2), and slowing. Positions in metres: face or cell centre = (origin + i) x cell.

/** 1 at the middle, 0 at `radius`, falling over the outer share `soft` by the smoothstep; radius 0 is everywhere. */
// @ts-ignore: decorator
@inline
function fading(r: f32, radius: f32, soft: f32): f32 {
  if (radius <= 0) return 1
  const t = max<f32>(0, min<f32>(1, (radius - r) / (radius * soft)))
  return t * t * (3 - 2 * t)
}

/**
 * One component of a push: faces of `axis` gain dt x f x (along x r^ + around x (axis^ x r^) + blow x axis^), r from (px, py, pz), r^ softened within a cell of the middle, f the fading.
 * a: the unit axis. ox, oy, oz: the box's low corner in cells.
 */
export function pushFaces(
  p: usize, comp: i32, ox: f32, oy: f32, oz: f32, cell: f32, px: f32, py: f32, pz: f32, ax: f32, ay: f32, az: f32,
  along: f32, around: f32, blow: f32, radius: f32, soft: f32, dt: f32, spans: usize, nx: i32, ny: i32, nz: i32, from: i32, to: i32,
): void {
  const sx = nx + 2
  const hx: f32 = comp == 0 ? 0 : 0.5, hy: f32 = comp == 1 ? 0 : 0.5, hz: f32 = comp == 2 ? 0 : 0.5
  for (let k = from + 1; k <= to; k++)
    for (let j = 1; j <= ny; j++) {
      const line = k * (ny + 2) + j
      const base = baseOf(spans, line, sx)
      for (let i = firstOf(spans, line) + 1, stop = endOf(spans, line, nx, nx); i <= stop; i++) {
        const dx = (ox + <f32>(i - 1) + hx) * cell - px, dy = (oy + <f32>(j - 1) + hy) * cell - py, dz = (oz + <f32>(k - 1) + hz) * cell - pz
        const r = sqrt(dx * dx + dy * dy + dz * dz)
        const f = fading(r, radius, soft)
        if (f == 0) continue
        const inv: f32 = 1 / (r + cell)
        const out = comp == 0 ? dx : comp == 1 ? dy : dz
        const round = comp == 0 ? ay * dz - az * dy : comp == 1 ? az * dx - ax * dz : ax * dy - ay * dx
        const own = comp == 0 ? ax : comp == 1 ? ay : az
        const e = p + ((<usize>(base + i)) << 2)
        store<f32>(e, load<f32>(e) + dt * f * ((along * out + around * round) * inv + blow * own))
      }
    }
}

/** Faces of `axis` lose the share 1 - exp(-dt x slowing x f) of their speed. */
export function dragFaces(
  p: usize, comp: i32, ox: f32, oy: f32, oz: f32, cell: f32, px: f32, py: f32, pz: f32, slowing: f32, radius: f32, soft: f32, dt: f32, spans: usize, nx: i32, ny: i32, nz: i32, from: i32, to: i32,
): void {
  const sx = nx + 2
  const hx: f32 = comp == 0 ? 0 : 0.5, hy: f32 = comp == 1 ? 0 : 0.5, hz: f32 = comp == 2 ? 0 : 0.5
  for (let k = from + 1; k <= to; k++)
    for (let j = 1; j <= ny; j++) {
      const line = k * (ny + 2) + j
      const base = baseOf(spans, line, sx)
      for (let i = firstOf(spans, line) + 1, stop = endOf(spans, line, nx, nx); i <= stop; i++) {
        const dx = (ox + <f32>(i - 1) + hx) * cell - px, dy = (oy + <f32>(j - 1) + hy) * cell - py, dz = (oz + <f32>(k - 1) + hz) * cell - pz
        const f = fading(sqrt(dx * dx + dy * dy + dz * dz), radius, soft)
        if (f == 0) continue
        const e = p + ((<usize>(base + i)) << 2)
        store<f32>(e, load<f32>(e) * NativeMathf.exp(-dt * slowing * f))
      }
    }
}

/** Value of a periodic tile of n^3 vectors (four floats each; n a power of two) at tile coordinates, trilinear, component `comp`. */
// @ts-ignore: decorator
@inline
export function tileValue(tile: usize, n: i32, comp: i32, x: f32, y: f32, z: f32): f32 {
  const fi = floor(x), fj = floor(y), fk = floor(z)
  const m = n - 1
  const i = <i32>fi & m, j = <i32>fj & m, k = <i32>fk & m
  const i1 = (i + 1) & m, j1 = (j + 1) & m, k1 = (k + 1) & m
  const fx = x - fi, fy = y - fj, fz = z - fk
  const at = tile + ((<usize>comp) << 2)
  const a = load<f32>(at + ((<usize>((k * n + j) * n + i)) << 4)), b = load<f32>(at + ((<usize>((k * n + j) * n + i1)) << 4))
  const c = load<f32>(at + ((<usize>((k * n + j1) * n + i)) << 4)), d = load<f32>(at + ((<usize>((k * n + j1) * n + i1)) << 4))
  const e = load<f32>(at + ((<usize>((k1 * n + j) * n + i)) << 4)), g = load<f32>(at + ((<usize>((k1 * n + j) * n + i1)) << 4))
  const h = load<f32>(at + ((<usize>((k1 * n + j1) * n + i)) << 4)), l = load<f32>(at + ((<usize>((k1 * n + j1) * n + i1)) << 4))
  const lo = (a + fx * (b - a)) + fy * ((c + fx * (d - c)) - (a + fx * (b - a)))
  const hi = (e + fx * (g - e)) + fy * ((h + fx * (l - h)) - (e + fx * (g - e)))
  return lo + fz * (hi - lo)
}

/**
 * Faces of `axis` gain dt x strength x f x (c0 T(x + s0) + c1 T(x + s1)), T the tile at `pitch` tile nodes a metre: two places of it, so that whirls turn into others.
 */
export function stirFaces(
  p: usize, comp: i32, tile: usize, n: i32, ox: f32, oy: f32, oz: f32, cell: f32, pitch: f32, x0: f32, y0: f32, z0: f32, c0: f32, x1: f32, y1: f32, z1: f32, c1: f32,
  px: f32, py: f32, pz: f32, radius: f32, soft: f32, push: f32, spans: usize, nx: i32, ny: i32, nz: i32, from: i32, to: i32,
): void {
  const sx = nx + 2
  const hx: f32 = comp == 0 ? 0 : 0.5, hy: f32 = comp == 1 ? 0 : 0.5, hz: f32 = comp == 2 ? 0 : 0.5
  for (let k = from + 1; k <= to; k++)
    for (let j = 1; j <= ny; j++) {
      const line = k * (ny + 2) + j
      const base = baseOf(spans, line, sx)
      for (let i = firstOf(spans, line) + 1, stop = endOf(spans, line, nx, nx); i <= stop; i++) {
        const x = (ox + <f32>(i - 1) + hx) * cell, y = (oy + <f32>(j - 1) + hy) * cell, z = (oz + <f32>(k - 1) + hz) * cell
        const f = fading(sqrt((x - px) * (x - px) + (y - py) * (y - py) + (z - pz) * (z - pz)), radius, soft)
        if (f == 0) continue
        const e = p + ((<usize>(base + i)) << 2)
        const value = c0 * tileValue(tile, n, comp, x * pitch + x0, y * pitch + y0, z * pitch + z0) + c1 * tileValue(tile, n, comp, x * pitch + x1, y * pitch + y1, z * pitch + z1)
        store<f32>(e, load<f32>(e) + push * f * value)
      }
    }
}

/** All faces of one axis gain `push` times their row's factor: a wind that rises or falls carries all the air with it. rows: factors of the ny + 2 rows, 0: 1; wide: what is stored, 0: all. */
export function windFaces(p: usize, push: f32, rows: usize, wide: usize, nx: i32, ny: i32, nz: i32, from: i32, to: i32): void {
  const sx = nx + 2
  for (let k = from + 1; k <= to; k++)
    for (let j = 1; j <= ny; j++) {
      const gain = rows ? push * load<f32>(rows + ((<usize>j) << 2)) : push
      const line = k * (ny + 2) + j
      const row = p + ((<usize>baseOf(wide, line, sx)) << 2)
      for (let i = max(1, startOf(wide, line)), stop = min(nx + 1, stopOf(wide, line, sx)); i < stop; i++) store<f32>(row + ((<usize>i) << 2), load<f32>(row + ((<usize>i) << 2)) + gain)
    }
}
