import { transmittanceOfAll } from './gaslight'
import { setLight, skyLight } from './environment'
import {
  INSTANCE_BYTES, instanceFlags, instanceLayer, LAMP_BYTES, lampAxis, lampAxisX, lampAxisY, lampInner, lampIntensity, lampKind, lampLayer, lampOuter, lampPlace, lampRadius,
  sceneGasCount, sceneGases, sceneInstances, sceneLampCount, sceneLamps, sceneLobes, sceneSun, sceneSunColour, sceneSunDisc, sceneTop,
} from './layouts.generated'
import { castAny, castNearest, hitInstance, hitT, MISS } from './rays'
import { pairX, pairY, samplePair } from './sampler'
import { lampWeights, MOST_LAMPS } from './scratch'
import { diffuse, lobeShare, mirror, reflects, scatter, takeSurface, towardX, towardY, towardZ } from './shading'
import { alphaAtHit, base, flatX, flatY, flatZ, metal, roughness, smoothX, smoothY, smoothZ, takeMaterial } from './surface'

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
  const open = f32x4.add(f32x4.mul(f32x4.splat(up), skyLight(scene, 0, 1, 0)), f32x4.mul(f32x4.splat(1 - up), skyLight(scene, 0, -1, 0)))
  return f32x4.mul(through, f32x4.mul(base, f32x4.mul(f32x4.splat(0.6), open)))
}

/** Direction and distance from a place to the point of a lamp that lampOn chose. */
export let lampDX: f32 = 0
export let lampDY: f32 = 0
export let lampDZ: f32 = 0
export let lampDistance: f32 = 0

/** Light of a lamp that a surface square to it would have, by way of a point of it (u, v); 0 where it does not shine that way. */
export function lampOn(lamp: usize, x: f32, y: f32, z: f32, u: f32, v: f32): f32 {
  const p = lampPlace(lamp)
  let px = load<f32>(p), py = load<f32>(p, 4), pz = load<f32>(p, 8)
  const kind = lampKind(lamp)
  if (kind == 2) {
    const a = lampAxisX(lamp), b = lampAxisY(lamp)
    const s: f32 = 2 * u - 1, t: f32 = 2 * v - 1
    px += s * load<f32>(a) + t * load<f32>(b)
    py += s * load<f32>(a, 4) + t * load<f32>(b, 4)
    pz += s * load<f32>(a, 8) + t * load<f32>(b, 8)
  }
  const dx = px - x, dy = py - y, dz = pz - z
  const r2 = dx * dx + dy * dy + dz * dz
  const r = sqrt(r2) + 1e-6
  const k: f32 = 1 / r
  lampDX = dx * k
  lampDY = dy * k
  lampDZ = dz * k
  const radius = lampRadius(lamp)
  lampDistance = kind == 2 ? r : max<f32>(0, r - radius)
  let share: f32 = 1
  if (kind != 0) {
    const axis = lampAxis(lamp)
    const cosine = -(lampDX * load<f32>(axis) + lampDY * load<f32>(axis, 4) + lampDZ * load<f32>(axis, 8))
    if (kind == 2) share = max<f32>(0, cosine)
    else {
      const f = max<f32>(0, min<f32>(1, (cosine - lampOuter(lamp)) / max<f32>(1e-4, lampInner(lamp) - lampOuter(lamp))))
      share = f * f * (3 - 2 * f)
    }
  }
  return share / (3.14159265 * (r2 + (kind == 2 ? 1e-6 : radius * radius)))
}

/** One lamp, chosen by what it would send without shadow; x y z: the surface that is shaded. */
function addLamp(scene: usize, stack: usize, scratch: usize, time: f32, sample: u32, pair: u32, x: f32, y: f32, z: f32, least: f32, wide: f32): void {
  const lamps = sceneLamps(scene)
  const count = min(MOST_LAMPS, sceneLampCount(scene))
  const weights = lampWeights(scratch)
  let sum: f32 = 0
  for (let n = 0; n < count; n++) {
    const lamp = lamps + <usize>n * LAMP_BYTES
    const at = lampIntensity(lamp)
    const power = load<f32>(at) + load<f32>(at, 4) + load<f32>(at, 8)
    sum += power * (lampOn(lamp, x, y, z, 0.5, 0.5) + 1e-7)
    store<f32>(weights + ((<usize>n) << 2), sum)
  }
  if (sum <= 0) return
  samplePair(sample, pair + PICK)
  const want = pairX * sum
  let n = 0
  while (n < count - 1 && load<f32>(weights + ((<usize>n) << 2)) <= want) n++
  const before: f32 = n ? load<f32>(weights + ((<usize>(n - 1)) << 2)) : 0
  const chance = (load<f32>(weights + ((<usize>n) << 2)) - before) / sum
  const lamp = lamps + <usize>n * LAMP_BYTES
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
  if (lampLayer(lamp) >= 0) effect = f32x4.add(effect, light)
  else lit = f32x4.add(lit, light)
}

/** Lights the surface that takeMaterial read, at a place that a ray met after t metres. Left in lit and effect. sample, pair: the numbers that its directions come from. */
export function shade(scene: usize, stack: usize, scratch: usize, time: f32, sample: u32, pair: u32, dx: f32, dy: f32, dz: f32, px: f32, py: f32, pz: f32, t: f32, wide: f32, bounces: bool): void {
  const clear = clearance(px, py, pz, t)
  const x = px + flatX * clear, y = py + flatY * clear, z = pz + flatZ * clear
  const fx = flatX, fy = flatY, fz = flatZ
  takeSurface(sceneLobes(scene), smoothX, smoothY, smoothZ, dx, dy, dz, base, metal, roughness)
  lit = f32x4.splat(0)
  effect = f32x4.splat(0)
  samplePair(sample, pair + SUN)
  towardsSun(scene, pairX, pairY)
  if (sunX * fx + sunY * fy + sunZ * fz > 0) {
    const back = reflects(sunX, sunY, sunZ)
    let through = throughTo(scene, stack, time, x, y, z, sunX, sunY, sunZ, 0, MISS, wide)
    if (through > 0 && sceneGasCount(scene)) through *= transmittanceOfAll(sceneGases(scene), sceneGasCount(scene), x, y, z, sunX, sunY, sunZ, 1e9)
    lit = f32x4.mul(f32x4.splat(through), f32x4.mul(back, v128.load(sceneSunColour(scene))))
  }
  if (sceneLampCount(scene)) addLamp(scene, stack, scratch, time, sample, pair, x, y, z, 0, wide)
  // Directions first: what a ray meets is read into the same place as the surface.
  const spread = diffuse
  samplePair(sample, pair + LOBE)
  const weight = bounces && lobeShare > 0.002 ? mirror(pairX, pairY) : f32x4.splat(0)
  const mx = towardX, my = towardY, mz = towardZ
  samplePair(sample, pair + SKY)
  scatter(pairX, pairY)
  if (towardX * fx + towardY * fy + towardZ * fz > 0) lit = f32x4.add(lit, f32x4.mul(spread, incoming(scene, stack, time, x, y, z, towardX, towardY, towardZ, 0, bounces)))
  if (v128.any_true(weight) && mx * fx + my * fy + mz * fz > 0) lit = f32x4.add(lit, f32x4.mul(weight, incoming(scene, stack, time, x, y, z, mx, my, mz, 0, bounces)))
}
