import { baseOf, endOf, firstOf, FLUID, stepOf } from './grid'

// Forces and burning. All masses are per volume, in units of the ambient air's density rho0: the gas itself (its density T0 / T, constant pressure), fuel, soot and burnt fuel, so that mixing by volumes keeps
// them all. The thermal energy per volume is energy0 x theta, theta = 1 - density, energy0 = rho0 cp T0.

/** v += dt g (1 / (density + load) - 1) on the faces between fluid cells; load: what floats in the gas, over the air's density too. gdt = g x dt, m/s. */
export function buoyancy(v: usize, density: usize, floating: usize, gdt: f32, spans: usize, nx: i32, ny: i32, nz: i32, from: i32, to: i32): void {
  const sx = nx + 2
  for (let k = from + 1; k <= to; k++)
    for (let j = 2; j <= ny; j++) {
      const line = k * (ny + 2) + j
      const base = baseOf(spans, line, sx)
      const yb = stepOf(spans, line, base, -1, sx)
      for (let i = firstOf(spans, line) + 1, stop = endOf(spans, line, nx, nx); i <= stop; i++) {
        const e = (<usize>(base + i)) << 2
        const sum = load<f32>(density + e) + load<f32>(density + e + yb) + load<f32>(floating + e) + load<f32>(floating + e + yb)
        // From the difference, so that still air stays still to the bit.
        store<f32>(v + e, load<f32>(v + e) + gdt * (2 - sum) / sum)
      }
    }
}

/**
 * What the one-density pressure leaves out: of (1/rho) grad p = grad(H) + H grad(ln rho), H = p/rho, the projection finds grad(H); the rest is added here with the last step's H
 * (the baroclinic part, taken from the step before as in NIST SP 1018-1, 5.3). ratio = dt / cell; h in m^2/s^2.
 */
export function baroclinic(u: usize, v: usize, w: usize, h: usize, density: usize, ratio: f32, spans: usize, nx: i32, ny: i32, nz: i32, from: i32, to: i32): void {
  const sx = nx + 2
  const four = f32x4.splat(ratio)
  for (let k = from + 1; k <= to; k++)
    for (let j = 1; j <= ny; j++) {
      const line = k * (ny + 2) + j
      const base = baseOf(spans, line, sx)
      const yb = stepOf(spans, line, base, -1, sx), zb = stepOf(spans, line, base, -ny - 2, sx)
      const row = (<usize>(base + 1)) << 2
      let i = firstOf(spans, line)
      const stop = endOf(spans, line, nx, nx)
      for (; i + 4 <= stop; i += 4) {
        const e = row + ((<usize>i) << 2)
        const hh = v128.load(h + e), dd = v128.load(density + e)
        turned(u + e, hh, v128.load(h + e - 4), dd, v128.load(density + e - 4), four)
        turned(v + e, hh, v128.load(h + e + yb), dd, v128.load(density + e + yb), four)
        turned(w + e, hh, v128.load(h + e + zb), dd, v128.load(density + e + zb), four)
      }
      for (; i < stop; i++) {
        const e = row + ((<usize>i) << 2)
        turnedOne(u, h, density, e, e - 4, ratio)
        turnedOne(v, h, density, e, e + yb, ratio)
        turnedOne(w, h, density, e, e + zb, ratio)
      }
    }
}

/** No face gains more by it in a step than takes it this share of a cell further: it is taken from the step before, and would run ahead of a pressure that leaps (a blow, a wall that moves). */
const MOST_TURN: f32 = 0.1

// @ts-ignore: decorator
@inline
function turned(at: usize, h: v128, hb: v128, d: v128, db: v128, ratio: v128): void {
  const most = f32x4.div(f32x4.splat(MOST_TURN), ratio)
  const gain = f32x4.div(f32x4.mul(f32x4.mul(ratio, f32x4.add(h, hb)), f32x4.sub(db, d)), f32x4.add(d, db))
  v128.store(at, f32x4.add(v128.load(at), f32x4.pmax(f32x4.neg(most), f32x4.pmin(most, gain))))
}

// @ts-ignore: decorator
@inline
function turnedOne(p: usize, h: usize, density: usize, e: usize, b: usize, ratio: f32): void {
  const there = load<f32>(density + e), before = load<f32>(density + b)
  const most: f32 = MOST_TURN / ratio
  store<f32>(p + e, load<f32>(p + e) + max<f32>(-most, min<f32>(most, ratio * (load<f32>(h + e) + load<f32>(h + b)) * (before - there) / (there + before))))
}

/**
 * What floats falls: every cell takes the share of what the one above it held and gives the same of its own to the one below, or to the ground (upwind; share = speed x dt / cell, at most 1). What falls into a solid cell lies there.
 * partial[layer] = what its fluid cells have lost of it.
 */
export function settle(floating: usize, flags: usize, share: f32, partial: usize, spans: usize, nx: i32, ny: i32, nz: i32, from: i32, to: i32): void {
  const sx = nx + 2
  for (let k = from + 1; k <= to; k++) {
    let lost: f64 = 0
    for (let j = 1; j <= ny; j++) {
      const line = k * (ny + 2) + j
      const base = baseOf(spans, line, sx)
      const ya = stepOf(spans, line, base, 1, sx)
      for (let i = firstOf(spans, line) + 1, stop = endOf(spans, line, nx, nx); i <= stop; i++) {
        const c = <usize>(base + i)
        const e = c << 2
        const own = load<f32>(floating + e)
        const above: f32 = j == ny ? 0 : load<f32>(floating + e + ya)
        if (own == 0 && above == 0) continue
        const next: f32 = own + share * (above - own)
        if (load<u8>(flags + c) != FLUID) continue
        store<f32>(floating + e, next)
        lost += own - next
      }
    }
    store<f64>(partial + ((<usize>(k - 1)) << 3), lost)
  }
}

/** Adds up what is there: partial[4 layer ...] = sums over fluid cells of theta = 1 - density, fuel and soot; the fourth stays free. */
export function total(density: usize, fuel: usize, soot: usize, flags: usize, partial: usize, spans: usize, nx: i32, ny: i32, nz: i32, from: i32, to: i32): void {
  const sx = nx + 2
  for (let k = from + 1; k <= to; k++) {
    let theta: f64 = 0, f: f64 = 0, s: f64 = 0
    for (let j = 1; j <= ny; j++) {
      const line = k * (ny + 2) + j
      const base = baseOf(spans, line, sx)
      for (let i = firstOf(spans, line) + 1, stop = endOf(spans, line, nx, nx); i <= stop; i++) {
        const c = <usize>(base + i)
        if (load<u8>(flags + c) != FLUID) continue
        const e = c << 2
        theta += <f32>1 - load<f32>(density + e)
        f += load<f32>(fuel + e)
        s += load<f32>(soot + e)
      }
    }
    const at = partial + ((<usize>(k - 1)) << 5)
    store<f64>(at, theta)
    store<f64>(at, f, 8)
    store<f64>(at, s, 16)
  }
}

/** No cell gains more than this share of its heat by burning in a step: what is well mixed and stirred hard would blow up to several cells at once, faster than it could be carried. The rest burns in the next. */
const MOST_GAIN: f32 = 0.5

/** Share of the air's mass that no picture and no budget can see. */
const NOTHING: f32 = 1e-12

/** Velocity at the centre of a cell from its faces: at element c, the upper ones at x, y and z (at a ghost past the upper side there is one face, c itself). */
// @ts-ignore: decorator
@inline
function centreAt(u: usize, v: usize, w: usize, c: usize, x: usize, y: usize, z: usize): v128 {
  return f32x4.mul(f32x4.splat(0.5), f32x4.add(f32x4(load<f32>(u + (c << 2)), load<f32>(v + (c << 2)), load<f32>(w + (c << 2)), 0), f32x4(load<f32>(u + (x << 2)), load<f32>(v + (y << 2)), load<f32>(w + (z << 2)), 0)))
}

/** Length of the velocity's curl at cell (i, j, k) of element c in an array row, 1/s; half: 1 / (2 cell). */
// @ts-ignore: decorator
@inline
function stirring(u: usize, v: usize, w: usize, c: usize, i: i32, j: i32, k: i32, spans: usize, line: i32, base: i32, nx: i32, ny: i32, nz: i32, half: f32): f32 {
  const sx = nx + 2, layer = ny + 2
  const yb = beside(spans, line, base, -1, c, sx), ya = beside(spans, line, base, 1, c, sx), zb = beside(spans, line, base, -layer, c, sx), za = beside(spans, line, base, layer, c, sx)
  const ybza = beside(spans, line, base, layer - 1, c, sx), yazb = beside(spans, line, base, 1 - layer, c, sx), yaza = beside(spans, line, base, layer + 1, c, sx)
  const dx = f32x4.sub(centreAt(u, v, w, c + 1, i < nx ? c + 2 : c + 1, ya + 1, za + 1), centreAt(u, v, w, c - 1, c, ya - 1, za - 1))
  const dy = f32x4.sub(centreAt(u, v, w, ya, ya + 1, j < ny ? beside(spans, line, base, 2, c, sx) : ya, yaza), centreAt(u, v, w, yb, yb + 1, c, ybza))
  const dz = f32x4.sub(centreAt(u, v, w, za, za + 1, yaza, k < nz ? beside(spans, line, base, 2 * layer, c, sx) : za), centreAt(u, v, w, zb, zb + 1, yazb, c))
  const a = f32x4.extract_lane(dy, 2) - f32x4.extract_lane(dz, 1)
  const b = f32x4.extract_lane(dz, 0) - f32x4.extract_lane(dx, 2)
  const o = f32x4.extract_lane(dx, 1) - f32x4.extract_lane(dy, 0)
  return half * sqrt(a * a + b * b + o * o)
}

/** The element that stands to another row as c does to its own. */
// @ts-ignore: decorator
@inline
function beside(spans: usize, row: i32, base: i32, rows: i32, c: usize, sx: i32): usize {
  return c + <usize>(baseOf(spans, row + rows, sx) - base)
}

/**
 * Burning, soot, heat and radiation of one step, cell by cell.
 * Fuel burns as fast as it is stirred into air (Magnussen & Hjertager 1977): of what the cell's air can burn, the share 1 - exp(-dt (slow + mixing x |curl u|)). The curl, not
 * the whole gradient: air that is only drawn in is strained, not stirred (a whirl-free flow mixes nothing; Mansour et al. 1979).
 * Air: what is neither fuel nor burnt with its air; airNeed: kg of air a kg of fuel. heat: of fuel, over energy0 / rho0. radiant: least share of it that leaves as radiation.
 * absorption: Planck mean of soot, K / m (over T: 1/m); emission: 4 sigma dt / energy0. Temperatures in K.
 * What warms is not thinned here: expansion (1/s, out) says how fast it grows, and the carrying of the next step thins what passes by that. u, v, w: the velocity that stirs, ghosts filled; half: 1 / (2 cell).
 * partial[8 layer ...]: sums over cells: fuel burnt, radiated / energy0, burnt x i, burnt x j, burnt x k (array indices), theta, fuel, soot, all after the step.
 */
export function react(
  density: usize, fuel: usize, soot: usize, burnt: usize, expansion: usize, flags: usize, u: usize, v: usize, w: usize, half: f32, dt: f32, ambient: f32,
  slow: f32, mixing: f32, airNeed: f32, heat: f32, radiant: f32, sootYield: f32, absorption: f32, gasAbsorption: f32, emission: f32, hottest: f32, partial: usize, spans: usize, nx: i32, ny: i32, nz: i32, from: i32, to: i32,
): void {
  const sx = nx + 2
  const ambient4 = ambient * ambient * ambient * ambient
  for (let k = from + 1; k <= to; k++) {
    let sumBurnt: f64 = 0, sumRad: f64 = 0, bx: f64 = 0, by: f64 = 0, bz: f64 = 0, theta: f64 = 0, sf: f64 = 0, ss: f64 = 0
    for (let j = 1; j <= ny; j++) {
      const line = k * (ny + 2) + j
      const base = baseOf(spans, line, sx)
      for (let i = firstOf(spans, line) + 1, stop = endOf(spans, line, nx, nx); i <= stop; i++) {
        const c = <usize>(base + i)
        const e = c << 2
        if (load<u8>(flags + c) != FLUID) {
          store<f32>(expansion + e, 0)
          continue
        }
        let f = load<f32>(fuel + e)
        let s = load<f32>(soot + e)
        let g = load<f32>(burnt + e)
        // Tails that interpolation thins for ever would end in subnormal numbers, which cost ten times as much to compute with.
        if (f < NOTHING) f = 0
        if (s < NOTHING) s = 0
        if (g < NOTHING) g = 0
        const th: f32 = min<f32>(0.95, max<f32>(-3, <f32>1 - load<f32>(density + e)))
        const mass: f32 = 1 - th
        const before = ambient / mass
        let burn: f32 = 0
        if (f > 0) {
          const air = max<f32>(0, mass - f - g * (1 + airNeed))
          burn = min(MOST_GAIN / heat, min(f, air / airNeed) * (1 - NativeMathf.exp(-dt * (slow + mixing * stirring(u, v, w, c, i, j, k, spans, line, base, nx, ny, nz, half)))))
        }
        f -= burn
        g += burn
        s += burn * sootYield
        const gain = burn * heat
        // Loss 4 kappa sigma (T^4 - T0^4), optically thin, or the radiant share of what burns where that is more, never more than there is: the harmonic mean of loss and store.
        const hot = min(hottest, before * (1 + gain))
        const h2 = hot * hot
        const kappa = absorption * s * hot + gasAbsorption * max<f32>(0, th)
        const loss = max<f32>(radiant * gain, kappa * emission * (h2 * h2 - ambient4))
        const left: f32 = max<f32>(0, 1 - ambient / hot)
        const lost: f32 = loss > 0 ? loss * left / (loss + left) : 0
        const after: f32 = min(hottest, max(min(ambient, before), before * (1 + gain) * (1 - lost)))
        // What the gas really gained decides the expansion; the rest of the heat counts as radiated, so that the budget closes.
        const q: f32 = after / before - 1
        store<f32>(density + e, mass)
        store<f32>(fuel + e, f)
        store<f32>(soot + e, s)
        store<f32>(burnt + e, g)
        store<f32>(expansion + e, q / dt)
        sumBurnt += burn
        sumRad += gain - q
        bx += burn * <f32>i
        by += burn * <f32>j
        bz += burn * <f32>k
        theta += th
        sf += f
        ss += s
      }
    }
    const at = partial + (<usize>(k - 1)) * 64
    store<f64>(at, sumBurnt)
    store<f64>(at, sumRad, 8)
    store<f64>(at, bx, 16)
    store<f64>(at, by, 24)
    store<f64>(at, bz, 32)
    store<f64>(at, theta, 40)
    store<f64>(at, sf, 48)
    store<f64>(at, ss, 56)
  }
}

/** partial[layer] = largest face speed, m/s. */
export function fastest(u: usize, v: usize, w: usize, partial: usize, spans: usize, nx: i32, ny: i32, nz: i32, from: i32, to: i32): void {
  const sx = nx + 2
  for (let k = from + 1; k <= to; k++) {
    let top = f32x4.splat(0)
    let single: f32 = 0
    for (let j = 1; j <= ny + 1; j++) {
      const line = k * (ny + 2) + j
      const base = baseOf(spans, line, sx)
      const row = (<usize>(base + 1)) << 2
      let i = firstOf(spans, line)
      const stop = endOf(spans, line, nx, nx + 1)
      for (; i + 4 <= stop; i += 4) {
        const o = row + ((<usize>i) << 2)
        top = f32x4.pmax(top, f32x4.pmax(f32x4.abs(v128.load(u + o)), f32x4.pmax(f32x4.abs(v128.load(v + o)), f32x4.abs(v128.load(w + o)))))
      }
      for (; i < stop; i++) {
        const o = row + ((<usize>i) << 2)
        single = max(single, max(abs(load<f32>(u + o)), max(abs(load<f32>(v + o)), abs(load<f32>(w + o)))))
      }
    }
    store<f64>(partial + ((<usize>(k - 1)) << 3), max(single, max(max(f32x4.extract_lane(top, 0), f32x4.extract_lane(top, 1)), max(f32x4.extract_lane(top, 2), f32x4.extract_lane(top, 3)))))
  }
}

/** Per layer the range of cells that hold something: i32 minI, maxI, minJ, maxJ (0-based; min > max where the layer is empty). */
export function extent(density: usize, fuel: usize, soot: usize, thinner: f32, moreFuel: f32, moreSoot: f32, out: usize, spans: usize, nx: i32, ny: i32, nz: i32, from: i32, to: i32): void {
  const sx = nx + 2
  for (let k = from + 1; k <= to; k++) {
    let minI = nx, maxI = -1, minJ = ny, maxJ = -1
    for (let j = 1; j <= ny; j++) {
      const line = k * (ny + 2) + j
      const base = baseOf(spans, line, sx)
      for (let i = firstOf(spans, line) + 1, stop = endOf(spans, line, nx, nx); i <= stop; i++) {
        const e = (<usize>(base + i)) << 2
        if (!holds(e, density, fuel, soot, thinner, moreFuel, moreSoot)) continue
        minI = min(minI, i - 1)
        maxI = max(maxI, i - 1)
        minJ = min(minJ, j - 1)
        maxJ = max(maxJ, j - 1)
      }
    }
    const at = out + ((<usize>(k - 1)) << 4)
    store<i32>(at, minI)
    store<i32>(at, maxI, 4)
    store<i32>(at, minJ, 8)
    store<i32>(at, maxJ, 12)
  }
}

/** A cell holds gas where it is thinner (hotter) or holds more than said. */
// @ts-ignore: decorator
@inline
function holds(e: usize, density: usize, fuel: usize, soot: usize, thinner: f32, moreFuel: f32, moreSoot: f32): bool {
  return load<f32>(density + e) <= thinner || load<f32>(fuel + e) >= moreFuel || load<f32>(soot + e) >= moreSoot
}

/** Per tile of 8^3 cells eight floats: 1 where a cell of it holds gas, then how fast the air of those goes down and up along x, y and z, m/s. Items are layers of tiles. */
export function markTiles(density: usize, fuel: usize, soot: usize, thinner: f32, moreFuel: f32, moreSoot: f32, u: usize, v: usize, w: usize, out: usize, spans: usize, nx: i32, ny: i32, nz: i32, from: i32, to: i32): void {
  const sx = nx + 2
  const tx = (nx + 7) >> 3, ty = (ny + 7) >> 3
  for (let tk = from; tk < to; tk++)
    for (let tj = 0; tj < ty; tj++)
      for (let ti = 0; ti < tx; ti++) {
        let held: f32 = 0
        let low = f32x4.splat(0), high = f32x4.splat(0)
        for (let k = 8 * tk; k < min(nz, 8 * tk + 8); k++)
          for (let j = 8 * tj; j < min(ny, 8 * tj + 8); j++) {
            const line = (k + 1) * (ny + 2) + j + 1
            const base = baseOf(spans, line, sx)
            for (let i = max(firstOf(spans, line), 8 * ti), stop = min(endOf(spans, line, nx, nx), 8 * ti + 8); i < stop; i++) {
              const e = (<usize>(base + i + 1)) << 2
              if (!holds(e, density, fuel, soot, thinner, moreFuel, moreSoot)) continue
              held = 1
              const speed = f32x4(load<f32>(u + e), load<f32>(v + e), load<f32>(w + e), 0)
              low = f32x4.pmin(low, speed)
              high = f32x4.pmax(high, speed)
            }
          }
        const at = out + ((<usize>((tk * ty + tj) * tx + ti)) << 5)
        store<f32>(at, held)
        store<f32>(at, -f32x4.extract_lane(low, 0), 4)
        store<f32>(at, f32x4.extract_lane(high, 0), 8)
        store<f32>(at, -f32x4.extract_lane(low, 1), 12)
        store<f32>(at, f32x4.extract_lane(high, 1), 16)
        store<f32>(at, -f32x4.extract_lane(low, 2), 20)
        store<f32>(at, f32x4.extract_lane(high, 2), 24)
      }
}

/** Per layer, of the cells thinner than `thinner` (a flame is hot): how many (f64) and the highest row j of them, counted from 1 (f64; 0: none). */
export function flame(density: usize, flags: usize, thinner: f32, out: usize, spans: usize, nx: i32, ny: i32, nz: i32, from: i32, to: i32): void {
  const sx = nx + 2
  for (let k = from + 1; k <= to; k++) {
    let count = 0, top = 0
    for (let j = 1; j <= ny; j++) {
      const line = k * (ny + 2) + j
      const base = baseOf(spans, line, sx)
      for (let i = firstOf(spans, line) + 1, stop = endOf(spans, line, nx, nx); i <= stop; i++) {
        const c = <usize>(base + i)
        if (load<f32>(density + (c << 2)) >= thinner || load<u8>(flags + c) != FLUID) continue
        count++
        top = j
      }
    }
    const at = out + ((<usize>(k - 1)) << 4)
    store<f64>(at, <f64>count)
    store<f64>(at, <f64>top, 8)
  }
}
