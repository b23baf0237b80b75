import { castRay, MISS, STACK_BYTES } from './tree'
import { aboutNormal, mix, place, R2_A, R2_B, turn, turnCos, turnSin, unit, wayX, wayY, wayZ } from './random'
import { meet, metAt, movingBlocks, readMet } from './meet'
import { airB, airG, airR, flameB, flameG, flameR, normalX, normalY, normalZ, readSky, skyB, skyG, skyR, sunB, sunG, sunR } from './surface'
import { CHART_BYTES, RANGE, TEXEL_BYTES, VERTEX_BYTES, Yard } from './yard'

// Light gathered at a point: what a white surface there would send out of the sky's, the sun's and the flame's light.
let gotSkyR: f32 = 0, gotSkyG: f32 = 0, gotSkyB: f32 = 0
let gotSunR: f32 = 0, gotSunG: f32 = 0, gotSunB: f32 = 0
let gotFlameR: f32 = 0, gotFlameG: f32 = 0, gotFlameB: f32 = 0

const SUN_RAYS = 4
const FLAME_RAYS = 4
const FLAME_REACH: f32 = 26
const LIFT: f32 = 0.0025

/** Gathers at a point lifted off its surface along (gx gy gz), about the shading normal n. Light sent on by surfaces is read at `level` or coarser. */
function gather(yard: Yard, stack: usize, px: f32, py: f32, pz: f32, nx: f32, ny: f32, nz: f32, rays: i32, level: i32, key: u32, both: bool, all: bool): void {
  gotSkyR = gotSkyG = gotSkyB = gotSunR = gotSunG = gotSunB = gotFlameR = gotFlameG = gotFlameB = 0
  const a0 = mix(key), b0 = mix(key + 0x68bc21eb)
  for (let n = 0; n < rays; n++) {
    const side: f32 = both && (n & 1) ? -1 : 1
    aboutNormal(nx * side, ny * side, nz * side, unit(a0 + <u32>n * R2_A), unit(b0 + <u32>n * R2_B))
    const dx = wayX, dy = wayY, dz = wayZ
    if (!meet(yard, stack, px, py, pz, dx, dy, dz, all)) {
      readSky(yard, dx, dy, dz)
      gotSkyR += airR; gotSkyG += airG; gotSkyB += airB
      continue
    }
    readMet(yard, level)
    // The back of a closed thing is dark; of what has two sides it is like the front. A near back is the surface's own neighbour.
    gotSkyR += skyR; gotSkyG += skyG; gotSkyB += skyB
    gotSunR += sunR; gotSunG += sunG; gotSunB += sunB
    gotFlameR += flameR; gotFlameG += flameG; gotFlameB += flameB
  }
  const share: f32 = 1 / <f32>rays
  gotSkyR *= share; gotSkyG *= share; gotSkyB *= share
  gotSunR *= share; gotSunG *= share; gotSunB *= share
  gotFlameR *= share; gotFlameG *= share; gotFlameB *= share
  gatherSun(yard, stack, px, py, pz, nx, ny, nz, a0, b0, both, all)
  gatherFlame(yard, stack, px, py, pz, nx, ny, nz, a0, b0, both, all)
}

function gatherSun(yard: Yard, stack: usize, px: f32, py: f32, pz: f32, nx: f32, ny: f32, nz: f32, a0: u32, b0: u32, both: bool, all: bool): void {
  if (yard.sunR <= 0) return
  const facing = nx * yard.sunX + ny * yard.sunY + nz * yard.sunZ
  const most = facing + yard.sunSpread
  if (!both && most <= 0) return
  for (let n = 0; n < SUN_RAYS; n++) {
    turn(unit(b0 + <u32>n * R2_A))
    const r = yard.sunSpread * <f32>Mathf.sqrt(unit(a0 + <u32>n * R2_B))
    place(yard.sunX, yard.sunY, yard.sunZ, r * turnCos, r * turnSin, 1)
    const inv: f32 = 1 / <f32>Mathf.sqrt(1 + r * r)
    const dx = wayX * inv, dy = wayY * inv, dz = wayZ * inv
    let cos = nx * dx + ny * dy + nz * dz
    if (both) cos = 0.5 * abs(cos)
    if (cos <= 0) continue
    if (castRay(yard.nodes, yard.triangles, stack, px, py, pz, dx, dy, dz, MISS, true) < MISS) continue
    if (all && movingBlocks(yard, stack, px, py, pz, dx, dy, dz, MISS)) continue
    cos *= 1.0 / <f32>SUN_RAYS
    gotSunR += yard.sunR * cos; gotSunG += yard.sunG * cos; gotSunB += yard.sunB * cos
  }
}

function gatherFlame(yard: Yard, stack: usize, px: f32, py: f32, pz: f32, nx: f32, ny: f32, nz: f32, a0: u32, b0: u32, both: bool, all: bool): void {
  const ax = yard.flameX - px, az = yard.flameZ - pz
  if (yard.flameR <= 0 || ax * ax + az * az > FLAME_REACH * FLAME_REACH) return
  for (let n = 0; n < FLAME_RAYS; n++) {
    const h = mix(a0 + <u32>n * 0x9e3779b9)
    turn(unit(h))
    const r = yard.flameRadius * <f32>Mathf.sqrt(unit(mix(h + 1)))
    const along = (<f32>n + unit(b0 + <u32>n * R2_A)) * (1.0 / <f32>FLAME_RAYS)
    const thin = r * (1 - 0.7 * along)
    let dx = ax + thin * turnCos, dy = yard.flameY + along * yard.flameLength - py, dz = az + thin * turnSin
    const d2 = dx * dx + dy * dy + dz * dz
    const inv: f32 = 1 / <f32>Mathf.sqrt(d2)
    dx *= inv; dy *= inv; dz *= inv
    let cos = nx * dx + ny * dy + nz * dz
    if (both) cos = 0.5 * abs(cos)
    if (cos <= 0) continue
    const away: f32 = d2 * inv - yard.flameRadius * 0.2
    if (castRay(yard.nodes, yard.triangles, stack, px, py, pz, dx, dy, dz, away, true) < MISS) continue
    if (all && movingBlocks(yard, stack, px, py, pz, dx, dy, dz, away)) continue
    const w = cos / ((d2 + 0.02) * <f32>FLAME_RAYS)
    gotFlameR += yard.flameR * w; gotFlameG += yard.flameG * w; gotFlameB += yard.flameB * w
  }
}

// @ts-ignore: decorator
@inline
function root(value: f32, range: f32): u16 { return <u16>min<f32>(65535, 65535 * <f32>Mathf.sqrt(max<f32>(0, value) / range) + 0.5) }
// @ts-ignore: decorator
@inline
function part(texel: usize, at: usize, range: f32): f32 {
  const s = <f32>load<u16>(texel + at) * (1.0 / 65535.0)
  return s * s * range
}

/** Lights rows [from, to) of one level of a chart. */
export function lightChart(yard: Yard, index: i32, level: i32, rays: i32, readLevel: i32, seed: i32, stacks: usize, from: i32, to: i32): void {
  const chart = <usize>yard.charts + (<usize>index) * CHART_BYTES
  const width = max<i32>(1, load<i32>(chart) >> level)
  const data = <usize>load<u32>(chart + 48 + ((<usize>level) << 2))
  const grid = <usize>load<u32>(chart, 12)
  const columns = load<i32>(chart, 16), rows = load<i32>(chart, 20)
  const perStep = load<f32>(chart, 24)
  const size = <f32>(1 << level)
  const row = columns * 12
  for (let j = from; j < to; j++) {
    const stack = stacks + (<usize>j) * STACK_BYTES
    for (let i = 0; i < width; i++) {
      const texel = data + (<usize>(j * width + i)) * TEXEL_BYTES
      if (!load<u8>(texel, 30)) continue
      const u = min<f32>(((<f32>i + 0.5) * size) / perStep, <f32>(columns - 1) - 0.001), v = min<f32>(((<f32>j + 0.5) * size) / perStep, <f32>(rows - 1) - 0.001)
      const gi = <i32>u, gj = <i32>v
      const fu = u - <f32>gi, fv = v - <f32>gj
      const a = grid + <usize>(gj * columns + gi) * 12
      const b = a + 12, c = a + <usize>row, d = c + 12
      const ux = load<f32>(b) - load<f32>(a), uy = load<f32>(b, 4) - load<f32>(a, 4), uz = load<f32>(b, 8) - load<f32>(a, 8)
      const wx = load<f32>(c) - load<f32>(a), wy = load<f32>(c, 4) - load<f32>(a, 4), wz = load<f32>(c, 8) - load<f32>(a, 8)
      const tx = load<f32>(d) - load<f32>(c), ty = load<f32>(d, 4) - load<f32>(c, 4), tz = load<f32>(d, 8) - load<f32>(c, 8)
      let nx = <f32>load<i8>(texel, 24), ny = <f32>load<i8>(texel, 25), nz = <f32>load<i8>(texel, 26)
      const inv: f32 = 1 / max<f32>(1, <f32>Mathf.sqrt(nx * nx + ny * ny + nz * nz))
      nx *= inv; ny *= inv; nz *= inv
      let gx = uy * wz - uz * wy, gy = uz * wx - ux * wz, gz = ux * wy - uy * wx
      let g = <f32>Mathf.sqrt(gx * gx + gy * gy + gz * gz)
      if (g < 1e-12) g = 1
      const lift = (gx * nx + gy * ny + gz * nz < 0 ? -LIFT : LIFT) / g
      gx *= lift; gy *= lift; gz *= lift
      // The two triangles of a grid step share the diagonal from its second to its third corner.
      let px: f32, py: f32, pz: f32
      if (fu + fv < 1) {
        px = load<f32>(a) + fu * ux + fv * wx; py = load<f32>(a, 4) + fu * uy + fv * wy; pz = load<f32>(a, 8) + fu * uz + fv * wz
      } else {
        const sx = load<f32>(d) - load<f32>(b), sy = load<f32>(d, 4) - load<f32>(b, 4), sz = load<f32>(d, 8) - load<f32>(b, 8)
        px = load<f32>(d) - (1 - fu) * tx - (1 - fv) * sx; py = load<f32>(d, 4) - (1 - fu) * ty - (1 - fv) * sy; pz = load<f32>(d, 8) - (1 - fu) * tz - (1 - fv) * sz
      }
      gather(yard, stack, px + gx, py + gy, pz + gz, nx, ny, nz, rays, readLevel, mix(<u32>(seed + index * 7919)) + <u32>(j * width + i) * 0x9e3779b1, false, false)
      const open = <f32>load<u8>(texel, 29) * (1.0 / 255.0)
      const red = part(texel, 18, 1), green = part(texel, 20, 1), blue = part(texel, 22, 1)
      store<u16>(texel, root(red * gotSkyR * open, RANGE), 0); store<u16>(texel, root(green * gotSkyG * open, RANGE), 2); store<u16>(texel, root(blue * gotSkyB * open, RANGE), 4)
      store<u16>(texel, root(red * gotSunR, RANGE), 6); store<u16>(texel, root(green * gotSunG, RANGE), 8); store<u16>(texel, root(blue * gotSunB, RANGE), 10)
      store<u16>(texel, root(red * gotFlameR, RANGE), 12); store<u16>(texel, root(green * gotFlameG, RANGE), 14); store<u16>(texel, root(blue * gotFlameB, RANGE), 16)
    }
  }
}

/** Makes rows [from, to) of a level from the finer one: means of values, not of their roots. With `lightOnly`, only the nine parts of light. */
export function halveChart(yard: Yard, index: i32, level: i32, lightOnly: i32, from: i32, to: i32): void {
  const chart = <usize>yard.charts + (<usize>index) * CHART_BYTES
  const fineWidth = max<i32>(1, load<i32>(chart) >> (level - 1)), fineHeight = max<i32>(1, load<i32>(chart, 4) >> (level - 1))
  const width = max<i32>(1, load<i32>(chart) >> level)
  const fine = <usize>load<u32>(chart + 48 + ((<usize>(level - 1)) << 2))
  const data = <usize>load<u32>(chart + 48 + ((<usize>level) << 2))
  for (let j = from; j < to; j++)
    for (let i = 0; i < width; i++) {
      const out = data + (<usize>(j * width + i)) * TEXEL_BYTES
      let there = 0
      let nx: f32 = 0, ny: f32 = 0, nz: f32 = 0, rough: f32 = 0, wet: f32 = 0, open: f32 = 0
      for (let n = 0; n < 4; n++) {
        const t = fine + (<usize>(min(2 * j + (n >> 1), fineHeight - 1) * fineWidth + min(2 * i + (n & 1), fineWidth - 1))) * TEXEL_BYTES
        if (!load<u8>(t, 30)) continue
        there++
        nx += <f32>load<i8>(t, 24); ny += <f32>load<i8>(t, 25); nz += <f32>load<i8>(t, 26)
        rough += <f32>load<u8>(t, 27); wet += <f32>load<u8>(t, 28); open += <f32>load<u8>(t, 29)
      }
      const share: f32 = there ? 1 / <f32>there : 0
      const parts: usize = lightOnly ? 9 : 12
      for (let p: usize = 0; p < parts; p++) {
        const range: f32 = p < 9 ? RANGE : 1
        let sum: f32 = 0
        for (let n = 0; n < 4; n++) {
          const t = fine + (<usize>(min(2 * j + (n >> 1), fineHeight - 1) * fineWidth + min(2 * i + (n & 1), fineWidth - 1))) * TEXEL_BYTES
          if (load<u8>(t, 30)) sum += part(t, p << 1, range)
        }
        store<u16>(out + (p << 1), root(sum * share, range))
      }
      if (lightOnly) continue
      const length = <f32>Mathf.sqrt(nx * nx + ny * ny + nz * nz)
      const s: f32 = length > 0 ? 127 / length : 0
      store<i8>(out, <i8>(nx * s), 24); store<i8>(out, <i8>(ny * s), 25); store<i8>(out, <i8>(nz * s), 26)
      // What is rough at this size: the finer roughness and the spread of the finer normals (Toksvig 2005, as a simple sum).
      const spread: f32 = there ? 1 - min<f32>(1, length / (127 * <f32>there)) : 0
      store<u8>(out, <u8>min<f32>(255, rough * share + 255 * 0.8 * spread), 27)
      store<u8>(out, <u8>(wet * share), 28); store<u8>(out, <u8>(open * share), 29)
      store<u8>(out, there ? 1 : 0, 30)
    }
}

/** Lights vertices [from, to); what is made lies beside what is read until takeVertices. moving: they belong to the figure that walks, and it stands in its own light. */
export function lightVertices(yard: Yard, vertices: usize, rays: i32, readLevel: i32, seed: i32, stacks: usize, moving: i32, chunk: i32, from: i32, to: i32): void {
  const stack = stacks + (<usize>(from / chunk)) * STACK_BYTES
  for (let n = from; n < to; n++) {
    const v = vertices + (<usize>n) * VERTEX_BYTES
    let nx = load<f32>(v, 12), ny = load<f32>(v, 16), nz = load<f32>(v, 20)
    const both = load<f32>(v, 124) > 0
    const lift: f32 = 2 * LIFT
    gather(yard, stack, load<f32>(v) + nx * lift, load<f32>(v, 4) + ny * lift, load<f32>(v, 8) + nz * lift, nx, ny, nz, rays, readLevel, mix(<u32>seed) + <u32>n * 0x9e3779b1, both, moving != 0)
    store<f32>(v, gotSkyR, 80); store<f32>(v, gotSkyG, 84); store<f32>(v, gotSkyB, 88)
    store<f32>(v, gotSunR, 92); store<f32>(v, gotSunG, 96); store<f32>(v, gotSunB, 100)
    store<f32>(v, gotFlameR, 104); store<f32>(v, gotFlameG, 108); store<f32>(v, gotFlameB, 112)
  }
}

export function takeVertices(vertices: usize, from: i32, to: i32): void {
  for (let n = from; n < to; n++) {
    const v = vertices + (<usize>n) * VERTEX_BYTES
    memory.copy(v + 44, v + 80, 36)
  }
}
