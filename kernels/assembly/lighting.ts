import { transmittanceOfAll } from './gaslight'
import { setLight, skyLight } from './environment'
import {
  INSTANCE_BYTES, instanceFlags, instanceLayer, LAMP_BYTES, lampExtent, lampIntensity, lampRadius, lampSetUp, lampSkip,
  sceneBounce, sceneGasCount, sceneGases, sceneInstances, sceneLampCount, sceneLamps, sceneLobes, sceneSkyColour, sceneSun, sceneSunColour, sceneSunDisc, sceneTop,
} from './layouts.generated'
import { lampDistance, lampDX, lampDY, lampDZ, lampFalloff, lampOn, opensUp } from './lamps'
import { kept, moved } from './projection'
import { castAny, castNearest, hitInstance, hitT, MISS } from './rays'
import { pairX, pairY, samplePair } from './sampler'
import { lampList, MOST_LAMPS } from './scratch'
import { diffuse, lobeShare, mirror, reflects, scatter, takeSurface, towardX, towardY, towardZ } from './shading'
import { alphaAtHit, base, flatX, flatY, flatZ, metal, projected, roughness, smoothX, smoothY, smoothZ, takeMaterial } from './surface'

// Light on a thing where a ray met it: sun, sky and surroundings, one bounce, lamps and fires. All in plate value.

// Flags of instances (core/src/picture/instances.ts).
export const UNSEEN = 1
export const NO_SHADOW = 2
export const HOLDS_OUT = 4
export const RECEIVES = 8
export const SEE_THROUGH = 16

/** Of what is lit: by the plate's own light and by effects. */
export let lit: v128 = f32x4.splat(0)
export let effect: v128 = f32x4.splat(0)
/** By lamps that were set up. */
let lampLit: v128 = f32x4.splat(0)

/** Pairs of a sample, from the number that its hit begins with. */
export const SUN = 0
export const SKY = 1
const LOBE = 2
const PICK = 3
const ON_LAMP = 4
export const PAIRS = 5

/** Share of a ray's light that comes through what throws shadows, within `limit` m. */
export function throughTo(scene: usize, stack: usize, time: f32, x: f32, y: f32, z: f32, dx: f32, dy: f32, dz: f32, least: f32, limit: f32, wide: f32): f32 {
  const top = sceneTop(scene), instances = sceneInstances(scene)
  if (!castAny(top, instances, stack, time, x, y, z, dx, dy, dz, least, limit, NO_SHADOW, 0)) return 1
  if (!(instanceFlags(instances + <usize>hitInstance * INSTANCE_BYTES) & SEE_THROUGH)) return 0
  let through: f32 = 1
  let from = least
  for (let n = 0; n < 16; n++) {
    if (castNearest(top, instances, stack, time, x, y, z, dx, dy, dz, from, limit, NO_SHADOW, 0) == MISS) return through
    if (!(instanceFlags(instances + <usize>hitInstance * INSTANCE_BYTES) & SEE_THROUGH)) return 0
    from = hitT * <f32>1.00001 + 1e-6
    through *= 1 - alphaAtHit(instances, time, wide)
    if (through < 0.01) return 0
  }
  return 0
}

export let sunX: f32 = 0
export let sunY: f32 = 1
export let sunZ: f32 = 0
/** A direction within the sun's disc. */
export function towardsSun(scene: usize, u: f32, v: f32): void {
  const s = sceneSun(scene)
  const x = load<f32>(s), y = load<f32>(s, 4), z = load<f32>(s, 8)
  const r: f32 = sceneSunDisc(scene) * sqrt(u), angle = <f32>6.2831853 * v
  const a = r * NativeMathf.cos(angle), b = r * NativeMathf.sin(angle)
  // Two directions across it (Duff et al. 2017).
  const sign: f32 = z >= 0 ? 1 : -1
  const k: f32 = -1 / (sign + z), m = x * y * k
  const px = x + a * (1 + sign * x * x * k) + b * m, py = y + a * sign * m + b * (sign + y * y * k), pz = z - a * sign * x - b * y
  const l: f32 = 1 / sqrt(px * px + py * py + pz * pz)
  sunX = px * l
  sunY = py * l
  sunZ = pz * l
}

/** How far a ray must be from where it begins, m: rounding of a place so far out. */
// @ts-ignore: decorator
@inline
export function clearance(x: f32, y: f32, z: f32, t: f32): f32 {
  return <f32>2e-5 * max(max(abs(x), abs(y)), max(abs(z), t)) + 2e-5
}

/** Light from a direction: of the sky through the gas, of the set by its plate, of another thing by its colour under open sky. */
function incoming(scene: usize, stack: usize, time: f32, x: f32, y: f32, z: f32, dx: f32, dy: f32, dz: f32, least: f32, bounces: bool): v128 {
  const instances = sceneInstances(scene)
  const t = castNearest(sceneTop(scene), instances, stack, time, x, y, z, dx, dy, dz, least, MISS, NO_SHADOW, 0)
  const gas = sceneGasCount(scene) ? transmittanceOfAll(sceneGases(scene), sceneGasCount(scene), x, y, z, dx, dy, dz, t) : 1
  const through = f32x4.splat(gas)
  if (t == MISS) return f32x4.mul(through, skyLight(scene, dx, dy, dz))
  if (!bounces) return f32x4.splat(0)
  const instance = instances + <usize>hitInstance * INSTANCE_BYTES
  if (instanceLayer(instance) < 0) return f32x4.mul(through, setLight(scene, x + dx * t, y + dy * t, z + dz * t))
  takeMaterial(instances, time, dx, dy, dz, 0.05 * t)
  const up: f32 = 0.5 + 0.5 * smoothY
  const open = f32x4.add(f32x4.mul(f32x4.splat(up), v128.load(sceneSkyColour(scene))), f32x4.mul(f32x4.splat(1 - up), v128.load(sceneBounce(scene))))
  return f32x4.mul(through, f32x4.mul(base, f32x4.mul(f32x4.splat(0.6), open)))
}

/** From so many times their spread on, one lamp stands for several. */
const FAR: f32 = 5
/** The lamps that are chosen among about a place: how many (-1: none were taken yet), what they send in all, and how far from it they serve. */
let cutCount: i32 = -1
let cutSum: f32 = 0
let cutX: f32 = 0, cutY: f32 = 0, cutZ: f32 = 0
let cutReach: f32 = 0

/** To be called where a tile begins: what is kept from one sample to the next is the tile's own. */
export function forgetLamps(): void {
  cutCount = -1
}

/** Takes the lamps that light a place, with what each would send without shadow: number and running sum of each. Those of a place near by serve too: any choice is a fair one. */
function takeLamps(scene: usize, scratch: usize, x: f32, y: f32, z: f32): void {
  if (cutCount >= 0) {
    const dx = x - cutX, dy = y - cutY, dz = z - cutZ
    if (dx * dx + dy * dy + dz * dz < cutReach * cutReach) return
  }
  const lamps = sceneLamps(scene), count = sceneLampCount(scene)
  const list = lampList(scratch)
  cutCount = 0
  cutSum = 0
  cutX = x
  cutY = y
  cutZ = z
  cutReach = 1e9
  for (let n = 0; n < count && cutCount < MOST_LAMPS;) {
    const lamp = lamps + <usize>n * LAMP_BYTES
    if (opensUp(lamp, x, y, z, FAR)) {
      n++
      continue
    }
    // Beyond its cone it has a little, so that a place near by is never surprised.
    const sent = lampOn(lamp, x, y, z, -1, 0)
    cutSum += lampPower(lamp) * (sent + <f32>0.02 * lampFalloff)
    cutReach = min(cutReach, <f32>0.1 * (lampDistance + lampRadius(lamp)))
    const entry = list + ((<usize>cutCount) << 3)
    store<f32>(entry, cutSum)
    store<i32>(entry, n, 4)
    cutCount++
    n += lampSkip(lamp)
  }
}

// @ts-ignore: decorator
@inline
function lampPower(lamp: usize): f32 {
  const at = lampIntensity(lamp)
  return load<f32>(at) + load<f32>(at, 4) + load<f32>(at, 8)
}

/** One of the lamps that a lamp stands for, by their power; u from 0 to 1. */
function oneOf(lamp: usize, u: f32): usize {
  let at = lamp, rest = u
  while (lampExtent(at) > 0) {
    const first = at + LAMP_BYTES, second = first + <usize>lampSkip(first) * LAMP_BYTES
    const share: f32 = lampPower(first) / max<f32>(1e-12, lampPower(at))
    if (rest < share) {
      rest /= share
      at = first
    } else {
      rest = (rest - share) / max<f32>(1e-6, 1 - share)
      at = second
    }
  }
  return at
}

/** One lamp, chosen by what it would send without shadow; x y z: the surface that is shaded. */
function addLamp(scene: usize, stack: usize, scratch: usize, time: f32, sample: u32, pair: u32, x: f32, y: f32, z: f32, least: f32, wide: f32): void {
  takeLamps(scene, scratch, x, y, z)
  if (cutSum <= 0) return
  const list = lampList(scratch)
  samplePair(sample, pair + PICK)
  const want = pairX * cutSum
  let low = 0, high = cutCount - 1
  while (low < high) {
    const middle = (low + high) >> 1
    if (load<f32>(list + ((<usize>middle) << 3)) <= want) low = middle + 1
    else high = middle
  }
  const entry = list + ((<usize>low) << 3)
  const before: f32 = low ? load<f32>(entry - 8) : 0
  const share = load<f32>(entry) - before
  const chosen = sceneLamps(scene) + <usize>load<i32>(entry, 4) * LAMP_BYTES
  // Of those that it stands for one, by its power: their shadows stay theirs.
  const lamp = oneOf(chosen, share > 0 ? (want - before) / share : <f32>0.5)
  const chance = share / cutSum * lampPower(lamp) / max<f32>(1e-12, lampPower(chosen))
  samplePair(sample, pair + ON_LAMP)
  const sent = lampOn(lamp, x, y, z, pairX, pairY)
  if (sent <= 0 || chance <= 0) return
  const dx = lampDX, dy = lampDY, dz = lampDZ, distance = lampDistance
  const back = reflects(dx, dy, dz)
  if (f32x4.extract_lane(back, 1) <= 0 && f32x4.extract_lane(back, 0) <= 0) return
  let through = throughTo(scene, stack, time, x, y, z, dx, dy, dz, least, distance, wide)
  if (through <= 0) return
  if (sceneGasCount(scene)) through *= transmittanceOfAll(sceneGases(scene), sceneGasCount(scene), x, y, z, dx, dy, dz, distance)
  const light = f32x4.mul(f32x4.splat(sent * through / chance), f32x4.mul(back, f32x4.replace_lane(v128.load(lampIntensity(lamp)), 3, 0)))
  if (lampSetUp(lamp)) lampLit = f32x4.add(lampLit, light)
  else effect = f32x4.add(effect, light)
}

/** Lights the surface that takeMaterial read, at a place that a ray met after t metres. Left in lit, lampLit and effect. lampsOnly: no sun and sky. sample, pair: the numbers that its directions come from. */
function shadeSurface(scene: usize, stack: usize, scratch: usize, time: f32, sample: u32, pair: u32, dx: f32, dy: f32, dz: f32, px: f32, py: f32, pz: f32, t: f32, wide: f32, bounces: bool, lampsOnly: bool): void {
  const clear = clearance(px, py, pz, t)
  const x = px + flatX * clear, y = py + flatY * clear, z = pz + flatZ * clear
  const fx = flatX, fy = flatY, fz = flatZ
  takeSurface(sceneLobes(scene), smoothX, smoothY, smoothZ, dx, dy, dz, base, metal, roughness)
  lit = f32x4.splat(0)
  effect = f32x4.splat(0)
  lampLit = f32x4.splat(0)
  if (sceneLampCount(scene)) addLamp(scene, stack, scratch, time, sample, pair, x, y, z, 0, wide)
  if (lampsOnly) return
  samplePair(sample, pair + SUN)
  towardsSun(scene, pairX, pairY)
  if (sunX * fx + sunY * fy + sunZ * fz > 0) {
    const back = reflects(sunX, sunY, sunZ)
    let through = throughTo(scene, stack, time, x, y, z, sunX, sunY, sunZ, 0, MISS, wide)
    if (through > 0 && sceneGasCount(scene)) through *= transmittanceOfAll(sceneGases(scene), sceneGasCount(scene), x, y, z, sunX, sunY, sunZ, 1e9)
    lit = f32x4.mul(f32x4.splat(through), f32x4.mul(back, v128.load(sceneSunColour(scene))))
  }
  // One ray for the light all round: by the lobe or by the cosine, exactly as often as each of them counts, so that under an even light no sample differs from another.
  const matt = (f32x4.extract_lane(diffuse, 0) + f32x4.extract_lane(diffuse, 1) + f32x4.extract_lane(diffuse, 2)) * <f32>(1.0 / 3.0)
  const lobe: f32 = !bounces || lobeShare < 0.002 ? 0 : lobeShare / (lobeShare + matt)
  samplePair(sample, pair + LOBE)
  const mirrors = pairX < lobe
  samplePair(sample, pair + SKY)
  let weight = diffuse
  if (mirrors) weight = mirror(pairX, pairY)
  else scatter(pairX, pairY)
  if (!v128.any_true(weight) || towardX * fx + towardY * fy + towardZ * fz <= 0) return
  const light = incoming(scene, stack, time, x, y, z, towardX, towardY, towardZ, 0, bounces)
  lit = f32x4.add(lit, f32x4.mul(f32x4.splat(1 / (mirrors ? lobe : 1 - lobe)), f32x4.mul(weight, light)))
}

/** The same with the plate that was projected on it: what has not moved shows it, what has is lit anew, to four times its light at most. */
export function shade(scene: usize, stack: usize, scratch: usize, time: f32, sample: u32, pair: u32, dx: f32, dy: f32, dz: f32, px: f32, py: f32, pz: f32, t: f32, wide: f32, bounces: bool): void {
  const plate = projected, light = kept, anew = moved
  shadeSurface(scene, stack, scratch, time, sample, pair, dx, dy, dz, px, py, pz, t, wide, bounces, plate && anew == 0)
  if (plate) {
    const again = f32x4.add(f32x4.mul(f32x4.splat(1 - anew), light), f32x4.mul(f32x4.splat(anew), lit))
    lit = f32x4.min(f32x4.mul(f32x4.splat(4), light), again)
  }
  lit = f32x4.add(lit, lampLit)
}
