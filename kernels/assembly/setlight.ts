import { skyDirection, skyWeight, SKY_DIRECTIONS, skyX, skyY, skyZ, transmittanceOf } from './gaslight'
import {
  INSTANCE_BYTES, instanceFlags, instanceLayer, LAMP_BYTES, lampIntensity, lampKind, lampLayer, lampRadius, lampSetUp, lampSkip, sceneGasCount, sceneGases, sceneInstances, sceneLampCount, sceneLamps, scenePairs, sceneSun, sceneSunColour, sceneSkyColour, sceneTop, viewHeight, viewWidth,
} from './layouts.generated'
import { lampDistance, lampDX, lampDY, lampDZ, lampOn, opensUp, RECTANGLE } from './lamps'
import { clearance, HOLDS_OUT, NO_SHADOW, RECEIVES, SEE_THROUGH, throughTo, UNSEEN } from './lighting'
import { castNearest, hitInstance, MISS, RAY_STACK } from './rays'
import { pairX, pairY, samplePair, samplePixel, takePairTable } from './sampler'
import { seat } from './seat'
import { luminance } from './solids'
import { flatX, flatY, flatZ, putFlat, takeFlat } from './surface'
import { castView, rayDX, rayDY, rayDZ, rayX, rayY, rayZ } from './view'

// Light that effects throw on the set, and what gases let through to it of sun and sky: at every few pixels, then spread to all. Both change slowly, and there are many lamps.
//   Point, f32: 0 instance (-1: none that receives), 1 the sun's share of the plate's own light there; then 5 for each lit layer: light r g b as share of the plate's white light, sun and sky that its gas lets through.

const HEAD: usize = 2
const EACH: usize = 5
/** From so many times their spread on, one lamp stands for several. */
const FAR: f32 = 12
/** Points of a lamp that a point of the set looks at. */
const LAMP_POINTS = 16

/** First piece of the set along a pixel's middle ray that hides or receives; MISS where another thing or nothing is first. */
function castSet(scene: usize, view: usize, stack: usize, x: f32, y: f32): f32 {
  const instances = sceneInstances(scene)
  castView(view, x, y, 0.5, 0, 0)
  let least: f32 = 0
  for (let n = 0; n < 12; n++) {
    const t = castNearest(sceneTop(scene), instances, stack, 0.5, rayX, rayY, rayZ, rayDX, rayDY, rayDZ, least, MISS, UNSEEN | SEE_THROUGH, 0)
    if (t == MISS) return MISS
    const instance = instances + <usize>hitInstance * INSTANCE_BYTES
    if (instanceLayer(instance) < 0 && instanceFlags(instance) & (HOLDS_OUT | RECEIVES)) return t
    least = t * <f32>1.00001 + 1e-6
  }
  return MISS
}

/** How far light reaches round a surface that is not hard: 0 not at all, 1 to its back. */
let wrapping: f32 = 0
/** Whether set and things keep no light off. */
let unshadowed: bool = false

/** Lights one point by all lamps; lit: where each layer's values lie among the lit ones (i32, -1: not there). */
function lampsOn(scene: usize, stack: usize, lit: usize, point: usize, x: f32, y: f32, z: f32, px: f32, py: f32, pz: f32): void {
  const nx = flatX, ny = flatY, nz = flatZ
  const gases = sceneGases(scene), count = sceneGasCount(scene)
  for (let n = 0; n < sceneLampCount(scene);) {
    const lamp = sceneLamps(scene) + <usize>n * LAMP_BYTES
    if (opensUp(lamp, px, py, pz, FAR)) {
      n++
      continue
    }
    n += lampSkip(lamp)
    const layer = lampLayer(lamp)
    const own = layer < 0 ? -1 : load<i32>(lit + ((<usize>layer) << 2))
    if (own < 0) continue
    // A lamp with an edge throws a soft shadow: it is looked at point by point, others at their middle.
    const points = lampSetUp(lamp) && (lampRadius(lamp) > 0 || lampKind(lamp) == RECTANGLE) ? LAMP_POINTS : 1
    let sum: f32 = 0
    for (let p = 0; p < points; p++) {
      // Distances and angles are from the surface itself, shadows from a little off it.
      if (points > 1) samplePair(p, <u32>n)
      const sent = points > 1 ? lampOn(lamp, px, py, pz, pairX, pairY) : lampOn(lamp, px, py, pz, -1, 0)
      const dx = lampDX, dy = lampDY, dz = lampDZ, distance = lampDistance
      const facing: f32 = (dx * nx + dy * ny + dz * nz + wrapping) / (1 + wrapping)
      if (sent <= 0 || facing <= 0) continue
      let seen: f32 = unshadowed ? 1 : throughTo(scene, stack, 0.5, x, y, z, dx, dy, dz, 0, distance, 0)
      for (let g = 0; g < count && seen > 0; g++) seen *= transmittanceOf(<usize>load<u32>(gases + ((<usize>g) << 2)), x, y, z, dx, dy, dz, distance)
      sum += sent * facing * seen
    }
    sum /= <f32>points
    const at = point + ((HEAD + <usize>own * EACH) << 2)
    const power = lampIntensity(lamp)
    for (let c: usize = 0; c < 12; c += 4) store<f32>(at + c, load<f32>(at + c) + sum * load<f32>(power + c))
  }
}

/** What the gases let through to a point. */
function gasesOver(scene: usize, lit: usize, point: usize, x: f32, y: f32, z: f32): void {
  const gases = sceneGases(scene), sun = sceneSun(scene)
  for (let n = 0; n < sceneGasCount(scene); n++) {
    const gas = <usize>load<u32>(gases + ((<usize>n) << 2))
    const own = load<i32>(lit + ((<usize>load<i32>(gas, 184)) << 2))
    if (own < 0) continue
    const at = point + ((HEAD + <usize>own * EACH) << 2)
    store<f32>(at, load<f32>(at, 12) * transmittanceOf(gas, x, y, z, load<f32>(sun), load<f32>(sun, 4), load<f32>(sun, 8), 1e9), 12)
    let sum: f32 = 0, weight: f32 = 0
    for (let d = 0; d < SKY_DIRECTIONS; d++) {
      skyDirection(d)
      sum += skyWeight * transmittanceOf(gas, x, y, z, skyX, skyY, skyZ, 1e9)
      weight += skyWeight
    }
    store<f32>(at, load<f32>(at, 16) * sum / weight, 16)
  }
}

/** Lights the points of a grid `stride` px apart; rows are items. lit: i32 a layer, its place among the `count` lit ones or -1. */
export function lightPoints(scene: usize, view: usize, stacks: usize, stride: i32, columns: i32, lit: usize, count: i32, out: usize, from: i32, to: i32): void {
  const stack = stacks + <usize>seat * RAY_STACK
  takePairTable(scenePairs(scene))
  const size = (HEAD + <usize>count * EACH) << 2
  const instances = sceneInstances(scene)
  for (let r = from; r < to; r++)
    for (let c = 0; c < columns; c++) {
      const point = out + <usize>(r * columns + c) * size
      store<f32>(point, -1)
      store<f32>(point, 0, 4)
      for (let n: usize = 0; n < <usize>count; n++) {
        const at = point + ((HEAD + n * EACH) << 2)
        memory.fill(at, 0, 12)
        store<f32>(at, 1, 12)
        store<f32>(at, 1, 16)
      }
      const x = <f32>min(viewWidth(view) - 1, c * stride) + 0.5, y = <f32>min(viewHeight(view) - 1, r * stride) + 0.5
      const t = castSet(scene, view, stack, x, y)
      if (t == MISS) continue
      const met = hitInstance
      if (!(instanceFlags(instances + <usize>met * INSTANCE_BYTES) & RECEIVES)) continue
      store<f32>(point, <f32>met)
      takeFlat(instances, 0.5, rayDX, rayDY, rayDZ)
      const px = rayX + rayDX * t, py = rayY + rayDY * t, pz = rayZ + rayDZ * t
      const clear = clearance(px, py, pz, t)
      const ox = px + flatX * clear, oy = py + flatY * clear, oz = pz + flatZ * clear
      const nx = flatX, ny = flatY, nz = flatZ
      const sun = sceneSun(scene)
      const sx = load<f32>(sun), sy = load<f32>(sun, 4), sz = load<f32>(sun, 8)
      const cosine = sx * nx + sy * ny + sz * nz
      let direct: f32 = 0
      // Only what stands in the plate itself shadowed it.
      if (cosine > 0 && !setBlocks(scene, stack, ox, oy, oz, sx, sy, sz)) direct = cosine * luminance(v128.load(sceneSunColour(scene)))
      const round: f32 = (0.5 + 0.5 * ny) * luminance(v128.load(sceneSkyColour(scene))) + 0.02
      store<f32>(point, direct / (direct + round), 4)
      samplePixel(c, r, 0)
      lampsOn(scene, stack, lit, point, ox, oy, oz, px, py, pz)
      gasesOver(scene, lit, point, ox, oy, oz)
    }
}

/**
 * Lights points of a relief by all lamps: of what is filmed, or of another's render. Items are points.
 * points: 8 floats each: place, 1 where there is one, unit normal, how far off the place shadows are looked for (m along the normal). out: as lightPoints' points.
 */
export function lightRelief(scene: usize, stacks: usize, points: usize, wrap: f32, shadowed: i32, lit: usize, count: i32, out: usize, from: i32, to: i32): void {
  const stack = stacks + <usize>seat * RAY_STACK
  takePairTable(scenePairs(scene))
  const size = (HEAD + <usize>count * EACH) << 2
  wrapping = wrap
  unshadowed = !shadowed
  for (let n = from; n < to; n++) {
    const own = points + ((<usize>n) << 5), point = out + <usize>n * size
    memory.fill(point, 0, size)
    if (load<f32>(own, 12) == 0) continue
    const px = load<f32>(own), py = load<f32>(own, 4), pz = load<f32>(own, 8), off = load<f32>(own, 28)
    putFlat(load<f32>(own, 16), load<f32>(own, 20), load<f32>(own, 24))
    samplePixel(n & 255, n >> 8, 0)
    lampsOn(scene, stack, lit, point, px + flatX * off, py + flatY * off, pz + flatZ * off, px, py, pz)
  }
  wrapping = 0
  unshadowed = false
}

function setBlocks(scene: usize, stack: usize, x: f32, y: f32, z: f32, dx: f32, dy: f32, dz: f32): bool {
  let least: f32 = 0
  for (let n = 0; n < 32; n++) {
    const t = castNearest(sceneTop(scene), sceneInstances(scene), stack, 0.5, x, y, z, dx, dy, dz, least, MISS, NO_SHADOW, 0)
    if (t == MISS) return false
    if (instanceLayer(sceneInstances(scene) + <usize>hitInstance * INSTANCE_BYTES) < 0) return true
    least = t * <f32>1.00001 + 1e-6
  }
  return false
}

/**
 * Spreads the points' values to the pixels of rows (items): bilinear among those on the pixel's own instance. set: f32 a pixel, its set piece's instance or -1.
 * out: planes of the whole picture: 0 the sun's share, then 5 for each lit layer.
 */
export function spreadPoints(points: usize, stride: i32, columns: i32, rows: i32, count: i32, set: usize, out: usize, width: i32, height: i32, from: i32, to: i32): void {
  const size = (HEAD + <usize>count * EACH) << 2
  const planeBytes = (<usize>(width * height)) << 2
  const inv: f32 = 1 / <f32>stride
  for (let y = from; y < to; y++)
    for (let x = 0; x < width; x++) {
      const pixel = (<usize>(y * width + x)) << 2
      const own = load<f32>(set + pixel)
      const u = <f32>x * inv, v = <f32>y * inv
      const c = <i32>u, r = <i32>v
      const fx = u - <f32>c, fy = v - <f32>r
      for (let k: usize = 0; k < 1 + <usize>count * EACH; k++) {
        const whole: f32 = k > 0 && (k - 1) % EACH >= 3 ? 1 : 0
        let sum: f32 = 0, weight: f32 = 0
        if (own >= 0)
          for (let n = 0; n < 4; n++) {
            const at = points + <usize>(min(rows - 1, r + (n >> 1)) * columns + min(columns - 1, c + (n & 1))) * size
            if (load<f32>(at) != own) continue
            const w: f32 = (n & 1 ? fx : 1 - fx) * (n >> 1 ? fy : 1 - fy) + 1e-4
            sum += w * load<f32>(at + ((k + 1) << 2))
            weight += w
          }
        store<f32>(out + k * planeBytes + pixel, weight > 0 ? sum / weight : whole)
      }
    }
}

/** The set piece of every pixel's middle ray: f32, its instance or -1. Rows are items. */
export function castPieces(scene: usize, view: usize, stacks: usize, out: usize, from: i32, to: i32): void {
  const stack = stacks + <usize>seat * RAY_STACK
  const width = viewWidth(view), instances = sceneInstances(scene)
  for (let y = from; y < to; y++)
    for (let x = 0; x < width; x++) {
      const t = castSet(scene, view, stack, <f32>x + 0.5, <f32>y + 0.5)
      const receives = t != MISS && instanceFlags(instances + <usize>hitInstance * INSTANCE_BYTES) & RECEIVES
      store<f32>(out + ((<usize>(y * width + x)) << 2), receives ? <f32>hitInstance : <f32>-1)
    }
}
