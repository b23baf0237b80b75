import { castRay, hitTriangle, hitU, hitV, MISS } from './tree'
import { readSky, readSurface } from './surface'
import { Yard } from './yard'

export let metAt: f32 = MISS
export let metMoving: bool = false
export let metTriangle: i32 = -1
let metS: f32 = 0
let metT: f32 = 0

/** The nearest thing that stands or, where `all`, also moves; its distance in metAt. */
export function meet(yard: Yard, stack: usize, ox: f32, oy: f32, oz: f32, dx: f32, dy: f32, dz: f32, all: bool): bool {
  metAt = castRay(yard.nodes, yard.triangles, stack, ox, oy, oz, dx, dy, dz, MISS, false)
  metTriangle = hitTriangle
  metS = hitU
  metT = hitV
  metMoving = false
  if (all && yard.movingNodes && nearMoving(yard, ox, oy, oz, dx, dy, dz)) {
    const moving = castRay(yard.movingNodes, yard.movingTriangles, stack, ox, oy, oz, dx, dy, dz, metAt, false)
    if (moving < metAt) {
      metAt = moving
      metTriangle = hitTriangle
      metS = hitU
      metT = hitV
      metMoving = true
    }
  }
  return metAt < MISS
}

/** Whether a ray goes through the ball round all that moves. */
export function nearMoving(yard: Yard, ox: f32, oy: f32, oz: f32, dx: f32, dy: f32, dz: f32): bool {
  const x = yard.roundX - ox, y = yard.roundY - oy, z = yard.roundZ - oz
  const along = max<f32>(0, x * dx + y * dy + z * dz)
  const away = x * x + y * y + z * z - along * along
  const r = yard.roundR
  return away < r * r || x * x + y * y + z * z < r * r
}

/** Whether something moving is in the way of a stretch of a ray. */
export function movingBlocks(yard: Yard, stack: usize, ox: f32, oy: f32, oz: f32, dx: f32, dy: f32, dz: f32, limit: f32): bool {
  return yard.movingNodes != 0 && nearMoving(yard, ox, oy, oz, dx, dy, dz) && castRay(yard.movingNodes, yard.movingTriangles, stack, ox, oy, oz, dx, dy, dz, limit, true) < MISS
}

/** Reads the surface that meet found, at a level of its chart. */
export function readMet(yard: Yard, level: i32): void {
  if (metMoving) readSurface(yard, yard.movingTriangles, yard.movingVertices, metTriangle, metS, metT, level)
  else readSurface(yard, yard.triangles, yard.vertices, metTriangle, metS, metT, level)
}

/** The chart of what meet found, or -1. */
export function metChart(yard: Yard): i32 {
  return metMoving ? -1 : load<i32>(<usize>yard.triangles + ((<usize>metTriangle) << 6), 36)
}

export { readSky }
