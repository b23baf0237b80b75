import { castPixel, dirX, dirY, dirZ } from './camera'

// Rays against triangles through a tree built by three-mesh-bvh and taken as its serialised bytes: 32 bytes a node, float bounds low xyz, high xyz;
// a leaf (u16 at 30 is 0xffff) has its first triangle in the u32 at 24 and the count in the u16 at 28; else the right child is (u32 at 24) nodes further on, the left one the next.
// `stack`: 64 words for every item of the launch, so that threads don't share one.

export let hitTriangle: i32 = -1
const MISS: f32 = 1e30

// @ts-ignore: decorator
@inline
function enters(node: usize, ox: f32, oy: f32, oz: f32, ix: f32, iy: f32, iz: f32, limit: f32): bool {
  const x0 = (load<f32>(node) - ox) * ix, x1 = (load<f32>(node, 12) - ox) * ix
  const y0 = (load<f32>(node, 4) - oy) * iy, y1 = (load<f32>(node, 16) - oy) * iy
  const z0 = (load<f32>(node, 8) - oz) * iz, z1 = (load<f32>(node, 20) - oz) * iz
  const near = max(max(min(x0, x1), min(y0, y1)), max<f32>(min(z0, z1), 0))
  const far = min(min(max(x0, x1), max(y0, y1)), min(max(z0, z1), limit))
  return near <= far
}

/** Distance along a unit direction to the triangle, or MISS (Möller & Trumbore 1997, both sides). */
// @ts-ignore: decorator
@inline
function against(positions: usize, indices: usize, triangle: i32, ox: f32, oy: f32, oz: f32, dx: f32, dy: f32, dz: f32): f32 {
  const at = indices + (<usize>triangle) * 12
  const a = positions + (<usize>load<u32>(at)) * 12
  const b = positions + (<usize>load<u32>(at, 4)) * 12
  const c = positions + (<usize>load<u32>(at, 8)) * 12
  const ax = load<f32>(a), ay = load<f32>(a, 4), az = load<f32>(a, 8)
  const ux = load<f32>(b) - ax, uy = load<f32>(b, 4) - ay, uz = load<f32>(b, 8) - az
  const vx = load<f32>(c) - ax, vy = load<f32>(c, 4) - ay, vz = load<f32>(c, 8) - az
  const px = dy * vz - dz * vy, py = dz * vx - dx * vz, pz = dx * vy - dy * vx
  const det = ux * px + uy * py + uz * pz
  if (abs(det) < 1e-12) return MISS
  const inv: f32 = 1 / det
  const tx = ox - ax, ty = oy - ay, tz = oz - az
  const s = (tx * px + ty * py + tz * pz) * inv
  if (s < 0 || s > 1) return MISS
  const qx = ty * uz - tz * uy, qy = tz * ux - tx * uz, qz = tx * uy - ty * ux
  const t = (dx * qx + dy * qy + dz * qz) * inv
  if (t < 0 || s + t > 1) return MISS
  const distance = (vx * qx + vy * qy + vz * qz) * inv
  return distance > 1e-4 ? distance : MISS
}

/** Nearest hit within `limit` metres, its triangle left in hitTriangle; with `any`, the first found. MISS (1e30) and -1 where there is none. nodes = 0: an empty scene. */
export function castRay(nodes: usize, positions: usize, indices: usize, stack: usize, ox: f32, oy: f32, oz: f32, dx: f32, dy: f32, dz: f32, limit: f32, any: bool): f32 {
  hitTriangle = -1
  if (!nodes) return MISS
  let best = limit
  const ix: f32 = 1 / (abs(dx) < 1e-12 ? <f32>1e-12 : dx)
  const iy: f32 = 1 / (abs(dy) < 1e-12 ? <f32>1e-12 : dy)
  const iz: f32 = 1 / (abs(dz) < 1e-12 ? <f32>1e-12 : dz)
  let top = 0
  let node = nodes
  for (;;) {
    if (enters(node, ox, oy, oz, ix, iy, iz, best)) {
      if (load<u16>(node, 30) == 0xffff) {
        const first = load<i32>(node, 24)
        const end = first + <i32>load<u16>(node, 28)
        for (let n = first; n < end; n++) {
          const t = against(positions, indices, n, ox, oy, oz, dx, dy, dz)
          if (t < best) {
            best = t
            hitTriangle = n
            if (any) return best
          }
        }
      } else {
        if (top < 63) {
          store<u32>(stack + ((<usize>top) << 2), <u32>(node + ((<usize>load<u32>(node, 24)) << 5)))
          top++
        }
        node += 32
        continue
      }
    }
    if (top == 0) break
    top--
    node = <usize>load<u32>(stack + ((<usize>top) << 2))
  }
  return hitTriangle >= 0 ? best : MISS
}

/** First surface per pixel: out[2 pixel] = distance in metres along the ray (1e30 where there is none), out[2 pixel + 1] = triangle or -1. Items are rows. */
export function traceScene(camera: usize, nodes: usize, positions: usize, indices: usize, stack: usize, out: usize, width: i32, from: i32, to: i32): void {
  for (let y = from; y < to; y++)
    for (let x = 0; x < width; x++) {
      castPixel(camera, <f32>x + 0.5, <f32>y + 0.5)
      const t = castRay(nodes, positions, indices, stack + ((<usize>from) << 8), load<f32>(camera), load<f32>(camera, 4), load<f32>(camera, 8), dirX, dirY, dirZ, MISS, false)
      const at = out + ((<usize>(y * width + x)) << 3)
      store<f32>(at, t)
      store<i32>(at, hitTriangle, 4)
    }
}
