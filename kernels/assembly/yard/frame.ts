import { castRay, MISS, STACK_BYTES } from './tree'
import { mix, place, turn, turnCos, turnSin, unit, wayX, wayY, wayZ } from './random'
import { meet, metAt, metChart, metMoving, movingBlocks, readMet } from './meet'
import { airB, airG, airR, albedoB, albedoG, albedoR, flameB, flameG, flameR, mirror, normalX, normalY, normalZ, readSky, roughness, skyB, skyG, skyR, sunB, sunG, sunR } from './surface'
import { CHART_BYTES, Yard } from './yard'

/** One moment of a camera; one word a field, in this order. */
@unmanaged
export class View {
  /** Right, up and back in the world. */
  rightX: f32
  rightY: f32
  rightZ: f32
  upX: f32
  upY: f32
  upZ: f32
  backX: f32
  backY: f32
  backZ: f32
  x: f32
  y: f32
  z: f32
  focal: f32
  centreX: f32
  centreY: f32
  k1: f32
  k2: f32
  /** Radius of the lens's opening and distance of the plane in focus, m. */
  opening: f32
  focus: f32
  width: i32
  height: i32
  /** Which moment of the shutter, of how many; edge of the square of places in a pixel. */
  slice: i32
  slices: i32
  seed: i32
  gain: f32
}

let outR: f32 = 0, outG: f32 = 0, outB: f32 = 0
const SHARPER: f32 = 0.55
const LAMP_REACH: f32 = 4.2
/** The mirror part from which every ray is sent on. */
const SURELY: f32 = 0.1
/** The lantern's red light from which every ray to it is cast. */
const LAMP_SURELY: f32 = 0.02

/** log2 with its fraction linear between powers: enough to choose a level by. */
// @ts-ignore: decorator
@inline
function log2(x: f32): f32 {
  const bits = reinterpret<i32>(x)
  return <f32>((bits >> 23) - 127) + <f32>(bits & 0x7fffff) * (1.0 / 8388608.0)
}

// @ts-ignore: decorator
@inline
function levelAt(yard: Yard, footprint: f32, dither: f32): i32 {
  const index = metChart(yard)
  if (index < 0) return 0
  const texel = load<f32>(<usize>yard.charts + (<usize>index) * CHART_BYTES, 28)
  return <i32>Mathf.floor(max<f32>(0, log2(max<f32>(1e-6, footprint / texel)) + dither))
}

// Smooth noise in space from the eight corners' hashes, about [-1, 1].
function speckle(x: f32, y: f32, z: f32): f32 {
  const i = <f32>Mathf.floor(x), j = <f32>Mathf.floor(y), k = <f32>Mathf.floor(z)
  const fx = x - i, fy = y - j, fz = z - k
  const key = <u32><i32>i * 0x9e3779b1 + <u32><i32>j * 0x85ebca77 + <u32><i32>k * 0xc2b2ae3d
  let sum: f32 = 0
  for (let n: u32 = 0; n < 8; n++) {
    const wx: f32 = n & 1 ? fx : 1 - fx, wy: f32 = n & 2 ? fy : 1 - fy, wz: f32 = n & 4 ? fz : 1 - fz
    sum += wx * wy * wz * unit(mix(key + (n & 1) * 0x9e3779b1 + ((n >> 1) & 1) * 0x85ebca77 + ((n >> 2) & 1) * 0xc2b2ae3d))
  }
  return 2 * sum - 1
}

/** Share of the sky that the moving figure's balls hide from a point, by the form factor of a ball (r/d)^2 cos. */
function hidden(yard: Yard, px: f32, py: f32, pz: f32, nx: f32, ny: f32, nz: f32): f32 {
  let sum: f32 = 0
  let ball = <usize>yard.balls
  for (let n = 0; n < yard.ballCount; n++, ball += 16) {
    const x = load<f32>(ball) - px, y = load<f32>(ball, 4) - py, z = load<f32>(ball, 8) - pz, r = load<f32>(ball, 12)
    const d2 = max<f32>(r * r, x * x + y * y + z * z)
    const inv: f32 = 1 / <f32>Mathf.sqrt(d2)
    // Half-hidden balls at the horizon count in part.
    const cos = (nx * x + ny * y + nz * z) * inv
    const reach = r * inv
    const seen = cos > reach ? cos : cos > -reach ? 0.25 * (cos + reach) * (cos + reach) / reach : <f32>0
    sum += seen * r * r / d2
  }
  return sum > 0.94 ? 0.94 : sum
}

/** What the surface that meet found sends towards -d; its mirror part excluded. (px py pz): the point. */
function shadeMet(yard: Yard, stack: usize, px: f32, py: f32, pz: f32, dx: f32, dy: f32, dz: f32, key: u32, whole: bool): void {
  let nx = normalX, ny = normalY, nz = normalZ
  const moving = metMoving
  if (nx * dx + ny * dy + nz * dz > 0 && moving) { nx = -nx; ny = -ny; nz = -nz }
  const ox = px - dx * 0.004 + nx * 0.003, oy = py - dy * 0.004 + ny * 0.003, oz = pz - dz * 0.004 + nz * 0.003
  let sky: f32 = 1, sun: f32 = 1, flame = yard.flameNow
  if (yard.movingNodes && !moving) {
    const rx = yard.roundX - px, ry = yard.roundY - py, rz = yard.roundZ - pz
    if (rx * rx + ry * ry + rz * rz < 25) sky = 1 - hidden(yard, px, py, pz, nx, ny, nz)
    if (sunR + sunG > 0.002) {
      turn(unit(mix(key + 11)))
      const r = yard.sunSpread * <f32>Mathf.sqrt(unit(mix(key + 12)))
      place(yard.sunX, yard.sunY, yard.sunZ, r * turnCos, r * turnSin, 1)
      const inv: f32 = 1 / <f32>Mathf.sqrt(1 + r * r)
      if (movingBlocks(yard, stack, ox, oy, oz, wayX * inv, wayY * inv, wayZ * inv, MISS)) sun = 0.1
    }
    if (flameR > 0.002) {
      turn(unit(mix(key + 13)))
      const r = yard.flameRadius * <f32>Mathf.sqrt(unit(mix(key + 14)))
      let x = yard.flameX + r * turnCos - ox, y = yard.flameY + yard.flameLength * unit(mix(key + 15)) - oy, z = yard.flameZ + r * turnSin - oz
      const d = <f32>Mathf.sqrt(x * x + y * y + z * z)
      const inv: f32 = 1 / d
      if (movingBlocks(yard, stack, ox, oy, oz, x * inv, y * inv, z * inv, d)) flame *= 0.12
    }
  }
  let r = skyR * sky + sunR * sun + flameR * flame
  let g = skyG * sky + sunG * sun + flameG * flame
  let b = skyB * sky + sunB * sun + flameB * flame
  if (whole && yard.lampR > 0) {
    // The carried lantern, a small glowing ball.
    turn(unit(mix(key + 16)))
    const spread = yard.lampRadius * <f32>Mathf.sqrt(unit(mix(key + 17)))
    let x = yard.lampX + spread * turnCos - ox, y = yard.lampY + yard.lampRadius * (2 * unit(mix(key + 18)) - 1) - oy, z = yard.lampZ + spread * turnSin - oz
    const d2 = x * x + y * y + z * z
    if (d2 < LAMP_REACH * LAMP_REACH) {
      const inv: f32 = 1 / <f32>Mathf.sqrt(d2)
      x *= inv; y *= inv; z *= inv
      const cos = nx * x + ny * y + nz * z
      const away: f32 = d2 * inv - 2.2 * yard.lampRadius
      if (cos > 0 && away > 0) {
        const fade: f32 = 1 - d2 * (1.0 / (LAMP_REACH * LAMP_REACH))
        let w = (cos * fade) / (d2 + 0.004)
        // Where it gives little, only a share of the rays are cast, and those count for the rest.
        const chance: f32 = min<f32>(1, (w * yard.lampR * albedoR) * (1.0 / LAMP_SURELY))
        if (unit(mix(key + 19)) < chance && castRay(yard.nodes, yard.triangles, stack, ox, oy, oz, x, y, z, away, true) >= MISS && !movingBlocks(yard, stack, ox, oy, oz, x, y, z, away)) {
          w /= chance
          r += albedoR * yard.lampR * w; g += albedoG * yard.lampG * w; b += albedoB * yard.lampB * w
        }
      }
    }
  }
  outR = r; outG = g; outB = b
}

/** The flame and the lantern as a mirror sees them: soft bodies along the ray. Adds to out. */
function addGlow(yard: Yard, ox: f32, oy: f32, oz: f32, dx: f32, dy: f32, dz: f32, limit: f32): void {
  const x = yard.flameX - ox, z = yard.flameZ - oz
  const flat = dx * dx + dz * dz
  if (yard.flameR > 0 && flat > 1e-6) {
    const t = (x * dx + z * dz) / flat
    if (t > 0 && t < limit) {
      const side = x * dz - z * dx
      const h = (oy + t * dy - yard.flameY) / yard.flameLength
      const r = yard.flameRadius * max<f32>(0.15, 1 - 0.75 * max<f32>(0, h))
      const a = (side * side) / (flat * r * r)
      const e = max<f32>(0, 1 - a) * max<f32>(0, min<f32>(1, 4 * h + 1)) * max<f32>(0, 1.25 - h)
      // Intensity of the whole over the area it shows.
      const w = e * e * yard.flameNow * 1.3 / (2 * yard.flameRadius * yard.flameLength)
      outR += yard.flameR * w; outG += yard.flameG * w; outB += yard.flameB * w
    }
  }
  if (yard.lampR > 0) {
    const lx = yard.lampX - ox, ly = yard.lampY - oy, lz = yard.lampZ - oz
    const t = lx * dx + ly * dy + lz * dz
    const r2 = yard.lampRadius * yard.lampRadius
    const away = lx * lx + ly * ly + lz * lz - t * t
    if (t > 0 && t < limit + 3 * yard.lampRadius && away < r2) {
      const w: f32 = (1 - away / r2) * 2 / r2
      outR += yard.lampR * w; outG += yard.lampG * w; outB += yard.lampB * w
    }
  }
}

/** One ray of the camera: its light in out, its distance returned. cone: breadth of a pixel per metre. */
function trace(yard: Yard, stack: usize, ox: f32, oy: f32, oz: f32, dx: f32, dy: f32, dz: f32, cone: f32, key: u32): f32 {
  if (!meet(yard, stack, ox, oy, oz, dx, dy, dz, true)) {
    readSky(yard, dx, dy, dz)
    outR = airR; outG = airG; outB = airB
    return MISS
  }
  const t = metAt
  const px = ox + dx * t, py = oy + dy * t, pz = oz + dz * t
  readMet(yard, levelAt(yard, t * cone * SHARPER, unit(mix(key + 7))))
  const nx = normalX, ny = normalY, nz = normalZ
  const water = mirror, rough = roughness
  shadeMet(yard, stack, px, py, pz, dx, dy, dz, key, true)
  let r = outR, g = outG, b = outB
  // Grain finer than a texel, where the camera is near enough to see it: pits and grit of 6 and 2.5 mm.
  const index = metMoving ? -1 : metChart(yard)
  if (index >= 0 && water < 0.5) {
    const texel = load<f32>(<usize>yard.charts + (<usize>index) * CHART_BYTES, 28)
    const near: f32 = 1 - (t * cone) / texel
    if (near > 0) {
      const pit: f32 = 1 + near * (0.26 * speckle(px * 165, py * 165, pz * 165) + 0.22 * speckle(px * 400, py * 400, pz * 400))
      r *= pit; g *= pit; b *= pit
    }
  }
  // A mirror part: Schlick 1994 with the index of water or of a dull dry coat.
  const cos: f32 = -(nx * dx + ny * dy + nz * dz)
  const c: f32 = 1 - min<f32>(1, max<f32>(0, cos))
  const c2 = c * c
  const smooth = max<f32>(water, (1 - rough) * (1 - rough))
  const fresnel: f32 = (0.028 + 0.972 * c2 * c2 * c) * smooth
  // A weak mirror sends only a share of its rays on, and those count for the rest (Russian roulette, Arvo & Kirk 1990).
  const chance: f32 = min<f32>(1, fresnel * (1.0 / SURELY))
  if (fresnel > 0.012 && unit(mix(key + 20)) < chance) {
    let mx = dx + 2 * cos * nx, my = dy + 2 * cos * ny, mz = dz + 2 * cos * nz
    const spread = rough * rough * 0.9
    turn(unit(mix(key + 21)))
    const h: f32 = 2 * unit(mix(key + 22)) - 1
    const ring = <f32>Mathf.sqrt(max<f32>(0, 1 - h * h)) * spread * <f32>Mathf.sqrt(unit(mix(key + 23)))
    mx += ring * turnCos; my += h * spread * 0.7; mz += ring * turnSin
    const inv: f32 = 1 / <f32>Mathf.sqrt(mx * mx + my * my + mz * mz)
    mx *= inv; my *= inv; mz *= inv
    // A reflected ray that would go down into the ground meets the next stone instead; the mesh tells.
    const sx = px + nx * 0.004 - dx * 0.002, sy = py + ny * 0.004 - dy * 0.002, sz = pz + nz * 0.004 - dz * 0.002
    let limit = MISS
    if (meet(yard, stack, sx, sy, sz, mx, my, mz, true)) {
      limit = metAt
      readMet(yard, levelAt(yard, (t + metAt) * cone + metAt * rough * 0.4, unit(mix(key + 24))))
      shadeMet(yard, stack, sx + mx * metAt, sy + my * metAt, sz + mz * metAt, mx, my, mz, key + 31, false)
    } else {
      readSky(yard, mx, my, mz)
      outR = airR; outG = airG; outB = airB
    }
    addGlow(yard, sx, sy, sz, mx, my, mz, limit)
    const firefly: f32 = 3 / max<f32>(3, max<f32>(outR, max<f32>(outG, outB)))
    const keep: f32 = 1 - fresnel, sent: f32 = firefly * fresnel / chance
    r = r * keep + outR * sent; g = g * keep + outG * sent; b = b * keep + outB * sent
  } else if (fresnel > 0.012) {
    const keep: f32 = 1 - fresnel
    r *= keep; g *= keep; b *= keep
  }
  const clear: f32 = <f32>Mathf.exp(-t * yard.airLoss)
  outR = r * clear + yard.airR * (1 - clear); outG = g * clear + yard.airG * (1 - clear); outB = b * clear + yard.airB * (1 - clear)
  return t
}

// @ts-ignore: decorator
@inline
function straightRadius(view: View, r: f32): f32 {
  let s = r
  for (let n = 0; n < 5; n++) {
    const s2 = s * s
    s -= (s * (1 + s2 * (view.k1 + s2 * view.k2)) - r) / (1 + s2 * (3 * view.k1 + 5 * s2 * view.k2))
  }
  return s
}

/**
 * Draws rows [from, to) of the picture (r g b, f32): the mean of `moments` of the shutter, each with its own table of the yard and its own view, lying one after another.
 * A row takes its moments in turn, so that what they all see is read while it is near. The first also writes the distance along the view axis.
 */
export function drawRows(yards: usize, views: usize, moments: i32, image: usize, depth: usize, stacks: usize, from: i32, to: i32): void {
  const width = changetype<View>(views).width
  for (let j = from; j < to; j++) {
    memory.fill(image + (<usize>(j * width)) * 12, 0, (<usize>width) * 12)
    for (let moment = 0; moment < moments; moment++) {
      const yard = changetype<Yard>(yards + (<usize>moment) * offsetof<Yard>()), view = changetype<View>(views + (<usize>moment) * offsetof<View>())
      drawRow(yard, view, image, depth, stacks + (<usize>j) * STACK_BYTES, j)
    }
  }
}

function drawRow(yard: Yard, view: View, image: usize, depth: usize, stack: usize, j: i32): void {
  const width = view.width
  const share = view.gain / <f32>view.slices
  const cone: f32 = 1 / view.focal
  const side = <i32>Mathf.ceil(Mathf.sqrt(<f32>view.slices))
  const cell: f32 = 1 / <f32>side
  for (let i = 0; i < width; i++) {
    const pixel = mix(<u32>(j * width + i) + mix(<u32>view.seed))
    const key = mix(pixel + <u32>view.slice * 0x85ebca77)
    const place = <i32>((pixel >>> 8) + <u32>view.slice * 7) % (side * side)
    const x = <f32>i + (<f32>(place % side) + unit(mix(key + 1))) * cell
    const y = <f32>j + (<f32>(place / side) + unit(mix(key + 2))) * cell
    let sx = (x - view.centreX) / view.focal, sy = (y - view.centreY) / view.focal
    const r = <f32>Mathf.sqrt(sx * sx + sy * sy)
    if (r > 1e-6) {
      const s = straightRadius(view, r) / r
      sx *= s; sy *= s
    }
    turn(unit(mix(key + 3)))
    const a = view.opening * <f32>Mathf.sqrt(unit(mix(key + 4)))
    const lx = a * turnCos, ly = a * turnSin
    const cx = sx * view.focus - lx, cy = -sy * view.focus - ly, cz = -view.focus
    let dx = view.rightX * cx + view.upX * cy + view.backX * cz
    let dy = view.rightY * cx + view.upY * cy + view.backY * cz
    let dz = view.rightZ * cx + view.upZ * cy + view.backZ * cz
    const inv: f32 = 1 / <f32>Mathf.sqrt(dx * dx + dy * dy + dz * dz)
    dx *= inv; dy *= inv; dz *= inv
    const t = trace(yard, stack, view.x + view.rightX * lx + view.upX * ly, view.y + view.rightY * lx + view.upY * ly, view.z + view.rightZ * lx + view.upZ * ly, dx, dy, dz, cone, key)
    const at = image + (<usize>(j * width + i)) * 12
    store<f32>(at, load<f32>(at) + outR * share); store<f32>(at, load<f32>(at, 4) + outG * share, 4); store<f32>(at, load<f32>(at, 8) + outB * share, 8)
    if (depth && view.slice == 0) store<f32>(depth + (<usize>(j * width + i)) * 4, t >= MISS ? MISS : -t * (dx * view.backX + dy * view.backY + dz * view.backZ))
  }
}
