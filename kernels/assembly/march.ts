import { castPixel, dirX, dirY, dirZ } from './camera'
import { sample, within } from './grid'

// Gas through the camera (emission and absorption with single scattering, front to back). The gas block is gaslight.ts's.
// Look block, f32: 0 albedo; 4 Henyey–Greenstein g; 8 sun r g b (value of a white surface square to it: normal illuminance / E); 20 sky and bounce r g b (mean value over the sphere);
//   32 direction to the sun x y z; 44 step (cells); 48 table start (K); 52 1 / table pitch (1/K); 56 i32 table entries; 60 u32 table: 4 floats r g b 0 a entry.

// @ts-ignore: decorator
@inline
function hash(x: i32, y: i32): f32 {
  let h = x * 0x9e3779b1 + y * 0x85ebca77
  h = (h ^ (h >>> 15)) * 0x2c1b3c6d
  h = (h ^ (h >>> 12)) * 0x297a2d39
  return <f32>((h ^ (h >>> 15)) & 0xffffff) / 16777216
}

/** out: 12 floats a pixel: fire r g b (attenuated by what is before it), smoke alpha; smoke lit by sun and sky r g b premultiplied, its mean distance in m (0 without); smoke lit by the fire r g b, 0. Items are rows; surfaces as traceScene leaves them. */
export function marchGas(camera: usize, gas: usize, look: usize, surfaces: usize, out: usize, width: i32, from: i32, to: i32): void {
  const lowX = load<f32>(gas), lowY = load<f32>(gas, 4), lowZ = load<f32>(gas, 8)
  const cell = load<f32>(gas, 12)
  const nx = load<i32>(gas, 16), ny = load<i32>(gas, 20), nz = load<i32>(gas, 24)
  const extinction = <usize>load<u32>(gas, 28), temperature = <usize>load<u32>(gas, 32), tiles = <usize>load<u32>(gas, 36)
  const tilesX = load<i32>(gas, 40), tilesY = load<i32>(gas, 44), tilesZ = load<i32>(gas, 48)
  const coarse = load<f32>(gas, 52)
  const cx = load<i32>(gas, 56), cy = load<i32>(gas, 60), cz = load<i32>(gas, 64)
  const grid = <usize>load<u32>(gas, 72)
  const albedo = load<f32>(look), g = load<f32>(look, 4)
  const start = load<f32>(look, 48), pitch = load<f32>(look, 52), entries = load<i32>(look, 56)
  const table = <usize>load<u32>(look, 60)
  const sky = f32x4(load<f32>(look, 20), load<f32>(look, 24), load<f32>(look, 28), 0)
  const sunLight = f32x4(load<f32>(look, 8), load<f32>(look, 12), load<f32>(look, 16), 0)
  const sx = nx + 2, sxy = (nx + 2) * (ny + 2)
  const csx = cx + 2, csxy = (cx + 2) * (cy + 2)
  const tile: f32 = 8 * cell
  const ds = load<f32>(look, 44) * cell
  const inv: f32 = 1 / cell
  const toCoarse: f32 = 1 / coarse
  const topX = <f32>(nx + 1) - 0.001, topY = <f32>(ny + 1) - 0.001, topZ = <f32>(nz + 1) - 0.001
  const ctX = <f32>(cx + 1) - 0.001, ctY = <f32>(cy + 1) - 0.001, ctZ = <f32>(cz + 1) - 0.001
  const ox = load<f32>(camera) - lowX, oy = load<f32>(camera, 4) - lowY, oz = load<f32>(camera, 8) - lowZ

  for (let y = from; y < to; y++)
    for (let x = 0; x < width; x++) {
      const pixel = <usize>(y * width + x)
      const at = out + pixel * 48
      v128.store(at, f32x4.splat(0))
      v128.store(at, f32x4.splat(0), 16)
      v128.store(at, f32x4.splat(0), 32)
      castPixel(camera, <f32>x + 0.5, <f32>y + 0.5)
      const dx = dirX, dy = dirY, dz = dirZ
      const ix: f32 = 1 / (abs(dx) < 1e-9 ? <f32>1e-9 : dx), iy: f32 = 1 / (abs(dy) < 1e-9 ? <f32>1e-9 : dy), iz: f32 = 1 / (abs(dz) < 1e-9 ? <f32>1e-9 : dz)
      const ax = -ox * ix, bx = (<f32>nx * cell - ox) * ix
      const ay = -oy * iy, by = (<f32>ny * cell - oy) * iy
      const az = -oz * iz, bz = (<f32>nz * cell - oz) * iz
      let t = max(max(min(ax, bx), min(ay, by)), max<f32>(min(az, bz), 0))
      const end = min(min(max(ax, bx), max(ay, by)), min(max(az, bz), load<f32>(surfaces + (pixel << 3))))
      if (t >= end) continue

      // Henyey–Greenstein towards the camera; the sun's light travels along -sun, the scattered along -direction.
      const cosine = dx * load<f32>(look, 32) + dy * load<f32>(look, 36) + dz * load<f32>(look, 40)
      const base: f32 = 1 + g * g - 2 * g * cosine
      const phase: f32 = <f32>0.25 * (1 - g * g) / (base * sqrt(base)) // pi x p, p = HG / 4 pi: value is pi x radiance / E
      const sun = f32x4.mul(sunLight, f32x4.splat(phase))

      let fire = f32x4.splat(0)
      let smoke = f32x4.splat(0)
      let lit = f32x4.splat(0)
      let left: f32 = 1
      let depth: f32 = 0
      t += hash(x, y) * ds
      while (t < end) {
        const px = ox + dx * t, py = oy + dy * t, pz = oz + dz * t
        const ti = min(tilesX - 1, max(0, <i32>(px / tile))), tj = min(tilesY - 1, max(0, <i32>(py / tile))), tk = min(tilesZ - 1, max(0, <i32>(pz / tile)))
        if (!load<u8>(tiles + <usize>((tk * tilesY + tj) * tilesX + ti))) {
          const ex = ((<f32>(ti + (dx > 0 ? 1 : 0))) * tile - px) * ix
          const ey = ((<f32>(tj + (dy > 0 ? 1 : 0))) * tile - py) * iy
          const ez = ((<f32>(tk + (dz > 0 ? 1 : 0))) * tile - pz) * iz
          const skip = max<f32>(0, min(abs(ex), min(abs(ey), abs(ez))))
          // Whole steps, so that the samples of a ray lie on one lattice and skipping can't be seen.
          t += ceil(skip / ds + 1e-4) * ds
          continue
        }
        const gx = within(px * inv + 0.5, topX), gy = within(py * inv + 0.5, topY), gz = within(pz * inv + 0.5, topZ)
        const ext = sample(extinction, gx, gy, gz, sx, sxy)
        if (ext > 1e-5) {
          const kelvin = sample(temperature, gx, gy, gz, sx, sxy)
          const step = min(ds, end - t + 0.5 * ds)
          const pass = NativeMathf.exp(-ext * step)
          const weight = left * (1 - pass)
          const entry = (kelvin - start) * pitch
          if (entry > 0) {
            const n = min(entries - 2, <i32>entry)
            const f = min<f32>(1, entry - <f32>n)
            const e = table + ((<usize>n) << 4)
            const glow = f32x4.add(v128.load(e), f32x4.mul(f32x4.splat(f), f32x4.sub(v128.load(e, 16), v128.load(e))))
            fire = f32x4.add(fire, f32x4.mul(f32x4.splat(weight * (1 - albedo)), glow))
          }
          const qx = within(px * toCoarse + 0.5, ctX), qy = within(py * toCoarse + 0.5, ctY), qz = within(pz * toCoarse + 0.5, ctZ)
          const i = <i32>qx, j = <i32>qy, k = <i32>qz
          const fx = f32x4.splat(qx - <f32>i), fy = f32x4.splat(qy - <f32>j), fz = f32x4.splat(qz - <f32>k)
          const a = grid + ((<usize>(k * csxy + j * csx + i)) << 5)
          const b = a + ((<usize>csx) << 5)
          const c = a + ((<usize>csxy) << 5)
          const d = c + ((<usize>csx) << 5)
          const l0 = v128.load(a), l1 = v128.load(b), l2 = v128.load(c), l3 = v128.load(d)
          const m0 = f32x4.add(l0, f32x4.mul(fx, f32x4.sub(v128.load(a, 32), l0)))
          const m1 = f32x4.add(l1, f32x4.mul(fx, f32x4.sub(v128.load(b, 32), l1)))
          const m2 = f32x4.add(l2, f32x4.mul(fx, f32x4.sub(v128.load(c, 32), l2)))
          const m3 = f32x4.add(l3, f32x4.mul(fx, f32x4.sub(v128.load(d, 32), l3)))
          const lo = f32x4.add(m0, f32x4.mul(fy, f32x4.sub(m1, m0)))
          const hi = f32x4.add(m2, f32x4.mul(fy, f32x4.sub(m3, m2)))
          const light = f32x4.add(lo, f32x4.mul(fz, f32x4.sub(hi, lo)))
          const skySeen = load<f32>(a, 16)
          const incoming = f32x4.add(f32x4.mul(sun, f32x4.splat(f32x4.extract_lane(light, 3))), f32x4.mul(sky, f32x4.splat(skySeen)))
          const share = f32x4.splat(weight * albedo)
          smoke = f32x4.add(smoke, f32x4.mul(share, incoming))
          lit = f32x4.add(lit, f32x4.mul(share, light))
          depth += weight * t
          left *= pass
          if (left < 0.002) break
        }
        t += ds
      }
      const alpha: f32 = 1 - left
      v128.store(at, f32x4.replace_lane(fire, 3, alpha))
      v128.store(at, f32x4.replace_lane(smoke, 3, alpha > 1e-4 ? depth / alpha : 0), 16)
      v128.store(at, f32x4.replace_lane(lit, 3, 0), 32)
    }
}
