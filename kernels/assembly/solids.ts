import {
  INSTANCE_BYTES, instanceFlags, instanceLayer, jobBounces, jobScene, jobView, sceneContact, sceneInstances, sceneThings, sceneTop, viewFocal,
} from './layouts.generated'
import { clearance, effect, HOLDS_OUT, lit, PAIRS, RECEIVES, SEE_THROUGH, shade, SKY, SUN, sunX, sunY, sunZ, towardsSun, UNSEEN, NO_SHADOW } from './lighting'
import { castNearest, hitInstance, hitT, MISS } from './rays'
import { pairX, pairY, samplePair } from './sampler'
import { CARD, eventAt, layerAt, MATTE, MOST_EVENTS, SOLID, SPLAT } from './scratch'
import { scatterAbout, towardX, towardY, towardZ } from './shading'
import { alphaAtHit, base, emission, fade, flatX, flatY, flatZ, metal, roughness, takeFlat, takeMaterial, takeShining } from './surface'
import { castView, rayDX, rayDY, rayDZ, rayX, rayY, rayZ } from './view'

// Samples of a pixel: what solids it sees, as events by distance, and what light reaches the set behind them.

/** How many events the pixel has, and the shadow rays that its set was looked along. */
export let events: i32 = 0
export let sunRays: i32 = 0
export let skyRays: i32 = 0
/** How bright the samples see things: number, sum and sum of squares, of samples and of groups of them that come one after another. */
let valueCount: i32 = 0
let valueSum: f32 = 0
let valueSquares: f32 = 0
let groupSum: f32 = 0
let groupSquares: f32 = 0
let groupValue: f32 = 0
const GROUP = 4
/** Samples go together evenly, so their mean is this much surer than that of as many at random, at most. */
const EVEN: f32 = 0.35
/** Standard error of the pixel's value: by how far its groups differ, each even by itself. */
export function pixelError(): f32 {
  const count = <f32>valueCount, groups = <f32>(valueCount / GROUP)
  if (groups < 2) return 1e9
  const mean = valueSum / count, groupMean = groupSum / groups
  const plain: f32 = max<f32>(0, valueSquares / count - mean * mean) / count
  const grouped: f32 = max<f32>(0, groupSquares / groups - groupMean * groupMean) / (groups - 1)
  return max<f32>(sqrt(grouped), EVEN * sqrt(plain))
}
/** Whether the samples met different instances, or another depth. */
export let mixed: bool = false
/** Whether the pixel's samples see a thing, and how many of their shadow rays meet one. */
export let meetsThings: bool = false
export let shadowed: i32 = 0
/** The same of the sun's rays alone: their shadow has an edge, which is not smoothed afterwards. */
export let sunShadowed: i32 = 0
/** Whether light that reaches the set is looked for. */
let catches: bool = true
let firstInstance: i32 = -2
let firstDistance: f32 = 0
let farDistance: f32 = 0

export function beginPixel(lightToo: bool): void {
  catches = lightToo
  shadowed = 0
  sunShadowed = 0
  events = 0
  sunRays = 0
  skyRays = 0
  valueCount = 0
  valueSum = 0
  valueSquares = 0
  groupSum = 0
  groupSquares = 0
  groupValue = 0
  mixed = false
  meetsThings = false
  firstInstance = -2
}

/** share: of the pixel; alone: that as if no card were before it. */
function putEvent(scratch: usize, distance: f32, share: f32, alone: f32, kind: i32, layer: i32, colour: v128, glow: v128, fire: v128): void {
  if (events >= MOST_EVENTS) return
  const e = eventAt(scratch, events++)
  store<f32>(e, distance)
  store<f32>(e, share, 4)
  store<i32>(e, layer, 8)
  store<i32>(e, kind, 12)
  v128.store(e, f32x4.replace_lane(colour, 3, 1), 16)
  v128.store(e, f32x4.replace_lane(glow, 3, alone), 32)
  v128.store(e, f32x4.replace_lane(fire, 3, 0), 48)
}

/** Puts what a particle covers of the pixel among its events. share: of the pixel; alpha: how much of that it hides; colour: of the whole share, lit or its own light. */
export function putSplat(scratch: usize, distance: f32, share: f32, alpha: f32, layer: i32, colour: v128, shines: bool): void {
  if (events >= MOST_EVENTS) return
  const e = eventAt(scratch, events++)
  const none = f32x4.splat(0)
  store<f32>(e, distance)
  store<f32>(e, share, 4)
  store<i32>(e, layer, 8)
  store<i32>(e, SPLAT, 12)
  v128.store(e, f32x4.replace_lane(shines ? none : colour, 3, alpha), 16)
  v128.store(e, f32x4.replace_lane(shines ? colour : none, 3, share), 32)
  v128.store(e, none, 48)
}

/** What of a sample's events before this one is of a layer, as shares as if no card were there. */
function ownBefore(scratch: usize, first: i32, layer: i32): f32 {
  let sum: f32 = 0
  for (let n = first; n < events; n++) {
    const e = eventAt(scratch, n)
    if (load<i32>(e, 8) == layer) sum += load<f32>(e, 44)
  }
  return sum
}

/** Steps of a matte that is soft in depth. */
const MATTE_STEPS = 8
/**
 * Puts what a matte in front covers of the pixel among its events. along: length of the pixel's ray for a metre along the view. matte: f32 its distance (m along the view), f32 over how much of it it is soft, u32 bits of the layers that it takes away (0: it holds all out, and belongs to the plate),
 * and its own distances by pixel (0: none; where these are 0 it is not there).
 */
export function putMatte(scratch: usize, matte: usize, share: f32, pixel: i32, along: f32): void {
  if (share <= 0) return
  const soft = load<f32>(matte, 4), layers = load<u32>(matte, 8), planes = <usize>load<u32>(matte, 12)
  const distance: f32 = along * (planes ? load<f32>(planes + ((<usize>pixel) << 2)) : load<f32>(matte))
  if (distance <= 0) return
  const steps = soft > 0 ? MATTE_STEPS : 1
  let before: f32 = 0
  for (let n = 0; n < steps && events < MOST_EVENTS; n++) {
    const covered: f32 = share * <f32>(n + 1) / <f32>steps
    const e = eventAt(scratch, events++)
    store<f32>(e, max<f32>(1e-3, distance + soft * ((<f32>n + 0.5) / <f32>steps - 0.5)))
    store<f32>(e, before < 1 ? (covered - before) / (1 - before) : 1, 4)
    store<i32>(e, -1, 8)
    store<i32>(e, MATTE, 12)
    store<u32>(e, layers, 16)
    before = covered
  }
}

/** Layers that block a ray, as bits; blockedBySet where a piece of the set stops it. Nearest first, so that contact is known: left in contactMask. */
let contactMask: u32 = 0
let blockedBySet: bool = false
function blockers(scene: usize, stack: usize, time: f32, x: f32, y: f32, z: f32, dx: f32, dy: f32, dz: f32, reach: f32, wide: f32, dice: f32): u32 {
  const top = sceneTop(scene), instances = sceneInstances(scene)
  let met: u32 = 0, least: f32 = 0
  contactMask = 0
  blockedBySet = false
  for (let n = 0; n < 64; n++) {
    const t = castNearest(top, instances, stack, time, x, y, z, dx, dy, dz, least, MISS, NO_SHADOW, met)
    if (t == MISS) return met
    const instance = instances + <usize>hitInstance * INSTANCE_BYTES
    const layer = instanceLayer(instance)
    if (layer < 0) {
      blockedBySet = true
      return met
    }
    if (instanceFlags(instance) & SEE_THROUGH && dice >= alphaAtHit(instances, time, wide)) {
      least = t * <f32>1.00001 + 1e-6
      continue
    }
    met |= (<u32>1) << <u32>layer
    if (t < reach) contactMask |= (<u32>1) << <u32>layer
  }
  return met
}

// @ts-ignore: decorator
@inline
function count(scratch: usize, met: u32, offset: usize): void {
  if (!met) return
  const at = layerAt(scratch, <i32>ctz(met)) + offset
  store<u32>(at, load<u32>(at) + 1)
}

/** What of the plate's own light reaches the set at a place that a ray met, layer by layer: the first layer that blocks a ray takes it from those after it too, so their shadows multiply to the joint one. */
function catchLight(scene: usize, stack: usize, scratch: usize, time: f32, sample: u32, pair: u32, px: f32, py: f32, pz: f32, t: f32, wide: f32): void {
  const clear = clearance(px, py, pz, t)
  const x = px + flatX * clear, y = py + flatY * clear, z = pz + flatZ * clear
  const nx = flatX, ny = flatY, nz = flatZ
  samplePair(sample, pair + SUN)
  const dice = pairX
  towardsSun(scene, pairX, pairY)
  if (sunX * nx + sunY * ny + sunZ * nz > 0) {
    const met = blockers(scene, stack, time, x, y, z, sunX, sunY, sunZ, 0, wide, dice)
    if (!blockedBySet) {
      sunRays++
      count(scratch, met, 48)
      if (met) {
        shadowed++
        sunShadowed++
      }
    }
  }
  samplePair(sample, pair + SKY)
  scatterAbout(nx, ny, nz, pairX, pairY)
  const met = blockers(scene, stack, time, x, y, z, towardX, towardY, towardZ, sceneContact(scene), wide, pairY)
  skyRays++
  count(scratch, met, 52)
  let near = contactMask
  while (near) {
    const at = layerAt(scratch, <i32>ctz(near)) + 56
    store<u32>(at, load<u32>(at) + 1)
    near &= near - 1
  }
  if (met) shadowed++
}

// @ts-ignore: decorator
@inline
export function luminance(c: v128): f32 {
  return <f32>0.2126 * f32x4.extract_lane(c, 0) + <f32>0.7152 * f32x4.extract_lane(c, 1) + <f32>0.0722 * f32x4.extract_lane(c, 2)
}

/** Notes what a sample met first, for whether the pixel has an edge. */
function noteFirst(instance: i32, t: f32): void {
  if (firstInstance == -2) {
    firstInstance = instance
    firstDistance = t
    farDistance = t
    return
  }
  firstDistance = min(firstDistance, t)
  farDistance = max(farDistance, t)
  if (instance != firstInstance || farDistance > firstDistance * 1.1) mixed = true
}

/** The nearest of the set along the sample's ray that was looked for, and from where on. */
let setFrom: f32 = MISS
let setAt: f32 = MISS
/** How clear of the set behind it a place on a ray is: 0 on it, 1 so far before it or further, even at both ends. One look along a ray answers for all places up to what it met. */
function clearOfSet(top: usize, instances: usize, stack: usize, time: f32, ox: f32, oy: f32, oz: f32, dx: f32, dy: f32, dz: f32, t: f32, within: f32): f32 {
  let least: f32 = t * <f32>1.00001 + 1e-6
  if (least < setFrom || least >= setAt) {
    setFrom = least
    setAt = MISS
    for (let n = 0; n < 6; n++) {
      const next = castNearest(top, instances, stack, time, ox, oy, oz, dx, dy, dz, least, MISS, UNSEEN | SEE_THROUGH, 0)
      if (next == MISS || hitInstance < 0) break
      if (instanceLayer(instances + <usize>hitInstance * INSTANCE_BYTES) < 0) {
        setAt = next
        break
      }
      least = next * <f32>1.00001 + 1e-6
    }
  }
  const share: f32 = min<f32>(1, (setAt - t) / within)
  return share * share * (3 - 2 * share)
}

/** Less than this of what is dark is not seen. */
const CLEAR: f32 = 0.02

/** Takes sample number `sample` of the pixel at (x, y). Shares are whole ones: they are divided when the pixel is done. */
export function takeSample(job: usize, scratch: usize, x: i32, y: i32, sample: u32): void {
  const scene = jobScene(job), view = jobView(job)
  const instances = sceneInstances(scene), top = sceneTop(scene)
  samplePair(sample, 0)
  const fx = <f32>x + pairX, fy = <f32>y + pairY
  samplePair(sample, 1)
  const u = pairX, v = pairY
  samplePair(sample, 2)
  const time = pairX
  castView(view, fx, fy, time, u, v)
  const ox = rayX, oy = rayY, oz = rayZ, dx = rayDX, dy = rayDY, dz = rayDZ
  const pixel: f32 = 1 / viewFocal(view)
  // Left of the sample: of what is seen, and as if no card were there.
  let least: f32 = 0, left: f32 = 1, bare: f32 = 1, caught = false, noted = false, value: f32 = 0
  const firstEvent = events
  setFrom = MISS
  for (let n: u32 = 0; n < 12; n++) {
    const t = castNearest(top, instances, scratch, time, ox, oy, oz, dx, dy, dz, least, MISS, UNSEEN, 0)
    const met = t == MISS ? -1 : hitInstance
    if (met < 0) {
      if (!noted) noteFirst(met, t)
      break
    }
    const px = ox + dx * t, py = oy + dy * t, pz = oz + dz * t, wide = pixel * t
    const instance = instances + <usize>met * INSTANCE_BYTES
    const layer = instanceLayer(instance), flags = instanceFlags(instance)
    least = t * <f32>1.00001 + 1e-6
    const pair: u32 = 3 + min<u32>(n, 3) * PAIRS
    if (layer < 0) {
      if (!noted) {
        noted = true
        noteFirst(met, t)
      }
      if (flags & RECEIVES && !caught && catches) {
        caught = true
        takeFlat(instances, time, dx, dy, dz)
        catchLight(scene, scratch, scratch, time, sample, pair, px, py, pz, t, wide)
      }
      if (!(flags & HOLDS_OUT)) continue
      putEvent(scratch, t, left, bare, SOLID, -1, f32x4.splat(0), f32x4.splat(0), f32x4.splat(0))
      break
    }
    // What is black and dull sends no light back: filmed elements shine as they were filmed, softly, and want no more samples.
    const shines = takeShining(instances, time, wide)
    if (!shines) takeMaterial(instances, time, dx, dy, dz, wide)
    const dark = shines || (roughness >= 1 && metal == 0 && luminance(base) == 0)
    if (!dark) meetsThings = true
    let opaque: f32 = f32x4.extract_lane(base, 3)
    let alpha: f32 = opaque * left
    // The clear rim of a filmed frame is no edge.
    if (!noted && (!dark || alpha > CLEAR)) {
      noted = true
      noteFirst(met, t)
    }
    if (opaque * bare <= 0.001) continue
    const glow = emission, soft = fade
    if (!dark) shade(scene, scratch, scratch, time, sample, pair, dx, dy, dz, px, py, pz, t, wide, jobBounces(job) != 0)
    const sent = dark ? f32x4.splat(0) : lit, raised = dark ? f32x4.splat(0) : effect
    if (soft > 0) {
      const clear = clearOfSet(top, instances, scratch, time, ox, oy, oz, dx, dy, dz, t, soft)
      alpha *= clear
      opaque *= clear
      if (opaque * bare <= 0.001) continue
    }
    const alone: f32 = opaque * (dark ? bare * max<f32>(0, 1 - ownBefore(scratch, firstEvent, layer)) : bare)
    putEvent(scratch, t, alpha, alone, dark ? CARD : SOLID, layer, sent, glow, raised)
    value += alpha * (min<f32>(2, luminance(sent) + luminance(raised)) + 0.3)
    left -= alpha
    if (!dark) bare -= opaque * bare
    if (bare < 0.01) break
  }
  valueSum += value
  valueSquares += value * value
  groupValue += value
  if (++valueCount % GROUP == 0) {
    const mean: f32 = groupValue / <f32>GROUP
    groupSum += mean
    groupSquares += mean * mean
    groupValue = 0
  }
}
