import { INSTANCE_BYTES, instanceFlags, instanceLayer, instanceMesh, instancePlace, instancePlaceAtClose, instanceRotation, instanceRotationAtClose, meshBlockDeforms, meshBlockNodes, meshBlockPackets } from './layouts.generated'
import { seat } from './seat'
import { INDEX, LEAF, MOVING_NODE, MOVING_PACKET, NODE, PACKET } from './tree'

// Rays against a tree over instances, each of which is a tree over triangles (tree.ts's nodes), nearest first. Poses and boxes go straight from their values when the shutter opens to those when it closes.
// Every thread has `stack`: RAY_STACK bytes.

export const MISS: f32 = 1e30
export const RAY_STACK: usize = 32768
const INNER: usize = 16384
const SPILL: usize = 16000

/** What the last cast met: its distance in lengths of the direction, instance, triangle, and the place in the triangle (shares of its second and third corner). */
export let hitT: f32 = 1e30
export let hitInstance: i32 = -1
export let hitTriangle: i32 = -1
export let hitU: f32 = 0
export let hitV: f32 = 0
/** Where the triangle lies: its packet and its lane's offset. */
export let hitPacket: usize = 0
export let hitLane: usize = 0
/** The ray in the space of the instance that was entered last. */
export let localX: f32 = 0
export let localY: f32 = 0
export let localZ: f32 = 0
let localDX: f32 = 0
let localDY: f32 = 0
let localDZ: f32 = 0
/** Hits nearer than this don't count. */
let nearest: f32 = 0

// @ts-ignore: decorator
@inline
function inverse(d: f32): f32 {
  return 1 / (abs(d) < 1e-18 ? <f32>1e-18 : d)
}

// @ts-ignore: decorator
@inline
function cornersAt(packet: usize, offset: usize, moving: bool, time: v128): v128 {
  const at = v128.load(packet + offset)
  return moving ? f32x4.add(at, f32x4.mul(time, v128.load(packet + offset + PACKET))) : at
}

/** Four triangles at once (Möller & Trumbore 1997, both sides). Lanes without a triangle have no area and are never met. */
// @ts-ignore: decorator
@inline
function meetPacket(p: usize, moving: bool, time: v128, ox: v128, oy: v128, oz: v128, dx: v128, dy: v128, dz: v128): bool {
  const ux = cornersAt(p, 48, moving, time), uy = cornersAt(p, 64, moving, time), uz = cornersAt(p, 80, moving, time)
  const vx = cornersAt(p, 96, moving, time), vy = cornersAt(p, 112, moving, time), vz = cornersAt(p, 128, moving, time)
  const px = f32x4.sub(f32x4.mul(dy, vz), f32x4.mul(dz, vy)), py = f32x4.sub(f32x4.mul(dz, vx), f32x4.mul(dx, vz)), pz = f32x4.sub(f32x4.mul(dx, vy), f32x4.mul(dy, vx))
  const det = f32x4.add(f32x4.mul(ux, px), f32x4.add(f32x4.mul(uy, py), f32x4.mul(uz, pz)))
  const inv = f32x4.div(f32x4.splat(1), det)
  const tx = f32x4.sub(ox, cornersAt(p, 0, moving, time)), ty = f32x4.sub(oy, cornersAt(p, 16, moving, time)), tz = f32x4.sub(oz, cornersAt(p, 32, moving, time))
  const s = f32x4.mul(inv, f32x4.add(f32x4.mul(tx, px), f32x4.add(f32x4.mul(ty, py), f32x4.mul(tz, pz))))
  const qx = f32x4.sub(f32x4.mul(ty, uz), f32x4.mul(tz, uy)), qy = f32x4.sub(f32x4.mul(tz, ux), f32x4.mul(tx, uz)), qz = f32x4.sub(f32x4.mul(tx, uy), f32x4.mul(ty, ux))
  const t = f32x4.mul(inv, f32x4.add(f32x4.mul(dx, qx), f32x4.add(f32x4.mul(dy, qy), f32x4.mul(dz, qz))))
  const far = f32x4.mul(inv, f32x4.add(f32x4.mul(vx, qx), f32x4.add(f32x4.mul(vy, qy), f32x4.mul(vz, qz))))
  const zero = f32x4.splat(0)
  const inside = v128.and(v128.and(f32x4.ge(s, zero), f32x4.ge(t, zero)), f32x4.le(f32x4.add(s, t), f32x4.splat(1)))
  const met = v128.and(inside, v128.and(f32x4.gt(far, f32x4.splat(nearest)), f32x4.lt(far, f32x4.splat(hitT))))
  if (!v128.any_true(met)) return false
  const kept = v128.bitselect(far, f32x4.splat(MISS), met)
  const a = f32x4.extract_lane(kept, 0), b = f32x4.extract_lane(kept, 1), c = f32x4.extract_lane(kept, 2), d = f32x4.extract_lane(kept, 3)
  let lane = 0, best = a
  if (b < best) {
    best = b
    lane = 1
  }
  if (c < best) {
    best = c
    lane = 2
  }
  if (d < best) {
    best = d
    lane = 3
  }
  hitT = best
  hitPacket = p
  hitLane = (<usize>lane) << 2
  hitTriangle = load<i32>(p + ((<usize>lane) << 2), 144)
  hitU = lane == 0 ? f32x4.extract_lane(s, 0) : lane == 1 ? f32x4.extract_lane(s, 1) : lane == 2 ? f32x4.extract_lane(s, 2) : f32x4.extract_lane(s, 3)
  hitV = lane == 0 ? f32x4.extract_lane(t, 0) : lane == 1 ? f32x4.extract_lane(t, 1) : lane == 2 ? f32x4.extract_lane(t, 2) : f32x4.extract_lane(t, 3)
  return true
}

/** Puts a node's children that the ray enters on the stack, the farthest first; returns the new top. Entries are 8 bytes: child, distance. */
// @ts-ignore: decorator
@inline
function pushChildren(node: usize, near: v128, entered: i32, base: usize, spill: usize, sorted: bool): usize {
  let top = base
  let mask = entered
  v128.store(spill, near)
  while (mask) {
    const lane = (<usize>ctz(mask)) << 2
    mask &= mask - 1
    const t = load<f32>(spill + lane)
    let at = top
    if (sorted)
      while (at > base && load<f32>(at - 8, 4) < t) {
        store<u64>(at, load<u64>(at - 8))
        at -= 8
      }
    store<u32>(at, load<u32>(node + lane, 96))
    store<f32>(at, t, 4)
    top += 8
  }
  return top
}

/** Walks a mesh in its own space, hitT being the limit. Whether anything nearer was met. */
function walkMesh(mesh: usize, stack: usize, time: f32, ox: f32, oy: f32, oz: f32, dx: f32, dy: f32, dz: f32, any: bool): bool {
  const nodes = meshBlockNodes(mesh), packets = meshBlockPackets(mesh)
  const moving = meshBlockDeforms(mesh) != 0
  const size = moving ? MOVING_PACKET : PACKET
  const ix = inverse(dx), iy = inverse(dy), iz = inverse(dz)
  const IX = f32x4.splat(ix), IY = f32x4.splat(iy), IZ = f32x4.splat(iz)
  const OX = f32x4.splat(ox), OY = f32x4.splat(oy), OZ = f32x4.splat(oz)
  const DX = f32x4.splat(dx), DY = f32x4.splat(dy), DZ = f32x4.splat(dz), T = f32x4.splat(time)
  const nx: usize = ix >= 0 ? 0 : 48, ny: usize = iy >= 0 ? 16 : 64, nz: usize = iz >= 0 ? 32 : 80
  const fx: usize = 48 - nx, fy: usize = 80 - ny, fz: usize = 112 - nz
  const zero = f32x4.splat(0)
  let found = false
  let top = stack
  let child: u32 = 0
  for (;;) {
    if (child & LEAF) {
      if (meetPacket(packets + <usize>(child & INDEX) * size, moving, T, OX, OY, OZ, DX, DY, DZ)) {
        found = true
        if (any) return true
      }
    } else {
      const node = nodes + <usize>child
      const near = f32x4.pmax(f32x4.pmax(f32x4.mul(f32x4.sub(v128.load(node + nx), OX), IX), f32x4.mul(f32x4.sub(v128.load(node + ny), OY), IY)), f32x4.pmax(f32x4.mul(f32x4.sub(v128.load(node + nz), OZ), IZ), zero))
      const far = f32x4.pmin(f32x4.pmin(f32x4.mul(f32x4.sub(v128.load(node + fx), OX), IX), f32x4.mul(f32x4.sub(v128.load(node + fy), OY), IY)), f32x4.pmin(f32x4.mul(f32x4.sub(v128.load(node + fz), OZ), IZ), f32x4.splat(hitT)))
      const entered = i32x4.bitmask(f32x4.le(near, f32x4.mul(far, f32x4.splat(SLACK))))
      if (entered) top = pushChildren(node, near, entered, top, stack + SPILL, !any)
    }
    for (;;) {
      if (top == stack) return found
      top -= 8
      if (load<f32>(top, 4) <= hitT) break
    }
    child = load<u32>(top)
  }
  return found
}

/** Boxes are taken as so much larger, for the rounding of their slabs (Ize 2013). */
const SLACK: f32 = 1.0000004

/** Puts a ray into an instance's space at a share of the shutter; lengths along it stay the world's. */
export function intoInstance(instance: usize, time: f32, ox: f32, oy: f32, oz: f32, dx: f32, dy: f32, dz: f32): void {
  poseAt(instance, time)
  const k = <f32>1 / poseScale
  const tx = ox - poseX, ty = oy - poseY, tz = oz - poseZ
  localX = (r00 * tx + r10 * ty + r20 * tz) * k
  localY = (r01 * tx + r11 * ty + r21 * tz) * k
  localZ = (r02 * tx + r12 * ty + r22 * tz) * k
  localDX = (r00 * dx + r10 * dy + r20 * dz) * k
  localDY = (r01 * dx + r11 * dy + r21 * dz) * k
  localDZ = (r02 * dx + r12 * dy + r22 * dz) * k
}

/** An instance's pose: rotation as rows, scale, place. */
export let r00: f32 = 1
export let r01: f32 = 0
export let r02: f32 = 0
export let r10: f32 = 0
export let r11: f32 = 1
export let r12: f32 = 0
export let r20: f32 = 0
export let r21: f32 = 0
export let r22: f32 = 1
export let poseScale: f32 = 1
export let poseX: f32 = 0
export let poseY: f32 = 0
export let poseZ: f32 = 0

/** Takes an instance's pose at a share of the shutter: quaternions go straight and are made unit (the norm of a pose's change within a shutter is near 1). */
export function poseAt(instance: usize, time: f32): void {
  const w = f32x4.splat(time)
  const q0 = v128.load(instanceRotation(instance)), q1 = v128.load(instanceRotationAtClose(instance))
  const q = f32x4.add(q0, f32x4.mul(w, f32x4.sub(q1, q0)))
  const p0 = v128.load(instancePlace(instance)), p1 = v128.load(instancePlaceAtClose(instance))
  const p = f32x4.add(p0, f32x4.mul(w, f32x4.sub(p1, p0)))
  const x = f32x4.extract_lane(q, 0), y = f32x4.extract_lane(q, 1), z = f32x4.extract_lane(q, 2), s = f32x4.extract_lane(q, 3)
  const k: f32 = 2 / (x * x + y * y + z * z + s * s)
  const xx = k * x * x, yy = k * y * y, zz = k * z * z, xy = k * x * y, xz = k * x * z, yz = k * y * z, sx = k * s * x, sy = k * s * y, sz = k * s * z
  r00 = <f32>1 - yy - zz
  r01 = xy - sz
  r02 = xz + sy
  r10 = xy + sz
  r11 = <f32>1 - xx - zz
  r12 = yz - sx
  r20 = xz - sy
  r21 = yz + sx
  r22 = <f32>1 - xx - yy
  poseX = f32x4.extract_lane(p, 0)
  poseY = f32x4.extract_lane(p, 1)
  poseZ = f32x4.extract_lane(p, 2)
  poseScale = f32x4.extract_lane(p, 3)
}

/** Instances whose flags share a bit with this are passed through. */
let passed: i32 = 0
/** Layers (bits) that are passed through: a shadow ray has met them already. */
let layersMet: u32 = 0

// @ts-ignore: decorator
@inline
function skips(instance: usize): bool {
  if (instanceFlags(instance) & passed) return true
  const layer = instanceLayer(instance)
  return layer >= 0 && (layersMet >> <u32>layer & 1) != 0
}

/** The walk over instances; what is met is left in hitT and the others. With `any` the first that is found. */
function walkScene(nodes: usize, instances: usize, stack: usize, time: f32, ox: f32, oy: f32, oz: f32, dx: f32, dy: f32, dz: f32, any: bool): bool {
  const ix = inverse(dx), iy = inverse(dy), iz = inverse(dz)
  const IX = f32x4.splat(ix), IY = f32x4.splat(iy), IZ = f32x4.splat(iz)
  const OX = f32x4.splat(ox), OY = f32x4.splat(oy), OZ = f32x4.splat(oz), T = f32x4.splat(time)
  const nx: usize = ix >= 0 ? 0 : 48, ny: usize = iy >= 0 ? 16 : 64, nz: usize = iz >= 0 ? 32 : 80
  const fx: usize = 48 - nx, fy: usize = 80 - ny, fz: usize = 112 - nz
  const zero = f32x4.splat(0)
  let top = stack
  let child: u32 = 0
  let found = false
  for (;;) {
    if (child & LEAF) {
      const n = <i32>(child & INDEX)
      const instance = instances + <usize>n * INSTANCE_BYTES
      if (!skips(instance)) {
        intoInstance(instance, time, ox, oy, oz, dx, dy, dz)
        if (walkMesh(instanceMesh(instance), stack + INNER, time, localX, localY, localZ, localDX, localDY, localDZ, any)) {
          hitInstance = n
          found = true
          if (any) return true
        }
      }
    } else {
      const node = nodes + <usize>child / NODE * MOVING_NODE
      const near = f32x4.pmax(f32x4.pmax(slab(node, nx, T, OX, IX), slab(node, ny, T, OY, IY)), f32x4.pmax(slab(node, nz, T, OZ, IZ), zero))
      const far = f32x4.pmin(f32x4.pmin(slab(node, fx, T, OX, IX), slab(node, fy, T, OY, IY)), f32x4.pmin(slab(node, fz, T, OZ, IZ), f32x4.splat(hitT)))
      const entered = i32x4.bitmask(f32x4.le(near, f32x4.mul(far, f32x4.splat(SLACK))))
      if (entered) top = pushChildren(node, near, entered, top, stack + SPILL, !any)
    }
    for (;;) {
      if (top == stack) return found
      top -= 8
      if (load<f32>(top, 4) <= hitT) break
    }
    child = load<u32>(top)
  }
  return found
}

// @ts-ignore: decorator
@inline
function slab(node: usize, side: usize, T: v128, O: v128, I: v128): v128 {
  return f32x4.mul(f32x4.sub(f32x4.add(v128.load(node + side), f32x4.mul(T, v128.load(node + side, 112))), O), I)
}

/** Nearest hit between `least` and `limit` at a share of the shutter; MISS and hitInstance -1 where there is none. skip, met: flags and layers of instances that are passed through. nodes 0: an empty scene. */
export function castNearest(nodes: usize, instances: usize, stack: usize, time: f32, ox: f32, oy: f32, oz: f32, dx: f32, dy: f32, dz: f32, least: f32, limit: f32, skip: i32, met: u32): f32 {
  hitT = limit
  hitInstance = -1
  hitTriangle = -1
  if (!nodes) return MISS
  nearest = least
  passed = skip
  layersMet = met
  return walkScene(nodes, instances, stack, time, ox, oy, oz, dx, dy, dz, false) ? hitT : MISS
}

/** Any hit within `limit`, of no layer in `met`: left in hitInstance and the others. */
export function castAny(nodes: usize, instances: usize, stack: usize, time: f32, ox: f32, oy: f32, oz: f32, dx: f32, dy: f32, dz: f32, least: f32, limit: f32, skip: i32, met: u32): bool {
  hitT = limit
  hitInstance = -1
  hitTriangle = -1
  if (!nodes) return false
  nearest = least
  passed = skip
  layersMet = met
  return walkScene(nodes, instances, stack, time, ox, oy, oz, dx, dy, dz, true)
}

/** Casts rays of 32 bytes (origin, direction, limit, share of the shutter): distance (f32), instance, triangle, u and v of each, 20 bytes; any: 1 takes the first that is found. Items are rays; for tests and measurements. */
export function castRays(nodes: usize, instances: usize, stacks: usize, rays: usize, any: i32, out: usize, from: i32, to: i32): void {
  const stack = stacks + <usize>seat * RAY_STACK
  for (let n = from; n < to; n++) {
    const r = rays + ((<usize>n) << 5), o = out + <usize>n * 20
    const x = load<f32>(r), y = load<f32>(r, 4), z = load<f32>(r, 8), dx = load<f32>(r, 12), dy = load<f32>(r, 16), dz = load<f32>(r, 20)
    const limit = load<f32>(r, 24), time = load<f32>(r, 28)
    const t = any ? (castAny(nodes, instances, stack, time, x, y, z, dx, dy, dz, 0, limit, 0, 0) ? hitT : MISS) : castNearest(nodes, instances, stack, time, x, y, z, dx, dy, dz, 0, limit, 0, 0)
    store<f32>(o, t)
    store<i32>(o, t == MISS ? -1 : hitInstance, 4)
    store<i32>(o, t == MISS ? -1 : hitTriangle, 8)
    store<f32>(o, hitU, 12)
    store<f32>(o, hitV, 16)
  }
}
