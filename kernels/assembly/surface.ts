import {
  instanceMaterial, instanceMesh, INSTANCE_BYTES, MATERIAL_BYTES, materialBase, materialBaseMap, materialCutoff, materialEmission, materialEmissionMap, materialMetal, materialNormalMap, materialNormalScale, materialPlate, materialRoughness, materialSurfaceMap,
  meshBlockColours, meshBlockDeforms, meshBlockIndices, meshBlockNormals, meshBlockParts, meshBlockUvs, textureHeight, textureWidth,
} from './layouts.generated'
import { hitInstance, hitLane, hitPacket, hitTriangle, hitU, hitV, poseAt, poseScale, poseX, poseY, poseZ, r00, r01, r02, r10, r11, r12, r20, r21, r22 } from './rays'
import { relit, takeProjection } from './projection'
import { PACKET } from './tree'
import { sampleTexture } from './texture'

// What a ray met: its surface, read from the hit that rays.ts left.

/** Normal of the triangle and as it is shaded, unit, on the side of the ray. */
export let flatX: f32 = 0
export let flatY: f32 = 1
export let flatZ: f32 = 0
export let smoothX: f32 = 0
export let smoothY: f32 = 1
export let smoothZ: f32 = 0
/** Base colour r g b and alpha; light that it gives out. */
export let base: v128 = f32x4.splat(0)
export let emission: v128 = f32x4.splat(0)
/** m before the set within which it fades out. */
export let fade: f32 = 0
export let metal: f32 = 0
export let roughness: f32 = 1

/** Whether the plate was projected on it: then projection.ts has what it holds. */
export let projected: bool = false

let edgeUX: f32 = 0, edgeUY: f32 = 0, edgeUZ: f32 = 0, edgeVX: f32 = 0, edgeVY: f32 = 0, edgeVZ: f32 = 0

// @ts-ignore: decorator
@inline
function edge(offset: usize, time: f32, moving: bool): f32 {
  const at = hitPacket + hitLane + offset
  return moving ? load<f32>(at) + time * load<f32>(at, PACKET) : load<f32>(at)
}

function takeEdges(mesh: usize, time: f32): void {
  const moving = meshBlockDeforms(mesh) != 0
  edgeUX = edge(48, time, moving)
  edgeUY = edge(64, time, moving)
  edgeUZ = edge(80, time, moving)
  edgeVX = edge(96, time, moving)
  edgeVY = edge(112, time, moving)
  edgeVZ = edge(128, time, moving)
}

let turnedX: f32 = 0, turnedY: f32 = 0, turnedZ: f32 = 0
/** Turns a direction of the mesh into the world, unit. */
function turn(x: f32, y: f32, z: f32): void {
  const l: f32 = 1 / sqrt(max<f32>(1e-30, x * x + y * y + z * z))
  turnedX = (r00 * x + r01 * y + r02 * z) * l
  turnedY = (r10 * x + r11 * y + r12 * z) * l
  turnedZ = (r20 * x + r21 * y + r22 * z) * l
}

/** Puts a normal where takeFlat leaves one: of what has no triangles. */
export function putFlat(x: f32, y: f32, z: f32): void {
  flatX = x
  flatY = y
  flatZ = z
}

/** The triangle's own normal in the world, on the side that the ray comes from: left in flatX, Y, Z. */
export function takeFlat(instances: usize, time: f32, dx: f32, dy: f32, dz: f32): void {
  const instance = instances + <usize>hitInstance * INSTANCE_BYTES
  takeEdges(instanceMesh(instance), time)
  poseAt(instance, time)
  turn(edgeUY * edgeVZ - edgeUZ * edgeVY, edgeUZ * edgeVX - edgeUX * edgeVZ, edgeUX * edgeVY - edgeUY * edgeVX)
  const side: f32 = turnedX * dx + turnedY * dy + turnedZ * dz > 0 ? -1 : 1
  flatX = side * turnedX
  flatY = side * turnedY
  flatZ = side * turnedZ
}

// @ts-ignore: decorator
@inline
function octahedral(at: usize): v128 {
  const u = <f32>load<i16>(at) / 32767, v = <f32>load<i16>(at, 2) / 32767
  const z: f32 = 1 - abs(u) - abs(v)
  const x: f32 = z < 0 ? (1 - abs(v)) * (u < 0 ? <f32>-1 : <f32>1) : u
  const y: f32 = z < 0 ? (1 - abs(u)) * (v < 0 ? <f32>-1 : <f32>1) : v
  const l: f32 = 1 / sqrt(x * x + y * y + z * z)
  return f32x4(x * l, y * l, z * l, 0)
}

let uvU: f32 = 0, uvV: f32 = 0, uvUU: f32 = 0, uvUV: f32 = 0, uvVU: f32 = 0, uvVV: f32 = 0
/** The place in the texture, and how it changes along the triangle's two edges. */
function takeUv(mesh: usize, i: usize): void {
  const uvs = meshBlockUvs(mesh)
  const a = uvs + ((<usize>load<u32>(i)) << 3), b = uvs + ((<usize>load<u32>(i, 4)) << 3), c = uvs + ((<usize>load<u32>(i, 8)) << 3)
  uvUU = load<f32>(b) - load<f32>(a)
  uvUV = load<f32>(b, 4) - load<f32>(a, 4)
  uvVU = load<f32>(c) - load<f32>(a)
  uvVV = load<f32>(c, 4) - load<f32>(a, 4)
  uvU = load<f32>(a) + hitU * uvUU + hitV * uvVU
  uvV = load<f32>(a, 4) + hitU * uvUV + hitV * uvVV
}

/** Size of a footprint of `wide` m in a texture, as sampleTexture takes it. */
function footprint(texture: usize, wide: f32): f32 {
  const nx = edgeUY * edgeVZ - edgeUZ * edgeVY, ny = edgeUZ * edgeVX - edgeUX * edgeVZ, nz = edgeUX * edgeVY - edgeUY * edgeVX
  const world: f32 = sqrt(nx * nx + ny * ny + nz * nz) * poseScale * poseScale
  const texels: f32 = abs(uvUU * uvVV - uvUV * uvVU) * <f32>textureWidth(texture) * <f32>textureHeight(texture)
  if (world <= 0 || texels <= 0) return 0
  return NativeMathf.log2(max<f32>(1, wide * sqrt(texels / world)))
}

/** Tilts the shading normal by a normal map's value (glTF: x along u, y against v). */
function bend(value: v128, scale: f32): void {
  const det = uvUU * uvVV - uvUV * uvVU
  if (abs(det) < 1e-20) return
  const k: f32 = det < 0 ? -1 : 1
  turn((edgeUX * uvVV - edgeVX * uvUV) * k, (edgeUY * uvVV - edgeVY * uvUV) * k, (edgeUZ * uvVV - edgeVZ * uvUV) * k)
  const along = turnedX * smoothX + turnedY * smoothY + turnedZ * smoothZ
  let tx = turnedX - along * smoothX, ty = turnedY - along * smoothY, tz = turnedZ - along * smoothZ
  const l: f32 = 1 / sqrt(max<f32>(1e-12, tx * tx + ty * ty + tz * tz))
  tx *= l
  ty *= l
  tz *= l
  // Across, so that with the normal it is right-handed where the texture is not mirrored; v goes down, so it is turned round.
  const bx = (smoothY * tz - smoothZ * ty) * k, by = (smoothZ * tx - smoothX * tz) * k, bz = (smoothX * ty - smoothY * tx) * k
  const a: f32 = (2 * f32x4.extract_lane(value, 0) - 1) * scale, b: f32 = (2 * f32x4.extract_lane(value, 1) - 1) * scale, c: f32 = max<f32>(0.05, 2 * f32x4.extract_lane(value, 2) - 1)
  const x = tx * a - bx * b + smoothX * c, y = ty * a - by * b + smoothY * c, z = tz * a - bz * b + smoothZ * c
  const m: f32 = 1 / sqrt(max<f32>(1e-12, x * x + y * y + z * z))
  smoothX = x * m
  smoothY = y * m
  smoothZ = z * m
}

function materialOf(instance: usize, mesh: usize): usize {
  const parts = meshBlockParts(mesh)
  return instanceMaterial(instance) + (parts ? <usize>load<u16>(parts + ((<usize>hitTriangle) << 1)) : 0) * MATERIAL_BYTES
}

/** Alpha at the hit alone, for shadows: what is below the cutoff lets all through. wide: m that count as one place. */
export function alphaAtHit(instances: usize, time: f32, wide: f32): f32 {
  const instance = instances + <usize>hitInstance * INSTANCE_BYTES
  const mesh = instanceMesh(instance)
  const material = materialOf(instance, mesh)
  const cutoff = materialCutoff(material)
  if (cutoff < 0) return 1
  let alpha = load<f32>(materialBase(material), 12)
  const i = meshBlockIndices(mesh) + <usize>hitTriangle * 12
  const map = materialBaseMap(material)
  if (map && meshBlockUvs(mesh)) {
    takeEdges(mesh, time)
    poseAt(instance, time)
    takeUv(mesh, i)
    alpha *= f32x4.extract_lane(sampleTexture(map, uvU, uvV, footprint(map, wide)), 3)
  }
  return cutoff > 0 ? (alpha < cutoff ? <f32>0 : <f32>1) : alpha
}

/** Takes the plate that is projected on the hit: what has not moved shows it as it was, what has is lit anew. */
function takePlate(projection: usize, mesh: usize, time: f32): void {
  const moving = meshBlockDeforms(mesh) != 0
  const x = edge(0, time, moving) + hitU * edgeUX + hitV * edgeVX, y = edge(16, time, moving) + hitU * edgeUY + hitV * edgeVY, z = edge(32, time, moving) + hitU * edgeUZ + hitV * edgeVZ
  let nx = edgeUY * edgeVZ - edgeUZ * edgeVY, ny = edgeUZ * edgeVX - edgeUX * edgeVZ, nz = edgeUX * edgeVY - edgeUY * edgeVX
  const l: f32 = 1 / sqrt(max<f32>(1e-30, nx * nx + ny * ny + nz * nz))
  nx *= l
  ny *= l
  nz *= l
  turn(nx, ny, nz)
  const wx = poseX + poseScale * (r00 * x + r01 * y + r02 * z), wy = poseY + poseScale * (r10 * x + r11 * y + r12 * z), wz = poseZ + poseScale * (r20 * x + r21 * y + r22 * z)
  takeProjection(projection, x, y, z, nx, ny, nz, wx, wy, wz, turnedX, turnedY, turnedZ)
  base = f32x4.replace_lane(f32x4.min(relit, f32x4.splat(1)), 3, f32x4.extract_lane(base, 3))
  emission = f32x4.splat(0)
  metal = 0
  roughness = 1
}

/** Reads a filmed element that was met: one picture says what is there and how it shines, and no light comes back of it, so how it faces is not asked. False where it is something else. */
export function takeShining(instances: usize, time: f32, wide: f32): bool {
  const instance = instances + <usize>hitInstance * INSTANCE_BYTES
  const mesh = instanceMesh(instance)
  const material = materialOf(instance, mesh)
  const map = materialBaseMap(material), own = v128.load(materialBase(material))
  if (!map || map != materialEmissionMap(material) || materialCutoff(material) != 0 || materialRoughness(material) < 1 || materialMetal(material) != 0 || materialPlate(material) != 0) return false
  if (!meshBlockUvs(mesh) || meshBlockColours(mesh) || f32x4.extract_lane(own, 0) + f32x4.extract_lane(own, 1) + f32x4.extract_lane(own, 2) != 0) return false
  takeEdges(mesh, time)
  poseAt(instance, time)
  takeUv(mesh, meshBlockIndices(mesh) + <usize>hitTriangle * 12)
  const s = sampleTexture(map, uvU, uvV, footprint(map, wide)), given = v128.load(materialEmission(material))
  base = f32x4.mul(own, s)
  emission = f32x4.mul(given, s)
  fade = f32x4.extract_lane(given, 3)
  return true
}

/** Reads the surface that was met by a ray of this direction. wide: width of its footprint, m. */
export function takeMaterial(instances: usize, time: f32, dx: f32, dy: f32, dz: f32, wide: f32): void {
  takeFlat(instances, time, dx, dy, dz)
  const instance = instances + <usize>hitInstance * INSTANCE_BYTES
  const mesh = instanceMesh(instance)
  const material = materialOf(instance, mesh)
  const i = meshBlockIndices(mesh) + <usize>hitTriangle * 12
  const normals = meshBlockNormals(mesh)
  smoothX = flatX
  smoothY = flatY
  smoothZ = flatZ
  const w = f32x4.splat(<f32>1 - hitU - hitV), u = f32x4.splat(hitU), v = f32x4.splat(hitV)
  if (normals) {
    const n = f32x4.add(f32x4.mul(w, octahedral(normals + ((<usize>load<u32>(i)) << 2))), f32x4.add(f32x4.mul(u, octahedral(normals + ((<usize>load<u32>(i, 4)) << 2))), f32x4.mul(v, octahedral(normals + ((<usize>load<u32>(i, 8)) << 2)))))
    turn(f32x4.extract_lane(n, 0), f32x4.extract_lane(n, 1), f32x4.extract_lane(n, 2))
    const side: f32 = turnedX * flatX + turnedY * flatY + turnedZ * flatZ < 0 ? -1 : 1
    smoothX = side * turnedX
    smoothY = side * turnedY
    smoothZ = side * turnedZ
  }
  base = v128.load(materialBase(material))
  emission = v128.load(materialEmission(material))
  fade = f32x4.extract_lane(emission, 3)
  metal = materialMetal(material)
  roughness = materialRoughness(material)
  const colours = meshBlockColours(mesh)
  if (colours) {
    const c = f32x4.add(f32x4.mul(w, bytes(colours, load<u32>(i))), f32x4.add(f32x4.mul(u, bytes(colours, load<u32>(i, 4))), f32x4.mul(v, bytes(colours, load<u32>(i, 8)))))
    base = f32x4.mul(base, c)
  }
  if (meshBlockUvs(mesh)) {
    takeUv(mesh, i)
    const map = materialBaseMap(material), surface = materialSurfaceMap(material), glow = materialEmissionMap(material), bump = materialNormalMap(material)
    if (map) {
      const s = sampleTexture(map, uvU, uvV, footprint(map, wide))
      base = f32x4.mul(base, s)
      // One picture may say both what is there and how it shines.
      if (glow == map) emission = f32x4.mul(emission, s)
    }
    if (glow && glow != map) emission = f32x4.mul(emission, sampleTexture(glow, uvU, uvV, footprint(glow, wide)))
    if (surface) {
      const s = sampleTexture(surface, uvU, uvV, footprint(surface, wide))
      roughness *= f32x4.extract_lane(s, 1)
      metal *= f32x4.extract_lane(s, 2)
    }
    if (bump) bend(sampleTexture(bump, uvU, uvV, footprint(bump, wide)), materialNormalScale(material))
  }
  const cutoff = materialCutoff(material), alpha = f32x4.extract_lane(base, 3)
  base = f32x4.replace_lane(base, 3, cutoff < 0 ? <f32>1 : cutoff > 0 ? (alpha < cutoff ? <f32>0 : <f32>1) : alpha)
  projected = materialPlate(material) != 0
  if (projected) takePlate(materialPlate(material), mesh, time)
  // A shading normal that looks away from where it is seen is brought back.
  const away = smoothX * dx + smoothY * dy + smoothZ * dz
  if (away > -0.02) {
    const k: f32 = away + 0.02
    const x = smoothX - dx * k, y = smoothY - dy * k, z = smoothZ - dz * k
    const l: f32 = 1 / sqrt(x * x + y * y + z * z)
    smoothX = x * l
    smoothY = y * l
    smoothZ = z * l
  }
}

// @ts-ignore: decorator
@inline
function bytes(at: usize, n: u32): v128 {
  const p = at + ((<usize>n) << 2)
  return f32x4.mul(f32x4.splat(1.0 / 255.0), f32x4(<f32>load<u8>(p), <f32>load<u8>(p, 1), <f32>load<u8>(p, 2), <f32>load<u8>(p, 3)))
}
