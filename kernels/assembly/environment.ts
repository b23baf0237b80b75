import { sceneBounce, scenePlate, scenePlateHeight, scenePlateView, scenePlateWidth, sceneSkyColour, sceneSkyHeight, sceneSkyMap, sceneSkyWidth } from './layouts.generated'
import { project, seenX, seenY } from './view'

// Light from beyond the things: sky and surroundings, and the set with the plate's own picture on it. All in plate value: pi x radiance / E.

const TURN: f32 = 0.15915494 // 1 / 2 pi
const HALF_TURN: f32 = 0.31830989 // 1 / pi

/** Light from a unit direction where nothing is met. */
export function skyLight(scene: usize, x: f32, y: f32, z: f32): v128 {
  const map = sceneSkyMap(scene)
  if (!map) return y > 0 ? v128.load(sceneSkyColour(scene)) : v128.load(sceneBounce(scene))
  const width = sceneSkyWidth(scene), height = sceneSkyHeight(scene)
  const u: f32 = (NativeMathf.atan2(x, -z) * TURN + 0.5) * <f32>width - 0.5
  const v = max<f32>(0, min<f32>(<f32>height - 1.001, NativeMathf.acos(max<f32>(-1, min<f32>(1, y))) * HALF_TURN * <f32>height - 0.5))
  const i = <i32>floor(u), j = <i32>v
  const fx = f32x4.splat(u - <f32>i), fy = f32x4.splat(v - <f32>j)
  const x0 = ((i % width) + width) % width, x1 = (x0 + 1) % width
  const a = map + ((<usize>(j * width)) << 4), b = a + ((<usize>width) << 4)
  const left = (<usize>x0) << 4, right = (<usize>x1) << 4
  const upper = f32x4.add(v128.load(a + left), f32x4.mul(fx, f32x4.sub(v128.load(a + right), v128.load(a + left))))
  const lower = f32x4.add(v128.load(b + left), f32x4.mul(fx, f32x4.sub(v128.load(b + right), v128.load(b + left))))
  return f32x4.add(upper, f32x4.mul(fy, f32x4.sub(lower, upper)))
}

/** Light from a point of the set: the plate's picture there, or what lies beyond its edges. */
export function setLight(scene: usize, x: f32, y: f32, z: f32): v128 {
  const plate = scenePlate(scene)
  if (!plate || !project(scenePlateView(scene), 0.5, x, y, z)) return v128.load(sceneBounce(scene))
  const width = scenePlateWidth(scene), height = scenePlateHeight(scene)
  const u: f32 = seenX - 0.5, v: f32 = seenY - 0.5
  if (u < 0 || v < 0 || u >= <f32>(width - 1) || v >= <f32>(height - 1)) return v128.load(sceneBounce(scene))
  const i = <i32>u, j = <i32>v
  const fx = f32x4.splat(u - <f32>i), fy = f32x4.splat(v - <f32>j)
  const a = plate + ((<usize>(j * width + i)) << 4), b = a + ((<usize>width) << 4)
  const upper = f32x4.add(v128.load(a), f32x4.mul(fx, f32x4.sub(v128.load(a, 16), v128.load(a))))
  const lower = f32x4.add(v128.load(b), f32x4.mul(fx, f32x4.sub(v128.load(b, 16), v128.load(b))))
  return f32x4.add(upper, f32x4.mul(fy, f32x4.sub(lower, upper)))
}
