// Rays against triangles through a tree of four-way nodes; four boxes are tested at once.
//   node, 128 bytes: low x, high x, low y, high y, low z, high z of four children (f32x4 each), then four children (i32).
//     child >= 0: a node; child < 0: a leaf, ~child = first triangle x 16 + count. An unused child has an empty box.
//   triangle, 64 bytes: corner, edge 1, edge 2 (nine f32), then seven words that belong to shading.
//   stack: STACK_BYTES for every item of a launch, so that threads don't share one.
export const NODE_BYTES: usize = 128
export const TRIANGLE_BYTES: usize = 64
export const STACK_BYTES: usize = 1024
const SCRATCH_AT: usize = 992

export let hitTriangle: i32 = -1
export let hitU: f32 = 0
export let hitV: f32 = 0
export const MISS: f32 = 1e30

// @ts-ignore: decorator
@inline
function inverse(x: f32): f32 { return 1 / (abs(x) < 1e-12 ? <f32>1e-12 : x) }

/** Distance along a unit direction to the nearest triangle within `limit` metres, or MISS; hitTriangle, hitU, hitV tell which and where. With `any`, the first found. */
export function castRay(nodes: usize, triangles: usize, stack: usize, ox: f32, oy: f32, oz: f32, dx: f32, dy: f32, dz: f32, limit: f32, any: bool): f32 {
  let best = limit
  hitTriangle = -1
  if (!nodes) return MISS
  const ix = f32x4.splat(inverse(dx)), iy = f32x4.splat(inverse(dy)), iz = f32x4.splat(inverse(dz))
  const x = f32x4.splat(ox), y = f32x4.splat(oy), z = f32x4.splat(oz)
  const scratch = stack + SCRATCH_AT
  let top = stack
  let child: i32 = 0
  for (;;) {
    if (child >= 0) {
      const node = nodes + (<usize>child) * NODE_BYTES
      const x0 = f32x4.mul(f32x4.sub(v128.load(node), x), ix), x1 = f32x4.mul(f32x4.sub(v128.load(node, 16), x), ix)
      const y0 = f32x4.mul(f32x4.sub(v128.load(node, 32), y), iy), y1 = f32x4.mul(f32x4.sub(v128.load(node, 48), y), iy)
      const z0 = f32x4.mul(f32x4.sub(v128.load(node, 64), z), iz), z1 = f32x4.mul(f32x4.sub(v128.load(node, 80), z), iz)
      const near = f32x4.pmax(f32x4.pmax(f32x4.pmin(x0, x1), f32x4.pmin(y0, y1)), f32x4.pmax(f32x4.pmin(z0, z1), f32x4.splat(0)))
      const far = f32x4.pmin(f32x4.pmin(f32x4.pmax(x0, x1), f32x4.pmax(y0, y1)), f32x4.pmin(f32x4.pmax(z0, z1), f32x4.splat(best)))
      let mask = i32x4.bitmask(f32x4.le(near, far))
      if (mask) {
        v128.store(scratch, near)
        let lane = ctz(mask)
        mask &= mask - 1
        let next = load<i32>(node + ((<usize>lane) << 2), 96)
        let distance = load<f32>(scratch + ((<usize>lane) << 2))
        while (mask) {
          lane = ctz(mask)
          mask &= mask - 1
          const other = load<i32>(node + ((<usize>lane) << 2), 96)
          const away = load<f32>(scratch + ((<usize>lane) << 2))
          if (away < distance) {
            store<i32>(top, next)
            store<f32>(top, distance, 4)
            next = other
            distance = away
          } else {
            store<i32>(top, other)
            store<f32>(top, away, 4)
          }
          top += 8
        }
        child = next
        continue
      }
    } else {
      const first = (~child) >> 4
      const count = (~child) & 15
      for (let n = first; n < first + count; n++) {
        // Möller & Trumbore 1997, both sides.
        const at = triangles + (<usize>n) * TRIANGLE_BYTES
        const ux = load<f32>(at, 12), uy = load<f32>(at, 16), uz = load<f32>(at, 20)
        const vx = load<f32>(at, 24), vy = load<f32>(at, 28), vz = load<f32>(at, 32)
        const px = dy * vz - dz * vy, py = dz * vx - dx * vz, pz = dx * vy - dy * vx
        const det = ux * px + uy * py + uz * pz
        if (abs(det) < 1e-14) continue
        const inv: f32 = 1 / det
        const tx = ox - load<f32>(at), ty = oy - load<f32>(at, 4), tz = oz - load<f32>(at, 8)
        const s = (tx * px + ty * py + tz * pz) * inv
        if (s < 0 || s > 1) continue
        const qx = ty * uz - tz * uy, qy = tz * ux - tx * uz, qz = tx * uy - ty * ux
        const t = (dx * qx + dy * qy + dz * qz) * inv
        if (t < 0 || s + t > 1) continue
        const distance = (vx * qx + vy * qy + vz * qz) * inv
        if (distance > 1e-4 && distance < best) {
          best = distance
          hitTriangle = n
          hitU = s
          hitV = t
          if (any) return best
        }
      }
    }
    for (;;) {
      if (top == stack) return hitTriangle >= 0 ? best : MISS
      top -= 8
      if (load<f32>(top, 4) <= best) break
    }
    child = load<i32>(top)
  }
  return MISS
}

/** castRay for tests: the distance goes to `out`. */
export function castOne(nodes: usize, triangles: usize, stack: usize, out: usize, ox: f32, oy: f32, oz: f32, dx: f32, dy: f32, dz: f32, any: i32, from: i32, to: i32): void {
  store<f32>(out, castRay(nodes, triangles, stack, ox, oy, oz, dx, dy, dz, MISS, any != 0))
}
