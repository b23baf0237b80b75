import { burningZone, cubic, flameAt, flameB, flameDistance, flameExtinction, flameG, flameR, SHEET_AT } from './flame'
import { mixed, sample, vectorAt, within } from './grid'

// One gas along a ray: where the ray enters it, and what it gives out and takes at a place. Gas blocks are gaslight.ts's.
// Look block, f32: 0 albedo; 4 Henyey–Greenstein g; 8 sun r g b (value of a white surface square to it: normal illuminance / E); 20 sky and bounce r g b (mean value over the sphere);
//   32 direction to the sun x y z (world); 44 i32 orders of scattering; 48 table start (K); 52 1 / table pitch (1/K); 56 i32 table entries; 60 u32 table: 4 floats r g b 0 a entry;
//   64 blue glow r g b: value a metre of burning at 1 g/m^3 of fuel; 76 u32 table of black bodies, as the other; 80 colour of what is scattered r g b.
// State of a gas for a ray, 128 bytes: 0 begin, 4 end (world metres); 8 origin x y z, 20 direction x y z (gas space, per world metre); 32 phase of each of four orders; 48 1 / direction x y z;
//   at a place: 64 extinction (1/m), 68 heated air (share), 80 glow r g b, 96 lit by sun and sky r g b, 112 lit by fires r g b, each a metre.

const MOST_ORDERS = 4

/** Steps along a ray in a flame: a share of the distance to its next sheet, within these, m. */
const FLAME_SHARE: f32 = 0.3
const FLAME_LEAST: f32 = 0.004
const FLAME_MOST: f32 = 0.045

/** Prepares a gas for a ray; false where it misses it. */
export function enter(gas: usize, s: usize, ox: f32, oy: f32, oz: f32, dx: f32, dy: f32, dz: f32, far: f32): bool {
  const m = gas + 96
  const px = load<f32>(m) * ox + load<f32>(m, 4) * oy + load<f32>(m, 8) * oz + load<f32>(m, 36) - load<f32>(gas)
  const py = load<f32>(m, 12) * ox + load<f32>(m, 16) * oy + load<f32>(m, 20) * oz + load<f32>(m, 40) - load<f32>(gas, 4)
  const pz = load<f32>(m, 24) * ox + load<f32>(m, 28) * oy + load<f32>(m, 32) * oz + load<f32>(m, 44) - load<f32>(gas, 8)
  const ex = load<f32>(m) * dx + load<f32>(m, 4) * dy + load<f32>(m, 8) * dz
  const ey = load<f32>(m, 12) * dx + load<f32>(m, 16) * dy + load<f32>(m, 20) * dz
  const ez = load<f32>(m, 24) * dx + load<f32>(m, 28) * dy + load<f32>(m, 32) * dz
  const cell = load<f32>(gas, 12)
  const ix: f32 = 1 / (abs(ex) < 1e-9 ? <f32>1e-9 : ex), iy: f32 = 1 / (abs(ey) < 1e-9 ? <f32>1e-9 : ey), iz: f32 = 1 / (abs(ez) < 1e-9 ? <f32>1e-9 : ez)
  const ax = -px * ix, bx = (<f32>load<i32>(gas, 16) * cell - px) * ix
  const ay = -py * iy, by = (<f32>load<i32>(gas, 20) * cell - py) * iy
  const az = -pz * iz, bz = (<f32>load<i32>(gas, 24) * cell - pz) * iz
  const begin = max(max(min(ax, bx), min(ay, by)), max<f32>(min(az, bz), 0))
  const end = min(min(max(ax, bx), max(ay, by)), min(max(az, bz), far))
  store<f32>(s, begin)
  store<f32>(s, end, 4)
  if (begin >= end) return false
  store<f32>(s, px, 8)
  store<f32>(s, py, 12)
  store<f32>(s, pz, 16)
  store<f32>(s, ex, 20)
  store<f32>(s, ey, 24)
  store<f32>(s, ez, 28)
  store<f32>(s, ix, 48)
  store<f32>(s, iy, 52)
  store<f32>(s, iz, 56)
  // Henyey–Greenstein towards the camera; the sun's light travels along -sun, the scattered along -direction. Every order is half as directed as the one before.
  const look = <usize>load<u32>(gas, 156)
  const cosine = dx * load<f32>(look, 32) + dy * load<f32>(look, 36) + dz * load<f32>(look, 40)
  let g = load<f32>(look, 4)
  for (let n = 0; n < MOST_ORDERS; n++) {
    const base: f32 = 1 + g * g - 2 * g * cosine
    store<f32>(s + ((<usize>n) << 2), <f32>0.25 * (1 - g * g) / (base * sqrt(base)), 32) // pi x p, p = HG / 4 pi: value is pi x radiance / E
    g *= 0.5
  }
  return true
}

/** Where the ray leaves an empty tile, and how long a step a flame near by wants. */
export let nextTile: f32 = 0
export let wantedStep: f32 = 0
/** Begins a step that is so long where no flame wants a shorter one. */
export function wantStep(length: f32): void {
  wantedStep = length
}

/** Whether the tile at a place holds something; else nextTile is where the ray leaves it. */
function tileHolds(gas: usize, s: usize, t: f32, px: f32, py: f32, pz: f32): bool {
  const tilesX = load<i32>(gas, 40), tilesY = load<i32>(gas, 44), tilesZ = load<i32>(gas, 48)
  const tile = load<f32>(gas, 172)
  const ti = min(tilesX - 1, max(0, <i32>(px / tile))), tj = min(tilesY - 1, max(0, <i32>(py / tile))), tk = min(tilesZ - 1, max(0, <i32>(pz / tile)))
  if (load<u8>(<usize>load<u32>(gas, 36) + <usize>((tk * tilesY + tj) * tilesX + ti))) return true
  const ex = ((<f32>(ti + (load<f32>(s, 20) > 0 ? 1 : 0))) * tile - px) * load<f32>(s, 48)
  const ey = ((<f32>(tj + (load<f32>(s, 24) > 0 ? 1 : 0))) * tile - py) * load<f32>(s, 52)
  const ez = ((<f32>(tk + (load<f32>(s, 28) > 0 ? 1 : 0))) * tile - pz) * load<f32>(s, 56)
  nextTile = t + max<f32>(0, min(abs(ex), min(abs(ey), abs(ez))))
  return false
}

/** Light that the smoke scatters, from the coarse grid: into 96 and 112 of the state. */
function scatterLight(gas: usize, s: usize, px: f32, py: f32, pz: f32, ext: f32): void {
  const look = <usize>load<u32>(gas, 156)
  const albedo = load<f32>(look)
  const coarse: f32 = 1 / load<f32>(gas, 52)
  const cx = load<i32>(gas, 56), cy = load<i32>(gas, 60), cz = load<i32>(gas, 64)
  const qx = within(px * coarse + 0.5, <f32>(cx + 1) - 0.001), qy = within(py * coarse + 0.5, <f32>(cy + 1) - 0.001), qz = within(pz * coarse + 0.5, <f32>(cz + 1) - 0.001)
  const i = <i32>qx, j = <i32>qy, k = <i32>qz
  const fx = f32x4.splat(qx - <f32>i), fy = f32x4.splat(qy - <f32>j), fz = f32x4.splat(qz - <f32>k)
  const a = <usize>load<u32>(gas, 72) + ((<usize>(k * (cx + 2) * (cy + 2) + j * (cx + 2) + i)) << 5)
  const b = a + ((<usize>(cx + 2)) << 5)
  const c = a + ((<usize>((cx + 2) * (cy + 2))) << 5)
  const d = c + ((<usize>(cx + 2)) << 5)
  const light = mixed(v128.load(a), v128.load(a, 32), v128.load(b), v128.load(b, 32), v128.load(c), v128.load(c, 32), v128.load(d), v128.load(d, 32), fx, fy, fz)
  const round = mixed(v128.load(a, 16), v128.load(a, 48), v128.load(b, 16), v128.load(b, 48), v128.load(c, 16), v128.load(c, 48), v128.load(d, 16), v128.load(d, 48), fx, fy, fz)
  const sky = f32x4.extract_lane(round, 0)
  // The sun order by order, as gaslight.ts's scattered(), each with its own phase.
  let through = max<f32>(0, f32x4.extract_lane(light, 3))
  let sun = load<f32>(s, 32) * through
  let part = albedo
  const orders = load<i32>(look, 44)
  for (let m = 1; m < orders; m++) {
    const more = sqrt(through)
    sun += part * (more - through) * load<f32>(s + ((<usize>m) << 2), 32)
    part *= albedo
    through = more
  }
  const scatters = f32x4.splat(ext * albedo)
  const colour = f32x4(load<f32>(look, 80), load<f32>(look, 84), load<f32>(look, 88), 0)
  const setUp = f32x4.mul(colour, v128.shuffle<f32>(round, round, 1, 2, 3, 3))
  const plate = f32x4.add(f32x4.mul(f32x4(load<f32>(look, 8), load<f32>(look, 12), load<f32>(look, 16), 0), f32x4.splat(sun)), f32x4.mul(f32x4(load<f32>(look, 20), load<f32>(look, 24), load<f32>(look, 28), 0), f32x4.splat(sky)))
  v128.store(s, f32x4.mul(scatters, f32x4.add(plate, setUp)), 96)
  v128.store(s, f32x4.mul(scatters, f32x4.mul(light, colour)), 112)
}

/** Place of the last sample in array coordinates, moved to where its gas is taken from. */
let gridX: f32 = 0, gridY: f32 = 0, gridZ: f32 = 0
function onGrid(gas: usize, px: f32, py: f32, pz: f32, late: f32): void {
  const nx = load<i32>(gas, 16), ny = load<i32>(gas, 20), nz = load<i32>(gas, 24)
  const inv: f32 = 1 / load<f32>(gas, 12)
  const topX = <f32>(nx + 1) - 0.001, topY = <f32>(ny + 1) - 0.001, topZ = <f32>(nz + 1) - 0.001
  gridX = within(px * inv + 0.5, topX)
  gridY = within(py * inv + 0.5, topY)
  gridZ = within(pz * inv + 0.5, topZ)
  const velocity = <usize>load<u32>(gas, 76)
  const ahead = load<f32>(gas, 88) + late
  if (!velocity || ahead == 0) return
  // What is here then is what is upstream of it now.
  const back = -ahead * inv
  const per = load<f32>(gas, 176)
  const vx = <i32>(<f32>nx * per + 0.5) + 2, vxy = vx * (<i32>(<f32>ny * per + 0.5) + 2)
  const v = vectorAt(velocity, (gridX - 0.5) * per + 0.5, (gridY - 0.5) * per + 0.5, (gridZ - 0.5) * per + 0.5, vx, vxy)
  gridX = within(gridX + back * f32x4.extract_lane(v, 0), topX)
  gridY = within(gridY + back * f32x4.extract_lane(v, 1), topY)
  gridZ = within(gridZ + back * f32x4.extract_lane(v, 2), topZ)
}

/** What a gas is at t metres along the ray, `late` seconds after the frame's moment: into its state; wantedStep is made no longer than its flame wants. False where its tile is empty: nextTile. */
export function gasAlong(gas: usize, s: usize, t: f32, late: f32): bool {
  const px = load<f32>(s, 8) + load<f32>(s, 20) * t, py = load<f32>(s, 12) + load<f32>(s, 24) * t, pz = load<f32>(s, 16) + load<f32>(s, 28) * t
  const none = f32x4.splat(0)
  v128.store(s, none, 64)
  v128.store(s, none, 80)
  v128.store(s, none, 96)
  v128.store(s, none, 112)
  if (!tileHolds(gas, s, t, px, py, pz)) return false
  const nx = load<i32>(gas, 16), ny = load<i32>(gas, 20), nz = load<i32>(gas, 24)
  const sx = nx + 2, sxy = (nx + 2) * (ny + 2)
  onGrid(gas, px, py, pz, late)
  const gx = gridX, gy = gridY, gz = gridZ
  const weight = load<f32>(gas, 84), scale = load<f32>(gas, 92)
  const kelvin = sample(<usize>load<u32>(gas, 32), gx, gy, gz, sx, sxy)
  const air = load<f32>(gas, 160)
  if (kelvin > air) store<f32>(s, weight * (1 - air / kelvin), 68)
  // Smoke that keeps its edges shows the lattice where it is read by straight lines. Depth keeps with the scale: per metre of the world it is so much thinner.
  const thick = <usize>load<u32>(gas, 28)
  const look = <usize>load<u32>(gas, 156)
  const mixture = <usize>load<u32>(gas, 164)
  const smooth = load<i32>(gas, 180)
  let ext = weight * (smooth && !mixture ? max<f32>(0, cubic(thick, gx, gy, gz, nx, ny, nz)) : sample(thick, gx, gy, gz, sx, sxy)) / scale
  let zone: f32 = 1, sum: f32 = 0
  let glow = none
  if (mixture) {
    const eta = max<f32>(0, smooth ? cubic(mixture, gx, gy, gz, nx, ny, nz) : sample(mixture, gx, gy, gz, sx, sxy))
    // Soot within a flame is the flame's own: what smokes is outside.
    ext *= 1 - min<f32>(1, eta / SHEET_AT)
    zone = burningZone(eta)
    if (eta > 0.02) {
      flameAt(eta, sample(<usize>load<u32>(gas, 168), gx, gy, gz, sx, sxy), kelvin - air, air, <usize>load<u32>(look, 76), load<f32>(look, 48), load<f32>(look, 52), load<i32>(look, 56))
      wantedStep = min(wantedStep, scale * max(FLAME_LEAST, min(FLAME_MOST, FLAME_SHARE * flameDistance)))
      if (flameExtinction > 0) {
        const part: f32 = weight / scale
        sum = part * flameExtinction
        glow = f32x4.mul(f32x4.splat(part), f32x4(flameR, flameG, flameB, 0))
      }
    }
  }
  const fuel = <usize>load<u32>(gas, 80)
  if (fuel) {
    const burning = sample(fuel, gx, gy, gz, sx, sxy)
    if (burning > 0) glow = f32x4.add(glow, f32x4.mul(f32x4.splat(weight * zone * burning / scale), f32x4(load<f32>(look, 64), load<f32>(look, 68), load<f32>(look, 72), 0)))
  }
  if (ext >= 1e-5) {
    sum += ext
    const entry = (kelvin - load<f32>(look, 48)) * load<f32>(look, 52)
    if (entry > 0 && !mixture) {
      const k = min(load<i32>(look, 56) - 2, <i32>entry)
      const f = min<f32>(1, entry - <f32>k)
      const e = <usize>load<u32>(look, 60) + ((<usize>k) << 4)
      glow = f32x4.add(glow, f32x4.mul(f32x4.splat(ext * (1 - load<f32>(look))), f32x4.add(v128.load(e), f32x4.mul(f32x4.splat(f), f32x4.sub(v128.load(e, 16), v128.load(e))))))
    }
    scatterLight(gas, s, px, py, pz, ext)
  }
  store<f32>(s, sum, 64)
  v128.store(s, glow, 80)
  return true
}
