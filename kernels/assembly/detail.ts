import { tileValue } from './force'
import { sample, vectorAt, within } from './grid'

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
