import { enter, gasAlong, nextTile, wantedStep, wantStep } from './gasAlong'
import { jobOpen, jobScene, jobStep, sceneGasCount, sceneGases, sceneLayers } from './layouts.generated'
import { mixBits } from './sampler'
import { CARD, eventAt, gasAt, layerAt, MATTE, orderAt, SOLID, SPLAT } from './scratch'
import { events } from './solids'

// A pixel's events and its gases walked together by distance. Three factors say what is left of a ray at a distance: of the solids' samples those beyond it, what particles let through, what gases let through.
// Every event lowers one of them; what it takes away is its layer's share of the pixel. So the shares and what is left of the plate make one.
// Beside it each layer gathers what it would give alone (scratch.ts): so that it is whole again where what hides it is laid with less of it.

let solids: f32 = 1
let particles: f32 = 1
let gases: f32 = 1
let nextEvent: i32 = 0
/** What is left of a layer that is alone: beyond things that are solid, and what mattes let through. */
let bare: f32 = 1
let unmatted: f32 = 1
/** Offsets of what a layer gathers alone. */
const ALONE: usize = 64
const OWN_GAS: usize = 112
const OWN_PARTICLES: usize = 116
const OWN_SUM: usize = 120
/** Whether a matte takes some layers away: of each the share is kept in its gathered values. */
let cutting: bool = false
const CUT = 60
// @ts-ignore: decorator
@inline
function keptOf(scratch: usize, layer: i32): f32 {
  return cutting && layer >= 0 ? 1 - load<f32>(layerAt(scratch, layer), CUT) : 1
}
/** Takes layers (bits) away behind here, by a share. */
function cutLayers(scratch: usize, layers: u32, share: f32): void {
  cutting = true
  for (let rest = layers; rest; rest &= rest - 1) {
    const at = layerAt(scratch, <i32>ctz(rest))
    store<f32>(at, 1 - (1 - load<f32>(at, CUT)) * (1 - share), CUT)
  }
}
/** What of the plate is seen: where the set stands, mattes lie, or nothing is met; and heated air looked through, m. */
export let left: f32 = 1
export let heat: f32 = 0
export function resetHeat(value: f32): void {
  heat = value
}
/** Brightness of what the gases give in a march: for whether more marches are wanted. */
export let bright: f32 = 0

// @ts-ignore: decorator
@inline
function add(at: usize, offset: usize, value: v128, share: f32): void {
  v128.store(at + offset, f32x4.add(v128.load(at + offset), f32x4.mul(value, f32x4.splat(share))))
}

/** Takes the events up to a distance. part: share of the pixel that this walk is. */
function takeEvents(scratch: usize, until: f32, part: f32): void {
  const order = orderAt(scratch)
  while (nextEvent < events) {
    const e = eventAt(scratch, <i32>load<u32>(order + ((<usize>nextEvent) << 2)))
    const distance = load<f32>(e)
    if (distance > until) return
    nextEvent++
    const layer = load<i32>(e, 8), kind = load<i32>(e, 12), kept = keptOf(scratch, layer)
    const share: f32 = load<f32>(e, 4) * kept
    if (kind == MATTE && load<u32>(e, 16)) {
      cutLayers(scratch, load<u32>(e, 16), share)
      continue
    }
    if (kind == MATTE) {
      left += share * gases * particles * solids
      particles *= 1 - share
      unmatted *= 1 - share
      continue
    }
    const lone: f32 = load<f32>(e, 44) * kept
    const seen: f32 = part * share * gases * particles * (kind == SPLAT ? solids : <f32>1)
    if (layer < 0) left += seen / part
    else takeEvent(layerAt(scratch, layer), e, distance, seen, part * lone * unmatted, kind == SPLAT)
    if (kind == SPLAT) particles *= 1 - share * load<f32>(e, 28)
    else solids = max<f32>(0, solids - share)
    if (kind == SOLID) bare = max<f32>(0, bare - lone)
  }
}

/** Adds an event to its layer: what is seen of it, and what it gives alone. */
function takeEvent(at: usize, e: usize, distance: f32, seen: f32, alone: f32, splat: bool): void {
  const alpha = load<f32>(e, 28)
  const glow = f32x4.replace_lane(v128.load(e, 32), 3, distance * alpha)
  if (seen > 0) {
    add(at, 0, v128.load(e, 16), seen)
    add(at, 16, glow, seen)
    add(at, 32, v128.load(e, 48), seen)
  }
  let lone = alone
  if (splat) {
    const own = load<f32>(at, OWN_PARTICLES)
    lone *= bare * own
    store<f32>(at, own * (1 - load<f32>(e, 4) * alpha), OWN_PARTICLES)
  }
  if (lone <= 0) return
  add(at, ALONE, v128.load(e, 16), lone)
  add(at, ALONE + 16, glow, lone)
  add(at, ALONE + 32, v128.load(e, 48), lone)
}

/** Puts the pixel's events in the order of their distance; of equal ones the first made comes first. */
export function sortEvents(scratch: usize): void {
  const order = orderAt(scratch)
  for (let n = 0; n < events; n++) {
    const t = load<f32>(eventAt(scratch, n))
    let m = n
    while (m > 0 && load<f32>(eventAt(scratch, <i32>load<u32>(order + ((<usize>(m - 1)) << 2)))) > t) {
      store<u32>(order + ((<usize>m) << 2), load<u32>(order + ((<usize>(m - 1)) << 2)))
      m--
    }
    store<u32>(order + ((<usize>m) << 2), n)
  }
}

// @ts-ignore: decorator
@inline
function unit(bits: u32): f32 {
  return <f32>(bits >>> 8) / 16777216
}

/** What the gases at a step's place give their layers over its length. */
function takeStep(job: usize, scratch: usize, t: f32, length: f32, sum: f32, part: f32): void {
  const pass = NativeMathf.exp(-sum * length)
  // Mean over the step of what is before it: (1 - exp(-sum length)) / sum; without extinction the step itself.
  const mean: f32 = sum > 1e-5 ? (1 - pass) / sum : length
  const rest = part * solids * particles
  const weight = gases * mean * rest
  const lost: f32 = sum > 1e-5 ? gases * (1 - pass) * rest / sum : 0
  const scene = jobScene(job)
  const list = sceneGases(scene), count = sceneGasCount(scene)
  sumOwn(scratch, list, count, t)
  for (let n = 0; n < count; n++) {
    const s = gasAt(scratch, n)
    if (!isIn(s, t)) continue
    const gas = <usize>load<u32>(list + ((<usize>n) << 2))
    const at = layerAt(scratch, load<i32>(gas, 184))
    takeAlone(at, s, t, length, part * bare * unmatted)
    const share = load<f32>(s, 64) * lost
    heat += load<f32>(s, 68) * length * part * solids
    add(at, 0, f32x4.replace_lane(v128.load(s, 96), 3, 0), weight)
    add(at, 16, f32x4.replace_lane(v128.load(s, 80), 3, 0), weight)
    add(at, 32, v128.load(s, 112), weight)
    store<f32>(at, load<f32>(at, 12) + share, 12)
    store<f32>(at, load<f32>(at, 28) + share * t, 28)
    bright += weight / part * luminance(f32x4.add(f32x4.add(v128.load(s, 80), v128.load(s, 96)), v128.load(s, 112)))
  }
  gases *= pass
  passOwn(scratch, list, count, t, length)
}

// @ts-ignore: decorator
@inline
function isIn(s: usize, t: f32): bool {
  return t >= load<f32>(s) && t < load<f32>(s, 4) && load<f32>(s) < load<f32>(s, 4)
}

/** Sums what each layer's own gases weaken light by at a step. */
function sumOwn(scratch: usize, list: usize, count: i32, t: f32): void {
  for (let n = 0; n < count; n++) {
    const s = gasAt(scratch, n)
    if (!isIn(s, t)) continue
    const at = layerAt(scratch, load<i32>(<usize>load<u32>(list + ((<usize>n) << 2)), 184))
    store<f32>(at, load<f32>(at, OWN_SUM) + load<f32>(s, 64), OWN_SUM)
  }
}

/** What a gas gives its layer at a step, as if that were alone. rest: what set, mattes and solid things leave. */
function takeAlone(at: usize, s: usize, t: f32, length: f32, rest: f32): void {
  const sum = load<f32>(at, OWN_SUM), own = load<f32>(at, OWN_GAS) * rest
  if (own <= 0) return
  const mean: f32 = sum > 1e-5 ? (1 - NativeMathf.exp(-sum * length)) / sum : length
  const weight = own * mean
  const alpha: f32 = load<f32>(s, 64) * (sum > 1e-5 ? weight : 0)
  add(at, ALONE, f32x4.replace_lane(v128.load(s, 96), 3, 0), weight)
  add(at, ALONE + 16, f32x4.replace_lane(v128.load(s, 80), 3, 0), weight)
  add(at, ALONE + 32, v128.load(s, 112), weight)
  store<f32>(at, load<f32>(at, ALONE + 12) + alpha, ALONE + 12)
  store<f32>(at, load<f32>(at, ALONE + 28) + alpha * t, ALONE + 28)
}

/** Lowers what the layers' own gases let through by a step. */
function passOwn(scratch: usize, list: usize, count: i32, t: f32, length: f32): void {
  for (let n = 0; n < count; n++) {
    if (!isIn(gasAt(scratch, n), t)) continue
    const at = layerAt(scratch, load<i32>(<usize>load<u32>(list + ((<usize>n) << 2)), 184))
    const sum = load<f32>(at, OWN_SUM)
    if (sum <= 0) continue
    store<f32>(at, load<f32>(at, OWN_GAS) * NativeMathf.exp(-sum * length), OWN_GAS)
    store<f32>(at, 0, OWN_SUM)
  }
}

/** Whether a ray has light left that reaches what lies farther: for any layer that is alone. */
function isSpent(scratch: usize, list: usize, count: i32, t: f32): bool {
  if (solids * particles * gases >= 0.002) return false
  const rest = bare * unmatted
  if (rest < 0.01) return true
  for (let n = 0; n < count; n++) {
    const s = gasAt(scratch, n)
    if (t >= load<f32>(s, 4) || load<f32>(s) >= load<f32>(s, 4)) continue
    if (rest * load<f32>(layerAt(scratch, load<i32>(<usize>load<u32>(list + ((<usize>n) << 2)), 184)), OWN_GAS) >= 0.01) return false
  }
  return true
}

// @ts-ignore: decorator
@inline
function luminance(c: v128): f32 {
  return <f32>0.2126 * f32x4.extract_lane(c, 0) + <f32>0.7152 * f32x4.extract_lane(c, 1) + <f32>0.0722 * f32x4.extract_lane(c, 2)
}

/** A gas at a step, of which so much is left: all but its length. */
function thin(s: usize, kept: f32): void {
  store<f32>(s, load<f32>(s, 64) * kept, 64)
  store<f32>(s, load<f32>(s, 68) * kept, 68)
  for (let n = 80; n < 128; n += 16) v128.store(s + n, f32x4.mul(v128.load(s + n), f32x4.splat(kept)))
}

let longest: f32 = 0
let farthest: f32 = 0
/** Enters all gases. Returns where the first begins; longest: the step in open gas; farthest: where the last ends. */
function enterAll(job: usize, scratch: usize, ox: f32, oy: f32, oz: f32, dx: f32, dy: f32, dz: f32): f32 {
  const scene = jobScene(job)
  const list = sceneGases(scene), count = sceneGasCount(scene)
  let begin: f32 = 1e30
  longest = 1e30
  farthest = 0
  for (let n = 0; n < count; n++) {
    const gas = <usize>load<u32>(list + ((<usize>n) << 2))
    const s = gasAt(scratch, n)
    if (!enter(gas, s, ox, oy, oz, dx, dy, dz, 1e29)) continue
    begin = min(begin, load<f32>(s))
    farthest = max(farthest, load<f32>(s, 4))
    longest = min(longest, jobStep(job) * 0.125 * load<f32>(gas, 172) * load<f32>(gas, 92))
  }
  return begin
}

/** Whether a ray meets any gas. */
export function meetsGas(job: usize, scratch: usize, ox: f32, oy: f32, oz: f32, dx: f32, dy: f32, dz: f32): bool {
  return enterAll(job, scratch, ox, oy, oz, dx, dy, dz) < farthest
}

/**
 * Walks the pixel along a ray: `part` of the pixel's value goes to its layers. seed: of where steps begin and of their moments; every step sees another moment of a part of the open shutter (from `opens`, `lasts` long):
 * one moment a ray would need many rays, moments of the whole shutter in one ray would see gas that is thinned out by its motion.
 * What is left of the plate is in left, which the caller adds up by part.
 */
export function walkPixel(job: usize, scratch: usize, seed: u32, part: f32, opens: f32, lasts: f32, ox: f32, oy: f32, oz: f32, dx: f32, dy: f32, dz: f32): void {
  solids = 1
  particles = 1
  gases = 1
  nextEvent = 0
  left = 0
  bright = 0
  bare = 1
  unmatted = 1
  const scene = jobScene(job)
  for (let n = 0; n < sceneLayers(scene); n++) {
    const at = layerAt(scratch, n)
    store<f32>(at, 0, CUT)
    v128.store(at, f32x4(1, 1, 0, 0), OWN_GAS)
  }
  cutting = false
  const list = sceneGases(scene), count = sceneGasCount(scene)
  let t = count ? enterAll(job, scratch, ox, oy, oz, dx, dy, dz) : <f32>1e30
  const end = farthest
  const open = jobOpen(job)
  if (count && t < end) {
    const ds = longest
    t += unit(mixBits(seed)) * ds
    let moment = unit(mixBits(seed + 1))
    let before = ds
    while (t < end) {
      takeEvents(scratch, t, part)
      if (isSpent(scratch, list, count, t)) break
      let next: f32 = 1e30, sum: f32 = 0
      wantStep(ds)
      const late = open * (opens + lasts * moment - 0.5)
      for (let n = 0; n < count; n++) {
        const s = gasAt(scratch, n)
        const begin = load<f32>(s), stop = load<f32>(s, 4)
        if (t >= stop || begin >= stop) continue
        if (t < begin) {
          next = min(next, begin)
          continue
        }
        const gas = <usize>load<u32>(list + ((<usize>n) << 2))
        if (gasAlong(gas, s, t, late)) {
          if (cutting) thin(s, keptOf(scratch, load<i32>(gas, 184)))
          next = t
          sum += load<f32>(s, 64)
        } else if (next > t) next = min(next, nextTile)
      }
      if (next > t) {
        // Nothing here. Whole steps, so that the samples of a ray lie on one lattice and skipping can't be seen.
        t += max<f32>(1, ceil((next - t) / ds + 1e-4)) * ds
        before = ds
        continue
      }
      const want = wantedStep
      // The trapezoid's weight between the step before and the next.
      const length: f32 = min<f32>(<f32>0.5 * (before + want), end - t + <f32>0.5 * want)
      before = want
      takeStep(job, scratch, t, length, sum, part)
      // The golden ratio spreads the moments of any number of steps evenly.
      moment += 0.618034
      if (moment >= 1) moment -= 1
      t += want
    }
  }
  takeEvents(scratch, 1e30, part)
  left += solids * particles * gases
}
