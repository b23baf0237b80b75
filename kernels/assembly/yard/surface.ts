import { CHART_BYTES, RANGE, TEXEL_BYTES, VERTEX_BYTES, Yard } from './yard'
import { TRIANGLE_BYTES } from './tree'

// What a ray found: light sent out by each source, albedo, normal, roughness, mirror.
export let skyR: f32 = 0, skyG: f32 = 0, skyB: f32 = 0
export let sunR: f32 = 0, sunG: f32 = 0, sunB: f32 = 0
export let flameR: f32 = 0, flameG: f32 = 0, flameB: f32 = 0
export let albedoR: f32 = 0, albedoG: f32 = 0, albedoB: f32 = 0
export let normalX: f32 = 0, normalY: f32 = 0, normalZ: f32 = 0
export let roughness: f32 = 1
export let mirror: f32 = 0

// @ts-ignore: decorator
@inline
function square4(v: v128, scale: f32): v128 {
  const s = f32x4.mul(v, f32x4.splat(1.0 / 65535.0))
  return f32x4.mul(f32x4.mul(s, s), f32x4.splat(scale))
}
// @ts-ignore: decorator
@inline
function low4(v: v128): v128 { return f32x4.convert_i32x4_u(i32x4.extend_low_i16x8_u(v)) }
// @ts-ignore: decorator
@inline
function high4(v: v128): v128 { return f32x4.convert_i32x4_u(i32x4.extend_high_i16x8_u(v)) }

/** Bilinear in one level of a chart; u, v in texels of level 0. */
export function readChart(chart: usize, level: i32, u: f32, v: f32): void {
  const width = max<i32>(1, load<i32>(chart) >> level), height = max<i32>(1, load<i32>(chart, 4) >> level)
  const data = <usize>load<u32>(chart + 48 + ((<usize>level) << 2))
  const scale: f32 = 1 / <f32>(1 << level)
  const x = u * scale - 0.5, y = v * scale - 0.5
  const i = <i32>Mathf.floor(x), j = <i32>Mathf.floor(y)
  const fx = x - <f32>i, fy = y - <f32>j
  const i0 = min(max(i, 0), width - 1), i1 = min(max(i + 1, 0), width - 1)
  const j0 = min(max(j, 0), height - 1), j1 = min(max(j + 1, 0), height - 1)
  const a = data + (<usize>(j0 * width + i0)) * TEXEL_BYTES, b = data + (<usize>(j0 * width + i1)) * TEXEL_BYTES
  const c = data + (<usize>(j1 * width + i0)) * TEXEL_BYTES, d = data + (<usize>(j1 * width + i1)) * TEXEL_BYTES
  const wa = f32x4.splat((1 - fx) * (1 - fy)), wb = f32x4.splat(fx * (1 - fy)), wc = f32x4.splat((1 - fx) * fy), wd = f32x4.splat(fx * fy)
  const a0 = v128.load(a), b0 = v128.load(b), c0 = v128.load(c), d0 = v128.load(d)
  const one = f32x4.add(f32x4.add(f32x4.mul(low4(a0), wa), f32x4.mul(low4(b0), wb)), f32x4.add(f32x4.mul(low4(c0), wc), f32x4.mul(low4(d0), wd)))
  const two = f32x4.add(f32x4.add(f32x4.mul(high4(a0), wa), f32x4.mul(high4(b0), wb)), f32x4.add(f32x4.mul(high4(c0), wc), f32x4.mul(high4(d0), wd)))
  const a1 = v128.load64_zero(a, 16), b1 = v128.load64_zero(b, 16), c1 = v128.load64_zero(c, 16), d1 = v128.load64_zero(d, 16)
  const three = f32x4.add(f32x4.add(f32x4.mul(low4(a1), wa), f32x4.mul(low4(b1), wb)), f32x4.add(f32x4.mul(low4(c1), wc), f32x4.mul(low4(d1), wd)))
  const p = square4(one, RANGE), q = square4(two, RANGE), r = square4(three, 1)
  skyR = f32x4.extract_lane(p, 0); skyG = f32x4.extract_lane(p, 1); skyB = f32x4.extract_lane(p, 2)
  sunR = f32x4.extract_lane(p, 3); sunG = f32x4.extract_lane(q, 0); sunB = f32x4.extract_lane(q, 1)
  flameR = f32x4.extract_lane(q, 2); flameG = f32x4.extract_lane(q, 3)
  // The ninth light shares its vector with the albedo, whose range is 1.
  flameB = f32x4.extract_lane(r, 0) * RANGE
  albedoR = f32x4.extract_lane(r, 1); albedoG = f32x4.extract_lane(r, 2); albedoB = f32x4.extract_lane(r, 3)
  const near = data + (<usize>((fy < 0.5 ? j0 : j1) * width + (fx < 0.5 ? i0 : i1))) * TEXEL_BYTES
  const nx = <f32>load<i8>(near, 24), ny = <f32>load<i8>(near, 25), nz = <f32>load<i8>(near, 26)
  const inv: f32 = 1 / max<f32>(1, <f32>Mathf.sqrt(nx * nx + ny * ny + nz * nz))
  normalX = nx * inv; normalY = ny * inv; normalZ = nz * inv
  roughness = <f32>load<u8>(near, 27) * (1.0 / 255.0)
  mirror = <f32>load<u8>(near, 28) * (1.0 / 255.0)
}

// @ts-ignore: decorator
@inline
function mixOf(a: usize, b: usize, c: usize, wa: f32, wb: f32, wc: f32): f32 { return load<f32>(a) * wa + load<f32>(b) * wb + load<f32>(c) * wc }

/** Reads what is at (s, t) of a triangle: from its chart at `level`, or from its corners. */
export function readSurface(yard: Yard, triangles: usize, vertices: usize, triangle: i32, s: f32, t: f32, level: i32): void {
  const at = triangles + (<usize>triangle) * TRIANGLE_BYTES
  const index = load<i32>(at, 36)
  if (index >= 0) {
    const chart = <usize>yard.charts + (<usize>index) * CHART_BYTES
    const u = load<f32>(at, 40) + s * load<f32>(at, 48) + t * load<f32>(at, 56)
    const v = load<f32>(at, 44) + s * load<f32>(at, 52) + t * load<f32>(at, 60)
    readChart(chart, min(max(level, 0), load<i32>(chart, 8) - 1), u, v)
    return
  }
  const a = vertices + (<usize>load<u32>(at, 40)) * VERTEX_BYTES, b = vertices + (<usize>load<u32>(at, 44)) * VERTEX_BYTES, c = vertices + (<usize>load<u32>(at, 48)) * VERTEX_BYTES
  const r: f32 = 1 - s - t
  const nx = mixOf(a + 12, b + 12, c + 12, r, s, t), ny = mixOf(a + 16, b + 16, c + 16, r, s, t), nz = mixOf(a + 20, b + 20, c + 20, r, s, t)
  const inv: f32 = 1 / max<f32>(1e-6, <f32>Mathf.sqrt(nx * nx + ny * ny + nz * nz))
  normalX = nx * inv; normalY = ny * inv; normalZ = nz * inv
  albedoR = mixOf(a + 24, b + 24, c + 24, r, s, t); albedoG = mixOf(a + 28, b + 28, c + 28, r, s, t); albedoB = mixOf(a + 32, b + 32, c + 32, r, s, t)
  roughness = mixOf(a + 36, b + 36, c + 36, r, s, t)
  mirror = mixOf(a + 40, b + 40, c + 40, r, s, t)
  skyR = albedoR * mixOf(a + 44, b + 44, c + 44, r, s, t); skyG = albedoG * mixOf(a + 48, b + 48, c + 48, r, s, t); skyB = albedoB * mixOf(a + 52, b + 52, c + 52, r, s, t)
  sunR = albedoR * mixOf(a + 56, b + 56, c + 56, r, s, t); sunG = albedoG * mixOf(a + 60, b + 60, c + 60, r, s, t); sunB = albedoB * mixOf(a + 64, b + 64, c + 64, r, s, t)
  flameR = albedoR * mixOf(a + 68, b + 68, c + 68, r, s, t); flameG = albedoG * mixOf(a + 72, b + 72, c + 72, r, s, t); flameB = albedoB * mixOf(a + 76, b + 76, c + 76, r, s, t)
}

export let airR: f32 = 0, airG: f32 = 0, airB: f32 = 0

// atan2 and asin to 1e-4 of a turn are enough for the sky's texels: polynomial of Hastings 1955.
// @ts-ignore: decorator
@inline
function arc(x: f32): f32 {
  const x2 = x * x
  return x * (0.9998660 + x2 * (-0.3302995 + x2 * (0.1801410 + x2 * (-0.0851330 + x2 * 0.0208351))))
}
const HALF: f32 = 1.5707963
function angle(y: f32, x: f32): f32 {
  const ax = abs(x), ay = abs(y)
  if (ax + ay < 1e-12) return 0
  let a = ax > ay ? arc(ay / ax) : HALF - arc(ax / ay)
  if (x < 0) a = 2 * HALF - a
  return y < 0 ? -a : a
}

/** The sky's light from a direction. */
export function readSky(yard: Yard, dx: f32, dy: f32, dz: f32): void {
  const w = yard.skyWidth, h = yard.skyHeight
  const flat = <f32>Mathf.sqrt(dx * dx + dz * dz)
  const x = (angle(dz, dx) / (4 * HALF) + 0.5) * <f32>w - 0.5
  const y = (angle(flat, dy) / (2 * HALF)) * <f32>h - 0.5
  const i = <i32>Mathf.floor(x), j = <i32>Mathf.floor(y)
  const fx = x - <f32>i, fy = y - <f32>j
  const i0 = (i + w) % w, i1 = (i + 1 + w) % w
  const j0 = min(max(j, 0), h - 1), j1 = min(max(j + 1, 0), h - 1)
  const sky = <usize>yard.sky
  const a = sky + <usize>(j0 * w + i0) * 12, b = sky + <usize>(j0 * w + i1) * 12, c = sky + <usize>(j1 * w + i0) * 12, d = sky + <usize>(j1 * w + i1) * 12
  const ex: f32 = 1 - fx, ey: f32 = 1 - fy
  const wa = ex * ey, wb = fx * ey, wc = ex * fy, wd = fx * fy
  airR = load<f32>(a) * wa + load<f32>(b) * wb + load<f32>(c) * wc + load<f32>(d) * wd
  airG = load<f32>(a, 4) * wa + load<f32>(b, 4) * wb + load<f32>(c, 4) * wc + load<f32>(d, 4) * wd
  airB = load<f32>(a, 8) * wa + load<f32>(b, 8) * wb + load<f32>(c, 8) * wc + load<f32>(d, 8) * wd
}
