import { sample, within } from './grid'
import { SHEET_AT } from './flame'
import { lampDistance, lampDX, lampDY, lampDZ, lampOn, opensUp } from './lamps'
import { LAMP_BYTES, lampIntensity, lampSetUp, lampSkip } from './layouts.generated'

// Light in and through the gas on a coarse grid. Gas block, f32 unless said, byte offsets:
//   0 low corner x y z (m); 12 cell (m); 16 i32 nx ny nz; 28 u32 extinction (1/m, padded); 32 u32 temperature (K, padded); 36 u32 tiles (bytes, 8^3 cells each); 40 i32 tiles x y z
//   52 coarse cell (m); 56 i32 coarse cx cy cz; 68 u32 coarse extinction (1/m, padded); 72 u32 coarse light (8 floats a cell, padded)
//   76 u32 velocity (m/s; 4 floats a cell u v w 0, padded), 0: at rest; 80 u32 fuel that burns (g/m^3, padded), 0: none; 84 its share where two frames are blended; 88 seconds by which its velocity carries it
//   92 world metres per metre of the gas; 96 world to gas: 9 floats in rows, then 3 of shift; 144 up in the gas, unit; 156 u32 look block (march.ts); 160 air (K); 164 u32 mixture (padded), 0: no flame; 168 u32 length of its gradient (1/m, padded)
//   172 edge of a tile (m); 176 cells of the velocity's lattice a cell; 180 i32 1: the mixture, or the extinction where there is none, is read by a cubic, 0: it is fine enough for straight lines; 184 i32 its layer
// Everything in a block is in the gas's own space: a run that is shown turned, scaled or mirrored is one with another matrix. Optical depth keeps with the scale.
// Light in units of the plate: value = pi x luminance / E (illuminance that makes white 1).

/** Mean extinction of factor^3 cells, times the gas's share. Slabs are coarse layers. */
export function coarsenExtinction(gas: usize, factor: i32, share: f32, from: i32, to: i32): void {
  const nx = load<i32>(gas, 16), ny = load<i32>(gas, 20), nz = load<i32>(gas, 24)
  const cx = load<i32>(gas, 56), cy = load<i32>(gas, 60)
  const sx = nx + 2, sxy = (nx + 2) * (ny + 2)
  const fine = <usize>load<u32>(gas, 28)
  const mixture = <usize>load<u32>(gas, 164)
  const coarse = <usize>load<u32>(gas, 68)
  for (let k = from; k < to; k++)
    for (let j = 0; j < cy; j++)
      for (let i = 0; i < cx; i++) {
        let sum: f32 = 0
        let n: f32 = 0
        for (let c = k * factor; c < min(nz, (k + 1) * factor); c++)
          for (let b = j * factor; b < min(ny, (j + 1) * factor); b++)
            for (let a = i * factor; a < min(nx, (i + 1) * factor); a++) {
              const e = (<usize>((c + 1) * sxy + (b + 1) * sx + a + 1)) << 2
              // Soot within a flame is the flame's own: what smokes is outside.
              sum += load<f32>(fine + e) * (mixture ? 1 - min<f32>(1, load<f32>(mixture + e) / SHEET_AT) : <f32>1)
              n += 1
            }
        store<f32>(coarse + ((<usize>(((k + 1) * (cy + 2) + j + 1) * (cx + 2) + i + 1)) << 2), n > 0 ? share * sum / n : 0)
      }
}

/** Transmittance of the coarse gas along a unit direction over `reach` metres, in steps of `stride` cells. */
export function transmittance(gas: usize, x: f32, y: f32, z: f32, dx: f32, dy: f32, dz: f32, reach: f32, stride: f32 = 1): f32 {
  const cell = load<f32>(gas, 52)
  const cx = load<i32>(gas, 56), cy = load<i32>(gas, 60), cz = load<i32>(gas, 64)
  const hx = <f32>cx * cell, hy = <f32>cy * cell, hz = <f32>cz * cell
  const px = x - load<f32>(gas), py = y - load<f32>(gas, 4), pz = z - load<f32>(gas, 8)
  const ix: f32 = 1 / (abs(dx) < 1e-9 ? <f32>1e-9 : dx), iy: f32 = 1 / (abs(dy) < 1e-9 ? <f32>1e-9 : dy), iz: f32 = 1 / (abs(dz) < 1e-9 ? <f32>1e-9 : dz)
  const ax = -px * ix, bx = (hx - px) * ix
  const ay = -py * iy, by = (hy - py) * iy
  const az = -pz * iz, bz = (hz - pz) * iz
  let t = max(max(min(ax, bx), min(ay, by)), max<f32>(min(az, bz), 0))
  const end = min(min(max(ax, bx), max(ay, by)), min(max(az, bz), reach))
  if (t >= end) return 1
  const coarse = <usize>load<u32>(gas, 68)
  const sx = cx + 2, sxy = (cx + 2) * (cy + 2)
  const steps = <i32>((end - t) / (stride * cell)) + 1
  const ds = (end - t) / <f32>steps
  const inv: f32 = 1 / cell
  const tx = <f32>(cx + 1) - 0.001, ty = <f32>(cy + 1) - 0.001, tz = <f32>(cz + 1) - 0.001
  let depth: f32 = 0
  t += 0.5 * ds
  for (let n = 0; n < steps; n++) {
    depth += sample(coarse, within((px + dx * t) * inv + 0.5, tx), within((py + dy * t) * inv + 0.5, ty), within((pz + dz * t) * inv + 0.5, tz), sx, sxy)
    t += ds
  }
  return NativeMathf.exp(-depth * ds)
}

/** Steps of a ray from a surface through a gas, in its light grid's cells. */
const SURFACE_STRIDE: f32 = 2

/** Transmittance of a gas along a unit direction of the world over `reach` metres. */
export function transmittanceOf(gas: usize, x: f32, y: f32, z: f32, dx: f32, dy: f32, dz: f32, reach: f32): f32 {
  const m = gas + 96
  const scale = load<f32>(gas, 92)
  const gx = load<f32>(m) * x + load<f32>(m, 4) * y + load<f32>(m, 8) * z + load<f32>(m, 36)
  const gy = load<f32>(m, 12) * x + load<f32>(m, 16) * y + load<f32>(m, 20) * z + load<f32>(m, 40)
  const gz = load<f32>(m, 24) * x + load<f32>(m, 28) * y + load<f32>(m, 32) * z + load<f32>(m, 44)
  const ex = (load<f32>(m) * dx + load<f32>(m, 4) * dy + load<f32>(m, 8) * dz) * scale
  const ey = (load<f32>(m, 12) * dx + load<f32>(m, 16) * dy + load<f32>(m, 20) * dz) * scale
  const ez = (load<f32>(m, 24) * dx + load<f32>(m, 28) * dy + load<f32>(m, 32) * dz) * scale
  return transmittance(gas, gx, gy, gz, ex, ey, ez, reach / scale, SURFACE_STRIDE)
}

/** The same of `count` gases (u32 blocks at `list`). */
export function transmittanceOfAll(list: usize, count: i32, x: f32, y: f32, z: f32, dx: f32, dy: f32, dz: f32, reach: f32): f32 {
  let through: f32 = 1
  for (let n = 0; n < count; n++) {
    through *= transmittanceOf(<usize>load<u32>(list + ((<usize>n) << 2)), x, y, z, dx, dy, dz, reach)
    if (through < 1e-4) return 0
  }
  return through
}

/** Light left after a path that lets `through` of it pass straight on, when it is scattered more than once: every further order brings back of what the one before lost what half its depth would let pass
 * (the octaves of Wrenninge, Kulla & Lundqvist 2013, each taken only for the light that was lost, so that thin smoke stays as it is and nothing is made). */
// @ts-ignore: decorator
@inline
export function scattered(through: f32, albedo: f32, orders: i32): f32 {
  let sum = through
  let last = through
  let share = albedo
  for (let n = 1; n < orders; n++) {
    const next = sqrt(last)
    sum += share * (next - last)
    share *= albedo
    last = next
  }
  return sum
}

/** From so many times their spread on, one lamp stands for several. */
const FAR: f32 = 4

export const SKY_DIRECTIONS = 5
const SKY_TILT: f32 = 0.8944272 // of directions 27 degrees above the horizon
const SKY_RISE: f32 = 0.4472136

/** Light from the sky in the gas's own space: straight along its up and four ways 27 degrees above the level, weighted by the cosine for a level surface. */
function skyLight(gas: usize, x: f32, y: f32, z: f32, albedo: f32, orders: i32): f32 {
  const ux = load<f32>(gas, 144), uy = load<f32>(gas, 148), uz = load<f32>(gas, 152)
  // Two level directions.
  const l: f32 = 1 / sqrt(max<f32>(1e-6, ux * ux + uy * uy))
  const ax = abs(uz) > 0.99 ? <f32>1 : uy * l, ay = abs(uz) > 0.99 ? <f32>0 : -ux * l
  const bx = -uz * ay, by = uz * ax, bz = ux * ay - uy * ax
  let sum = scattered(transmittance(gas, x, y, z, ux, uy, uz, 1e9), albedo, orders)
  let weight: f32 = 1
  for (let n = 1; n < SKY_DIRECTIONS; n++) {
    const a: f32 = n == 1 ? SKY_TILT : n == 2 ? -SKY_TILT : 0
    const b: f32 = n == 3 ? SKY_TILT : n == 4 ? -SKY_TILT : 0
    sum += SKY_RISE * scattered(transmittance(gas, x, y, z, ux * SKY_RISE + ax * a + bx * b, uy * SKY_RISE + ay * a + by * b, uz * SKY_RISE + bz * b, 1e9), albedo, orders)
    weight += SKY_RISE
  }
  return sum / weight
}

/** Directions of the world that stand for the sky, as skyLight's, with their weights: left in skyX, Y, Z and skyWeight. */
export let skyX: f32 = 0
export let skyY: f32 = 1
export let skyZ: f32 = 0
export let skyWeight: f32 = 1
export function skyDirection(n: i32): void {
  skyX = n == 1 ? SKY_TILT : n == 2 ? -SKY_TILT : 0
  skyY = n == 0 ? 1 : SKY_RISE
  skyZ = n == 3 ? SKY_TILT : n == 4 ? -SKY_TILT : 0
  skyWeight = n == 0 ? 1 : SKY_RISE
}

/**
 * Light that reaches each coarse cell: 8 floats: fires r g b as mean value over all directions, sun transmittance, light from the sky, lamps that were set up r g b.
 * lamps and sun (3 floats, the unit direction towards it): in the gas's own space; albedo and orders of scattering: of the smoke. Slabs are layers of the padded coarse grid (cz + 2).
 */
export function lightGrid(gas: usize, lamps: usize, count: i32, sun: usize, albedo: f32, orders: i32, from: i32, to: i32): void {
  const cell = load<f32>(gas, 52)
  const cx = load<i32>(gas, 56), cy = load<i32>(gas, 60)
  const out = <usize>load<u32>(gas, 72)
  for (let k = from; k < to; k++)
    for (let j = 0; j < cy + 2; j++)
      for (let i = 0; i < cx + 2; i++) {
        const x = load<f32>(gas) + (<f32>i - 0.5) * cell
        const y = load<f32>(gas, 4) + (<f32>j - 0.5) * cell
        const z = load<f32>(gas, 8) + (<f32>k - 0.5) * cell
        let fires = f32x4.splat(0), setUp = f32x4.splat(0)
        for (let n = 0; n < count;) {
          const lamp = lamps + <usize>n * LAMP_BYTES
          if (opensUp(lamp, x, y, z, FAR)) {
            n++
            continue
          }
          n += lampSkip(lamp)
          // What a surface that faces it would have is spread over all directions.
          const sent = lampOn(lamp, x, y, z, -1, 0) * <f32>0.25
          if (sent <= 0) continue
          const light = f32x4.mul(f32x4.splat(sent * scattered(transmittance(gas, x, y, z, lampDX, lampDY, lampDZ, lampDistance), albedo, orders)), v128.load(lampIntensity(lamp)))
          if (lampSetUp(lamp)) setUp = f32x4.add(setUp, light)
          else fires = f32x4.add(fires, light)
        }
        const at = out + ((<usize>((k * (cy + 2) + j) * (cx + 2) + i)) << 5)
        v128.store(at, f32x4.replace_lane(fires, 3, transmittance(gas, x, y, z, load<f32>(sun), load<f32>(sun, 4), load<f32>(sun, 8), 1e9)))
        v128.store(at, f32x4(skyLight(gas, x, y, z, albedo, orders), f32x4.extract_lane(setUp, 0), f32x4.extract_lane(setUp, 1), f32x4.extract_lane(setUp, 2)), 16)
      }
}

