// The normal equations of a bundle adjustment (core/match/bundle.ts): what points leave of the poses, and the factor of what is left. All numbers f64.
//   y: 6 x 3 an observation, pose by point, already times the inverse of the point's own part; w: 3 x 6 an observation, point by pose.
//   column, i32 an observation: first column of its frame's pose, or -1; first, i32 an observation: the first observation of the same point.

/**
 * Takes from the rows of frames [from, to) of s (size x size) what the points explain: block (frame k, frame m) loses y_k w_m for every point that both see, m not after k.
 * list, i32: frames + 1 starts, then observations frame by frame. broad: columns of a pose, 6 or 3.
 */
export function schurRows(y: usize, w: usize, column: usize, first: usize, list: usize, frames: i32, s: usize, size: i32, broad: i32, from: i32, to: i32): void {
  const entries = list + ((<usize>(frames + 1)) << 2)
  for (let f = from; f < to; f++) {
    const end = load<i32>(list + ((<usize>f) << 2), 4)
    for (let n = load<i32>(list + ((<usize>f) << 2)); n < end; n++) {
      const k = load<i32>(entries + ((<usize>n) << 2))
      const ck = load<i32>(column + ((<usize>k) << 2))
      if (ck < 0) continue
      const yk = y + (<usize>k) * 144
      for (let m = load<i32>(first + ((<usize>k) << 2)); m <= k; m++) {
        const cm = load<i32>(column + ((<usize>m) << 2))
        if (cm < 0) continue
        const wm = w + (<usize>m) * 144
        if (broad == 6) {
          const a0 = v128.load(wm), a1 = v128.load(wm, 16), a2 = v128.load(wm, 32)
          const b0 = v128.load(wm, 48), b1 = v128.load(wm, 64), b2 = v128.load(wm, 80)
          const c0 = v128.load(wm, 96), c1 = v128.load(wm, 112), c2 = v128.load(wm, 128)
          for (let i = 0; i < 6; i++) {
            const q = yk + (<usize>i) * 24
            const y0 = v128.load64_splat(q), y1 = v128.load64_splat(q, 8), y2 = v128.load64_splat(q, 16)
            const o = s + ((<usize>((ck + i) * size + cm)) << 3)
            v128.store(o, f64x2.sub(v128.load(o), f64x2.add(f64x2.add(f64x2.mul(y0, a0), f64x2.mul(y1, b0)), f64x2.mul(y2, c0))))
            v128.store(o, f64x2.sub(v128.load(o, 16), f64x2.add(f64x2.add(f64x2.mul(y0, a1), f64x2.mul(y1, b1)), f64x2.mul(y2, c1))), 16)
            v128.store(o, f64x2.sub(v128.load(o, 32), f64x2.add(f64x2.add(f64x2.mul(y0, a2), f64x2.mul(y1, b2)), f64x2.mul(y2, c2))), 32)
          }
        } else for (let i = 0; i < broad; i++) {
          const q = yk + (<usize>i) * 24
          for (let j = 0; j < broad; j++) {
            const o = s + ((<usize>((ck + i) * size + cm + j)) << 3)
            const p = wm + ((<usize>j) << 3)
            store<f64>(o, load<f64>(o) - (load<f64>(q) * load<f64>(p) + load<f64>(q, 8) * load<f64>(p, 48) + load<f64>(q, 16) * load<f64>(p, 96)))
          }
        }
      }
    }
  }
}

// @ts-ignore: decorator
@inline
function dotRows(a: usize, b: usize, count: i32): f64 {
  let sum = f64x2.splat(0), more = f64x2.splat(0)
  let k = 0
  for (; k + 4 <= count; k += 4) {
    const o = (<usize>k) << 3
    sum = f64x2.add(sum, f64x2.mul(v128.load(a + o), v128.load(b + o)))
    more = f64x2.add(more, f64x2.mul(v128.load(a + o, 16), v128.load(b + o, 16)))
  }
  sum = f64x2.add(sum, more)
  let all = f64x2.extract_lane(sum, 0) + f64x2.extract_lane(sum, 1)
  for (; k < count; k++) all += load<f64>(a + ((<usize>k) << 3)) * load<f64>(b + ((<usize>k) << 3))
  return all
}

/** Cholesky's factor of a symmetric size x size matrix (its lower half) in place, then the right side b solved in place; done[0] is 1, or 0 where the matrix is not positive. One item. */
export function solvePositive(m: usize, b: usize, size: i32, done: usize, from: i32, to: i32): void {
  store<f64>(done, 0)
  const line = (<usize>size) << 3
  // Rows a few at a time, so that the rows above are read once for them all.
  const BAND = 8
  for (let top = 0; top < size; top += BAND) {
    const end = min(top + BAND, size)
    for (let j = 0; j < end; j++) {
      const row = m + (<usize>j) * line
      for (let i = max(j, top); i < end; i++) {
        const other = m + (<usize>i) * line
        const at = other + ((<usize>j) << 3)
        const rest = load<f64>(at) - dotRows(other, row, j)
        if (i == j) {
          if (!(rest > 0)) return
          store<f64>(at, sqrt(rest))
        } else store<f64>(at, rest / load<f64>(row + ((<usize>j) << 3)))
      }
    }
  }
  for (let i = 0; i < size; i++) {
    const row = m + (<usize>i) * line
    const at = b + ((<usize>i) << 3)
    store<f64>(at, (load<f64>(at) - dotRows(row, b, i)) / load<f64>(row + ((<usize>i) << 3)))
  }
  for (let i = size - 1; i >= 0; i--) {
    const row = m + (<usize>i) * line
    const at = b + ((<usize>i) << 3)
    const x = load<f64>(at) / load<f64>(row + ((<usize>i) << 3))
    store<f64>(at, x)
    for (let k = 0; k < i; k++) {
      const o = (<usize>k) << 3
      store<f64>(b + o, load<f64>(b + o) - load<f64>(row + o) * x)
    }
  }
  store<f64>(done, 1)
}
