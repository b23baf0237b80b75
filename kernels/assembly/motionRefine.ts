// Variational refinement of a dense motion: brightness and its slopes stay the same, motion is smooth except at edges (Brox et al. 2004), solved by red-black over-relaxation.
const ALPHA: f32 = 20, DELTA: f32 = 5, GAMMA: f32 = 10
const ZETA2: f32 = 0.01, EPS2: f32 = 1e-6
const OUTER: i32 = 5, SWEEPS: i32 = 5
const OMEGA: f32 = 1.6, KEEP: f32 = -0.6

let W: i32 = 0, H: i32 = 0

// @ts-ignore: decorator
@inline
function slopeAcross(p: usize, x: i32): f32 {
  return 0.5 * (load<f32>(p + (x < W - 1 ? 4 : 0)) - load<f32>(p - (x > 0 ? 4 : 0)))
}
// @ts-ignore: decorator
@inline
function slopeDown(p: usize, y: i32): f32 {
  const row = (<usize>W) << 2
  return 0.5 * (load<f32>(p + (y < H - 1 ? row : 0)) - load<f32>(p - (y > 0 ? row : 0)))
}

/** The second picture as it lies under the motion, by straight lines between pixels: the mean of both, and their difference. */
function carry(first: usize, second: usize, line: usize, u: usize, v: usize, average: usize, change: usize): void {
  for (let y = 0; y < H; y++)
    for (let x = 0; x < W; x++) {
      const n = (<usize>(y * W + x)) << 2
      const px: f32 = min<f32>(max<f32>(<f32>x + load<f32>(u + n), -8), <f32>(W + 7)), py: f32 = min<f32>(max<f32>(<f32>y + load<f32>(v + n), -8), <f32>(H + 7))
      const i = <i32>Mathf.floor(px), j = <i32>Mathf.floor(py)
      const fx = px - <f32>i, fy = py - <f32>j
      const p = second + <usize>(j * <i32>line + (i << 2)), q = p + line
      const there = (load<f32>(p) * (1 - fx) + load<f32>(p, 4) * fx) * (1 - fy) + (load<f32>(q) * (1 - fx) + load<f32>(q, 4) * fx) * fy
      const here = load<f32>(first + (<usize>y) * line + ((<usize>x) << 2))
      store<f32>(average + n, 0.5 * (here + there))
      store<f32>(change + n, there - here)
    }
}

/** Where planes lie in the scratch, in order. */
let Ix: usize = 0, Iy: usize = 0, Iz: usize = 0, Ixx: usize = 0, Ixy: usize = 0, Iyy: usize = 0, Ixz: usize = 0, Iyz: usize = 0
let A11: usize = 0, A12: usize = 0, A22: usize = 0, B1: usize = 0, B2: usize = 0, smooth: usize = 0, dU: usize = 0, dV: usize = 0

/** The equations of brightness and slopes at four pixels at once, robust about the present step. */
function dataTerm(n: usize): void {
  const du = v128.load(dU + n), dv = v128.load(dV + n)
  const ix = v128.load(Ix + n), iy = v128.load(Iy + n), iz = v128.load(Iz + n)
  const zeta = f32x4.splat(ZETA2), eps = f32x4.splat(EPS2)
  const norm = f32x4.add(f32x4.add(f32x4.mul(ix, ix), f32x4.mul(iy, iy)), zeta)
  const off = f32x4.add(iz, f32x4.add(f32x4.mul(ix, du), f32x4.mul(iy, dv)))
  let w = f32x4.div(f32x4.splat(0.5 * DELTA), f32x4.mul(norm, f32x4.sqrt(f32x4.add(f32x4.div(f32x4.mul(off, off), norm), eps))))
  let a11 = f32x4.add(f32x4.mul(w, f32x4.mul(ix, ix)), zeta), a12 = f32x4.mul(w, f32x4.mul(ix, iy)), a22 = f32x4.add(f32x4.mul(w, f32x4.mul(iy, iy)), zeta)
  let b1 = f32x4.neg(f32x4.mul(w, f32x4.mul(ix, iz))), b2 = f32x4.neg(f32x4.mul(w, f32x4.mul(iy, iz)))
  const xx = v128.load(Ixx + n), xy = v128.load(Ixy + n), yy = v128.load(Iyy + n), xz = v128.load(Ixz + n), yz = v128.load(Iyz + n)
  const one = f32x4.splat(1)
  const n1 = f32x4.div(one, f32x4.add(f32x4.add(f32x4.mul(xx, xx), f32x4.mul(xy, xy)), zeta))
  const n2 = f32x4.div(one, f32x4.add(f32x4.add(f32x4.mul(yy, yy), f32x4.mul(xy, xy)), zeta))
  const offX = f32x4.add(xz, f32x4.add(f32x4.mul(xx, du), f32x4.mul(xy, dv)))
  const offY = f32x4.add(yz, f32x4.add(f32x4.mul(xy, du), f32x4.mul(yy, dv)))
  w = f32x4.div(f32x4.splat(0.5 * GAMMA), f32x4.sqrt(f32x4.add(f32x4.add(f32x4.mul(f32x4.mul(offX, offX), n1), f32x4.mul(f32x4.mul(offY, offY), n2)), eps)))
  const w1 = f32x4.mul(w, n1), w2 = f32x4.mul(w, n2)
  a11 = f32x4.add(a11, f32x4.add(f32x4.mul(w1, f32x4.mul(xx, xx)), f32x4.mul(w2, f32x4.mul(xy, xy))))
  a12 = f32x4.add(a12, f32x4.add(f32x4.mul(w1, f32x4.mul(xx, xy)), f32x4.mul(w2, f32x4.mul(xy, yy))))
  a22 = f32x4.add(a22, f32x4.add(f32x4.mul(w1, f32x4.mul(xy, xy)), f32x4.mul(w2, f32x4.mul(yy, yy))))
  b1 = f32x4.sub(b1, f32x4.add(f32x4.mul(w1, f32x4.mul(xx, xz)), f32x4.mul(w2, f32x4.mul(xy, yz))))
  b2 = f32x4.sub(b2, f32x4.add(f32x4.mul(w1, f32x4.mul(xy, xz)), f32x4.mul(w2, f32x4.mul(yy, yz))))
  v128.store(A11 + n, a11); v128.store(A12 + n, a12); v128.store(A22 + n, a22); v128.store(B1 + n, b1); v128.store(B2 + n, b2)
}

/** Weights of smoothness between a pixel and those to its right and below, by how much the motion with its step changes there. */
function smoothWeights(u: usize, v: usize): void {
  const row = (<usize>W) << 2
  for (let y = 0; y < H; y++)
    for (let x = 0; x < W; x++) {
      const n = (<usize>(y * W + x)) << 2
      const right: usize = x < W - 1 ? 4 : 0, below: usize = y < H - 1 ? row : 0
      const here = load<f32>(u + n) + load<f32>(dU + n), heV = load<f32>(v + n) + load<f32>(dV + n)
      const ux = load<f32>(u + n + right) + load<f32>(dU + n + right) - here, vx = load<f32>(v + n + right) + load<f32>(dV + n + right) - heV
      const uy = load<f32>(u + n + below) + load<f32>(dU + n + below) - here, vy = load<f32>(v + n + below) + load<f32>(dV + n + below) - heV
      store<f32>(smooth + n, 0.5 * ALPHA / sqrt(ux * ux + vx * vx + uy * uy + vy * vy + EPS2))
    }
}

/** Adds smoothness to the equations. */
function addSmoothness(u: usize, v: usize): void {
  const row = (<usize>W) << 2
  for (let y = 0; y < H; y++)
    for (let x = 0; x < W; x++) {
      const n = (<usize>(y * W + x)) << 2
      const right: f32 = x < W - 1 ? load<f32>(smooth + n) : 0, below: f32 = y < H - 1 ? load<f32>(smooth + n) : 0
      const left: f32 = x > 0 ? load<f32>(smooth + n - 4) : 0, above: f32 = y > 0 ? load<f32>(smooth + n - row) : 0
      const all = right + below + left + above
      const a = load<f32>(u + n), b = load<f32>(v + n)
      let su: f32 = -all * a, sv: f32 = -all * b
      if (x < W - 1) { su += right * load<f32>(u + n + 4); sv += right * load<f32>(v + n + 4) }
      if (y < H - 1) { su += below * load<f32>(u + n + row); sv += below * load<f32>(v + n + row) }
      if (x > 0) { su += left * load<f32>(u + n - 4); sv += left * load<f32>(v + n - 4) }
      if (y > 0) { su += above * load<f32>(u + n - row); sv += above * load<f32>(v + n - row) }
      store<f32>(B1 + n, load<f32>(B1 + n) + su); store<f32>(B2 + n, load<f32>(B2 + n) + sv)
      store<f32>(A11 + n, 1 / (load<f32>(A11 + n) + all)); store<f32>(A22 + n, 1 / (load<f32>(A22 + n) + all))
    }
}

/** One sweep of over-relaxation over every second pixel. */
function relax(parity: i32): void {
  const row = (<usize>W) << 2
  for (let y = 0; y < H; y++)
    for (let x = (y + parity) & 1; x < W; x += 2) {
      const n = (<usize>(y * W + x)) << 2
      const own = load<f32>(smooth + n)
      let su = load<f32>(B1 + n), sv = load<f32>(B2 + n)
      if (x < W - 1) { su += own * load<f32>(dU + n + 4); sv += own * load<f32>(dV + n + 4) }
      if (y < H - 1) { su += own * load<f32>(dU + n + row); sv += own * load<f32>(dV + n + row) }
      if (x > 0) { const s = load<f32>(smooth + n - 4); su += s * load<f32>(dU + n - 4); sv += s * load<f32>(dV + n - 4) }
      if (y > 0) { const s = load<f32>(smooth + n - row); su += s * load<f32>(dU + n - row); sv += s * load<f32>(dV + n - row) }
      const a12 = load<f32>(A12 + n)
      const v = load<f32>(dV + n)
      const u: f32 = KEEP * load<f32>(dU + n) + OMEGA * load<f32>(A11 + n) * (su - a12 * v)
      store<f32>(dU + n, u)
      store<f32>(dV + n, KEEP * v + OMEGA * load<f32>(A22 + n) * (sv - a12 * u))
    }
}

/** Refines (u, v), planes of width x height. first, second: pictures with lines so many bytes long. scratch: two planes, more: eleven, each so many bytes. */
export function refineMotion(first: usize, second: usize, line: usize, width: i32, height: i32, u: usize, v: usize, scratch: usize, more: usize, plane: usize): void {
  W = width; H = height
  // The slopes of the search are not needed any more; patches neither.
  dU = scratch; dV = scratch + plane; A11 = scratch + 2 * plane; A12 = scratch + 3 * plane
  Ix = more; Iy = Ix + plane; Iz = Iy + plane; Ixx = Iz + plane; Ixy = Ixx + plane; Iyy = Ixy + plane; Ixz = Iyy + plane; Iyz = Ixz + plane
  A22 = Iyz + plane; B1 = A22 + plane; B2 = B1 + plane; smooth = B2 + plane
  const size = (<usize>(W * H)) << 2
  const average = A12
  carry(first, second, line, u, v, average, Iz)
  for (let y = 0; y < H; y++)
    for (let x = 0; x < W; x++) {
      const n = (<usize>(y * W + x)) << 2
      store<f32>(Ix + n, slopeAcross(average + n, x)); store<f32>(Iy + n, slopeDown(average + n, y))
      store<f32>(Ixz + n, slopeAcross(Iz + n, x)); store<f32>(Iyz + n, slopeDown(Iz + n, y))
    }
  for (let y = 0; y < H; y++)
    for (let x = 0; x < W; x++) {
      const n = (<usize>(y * W + x)) << 2
      store<f32>(Ixx + n, slopeAcross(Ix + n, x)); store<f32>(Ixy + n, slopeDown(Ix + n, y)); store<f32>(Iyy + n, slopeDown(Iy + n, y))
    }
  memory.fill(dU, 0, size); memory.fill(dV, 0, size)
  for (let outer = 0; outer < OUTER; outer++) {
    smoothWeights(u, v)
    for (let n: usize = 0; n < size; n += 16) dataTerm(n)
    addSmoothness(u, v)
    for (let sweep = 0; sweep < SWEEPS; sweep++) { relax(0); relax(1) }
  }
  for (let n: usize = 0; n < size; n += 4) {
    store<f32>(u + n, load<f32>(u + n) + load<f32>(dU + n))
    store<f32>(v + n, load<f32>(v + n) + load<f32>(dV + n))
  }
}
