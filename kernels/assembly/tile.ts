import {
  INSTANCE_BYTES, instanceLayer, instanceFlags, jobBusy, jobBusyWidth, jobFew, jobMany, jobMarches, jobMatteCount, jobMattes, jobMatteTable, jobMost, jobMostMarches, jobNoise, jobOut, jobSalt, jobScene, jobScratch, jobScratchBytes, jobSlotBytes, jobSplats, jobTiles, jobTilesAcross, jobView,
  sceneBytes, sceneGasCount, sceneInstances, sceneLayers, scenePairs, sceneThings, sceneTop, viewFocal, viewHeight, viewWidth,
} from './layouts.generated'
import { forgetLamps, HOLDS_OUT, RECEIVES, SEE_THROUGH, UNSEEN } from './lighting'
import { castNearest, hitInstance, hitTriangle, localX, localY, localZ, MISS, poseAt, poseScale, poseX, poseY, poseZ, r00, r01, r02, r10, r11, r12, r20, r21, r22 } from './rays'
import { mixBits, pairX, pairY, samplePair, samplePixel, takePairTable } from './sampler'
import { eventAt, EVENT, LAYER, layerAt } from './scratch'
import { seat } from './seat'
import { beginPixel, events, meetsThings, mixed, pixelError, putMatte, shadowed, sunShadowed, skyRays, sunRays, takeSample } from './solids'
import { emitHits, takeHits } from './splats'
import { alphaAtHit, flatX, flatY, flatZ, takeFlat, takeMaterial, smoothX, smoothY, smoothZ } from './surface'
import { takeByteTable } from './texture'
import { castView, project, rayDX, rayDY, rayDZ, rayLength, rayX, rayY, rayZ, seenX, seenY } from './view'
import { bright, heat, left, meetsGas, resetHeat, sortEvents, walkPixel } from './walk'

// A picture, tile by tile of 32 x 32 pixels. Where a tile goes (a slot): planes of f32, TILE^2 each: first the picture's own, then those of each layer.
//   The picture's: 0 what is left of the plate; 1 heated air, m; 2 unused; 3 distance along the view axis, m (0: nothing); 4-6 normal; 7-9 place; 10 11 motion while the shutter is open, px; 12 instance (-1: none).
//   A layer's: 0-2 colour, 3 alpha, 4-6 emission, 7-9 light of effects, 10 distance x alpha; shares of light that it lets through: 11 sun, 12 sky; 13 contact; what other layers hide of it: 14-16 colour, 17 alpha, 18-20 emission, 21-23 light of effects, 24 distance x alpha.
// Before the planes a u32 for each layer: what of it there is, bits CHANNELS.

export const TILE = 32
const AREA: usize = 1024
const OWN_PLANES: usize = 13
const LAYER_PLANES: usize = 25
const HEAD: usize = 128
/** Bits of what a layer has in a tile: colour and alpha, emission, light of effects, shadow of sun, of sky, contact. */
const COLOUR: u32 = 1
const EMISSION: u32 = 2
const EFFECT: u32 = 4
const SUN_SHADOW: u32 = 8
const SKY_SHADOW: u32 = 16
const CONTACT: u32 = 32
const HIDDEN: u32 = 64
/** Where the planes of what is hidden begin, and how many there are. */
const HIDDEN_PLANE: usize = 14
const HIDDEN_PLANES: usize = 11
/** So little hidden light or alpha is none. */
const HIDDEN_LEAST: f32 = 0.002

// @ts-ignore: decorator
@inline
function plane(slot: usize, number: usize, at: i32): usize {
  return slot + HEAD + ((number * AREA + <usize>at) << 2)
}

/** What one ray through the middle of the pixel at the middle of the shutter meets: never averaged. What is more clear than not, as a filmed dust’s rim, is seen through. */
function takeSurfaces(job: usize, scratch: usize, slot: usize, at: i32, x: i32, y: i32): void {
  const scene = jobScene(job), view = jobView(job)
  const instances = sceneInstances(scene)
  castView(view, <f32>x + 0.5, <f32>y + 0.5, 0.5, 0, 0)
  let least: f32 = 0
  let t: f32 = MISS
  const ox = rayX, oy = rayY, oz = rayZ, dx = rayDX, dy = rayDY, dz = rayDZ, length = rayLength
  for (let n = 0; n < 8; n++) {
    t = castNearest(sceneTop(scene), instances, scratch, 0.5, ox, oy, oz, dx, dy, dz, least, MISS, UNSEEN, 0)
    if (t == MISS) break
    const flags = instanceFlags(instances + <usize>hitInstance * INSTANCE_BYTES)
    if (instanceLayer(instances + <usize>hitInstance * INSTANCE_BYTES) < 0) {
      if (flags & (HOLDS_OUT | RECEIVES)) break
    } else if (!(flags & SEE_THROUGH) || alphaAtHit(instances, 0.5, t / viewFocal(view)) >= 0.5) break
    least = t * <f32>1.00001 + 1e-6
  }
  store<f32>(plane(slot, 12, at), t == MISS ? <f32>-1 : <f32>hitInstance)
  if (t == MISS) {
    for (let n: usize = 3; n < 12; n++) store<f32>(plane(slot, n, at), 0)
    return
  }
  const instance = instances + <usize>hitInstance * INSTANCE_BYTES
  const px = ox + dx * t, py = oy + dy * t, pz = oz + dz * t
  // A piece of the set has a form and no surface.
  const thing = instanceLayer(instance) >= 0
  if (thing) takeMaterial(instances, 0.5, dx, dy, dz, 0)
  else takeFlat(instances, 0.5, dx, dy, dz)
  store<f32>(plane(slot, 3, at), t / length)
  store<f32>(plane(slot, 4, at), thing ? smoothX : flatX)
  store<f32>(plane(slot, 5, at), thing ? smoothY : flatY)
  store<f32>(plane(slot, 6, at), thing ? smoothZ : flatZ)
  store<f32>(plane(slot, 7, at), px)
  store<f32>(plane(slot, 8, at), py)
  store<f32>(plane(slot, 9, at), pz)
  // The same place of the instance when the shutter opens and closes.
  poseAt(instance, 0.5)
  const k: f32 = 1 / poseScale
  const lx = px - poseX, ly = py - poseY, lz = pz - poseZ
  const ax = (r00 * lx + r10 * ly + r20 * lz) * k, ay = (r01 * lx + r11 * ly + r21 * lz) * k, az = (r02 * lx + r12 * ly + r22 * lz) * k
  let mx: f32 = 0, my: f32 = 0
  poseAt(instance, 1)
  if (project(view, 1, poseX + poseScale * (r00 * ax + r01 * ay + r02 * az), poseY + poseScale * (r10 * ax + r11 * ay + r12 * az), poseZ + poseScale * (r20 * ax + r21 * ay + r22 * az))) {
    mx = seenX
    my = seenY
    poseAt(instance, 0)
    if (project(view, 0, poseX + poseScale * (r00 * ax + r01 * ay + r02 * az), poseY + poseScale * (r10 * ax + r11 * ay + r12 * az), poseZ + poseScale * (r20 * ax + r21 * ay + r22 * az))) {
      mx -= seenX
      my -= seenY
    }
  }
  store<f32>(plane(slot, 10, at), mx)
  store<f32>(plane(slot, 11, at), my)
}

/** Takes as many samples as the pixel needs; returns how many. few: of pixels in which nothing was found near by. */
function samplesOf(job: usize, scratch: usize, x: i32, y: i32, busy: i32): i32 {
  const few = jobFew(job), many = max(few, jobMany(job)), most = max(many, jobMost(job))
  let n = 0, goal = busy == EDGE ? many : busy == THING ? max(few, many >> 1) : few
  for (;;) {
    for (; n < goal; n++) takeSample(job, scratch, x, y, n)
    if (goal < many && (mixed || meetsThings || sunShadowed > 0)) goal = many
    // In the sun's penumbra on the set, which is not smoothed afterwards, half as many again.
    else if (!meetsThings && goal == many && most > many && sunShadowed > 0 && sunShadowed < sunRays) goal = many + (many >> 1)
    else if (goal < most && meetsThings) {
      if (pixelError() <= jobNoise(job)) return n
      goal = min(most, goal + many)
    } else return n
  }
  return n
}

/** Walks the pixel through its gases, as often as they need; returns what is left of the plate. */
function march(job: usize, scratch: usize, x: i32, y: i32): f32 {
  const view = jobView(job)
  const seed = mixBits(<u32>x * 0x9e3779b1 + <u32>y * 0x85ebca77 + <u32>jobSalt(job) * 0x27d4eb2f)
  castView(view, <f32>x + 0.5, <f32>y + 0.5, 0.5, 0, 0)
  if (!sceneGasCount(jobScene(job)) || !meetsGas(job, scratch, rayX, rayY, rayZ, rayDX, rayDY, rayDZ)) {
    walkPixel(job, scratch, seed, 1, 0.5, 0, 1e9, 1e9, 1e9, 0, 1, 0)
    return left
  }
  // Layers gather in whole marches; they are divided when the number is known.
  const first = jobMarches(job), most = max(first, jobMostMarches(job))
  let n = 0, goal = first
  let rest: f32 = 0, sum: f32 = 0, squares: f32 = 0
  const span: f32 = 1 / <f32>first
  for (;;) {
    for (; n < goal; n++) {
      if (most > 1) {
        samplePair(n, 40)
        const fx = <f32>x + pairX, fy = <f32>y + pairY
        samplePair(n, 41)
        const u = pairX, v = pairY
        samplePair(n, 42)
        castView(view, fx, fy, (<f32>(n % first) + pairX) * span, u, v)
      }
      walkPixel(job, scratch, mixBits(seed + 7 * n + 13), 1, <f32>(n % first) * span, span, rayX, rayY, rayZ, rayDX, rayDY, rayDZ)
      rest += left
      const value = bright + left
      sum += value
      squares += value * value
    }
    const count = <f32>n
    const mean = sum / count
    const error: f32 = sqrt(max<f32>(0, squares / count - mean * mean) / count)
    if (goal >= most || error <= <f32>0.6 * jobNoise(job) * (mean + 0.5)) break
    goal = min(most, goal * 2)
  }
  scaleLayers(jobScene(job), scratch, 1 / <f32>n)
  return rest / <f32>n
}

function scaleLayers(scene: usize, scratch: usize, by: f32): void {
  const k = f32x4.splat(by)
  for (let n = 0; n < sceneLayers(scene); n++) {
    const at = layerAt(scratch, n)
    v128.store(at, f32x4.mul(k, v128.load(at)))
    v128.store(at, f32x4.mul(k, v128.load(at, 16)), 16)
    v128.store(at, f32x4.mul(k, v128.load(at, 32)), 32)
    v128.store(at, f32x4.mul(k, v128.load(at, 64)), 64)
    v128.store(at, f32x4.mul(k, v128.load(at, 80)), 80)
    v128.store(at, f32x4.mul(k, v128.load(at, 96)), 96)
  }
  resetHeat(heat * by)
}

/** Writes what the pixel's layers have gathered. */
function putLayers(scene: usize, scratch: usize, slot: usize, at: i32): void {
  let sun = <f32>sunRays, sky = <f32>skyRays
  for (let n = 0; n < sceneLayers(scene); n++) {
    const from = layerAt(scratch, n)
    let bits = load<u32>(slot + ((<usize>n) << 2))
    const first = OWN_PLANES + <usize>n * LAYER_PLANES
    const alpha = load<f32>(from, 12)
    for (let c: usize = 0; c < 3; c++) {
      store<f32>(plane(slot, first + c, at), load<f32>(from + (c << 2)))
      store<f32>(plane(slot, first + 4 + c, at), load<f32>(from + (c << 2), 16))
      store<f32>(plane(slot, first + 7 + c, at), load<f32>(from + (c << 2), 32))
      if (load<f32>(from + (c << 2), 16) != 0) bits |= EMISSION
      if (load<f32>(from + (c << 2), 32) != 0) bits |= EFFECT
      if (load<f32>(from + (c << 2)) != 0) bits |= COLOUR
    }
    if (alpha != 0) bits |= COLOUR
    store<f32>(plane(slot, first + 3, at), alpha)
    store<f32>(plane(slot, first + 10, at), load<f32>(from, 28))
    const sunBlocked = <f32>load<u32>(from, 48), skyBlocked = <f32>load<u32>(from, 52), near = <f32>load<u32>(from, 56)
    // Of the light that the layers before let through.
    const throughSun: f32 = sunBlocked > 0 ? (sun - sunBlocked) / sun : 1
    const throughSky: f32 = skyBlocked > 0 ? (sky - skyBlocked) / sky : 1
    sun -= sunBlocked
    sky -= skyBlocked
    store<f32>(plane(slot, first + 11, at), throughSun)
    store<f32>(plane(slot, first + 12, at), throughSky)
    store<f32>(plane(slot, first + 13, at), near > 0 ? 1 - near / <f32>skyRays : 1)
    if (sunBlocked > 0) bits |= SUN_SHADOW
    if (skyBlocked > 0) bits |= SKY_SHADOW
    if (near > 0) bits |= CONTACT
    bits |= putHidden(slot, first + HIDDEN_PLANE, from, at, (bits & HIDDEN) != 0)
    store<u32>(slot + ((<usize>n) << 2), bits)
  }
}

/** Writes what others hide of a layer: what it gives alone, less what is seen of it. known: whether the tile's planes hold any yet. */
function putHidden(slot: usize, first: usize, from: usize, at: i32, known: bool): u32 {
  const none = f32x4.splat(0)
  const colour = f32x4.pmax(none, f32x4.sub(v128.load(from, 64), v128.load(from)))
  const glow = f32x4.pmax(none, f32x4.sub(v128.load(from, 80), v128.load(from, 16)))
  const fire = f32x4.pmax(none, f32x4.sub(v128.load(from, 96), v128.load(from, 32)))
  const light = f32x4.add(f32x4.add(colour, f32x4.replace_lane(glow, 3, 0)), f32x4.replace_lane(fire, 3, 0))
  if (!v128.any_true(f32x4.gt(light, f32x4.splat(HIDDEN_LEAST)))) {
    if (known) for (let n: usize = 0; n < HIDDEN_PLANES; n++) store<f32>(plane(slot, first + n, at), 0)
    return 0
  }
  if (!known) memory.fill(plane(slot, first, 0), 0, (HIDDEN_PLANES * AREA) << 2)
  store<f32>(plane(slot, first, at), f32x4.extract_lane(colour, 0))
  store<f32>(plane(slot, first + 1, at), f32x4.extract_lane(colour, 1))
  store<f32>(plane(slot, first + 2, at), f32x4.extract_lane(colour, 2))
  store<f32>(plane(slot, first + 3, at), f32x4.extract_lane(colour, 3))
  store<f32>(plane(slot, first + 4, at), f32x4.extract_lane(glow, 0))
  store<f32>(plane(slot, first + 5, at), f32x4.extract_lane(glow, 1))
  store<f32>(plane(slot, first + 6, at), f32x4.extract_lane(glow, 2))
  store<f32>(plane(slot, first + 7, at), f32x4.extract_lane(fire, 0))
  store<f32>(plane(slot, first + 8, at), f32x4.extract_lane(fire, 1))
  store<f32>(plane(slot, first + 9, at), f32x4.extract_lane(fire, 2))
  store<f32>(plane(slot, first + 10, at), f32x4.extract_lane(glow, 3))
  return HIDDEN
}

/** What a few samples of a block's pixels find: nothing, so that light on the set need not be looked for; a little of the sky hidden; a shadow of the sun, or a deep one; a thing. */
const NOTHING = 0
const SHADOW = 1
const EDGE = 2
const THING = 3
/** So many in a hundred of a block's sky rays that meet a thing are worth all samples. */
const DEEP = 15
/** As few shadow rays of a block's as this may meet a thing: less than a hundredth of the light is not worth the noise. */
const FEW_SHADOWED = 1
function probe(job: usize, scratch: usize, X: i32, Y: i32, width: i32, height: i32): i32 {
  let found = 0, edges = 0
  for (let y = Y; y < min(height, Y + 8); y++)
    for (let x = X; x < min(width, X + 8); x++) {
      samplePixel(x, y, jobSalt(job))
      beginPixel(true)
      takeSample(job, scratch, x, y, 0)
      takeSample(job, scratch, x, y, 1)
      if (meetsThings) return THING
      found += shadowed
      edges += sunShadowed
    }
  if (edges > 0 || found * 100 > DEEP * 128) return EDGE
  return found > FEW_SHADOWED ? SHADOW : NOTHING
}

function renderPixel(job: usize, scratch: usize, slot: usize, at: i32, x: i32, y: i32, busy: i32): void {
  const scene = jobScene(job)
  takeSurfaces(job, scratch, slot, at, x, y)
  memory.fill(layerAt(scratch, 0), 0, <usize>sceneLayers(scene) * LAYER)
  samplePixel(x, y, jobSalt(job))
  beginPixel(busy != NOTHING)
  const count = samplesOf(job, scratch, x, y, busy)
  const part: f32 = 1 / <f32>count
  for (let n = 0; n < events; n++) {
    const e = eventAt(scratch, n)
    store<f32>(e, load<f32>(e, 4) * part, 4)
    store<f32>(e, load<f32>(e, 44) * part, 44)
  }
  if (jobSplats(job)) takeHits(job, scratch, at)
  const pixel = y * viewWidth(jobView(job)) + x, area = viewWidth(jobView(job)) * viewHeight(jobView(job))
  // Events lie along the ray.
  if (jobMatteCount(job)) castView(jobView(job), <f32>x + 0.5, <f32>y + 0.5, 0.5, 0, 0)
  for (let n = 0; n < jobMatteCount(job); n++) putMatte(scratch, jobMatteTable(job) + ((<usize>n) << 4), load<f32>(jobMattes(job) + ((<usize>(n * area + pixel)) << 2)), pixel, rayLength)
  sortEvents(scratch)
  resetHeat(0)
  const rest = march(job, scratch, x, y)
  store<f32>(plane(slot, 0, at), rest)
  store<f32>(plane(slot, 1, at), heat)
  putLayers(scene, scratch, slot, at)
}

/** Renders tiles of the job's list (items). */
export function renderTiles(job: usize, from: i32, to: i32): void {
  const scene = jobScene(job), view = jobView(job)
  takeByteTable(sceneBytes(scene))
  takePairTable(scenePairs(scene))
  const scratch = jobScratch(job) + <usize>seat * <usize>jobScratchBytes(job)
  const width = viewWidth(view), height = viewHeight(view)
  for (let n = from; n < to; n++) {
    const tile = load<i32>(jobTiles(job) + ((<usize>n) << 2))
    const slot = jobOut(job) + <usize>n * <usize>jobSlotBytes(job)
    memory.fill(slot, 0, HEAD)
    forgetLamps()
    const X0 = (tile % jobTilesAcross(job)) * TILE, Y0 = (tile / jobTilesAcross(job)) * TILE
    if (jobSplats(job)) emitHits(job, scratch, tile, X0, Y0, width, height)
    for (let Y = Y0; Y < min(height, Y0 + TILE); Y += 8)
      for (let X = X0; X < min(width, X0 + TILE); X += 8) {
        let busy = load<u8>(jobBusy(job) + <usize>((Y >> 3) * jobBusyWidth(job) + (X >> 3))) != 0 ? THING : NOTHING
        if (busy == NOTHING && sceneThings(scene)) busy = probe(job, scratch, X, Y, width, height)
        for (let y = Y; y < min(height, Y + 8); y++) for (let x = X; x < min(width, X + 8); x++) renderPixel(job, scratch, slot, (y - Y0) * TILE + x - X0, x, y, busy)
      }
  }
}
