import { castPixel, dirX, dirY, dirZ } from './camera'
import { cubic, flameAt, flameB, flameDistance, flameExtinction, flameG, flameR, burningZone, SHEET_AT } from './flame'
import { mixed, sample, vectorAt, within } from './grid'

// Gases through the camera (emission and absorption with scattering, front to back), as many as there are, where they overlap too. Gas blocks are gaslight.ts's.
// Look block, f32: 0 albedo; 4 Henyey–Greenstein g; 8 sun r g b (value of a white surface square to it: normal illuminance / E); 20 sky and bounce r g b (mean value over the sphere);
//   32 direction to the sun x y z (world); 44 i32 orders of scattering; 48 table start (K); 52 1 / table pitch (1/K); 56 i32 table entries; 60 u32 table: 4 floats r g b 0 a entry;
//   64 blue glow r g b: value a metre of burning at 1 g/m^3 of fuel; 76 u32 table of black bodies, entries as the other table's; 80 colour of the smoke r g b (in sun and sky already)
// Ray state of a gas, 64 bytes: 0 begin, 4 end (world metres); 8 origin x y z, 20 direction x y z (gas space, per world metre); 32 phase of each of four orders; 48 1 / direction x y z

const STATE: usize = 64
const MOST_ORDERS = 4
/** Steps through a flame: a share of the distance to its next sheet, within these, m. */
const FLAME_SHARE: f32 = 0.3
const FLAME_LEAST: f32 = 0.004
const FLAME_MOST: f32 = 0.045

// @ts-ignore: decorator
@inline
function hash(x: i32, y: i32, salt: i32): f32 {
  let h = x * 0x9e3779b1 + y * 0x85ebca77 + salt * 0x27d4eb2f
  h = (h ^ (h >>> 15)) * 0x2c1b3c6d
  h = (h ^ (h >>> 12)) * 0x297a2d39
  return <f32>((h ^ (h >>> 15)) & 0xffffff) / 16777216
}

/** Prepares a gas for a ray; false where it misses it. */
function enter(gas: usize, s: usize, ox: f32, oy: f32, oz: f32, dx: f32, dy: f32, dz: f32, far: f32): bool {
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

/**
 * out: 12 floats a pixel, added to with `share`: fire r g b (attenuated by what is before it), smoke alpha; smoke lit by sun and sky r g b premultiplied, its distance in m times alpha; smoke lit by the fire r g b,
 * metres of heated air (the path integral of 1 - air / temperature). Items are rows; surfaces as traceScene leaves them. list: `count` gas blocks (u32); state: 64 bytes a gas for every row.
 * spread, where it is given: two floats a pixel, the sum and the sum of squares of the fire's brightness over the calls; mask, where it is given: only pixels whose byte is not 0.
 * step: of the march, cells as they are kept. late: seconds after the frame's own moment, the first and the last of which a pixel takes one; salt: another pattern of samples.
 */
export function marchGas(camera: usize, list: usize, count: i32, state: usize, step: f32, late0: f32, late1: f32, share: f32, salt: i32, surfaces: usize, out: usize, spread: usize, mask: usize, width: i32, from: i32, to: i32): void {
  const ox = load<f32>(camera), oy = load<f32>(camera, 4), oz = load<f32>(camera, 8)
  for (let y = from; y < to; y++)
    for (let x = 0; x < width; x++) {
      const pixel = <usize>(y * width + x)
      if (mask && !load<u8>(mask + pixel)) continue
      const at = out + pixel * 48
      castPixel(camera, <f32>x + 0.5, <f32>y + 0.5)
      const dx = dirX, dy = dirY, dz = dirZ
      const far = load<f32>(surfaces + (pixel << 3))
      const rows = state + (<usize>(y * count)) * STATE
      let t: f32 = 1e30, end: f32 = 0, ds: f32 = 1e30
      for (let n = 0; n < count; n++) {
        const gas = <usize>load<u32>(list + ((<usize>n) << 2))
        const s = rows + (<usize>n) * STATE
        if (!enter(gas, s, ox, oy, oz, dx, dy, dz, far)) continue
        t = min(t, load<f32>(s))
        end = max(end, load<f32>(s, 4))
        ds = min(ds, step * 0.125 * load<f32>(gas, 172) * load<f32>(gas, 92))
      }
      if (t >= end) continue
      const late = late0 + (late1 - late0) * hash(x, y, salt + 7)
      let fire = f32x4.splat(0), smoke = f32x4.splat(0), lit = f32x4.splat(0)
      let left: f32 = 1, depth: f32 = 0, haze: f32 = 0
      t += hash(x, y, salt) * ds
      let before = ds
      while (t < end) {
        let next: f32 = 1e30
        let want = ds
        let sum: f32 = 0
        let glow = f32x4.splat(0), bright = f32x4.splat(0), own = f32x4.splat(0)
        for (let n = 0; n < count; n++) {
          const s = rows + (<usize>n) * STATE
          const begin = load<f32>(s), stop = load<f32>(s, 4)
          if (t >= stop || begin >= stop) continue
          if (t < begin) {
            next = min(next, begin)
            continue
          }
          const gas = <usize>load<u32>(list + ((<usize>n) << 2))
          const cell = load<f32>(gas, 12), inv: f32 = 1 / cell
          const nx = load<i32>(gas, 16), ny = load<i32>(gas, 20), nz = load<i32>(gas, 24)
          let px = load<f32>(s, 8) + load<f32>(s, 20) * t, py = load<f32>(s, 12) + load<f32>(s, 24) * t, pz = load<f32>(s, 16) + load<f32>(s, 28) * t
          const tilesX = load<i32>(gas, 40), tilesY = load<i32>(gas, 44), tilesZ = load<i32>(gas, 48)
          const tile = load<f32>(gas, 172)
          const ti = min(tilesX - 1, max(0, <i32>(px / tile))), tj = min(tilesY - 1, max(0, <i32>(py / tile))), tk = min(tilesZ - 1, max(0, <i32>(pz / tile)))
          if (!load<u8>(<usize>load<u32>(gas, 36) + <usize>((tk * tilesY + tj) * tilesX + ti))) {
            const ex = ((<f32>(ti + (load<f32>(s, 20) > 0 ? 1 : 0))) * tile - px) * load<f32>(s, 48)
            const ey = ((<f32>(tj + (load<f32>(s, 24) > 0 ? 1 : 0))) * tile - py) * load<f32>(s, 52)
            const ez = ((<f32>(tk + (load<f32>(s, 28) > 0 ? 1 : 0))) * tile - pz) * load<f32>(s, 56)
            next = min(next, t + max<f32>(0, min(abs(ex), min(abs(ey), abs(ez)))))
            continue
          }
          next = t
          const topX = <f32>(nx + 1) - 0.001, topY = <f32>(ny + 1) - 0.001, topZ = <f32>(nz + 1) - 0.001
          const sx = nx + 2, sxy = (nx + 2) * (ny + 2)
          let gx = within(px * inv + 0.5, topX), gy = within(py * inv + 0.5, topY), gz = within(pz * inv + 0.5, topZ)
          const velocity = <usize>load<u32>(gas, 76)
          const ahead = load<f32>(gas, 88) + late
          if (velocity && ahead != 0) {
            // What is here then is what is upstream of it now.
            const back = -ahead * inv
            const per = load<f32>(gas, 176)
            const vx = <i32>(<f32>nx * per + 0.5) + 2, vxy = vx * (<i32>(<f32>ny * per + 0.5) + 2)
            const v = vectorAt(velocity, (gx - 0.5) * per + 0.5, (gy - 0.5) * per + 0.5, (gz - 0.5) * per + 0.5, vx, vxy)
            gx = within(gx + back * f32x4.extract_lane(v, 0), topX)
            gy = within(gy + back * f32x4.extract_lane(v, 1), topY)
            gz = within(gz + back * f32x4.extract_lane(v, 2), topZ)
          }
          const weight = load<f32>(gas, 84)
          const scale = load<f32>(gas, 92)
          const kelvin = sample(<usize>load<u32>(gas, 32), gx, gy, gz, sx, sxy)
          const air = load<f32>(gas, 160)
          if (kelvin > air) haze += weight * (1 - air / kelvin) * ds
          // Smoke that keeps its edges shows the lattice where it is read by straight lines. Depth keeps with the scale: per metre of the world it is so much thinner.
          const thick = <usize>load<u32>(gas, 28)
          const smooth = load<i32>(gas, 180) && !load<u32>(gas, 164)
          let ext = weight * (smooth ? max<f32>(0, cubic(thick, gx, gy, gz, nx, ny, nz)) : sample(thick, gx, gy, gz, sx, sxy)) / scale
          const look = <usize>load<u32>(gas, 156)
          const mixture = <usize>load<u32>(gas, 164)
          let zone: f32 = 1
          if (mixture) {
            const eta = max<f32>(0, load<i32>(gas, 180) ? cubic(mixture, gx, gy, gz, nx, ny, nz) : sample(mixture, gx, gy, gz, sx, sxy))
            // Soot within a flame is the flame's own: what smokes is outside.
            ext *= 1 - min<f32>(1, eta / SHEET_AT)
            zone = burningZone(eta)
            if (eta > 0.02) {
              flameAt(eta, sample(<usize>load<u32>(gas, 168), gx, gy, gz, sx, sxy), kelvin - air, air, <usize>load<u32>(look, 76), load<f32>(look, 48), load<f32>(look, 52), load<i32>(look, 56))
              want = min(want, scale * max(FLAME_LEAST, min(FLAME_MOST, FLAME_SHARE * flameDistance)))
              if (flameExtinction > 0) {
                const part: f32 = weight / scale
                sum += part * flameExtinction
                glow = f32x4.add(glow, f32x4.mul(f32x4.splat(part), f32x4(flameR, flameG, flameB, 0)))
              }
            }
          }
          const fuel = <usize>load<u32>(gas, 80)
          if (fuel) {
            const burning = sample(fuel, gx, gy, gz, sx, sxy)
            if (burning > 0) glow = f32x4.add(glow, f32x4.mul(f32x4.splat(weight * zone * burning / scale), f32x4(load<f32>(look, 64), load<f32>(look, 68), load<f32>(look, 72), 0)))
          }
          if (ext < 1e-5) continue
          const albedo = load<f32>(look)
          sum += ext
          const entry = (kelvin - load<f32>(look, 48)) * load<f32>(look, 52)
          if (entry > 0 && !mixture) {
            const k = min(load<i32>(look, 56) - 2, <i32>entry)
            const f = min<f32>(1, entry - <f32>k)
            const e = <usize>load<u32>(look, 60) + ((<usize>k) << 4)
            glow = f32x4.add(glow, f32x4.mul(f32x4.splat(ext * (1 - albedo)), f32x4.add(v128.load(e), f32x4.mul(f32x4.splat(f), f32x4.sub(v128.load(e, 16), v128.load(e))))))
          }
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
          const sky = f32x4.extract_lane(mixed(v128.load(a, 16), v128.load(a, 48), v128.load(b, 16), v128.load(b, 48), v128.load(c, 16), v128.load(c, 48), v128.load(d, 16), v128.load(d, 48), fx, fy, fz), 0)
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
          bright = f32x4.add(bright, f32x4.mul(scatters, f32x4.add(f32x4.mul(f32x4(load<f32>(look, 8), load<f32>(look, 12), load<f32>(look, 16), 0), f32x4.splat(sun)), f32x4.mul(f32x4(load<f32>(look, 20), load<f32>(look, 24), load<f32>(look, 28), 0), f32x4.splat(sky)))))
          own = f32x4.add(own, f32x4.mul(scatters, f32x4.mul(light, f32x4(load<f32>(look, 80), load<f32>(look, 84), load<f32>(look, 88), 1))))
        }
        if (next > t) {
          // Nothing here. Whole steps, so that the samples of a ray lie on one lattice and skipping can't be seen.
          t += max<f32>(1, ceil((next - t) / ds + 1e-4)) * ds
          before = ds
          continue
        }
        // The trapezoid's weight between the step before and the next.
        const length: f32 = min<f32>(<f32>0.5 * (before + want), end - t + <f32>0.5 * want)
        before = want
        // Mean over the step of what is before it: (1 - exp(-sum length)) / sum; without extinction the step itself.
        const pass = NativeMathf.exp(-sum * length)
        const weight = f32x4.splat(left * (sum > 1e-5 ? (1 - pass) / sum : length))
        fire = f32x4.add(fire, f32x4.mul(weight, glow))
        smoke = f32x4.add(smoke, f32x4.mul(weight, bright))
        lit = f32x4.add(lit, f32x4.mul(weight, own))
        depth += left * (1 - pass) * t
        left *= pass
        if (left < 0.002) break
        t += want
      }
      if (spread) {
        const bright: f32 = 0.2126 * f32x4.extract_lane(fire, 0) + 0.7152 * f32x4.extract_lane(fire, 1) + 0.0722 * f32x4.extract_lane(fire, 2)
        const o = spread + (pixel << 3)
        store<f32>(o, load<f32>(o) + bright)
        store<f32>(o, load<f32>(o, 4) + bright * bright, 4)
      }
      const whole = f32x4.splat(share)
      v128.store(at, f32x4.add(v128.load(at), f32x4.mul(whole, f32x4.replace_lane(fire, 3, 1 - left))))
      v128.store(at, f32x4.add(v128.load(at, 16), f32x4.mul(whole, f32x4.replace_lane(smoke, 3, depth))), 16)
      v128.store(at, f32x4.add(v128.load(at, 32), f32x4.mul(whole, f32x4.replace_lane(lit, 3, haze))), 32)
    }
}

/** Marks pixels whose mean of `count` marched brightnesses is known no better than to a share of itself and of `level`, and scales what they hold by `keep`, to make room for more. mask: a byte a pixel. */
export function markGrainy(out: usize, spread: usize, mask: usize, count: f32, level: f32, most: f32, keep: f32, width: i32, from: i32, to: i32): void {
  for (let n = <usize>(from * width); n < <usize>(to * width); n++) {
    const sum = load<f32>(spread + (n << 3)), squares = load<f32>(spread + (n << 3), 4)
    const mean: f32 = sum / count
    const error: f32 = sqrt(max<f32>(0, squares / count - mean * mean) / count)
    const grainy = error > most * (mean + level)
    store<u8>(mask + n, grainy ? 1 : 0)
    if (!grainy) continue
    const at = out + n * 48
    const k = f32x4.splat(keep)
    v128.store(at, f32x4.mul(k, v128.load(at)))
    v128.store(at, f32x4.mul(k, v128.load(at, 16)), 16)
    v128.store(at, f32x4.mul(k, v128.load(at, 32)), 32)
  }
}
