// Reflection of a surface as glTF 2.0 has it: Lambert below a microfacet lobe (GGX, Smith's masking, Schlick's Fresnel), so that no light is lost or made.
//   What rough lobes lose between facets is given back by a factor (Turquin 2019); what the lobe reflects is missing from the light beneath it.
// The lobe's directional reflectance is a table of LOBES^2 pairs (cosine across, roughness down): with Fresnel F0 it is F0 a + b.

const LOBES = 32
const PI: f32 = 3.14159265
/** Roughness below this is taken as this: a smoother lobe would show the sun as single bright pixels. */
const SMOOTHEST: f32 = 0.06

// The surface that is shaded: its frame, what it is made of, and the direction it is seen from in that frame.
export let normalX: f32 = 0
export let normalY: f32 = 1
export let normalZ: f32 = 0
let tangentX: f32 = 1, tangentY: f32 = 0, tangentZ: f32 = 0
let crossX: f32 = 0, crossY: f32 = 0, crossZ: f32 = 1
let seenX: f32 = 0, seenY: f32 = 0, seenZ: f32 = 1
let alpha: f32 = 0.5
let lobeGain: v128 = f32x4.splat(1)
/** Fresnel at right angles, r g b; what a lambertian white of it would send back, r g b. */
let facing: v128 = f32x4.splat(0.04)
export let diffuse: v128 = f32x4.splat(0)
/** Mean reflectance of the lobe as it is seen. */
export let lobeShare: f32 = 0

/** Any two directions across a unit one (Duff et al. 2017). */
function takeFrame(nx: f32, ny: f32, nz: f32): void {
  normalX = nx
  normalY = ny
  normalZ = nz
  const sign: f32 = nz >= 0 ? 1 : -1
  const a: f32 = -1 / (sign + nz), b = nx * ny * a
  tangentX = 1 + sign * nx * nx * a
  tangentY = sign * b
  tangentZ = -sign * nx
  crossX = b
  crossY = sign + ny * ny * a
  crossZ = -ny
}

/** Takes a surface: unit normal, unit direction that it is seen along (towards it), base colour r g b, metal, roughness. */
export function takeSurface(lobes: usize, nx: f32, ny: f32, nz: f32, dx: f32, dy: f32, dz: f32, base: v128, metal: f32, roughness: f32): void {
  takeFrame(nx, ny, nz)
  seenX = -(dx * tangentX + dy * tangentY + dz * tangentZ)
  seenY = -(dx * crossX + dy * crossY + dz * crossZ)
  seenZ = max<f32>(1e-3, -(dx * nx + dy * ny + dz * nz))
  const rough = max(SMOOTHEST, min<f32>(1, roughness))
  alpha = rough * rough
  const m = f32x4.splat(metal)
  facing = f32x4.add(f32x4.splat(0.04 * (1 - metal)), f32x4.mul(m, base))
  // The table at this cosine and roughness.
  const u = min<f32>(1, seenZ) * <f32>(LOBES - 1), v = rough * <f32>(LOBES - 1)
  const i = min(LOBES - 2, <i32>u), j = min(LOBES - 2, <i32>v)
  const fx = u - <f32>i, fy = v - <f32>j
  const at = lobes + ((<usize>(j * LOBES + i)) << 3), below = at + ((<usize>LOBES) << 3)
  const a = (load<f32>(at) * (1 - fx) + load<f32>(at, 8) * fx) * (1 - fy) + (load<f32>(below) * (1 - fx) + load<f32>(below, 8) * fx) * fy
  const b = (load<f32>(at, 4) * (1 - fx) + load<f32>(at, 12) * fx) * (1 - fy) + (load<f32>(below, 4) * (1 - fx) + load<f32>(below, 12) * fx) * fy
  const whole: f32 = max<f32>(0.05, a + b)
  lobeGain = f32x4.add(f32x4.splat(1), f32x4.mul(facing, f32x4.splat((1 - whole) / whole)))
  const lobe = f32x4.mul(lobeGain, f32x4.add(f32x4.mul(facing, f32x4.splat(a)), f32x4.splat(b)))
  diffuse = f32x4.mul(f32x4.mul(base, f32x4.splat(1 - metal)), f32x4.sub(f32x4.splat(1), lobe))
  lobeShare = (f32x4.extract_lane(lobe, 0) + f32x4.extract_lane(lobe, 1) + f32x4.extract_lane(lobe, 2)) * <f32>(1.0 / 3.0)
}

// @ts-ignore: decorator
@inline
function fresnel(cosine: f32): v128 {
  const k: f32 = 1 - max<f32>(0, min<f32>(1, cosine))
  const k2 = k * k
  return f32x4.add(facing, f32x4.mul(f32x4.sub(f32x4.splat(1), facing), f32x4.splat(k2 * k2 * k)))
}

/** Smith's Lambda for GGX of a direction with this z. */
// @ts-ignore: decorator
@inline
function lambda(z: f32): f32 {
  const c2 = z * z
  return <f32>0.5 * (sqrt<f32>(1 + alpha * alpha * max<f32>(0, 1 - c2) / max<f32>(1e-6, c2)) - 1)
}

/** pi x what the surface reflects towards where it is seen of light from a unit direction of the world, times its cosine: a white lambertian one facing the light has 1. */
export function reflects(lx: f32, ly: f32, lz: f32): v128 {
  const z = lx * normalX + ly * normalY + lz * normalZ
  if (z <= 0) return f32x4.splat(0)
  const x = lx * tangentX + ly * tangentY + lz * tangentZ, y = lx * crossX + ly * crossY + lz * crossZ
  let hx = x + seenX, hy = y + seenY, hz = z + seenZ
  const l: f32 = 1 / sqrt(hx * hx + hy * hy + hz * hz)
  hx *= l
  hy *= l
  hz *= l
  const a2 = alpha * alpha
  const d = hz * hz * (a2 - 1) + 1
  // pi D G / (4 cos cos) times the cosine of the light.
  const shape: f32 = a2 / (d * d) / (1 + lambda(z) + lambda(seenZ)) / (4 * seenZ)
  const lobe = f32x4.mul(f32x4.mul(lobeGain, fresnel(hx * seenX + hy * seenY + hz * seenZ)), f32x4.splat(shape))
  return f32x4.add(f32x4.mul(diffuse, f32x4.splat(z)), lobe)
}

export let towardX: f32 = 0
export let towardY: f32 = 0
export let towardZ: f32 = 1

// @ts-ignore: decorator
@inline
function leave(x: f32, y: f32, z: f32): void {
  towardX = tangentX * x + crossX * y + normalX * z
  towardY = tangentY * x + crossY * y + normalY * z
  towardZ = tangentZ * x + crossZ * y + normalZ * z
}

/** A direction by the cosine, left in towardX, Y, Z: light from there counts in full for `diffuse`. */
export function scatter(u: f32, v: f32): void {
  const r = sqrt(u), angle = <f32>6.2831853 * v
  leave(r * NativeMathf.cos(angle), r * NativeMathf.sin(angle), sqrt(max<f32>(0, 1 - u)))
}

/** The same about any unit normal. */
export function scatterAbout(nx: f32, ny: f32, nz: f32, u: f32, v: f32): void {
  takeFrame(nx, ny, nz)
  scatter(u, v)
}

/** A direction by the lobe's visible normals (Heitz 2018), left in towardX, Y, Z. Returns what light from there counts for; 0 where it would go below the surface. */
export function mirror(u: f32, v: f32): v128 {
  // The view stretched, so that the lobe is a hemisphere.
  let vx = alpha * seenX, vy = alpha * seenY, vz = seenZ
  const l: f32 = 1 / sqrt(vx * vx + vy * vy + vz * vz)
  vx *= l
  vy *= l
  vz *= l
  const across = vx * vx + vy * vy
  const inv: f32 = across > 1e-12 ? 1 / sqrt(across) : 0
  const t1x: f32 = across > 1e-12 ? -vy * inv : 1, t1y: f32 = across > 1e-12 ? vx * inv : 0
  const t2x = -vz * t1y, t2y = vz * t1x, t2z = vx * t1y - vy * t1x
  const r = sqrt(u), angle = <f32>6.2831853 * v
  const a = r * NativeMathf.cos(angle)
  const s: f32 = 0.5 * (1 + vz)
  const b: f32 = (1 - s) * sqrt(max<f32>(0, 1 - a * a)) + s * r * NativeMathf.sin(angle)
  const c: f32 = sqrt(max<f32>(0, 1 - a * a - b * b))
  let hx = alpha * (t1x * a + t2x * b + vx * c), hy = alpha * (t1y * a + t2y * b + vy * c), hz = max<f32>(1e-6, t2z * b + vz * c)
  const k: f32 = 1 / sqrt(hx * hx + hy * hy + hz * hz)
  hx *= k
  hy *= k
  hz *= k
  const cosine = hx * seenX + hy * seenY + hz * seenZ
  const x: f32 = 2 * cosine * hx - seenX, y: f32 = 2 * cosine * hy - seenY, z: f32 = 2 * cosine * hz - seenZ
  if (z <= 0) return f32x4.splat(0)
  leave(x, y, z)
  const masked: f32 = (1 + lambda(seenZ)) / (1 + lambda(z) + lambda(seenZ))
  return f32x4.mul(f32x4.mul(lobeGain, fresnel(cosine)), f32x4.splat(masked))
}

/** Fills the lobes' table: rows (items) of roughness. Means over `samples`^2 visible normals each. */
export function lobeTable(out: usize, samples: i32, from: i32, to: i32): void {
  takeFrame(0, 0, 1)
  lobeGain = f32x4.splat(1)
  for (let j = from; j < to; j++)
    for (let i = 0; i < LOBES; i++) {
      const rough = max<f32>(SMOOTHEST, <f32>j / <f32>(LOBES - 1))
      alpha = rough * rough
      seenZ = max<f32>(1e-3, <f32>i / <f32>(LOBES - 1))
      seenX = sqrt<f32>(1 - seenZ * seenZ)
      seenY = 0
      let a: f32 = 0, b: f32 = 0
      for (let m = 0; m < samples * samples; m++) {
        // Lane 0 with no Fresnel at right angles, lane 1 with all of it: between the two it is straight.
        facing = f32x4(0, 1, 0, 0)
        const weight = mirror((<f32>(m % samples) + 0.5) / <f32>samples, (<f32>(m / samples) + 0.5) / <f32>samples)
        b += f32x4.extract_lane(weight, 0)
        a += f32x4.extract_lane(weight, 1)
      }
      const count = <f32>(samples * samples)
      store<f32>(out + ((<usize>(j * LOBES + i)) << 3), (a - b) / count)
      store<f32>(out + ((<usize>(j * LOBES + i)) << 3), b / count, 4)
    }
}

/** For tests: the light that a surface sends back under an even sky of 1, twice. out: 2 floats: the sky's light by the sampled directions, and by directions that know nothing of the lobe. One item. */
export function testReflection(lobes: usize, cosine: f32, base: f32, metal: f32, roughness: f32, samples: i32, out: usize, from: i32, to: i32): void {
  const s = sqrt<f32>(1 - cosine * cosine)
  takeSurface(lobes, 0, 1, 0, -s, -cosine, 0, f32x4.splat(base), metal, roughness)
  let sum: f32 = f32x4.extract_lane(diffuse, 0), plain: f32 = 0
  for (let m = 0; m < samples * samples; m++) {
    const u = (<f32>(m % samples) + 0.5) / <f32>samples, v = (<f32>(m / samples) + 0.5) / <f32>samples
    sum += f32x4.extract_lane(mirror(u, v), 0) / <f32>(samples * samples)
    // By the cosine, without knowing the lobe: pi x f x cos / (pi x pdf), pdf = cos / pi.
    scatter(u, v)
    const z = towardX * normalX + towardY * normalY + towardZ * normalZ
    plain += f32x4.extract_lane(reflects(towardX, towardY, towardZ), 0) / max<f32>(1e-4, z) / <f32>(samples * samples)
  }
  store<f32>(out, sum)
  store<f32>(out, plain, 4)
}
