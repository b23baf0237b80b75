import { tileValue } from './force'
import { cubic } from './flame'
import { mixed, sample, vectorAt, within } from './grid'

// Kept frames made finer (core/src/gas/detail.ts). Padded coarse fields; places: four floats a cell, in cells of the world's lattice.

/** Every cell's own place. Slabs are array layers, nz + 2. */
export function ownPlaces(at: usize, ox: f32, oy: f32, oz: f32, nx: i32, ny: i32, nz: i32, from: i32, to: i32): void {
  const sx = nx + 2, sxy = sx * (ny + 2)
  for (let k = from; k < to; k++)
    for (let j = 0; j < ny + 2; j++)
      for (let i = 0; i < sx; i++) v128.store(at + ((<usize>(k * sxy + j * sx + i)) << 4), f32x4(ox + <f32>i - 0.5, oy + <f32>j - 0.5, oz + <f32>k - 0.5, 0))
}

/** Places a frame earlier: each less what the velocity there (padded vectors over a box of mx, my, mz cells from px, py, pz) moves in it, cells. Outside that box nothing moves. */
export function carryPlaces(at: usize, velocity: usize, px: f32, py: f32, pz: f32, mx: i32, my: i32, mz: i32, share: f32, nx: i32, ny: i32, nz: i32, from: i32, to: i32): void {
  const layer = (nx + 2) * (ny + 2)
  const sx = mx + 2, sxy = sx * (my + 2)
  for (let c = <usize>(from * layer); c < <usize>(to * layer); c++) {
    const p = at + (c << 4)
    const here = v128.load(p)
    const x = f32x4.extract_lane(here, 0) - px + 0.5, y = f32x4.extract_lane(here, 1) - py + 0.5, z = f32x4.extract_lane(here, 2) - pz + 0.5
    if (x < 0 || y < 0 || z < 0 || x >= <f32>(mx + 1) || y >= <f32>(my + 1) || z >= <f32>(mz + 1)) continue
    const v = vectorAt(velocity, x, y, z, sx, sxy)
    v128.store(p, f32x4.sub(here, f32x4.mul(f32x4.splat(share), v)))
  }
}

/** How fast the smallest motion is that the cells hold, m/s: root mean square difference from the mean of the six neighbours. Slabs are array layers; 0 in the padding. */
export function unresolved(out: usize, velocity: usize, nx: i32, ny: i32, nz: i32, from: i32, to: i32): void {
  const sx = nx + 2, sxy = sx * (ny + 2)
  const y1 = (<usize>sx) << 4, z1 = (<usize>sxy) << 4
  for (let k = from; k < to; k++)
    for (let j = 0; j < ny + 2; j++)
      for (let i = 0; i < sx; i++) {
        const c = <usize>(k * sxy + j * sx + i)
        if (i == 0 || j == 0 || k == 0 || i > nx || j > ny || k > nz) {
          store<f32>(out + (c << 2), 0)
          continue
        }
        const p = velocity + (c << 4)
        const around = f32x4.add(f32x4.add(f32x4.add(v128.load(p - 16), v128.load(p, 16)), f32x4.add(v128.load(p - y1), v128.load(p + y1))), f32x4.add(v128.load(p - z1), v128.load(p + z1)))
        const d = f32x4.sub(v128.load(p), f32x4.mul(around, f32x4.splat(<f32>(1.0 / 6.0))))
        const s = f32x4.mul(d, d)
        store<f32>(out + (c << 2), sqrt(f32x4.extract_lane(s, 0) + f32x4.extract_lane(s, 1) + f32x4.extract_lane(s, 2)))
      }
}

/** One set of whirls at a coarse place: component of the tile at its carried coordinates. */
// @ts-ignore: decorator
@inline
function whirl(tile: usize, n: i32, comp: i32, place: v128, pitch: f32, ox: f32, oy: f32, oz: f32): f32 {
  return tileValue(tile, n, comp, f32x4.extract_lane(place, 0) * pitch + ox, f32x4.extract_lane(place, 1) * pitch + oy, f32x4.extract_lane(place, 2) * pitch + oz)
}

/**
 * Tiles of the finer frame (numbers at `list`, fx x fy a layer): seven channels of 8^3 floats each, one tile after another. Every fine cell is followed back along the whirls for a share of a turning, in coarse cells:
 * a whirl of one coarse cell's size with the speed e (what the cells hardly hold) carries for `turnings` x 1 cell / e, so that its path is turnings x strength cells long, whatever its speed; still air has none.
 * pitch: tile nodes a coarse cell for the first whirls; each octave half as large and `cascade` as fast. c0 to c6: the coarse channels, padded.
 */
export function synthesiseDetail(
  out: usize, list: usize, factor: i32, c0: usize, c1: usize, c2: usize, c3: usize, c4: usize, c5: usize, c6: usize, nx: i32, ny: i32, nz: i32, fx: i32, fy: i32, energy: usize, tile: usize, nodes: i32,
  first: usize, w0: f32, ax: f32, ay: f32, az: f32, second: usize, w1: f32, bx: f32, by: f32, bz: f32, pitch: f32, amount: f32, turnings: f32, cascade: f32, octaves: i32, steps: i32, from: i32, to: i32,
): void {
  const sx = nx + 2, sxy = sx * (ny + 2)
  const topX = <f32>(nx + 1) - 0.001, topY = <f32>(ny + 1) - 0.001, topZ = <f32>(nz + 1) - 0.001
  const small: f32 = 1 / <f32>factor
  for (let n = from; n < to; n++) {
    const number = load<i32>(list + ((<usize>n) << 2))
    const ti = number % fx, tj = (number / fx) % fy, tk = number / (fx * fy)
    const base = out + (<usize>n) * 7 * 2048
    for (let at = 0; at < 512; at++) {
      // Array coordinates among the coarse cells: cell centres at whole numbers from 1 on.
      const x = (<f32>(ti * 8 + (at & 7)) + 0.5) * small + 0.5
      const y = (<f32>(tj * 8 + ((at >> 3) & 7)) + 0.5) * small + 0.5
      const z = (<f32>(tk * 8 + (at >> 6)) + 0.5) * small + 0.5
      let px = x, py = y, pz = z
      const speed = sample(energy, within(x, topX), within(y, topY), within(z, topZ), sx, sxy)
      // Whirls faster than a breath turn fully; slower air hardly.
      const alive = speed * speed / (speed * speed + 0.0025)
      const length = amount * turnings * alive / <f32>steps
      if (length > 0)
        for (let s = 0; s < steps; s++) {
          const gx = within(px, topX), gy = within(py, topY), gz = within(pz, topZ)
          const p = vectorAt(first, gx, gy, gz, sx, sxy), q = vectorAt(second, gx, gy, gz, sx, sxy)
          let vx: f32 = 0, vy: f32 = 0, vz: f32 = 0
          let scale = pitch, strength: f32 = 1
          for (let o = 0; o < octaves; o++) {
            vx += strength * (w0 * whirl(tile, nodes, 0, p, scale, ax, ay, az) + w1 * whirl(tile, nodes, 0, q, scale, bx, by, bz))
            vy += strength * (w0 * whirl(tile, nodes, 1, p, scale, ax, ay, az) + w1 * whirl(tile, nodes, 1, q, scale, bx, by, bz))
            vz += strength * (w0 * whirl(tile, nodes, 2, p, scale, ax, ay, az) + w1 * whirl(tile, nodes, 2, q, scale, bx, by, bz))
            scale *= 2
            // Half as far in its own turning, and slower by the cascade.
            strength *= 0.5 * cascade
          }
          px -= length * vx
          py -= length * vy
          pz -= length * vz
        }
      const gx = within(px, topX), gy = within(py, topY), gz = within(pz, topZ)
      const o = base + ((<usize>at) << 2)
      store<f32>(o, max<f32>(0, sample(c0, gx, gy, gz, sx, sxy)))
      store<f32>(o + 2048, max<f32>(0, sample(c1, gx, gy, gz, sx, sxy)))
      store<f32>(o + 4096, max<f32>(0, sample(c2, gx, gy, gz, sx, sxy)))
      store<f32>(o + 12288, max<f32>(0, sample(c6, gx, gy, gz, sx, sxy)))
      const cx = within(x, topX), cy = within(y, topY), cz = within(z, topZ)
      store<f32>(o + 6144, sample(c3, cx, cy, cz, sx, sxy))
      store<f32>(o + 8192, sample(c4, cx, cy, cz, sx, sxy))
      store<f32>(o + 10240, sample(c5, cx, cy, cz, sx, sxy))
    }
  }
}

/** Of the tile of whirls: how far a place is pushed at these carried coordinates, two sets of whirls in turn, octave on octave (half as far in its own turning, and slower by the cascade). */
// @ts-ignore: decorator
@inline
function push(tile: usize, nodes: i32, p: v128, q: v128, w0: f32, w1: f32, a: v128, b: v128, pitch: f32, cascade: f32, octaves: i32): v128 {
  let sum = f32x4.splat(0)
  let scale = pitch, strength: f32 = 1
  for (let o = 0; o < octaves; o++) {
    const one = whirlAt(tile, nodes, f32x4.add(f32x4.mul(p, f32x4.splat(scale)), a)), two = whirlAt(tile, nodes, f32x4.add(f32x4.mul(q, f32x4.splat(scale)), b))
    sum = f32x4.add(sum, f32x4.mul(f32x4.splat(strength), f32x4.add(f32x4.mul(f32x4.splat(w0), one), f32x4.mul(f32x4.splat(w1), two))))
    scale *= 2
    strength *= 0.5 * cascade
  }
  return sum
}

/** The periodic tile's vector at tile coordinates. */
// @ts-ignore: decorator
@inline
function whirlAt(tile: usize, n: i32, place: v128): v128 {
  const floors = f32x4.floor(place)
  const f = f32x4.sub(place, floors)
  const m = n - 1
  const whole = i32x4.trunc_sat_f32x4_s(floors)
  const i = i32x4.extract_lane(whole, 0) & m, j = i32x4.extract_lane(whole, 1) & m, k = i32x4.extract_lane(whole, 2) & m
  const i1 = (i + 1) & m, j1 = (j + 1) & m, k1 = (k + 1) & m
  const a = tile + ((<usize>((k * n + j) * n)) << 4), b = tile + ((<usize>((k * n + j1) * n)) << 4), c = tile + ((<usize>((k1 * n + j) * n)) << 4), d = tile + ((<usize>((k1 * n + j1) * n)) << 4)
  const e = (<usize>i) << 4, e1 = (<usize>i1) << 4
  return mixed(v128.load(a + e), v128.load(a + e1), v128.load(b + e), v128.load(b + e1), v128.load(c + e), v128.load(c + e1), v128.load(d + e), v128.load(d + e1), i32x4.shuffle(f, f, 0, 0, 0, 0), i32x4.shuffle(f, f, 1, 1, 1, 1), i32x4.shuffle(f, f, 2, 2, 2, 2))
}

/** How much more smoke varies between the cells than a flame's mixture does. */
const SMOKE_TEAR: f32 = 2
/** Whirls that carry less far than this share of a cell are left out: no picture shows them. */
const STILL: f32 = 0.02

/**
 * Padded fields of a picture so many times finer, each cell read (by a cubic) where whirls would have carried it from: extinction, temperature and, where they are given (0: none), the fuel that burns and the mixture, whose tips are torn
 * by `tear` as well. amount: how far the whirls carry in cells, smoke first, then where the mixture is that of a flame. marks: tiles of the coarse cells, tx x ty a layer; where one holds nothing it stays so.
 * The other parameters are synthesiseDetail's. Slabs are array layers of the finer fields, nz x factor + 2.
 */
export function refineGas(
  fine: usize, stride: usize, extinction: usize, kelvin: usize, fuel: usize, mixture: usize, marks: usize, tx: i32, ty: i32, tz: i32, ambient: f32, factor: i32, nx: i32, ny: i32, nz: i32, energy: usize, tile: usize, nodes: i32,
  first: usize, w0: f32, ax: f32, ay: f32, az: f32, second: usize, w1: f32, bx: f32, by: f32, bz: f32, pitch: f32, smoky: f32, flaming: f32, tear: f32, cascade: f32, octaves: i32, steps: i32, from: i32, to: i32,
): void {
  const sx = nx + 2, sxy = sx * (ny + 2)
  const topX = <f32>(nx + 1) - 0.001, topY = <f32>(ny + 1) - 0.001, topZ = <f32>(nz + 1) - 0.001
  const small: f32 = 1 / <f32>factor
  const fx = nx * factor + 2, fy = ny * factor + 2
  const a = f32x4(ax, ay, az, 0), b = f32x4(bx, by, bz, 0)
  const turned = f32x4(ay, az, ax, 0), turnedToo = f32x4(by, bz, bx, 0)
  for (let k = from; k < to; k++)
    for (let j = 0; j < fy; j++)
      for (let i = 0; i < fx; i++) {
        const o = fine + ((<usize>((k * fy + j) * fx + i)) << 2)
        const x = (<f32>i - 0.5) * small + 0.5, y = (<f32>j - 0.5) * small + 0.5, z = (<f32>k - 0.5) * small + 0.5
        const ti = min(tx - 1, max(0, <i32>(x - 0.5) >> 3)), tj = min(ty - 1, max(0, <i32>(y - 0.5) >> 3)), tk = min(tz - 1, max(0, <i32>(z - 0.5) >> 3))
        if (!load<u8>(marks + <usize>((tk * ty + tj) * tx + ti))) {
          store<f32>(o, 0)
          store<f32>(o + stride, ambient)
          if (fuel) store<f32>(o + 2 * stride, 0)
          if (mixture) store<f32>(o + 3 * stride, 0)
          continue
        }
        let gx = within(x, topX), gy = within(y, topY), gz = within(z, topZ)
        const speed = sample(energy, gx, gy, gz, sx, sxy)
        const alive = speed * speed / (speed * speed + 0.0025)
        const rich: f32 = mixture ? min<f32>(1, 3 * sample(mixture, gx, gy, gz, sx, sxy)) : 0
        const length = (smoky + (flaming - smoky) * rich) * alive
        let variation: f32 = 0
        if (length > STILL) {
          const part = f32x4.splat(-length / <f32>steps)
          for (let s = 0; s < steps; s++) {
            const moved = f32x4.mul(part, push(tile, nodes, vectorAt(first, gx, gy, gz, sx, sxy), vectorAt(second, gx, gy, gz, sx, sxy), w0, w1, a, b, pitch, cascade, octaves))
            gx = within(gx + f32x4.extract_lane(moved, 0), topX)
            // Nothing comes up through the floor.
            gy = within(max<f32>(0.5, gy + f32x4.extract_lane(moved, 1)), topY)
            gz = within(gz + f32x4.extract_lane(moved, 2), topZ)
          }
          if (tear > 0) {
            const p = vectorAt(first, gx, gy, gz, sx, sxy), q = vectorAt(second, gx, gy, gz, sx, sxy)
            variation = tear * alive * f32x4.extract_lane(push(tile, nodes, p, q, w0, w1, turned, turnedToo, pitch, 1.2, 3), 0)
          }
        }
        store<f32>(o, max<f32>(0, NativeMathf.exp(SMOKE_TEAR * variation) * cubic(extinction, gx, gy, gz, nx, ny, nz)))
        store<f32>(o + stride, max(ambient, cubic(kelvin, gx, gy, gz, nx, ny, nz)))
        if (fuel) store<f32>(o + 2 * stride, sample(fuel, gx, gy, gz, sx, sxy))
        if (mixture) store<f32>(o + 3 * stride, max<f32>(0, NativeMathf.exp(variation) * cubic(mixture, gx, gy, gz, nx, ny, nz)))
      }
}
