// Numbers from integer coordinates, without a stream: the finaliser of MurmurHash3 (Appleby), as in core's hash01.
// @ts-ignore: decorator
@inline
export function mix(value: u32): u32 {
  let h = value
  h = (h ^ (h >>> 16)) * 0x85ebca6b
  h = (h ^ (h >>> 13)) * 0xc2b2ae35
  return h ^ (h >>> 16)
}

// @ts-ignore: decorator
@inline
export function unit(h: u32): f32 { return <f32>(h >>> 8) * (1.0 / 16777216.0) }

// The additive recurrences of the plastic number (Roberts 2018) as 32-bit fractions.
export const R2_A: u32 = 3242174889
export const R2_B: u32 = 2447445414

// sin and cos of a full turn's share, to 2e-4: a parabola mended once (enough to scatter rays by).
export let turnSin: f32 = 0
export let turnCos: f32 = 0
// @ts-ignore: decorator
@inline
function wave(t: f32): f32 {
  const x = t - <f32>Mathf.floor(t + 0.5)
  const y: f32 = x * (8 - 16 * abs(x))
  const bend: f32 = 0.775 + abs(y) * 0.225
  return y * bend
}
// @ts-ignore: decorator
@inline
export function turn(t: f32): void {
  turnSin = wave(t)
  turnCos = wave(t + 0.25)
}

// A direction about a unit normal with density cos / pi, from two numbers (Malley's method), in a frame by Duff et al. 2017.
export let wayX: f32 = 0
export let wayY: f32 = 0
export let wayZ: f32 = 0
// @ts-ignore: decorator
@inline
export function aboutNormal(nx: f32, ny: f32, nz: f32, a: f32, b: f32): void {
  turn(a)
  const r = <f32>Mathf.sqrt(b)
  place(nx, ny, nz, r * turnCos, r * turnSin, <f32>Mathf.sqrt(max<f32>(0, 1 - b)))
}
// @ts-ignore: decorator
@inline
export function place(nx: f32, ny: f32, nz: f32, x: f32, y: f32, z: f32): void {
  const sign: f32 = nz < 0 ? -1 : 1
  const p: f32 = -1 / (sign + nz)
  const q = nx * ny * p
  wayX = x * (1 + sign * nx * nx * p) + y * q + z * nx
  wayY = x * sign * q + y * (sign + ny * ny * p) + z * ny
  wayZ = -x * sign * nx + -y * ny + z * nz
}
