import { FLUID } from './grid'

// Forces and burning. Temperatures in kelvin; fuel and soot in kg/m^3; the thermal energy density is energy0 * (1 - T0 / T), energy0 = rho0 cp T0 in J/m^3
// (constant pressure: rho T = rho0 T0).

/** v += dt g (T / T0 - 1) on the faces between fluid cells. gdt = g x dt, m/s. */
export function buoyancy(v: usize, t: usize, gdt: f32, ambient: f32, nx: i32, ny: i32, nz: i32, from: i32, to: i32): void {
  const sx = nx + 2
  const sxy = sx * (ny + 2)
  const y1 = (<usize>sx) << 2
  // From the differences, so that still air stays still to the bit.
  const scale = gdt * 0.5 / ambient
  for (let k = from + 1; k <= to; k++)
    for (let j = 2; j <= ny; j++)
      for (let i = 1; i <= nx; i++) {
        const e = (<usize>(k * sxy + j * sx + i)) << 2
        store<f32>(v + e, load<f32>(v + e) + scale * (load<f32>(t + e) - ambient + (load<f32>(t + e - y1) - ambient)))
      }
}

// @ts-ignore: decorator
@inline
function centred(p: usize, e: usize, step: usize): f32 {
  return 0.5 * (load<f32>(p + e) + load<f32>(p + e + step))
}

/** Curl at cell centres from centred velocities, 1/s x cell (difference over two cells): ox, oy, oz, and its length. */
export function curl(ox: usize, oy: usize, oz: usize, len: usize, u: usize, v: usize, w: usize, nx: i32, ny: i32, nz: i32, from: i32, to: i32): void {
  const sx = nx + 2
  const sxy = sx * (ny + 2)
  const x1: usize = 4
  const y1 = (<usize>sx) << 2
  const z1 = (<usize>sxy) << 2
  for (let k = from + 1; k <= to; k++)
    for (let j = 1; j <= ny; j++)
      for (let i = 1; i <= nx; i++) {
        const e = (<usize>(k * sxy + j * sx + i)) << 2
        let a: f32 = 0, b: f32 = 0, c: f32 = 0
        if (i > 1 && i < nx && j > 1 && j < ny && k > 1 && k < nz) {
          a = 0.5 * (centred(w, e + y1, z1) - centred(w, e - y1, z1) - centred(v, e + z1, y1) + centred(v, e - z1, y1))
          b = 0.5 * (centred(u, e + z1, x1) - centred(u, e - z1, x1) - centred(w, e + x1, z1) + centred(w, e - x1, z1))
          c = 0.5 * (centred(v, e + x1, y1) - centred(v, e - x1, y1) - centred(u, e + y1, x1) + centred(u, e - y1, x1))
        }
        store<f32>(ox + e, a)
        store<f32>(oy + e, b)
        store<f32>(oz + e, c)
        store<f32>(len + e, sqrt(a * a + b * b + c * c))
      }
}

/** Vorticity confinement (Fedkiw, Stam & Jensen 2001): o becomes scale x (N x o), the velocity change at cell centres. len's ghosts must be 0. */
export function confine(ox: usize, oy: usize, oz: usize, len: usize, scale: f32, nx: i32, ny: i32, nz: i32, from: i32, to: i32): void {
  const sx = nx + 2
  const sxy = sx * (ny + 2)
  const y1 = (<usize>sx) << 2
  const z1 = (<usize>sxy) << 2
  for (let k = from + 1; k <= to; k++)
    for (let j = 1; j <= ny; j++)
      for (let i = 1; i <= nx; i++) {
        const e = (<usize>(k * sxy + j * sx + i)) << 2
        const gx = load<f32>(len + e, 4) - load<f32>(len + e - 4)
        const gy = load<f32>(len + e + y1) - load<f32>(len + e - y1)
        const gz = load<f32>(len + e + z1) - load<f32>(len + e - z1)
        const s = scale / (sqrt(gx * gx + gy * gy + gz * gz) + 1e-6)
        const a = load<f32>(ox + e), b = load<f32>(oy + e), c = load<f32>(oz + e)
        store<f32>(ox + e, s * (gy * c - gz * b))
        store<f32>(oy + e, s * (gz * a - gx * c))
        store<f32>(oz + e, s * (gx * b - gy * a))
      }
}

/** Faces take the mean of the cell-centred change on their two sides. Ghosts of the change must be 0. */
export function addCentred(u: usize, v: usize, w: usize, ax: usize, ay: usize, az: usize, nx: i32, ny: i32, nz: i32, from: i32, to: i32): void {
  const sx = nx + 2
  const sxy = sx * (ny + 2)
  const y1 = (<usize>sx) << 2
  const z1 = (<usize>sxy) << 2
  for (let k = from + 1; k <= to; k++)
    for (let j = 1; j <= ny; j++)
      for (let i = 1; i <= nx; i++) {
        const e = (<usize>(k * sxy + j * sx + i)) << 2
        store<f32>(u + e, load<f32>(u + e) + 0.5 * (load<f32>(ax + e) + load<f32>(ax + e - 4)))
        store<f32>(v + e, load<f32>(v + e) + 0.5 * (load<f32>(ay + e) + load<f32>(ay + e - y1)))
        store<f32>(w + e, load<f32>(w + e) + 0.5 * (load<f32>(az + e) + load<f32>(az + e - z1)))
      }
}

/**
 * Thins fuel and soot by the expansion that the velocity carries, and adds up what is there.
 * partial[4 layer ...] = sums over fluid cells of theta = 1 - T0/T, fuel, soot; the fourth stays free.
 */
export function thinAndTotal(t: usize, fuel: usize, soot: usize, expansion: usize, flags: usize, dt: f32, ambient: f32, partial: usize, nx: i32, ny: i32, nz: i32, from: i32, to: i32): void {
  const sx = nx + 2
  const sxy = sx * (ny + 2)
  for (let k = from + 1; k <= to; k++) {
    let theta: f64 = 0, f: f64 = 0, s: f64 = 0
    for (let j = 1; j <= ny; j++)
      for (let i = 1; i <= nx; i++) {
        const c = <usize>(k * sxy + j * sx + i)
        if (load<u8>(flags + c) != FLUID) continue
        const e = c << 2
        const q = load<f32>(expansion + e)
        const thin: f32 = 1 / max<f32>(0.5, 1 + q * dt)
        const fn = load<f32>(fuel + e) * thin
        const sn = load<f32>(soot + e) * thin
        store<f32>(fuel + e, fn)
        store<f32>(soot + e, sn)
        const th: f32 = 1 - ambient / load<f32>(t + e)
        theta += th
        f += fn
        s += sn
      }
    const at = partial + ((<usize>(k - 1)) << 5)
    store<f64>(at, theta)
    store<f64>(at, f, 8)
    store<f64>(at, s, 16)
  }
}

/** Planck-mean absorption of soot, 1/(m K) per kg/m^3, times T: kappa = SOOT_MEAN x soot x T (Modest, Radiative Heat Transfer: 3.83 fv C0 T / C2, C0 = 7, 1800 kg/m^3). */
const SOOT_MEAN: f32 = 3.83 * 7.0 / (0.014388 * 1800.0)
/** kg/m^3 that no picture and no budget can see. */
const NOTHING: f32 = 1e-12
const STEFAN_BOLTZMANN: f32 = 5.670374e-8

/**
 * Burning, soot, heat and radiation of one step, cell by cell. First everything is scaled by the mass fixers (scaleT on theta, scaleF, scaleS).
 * burnt: share of the fuel that burns in this step where T > ignition. heat: J/kg. expansion out, 1/s: (released - radiated) / (energy0 dt).
 * partial[9 layer ...]: sums over cells: fuel burnt (kg/m^3), radiated / energy0, burnt x i, burnt x j, burnt x k (array indices), theta, fuel, soot,
 * and theta x expansion x dt, all after the step.
 */
export function react(
  t: usize, fuel: usize, soot: usize, expansion: usize, flags: usize, dt: f32, ambient: f32, energy0: f32, scaleT: f32, scaleF: f32, scaleS: f32,
  burnt: f32, ignition: f32, heat: f32, sootYield: f32, gasAbsorption: f32, hottest: f32, partial: usize, nx: i32, ny: i32, nz: i32, from: i32, to: i32,
): void {
  const sx = nx + 2
  const sxy = sx * (ny + 2)
  const ambient4 = ambient * ambient * ambient * ambient
  for (let k = from + 1; k <= to; k++) {
    let sumBurnt: f64 = 0, sumRad: f64 = 0, bx: f64 = 0, by: f64 = 0, bz: f64 = 0, theta: f64 = 0, sf: f64 = 0, ss: f64 = 0, grow: f64 = 0
    for (let j = 1; j <= ny; j++)
      for (let i = 1; i <= nx; i++) {
        const c = <usize>(k * sxy + j * sx + i)
        const e = c << 2
        if (load<u8>(flags + c) != FLUID) {
          store<f32>(expansion + e, 0)
          continue
        }
        let f = load<f32>(fuel + e) * scaleF
        let s = load<f32>(soot + e) * scaleS
        // Tails that interpolation thins for ever would end in subnormal numbers, which cost ten times as much to compute with.
        if (f < NOTHING) f = 0
        if (s < NOTHING) s = 0
        const th: f32 = min<f32>(0.95, max<f32>(0, (<f32>1 - ambient / load<f32>(t + e)) * scaleT))
        const before = ambient / (1 - th)
        const burn = before > ignition ? f * burnt : 0
        f -= burn
        s += burn * sootYield
        const gain = burn * heat / energy0
        // Optically thin loss 4 kappa sigma (T^4 - T0^4), never more than there is: the harmonic mean of loss and store.
        const hot = min(hottest, before * (1 + gain))
        const h2 = hot * hot
        const kappa = SOOT_MEAN * s * hot + gasAbsorption * max<f32>(0, th)
        const loss = max<f32>(0, 4 * kappa * STEFAN_BOLTZMANN * (h2 * h2 - ambient4) * dt / energy0)
        const left: f32 = 1 - ambient / hot
        const lost: f32 = loss > 0 ? loss * left / (loss + left) : 0
        const after: f32 = min(hottest, max(ambient, before * (1 + gain) * (1 - lost)))
        // What the gas really gained decides the expansion; the rest of the heat counts as radiated, so that the budget closes.
        const q: f32 = after / before - 1
        const rad: f32 = gain - q
        store<f32>(t + e, after)
        store<f32>(fuel + e, f)
        store<f32>(soot + e, s)
        store<f32>(expansion + e, q / dt)
        sumBurnt += burn
        sumRad += rad
        bx += burn * <f32>i
        by += burn * <f32>j
        bz += burn * <f32>k
        const stored: f64 = 1 - ambient / after
        theta += stored
        grow += stored * q
        sf += f
        ss += s
      }
    const at = partial + (<usize>(k - 1)) * 72
    store<f64>(at, sumBurnt)
    store<f64>(at, sumRad, 8)
    store<f64>(at, bx, 16)
    store<f64>(at, by, 24)
    store<f64>(at, bz, 32)
    store<f64>(at, theta, 40)
    store<f64>(at, sf, 48)
    store<f64>(at, ss, 56)
    store<f64>(at, grow, 64)
  }
}

/** partial[layer] = largest face speed, m/s. */
export function fastest(u: usize, v: usize, w: usize, partial: usize, nx: i32, ny: i32, nz: i32, from: i32, to: i32): void {
  const layer = (nx + 2) * (ny + 2)
  for (let k = from + 1; k <= to; k++) {
    let top = f32x4.splat(0)
    const start = (<usize>(k * layer)) << 2
    const end = start + ((<usize>(layer & ~3)) << 2)
    for (let o = start; o < end; o += 16)
      top = f32x4.pmax(top, f32x4.pmax(f32x4.abs(v128.load(u + o)), f32x4.pmax(f32x4.abs(v128.load(v + o)), f32x4.abs(v128.load(w + o)))))
    let value = max(max(f32x4.extract_lane(top, 0), f32x4.extract_lane(top, 1)), max(f32x4.extract_lane(top, 2), f32x4.extract_lane(top, 3)))
    for (let o = end; o < start + ((<usize>layer) << 2); o += 4) value = max(value, max(abs(load<f32>(u + o)), max(abs(load<f32>(v + o)), abs(load<f32>(w + o)))))
    store<f64>(partial + ((<usize>(k - 1)) << 3), value)
  }
}

/** Per layer the range of cells that hold something: i32 minI, maxI, minJ, maxJ (0-based; min > max where the layer is empty). */
export function extent(t: usize, fuel: usize, soot: usize, hotter: f32, moreFuel: f32, moreSoot: f32, out: usize, nx: i32, ny: i32, nz: i32, from: i32, to: i32): void {
  const sx = nx + 2
  const sxy = sx * (ny + 2)
  for (let k = from + 1; k <= to; k++) {
    let minI = nx, maxI = -1, minJ = ny, maxJ = -1
    for (let j = 1; j <= ny; j++)
      for (let i = 1; i <= nx; i++) {
        const e = (<usize>(k * sxy + j * sx + i)) << 2
        if (load<f32>(t + e) < hotter && load<f32>(fuel + e) < moreFuel && load<f32>(soot + e) < moreSoot) continue
        minI = min(minI, i - 1)
        maxI = max(maxI, i - 1)
        minJ = min(minJ, j - 1)
        maxJ = max(maxJ, j - 1)
      }
    const at = out + ((<usize>(k - 1)) << 4)
    store<i32>(at, minI)
    store<i32>(at, maxI, 4)
    store<i32>(at, minJ, 8)
    store<i32>(at, maxJ, 12)
  }
}
