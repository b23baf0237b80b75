import { solveCholesky } from './dense.ts'

// Homographies of the picture: nine numbers in rows, places in px; H (x, y, 1) up to scale.

export type Homography = readonly [number, number, number, number, number, number, number, number, number]

/** How a flat patch may move: in place alone; turned and scaled too; leaning too (affine); or in perspective too. */
export type PatchModel = 'place' | 'turn' | 'lean' | 'perspective'

export const SAME: Homography = [1, 0, 0, 0, 1, 0, 0, 0, 1]

export function throughHomography(h: Homography, x: number, y: number): [number, number] {
  const w = h[6] * x + h[7] * y + h[8]
  return [(h[0] * x + h[1] * y + h[2]) / w, (h[3] * x + h[4] * y + h[5]) / w]
}

export function timesHomography(a: Homography, b: Homography): Homography {
  const at = (i: number, j: number): number =>
    (a[3 * i] as number) * (b[j] as number) +
    (a[3 * i + 1] as number) * (b[3 + j] as number) +
    (a[3 * i + 2] as number) * (b[6 + j] as number)
  return [at(0, 0), at(0, 1), at(0, 2), at(1, 0), at(1, 1), at(1, 2), at(2, 0), at(2, 1), at(2, 2)]
}

/** Inverse up to scale, by the adjugate. */
export function inverseHomography(h: Homography): Homography {
  const [a, b, c, d, e, f, g, i, j] = h
  return [
    e * j - f * i,
    c * i - b * j,
    b * f - c * e,
    f * g - d * j,
    a * j - c * g,
    c * d - a * f,
    d * i - e * g,
    b * g - a * i,
    a * e - b * d,
  ]
}

/** Rows of the linear equations that a pair of places gives a model, with its right side last. */
function rowsOf(model: PatchModel, x: number, y: number, u: number, v: number): [number[], number[]] {
  if (model === 'place')
    return [
      [1, 0, u - x],
      [0, 1, v - y],
    ]
  if (model === 'turn')
    return [
      [x, -y, 1, 0, u],
      [y, x, 0, 1, v],
    ]
  if (model === 'lean')
    return [
      [x, y, 1, 0, 0, 0, u],
      [0, 0, 0, x, y, 1, v],
    ]
  return [
    [x, y, 1, 0, 0, 0, -x * u, -y * u, u],
    [0, 0, 0, x, y, 1, -x * v, -y * v, v],
  ]
}

/**
 * The motion of a model that takes places to places, by least squares: x y of each, in px. Perspective wants four pairs, lean three, turn two, place one.
 * Undefined where the places don't decide it. Normalised about their middle (Hartley 1997).
 */
export function fitPlane(
  model: PatchModel,
  from: readonly (readonly [number, number])[],
  to: readonly (readonly [number, number])[],
): Homography | undefined {
  const middle = (places: readonly (readonly [number, number])[], c: 0 | 1): number =>
    places.reduce((sum, p) => sum + p[c], 0) / Math.max(1, places.length)
  const [fx, fy, tx, ty] = [middle(from, 0), middle(from, 1), middle(to, 0), middle(to, 1)]
  const r = from.reduce((most, [x, y]) => Math.max(most, Math.abs(x - fx), Math.abs(y - fy)), 1)
  const unknowns = { place: 2, turn: 4, lean: 6, perspective: 8 }[model]
  const a = new Float64Array(unknowns * unknowns)
  const b = new Float64Array(unknowns)
  for (const [k, [x, y]] of from.entries()) {
    const [u, v] = to[k] ?? [0, 0]
    for (const row of rowsOf(model, (x - fx) / r, (y - fy) / r, (u - tx) / r, (v - ty) / r))
      for (let i = 0; i < unknowns; i++) {
        b[i] = (b[i] as number) + (row[i] as number) * (row[unknowns] as number)
        for (let j = 0; j <= i; j++)
          a[i * unknowns + j] = (a[i * unknowns + j] as number) + (row[i] as number) * (row[j] as number)
      }
  }
  if (!solveCholesky(a, b, unknowns)) return undefined
  return scaled(homographyOf(model, b), fx, fy, tx, ty, r)
}

/** A model's numbers as a homography; place and turn as rowsOf has them (turn's first two are the whole scaled rotation). */
function homographyOf(model: PatchModel, p: ArrayLike<number>): Homography {
  const [a, b, c, d, e, f, g, h] = Array.from(p) as [number, number, number, number, number, number, number, number]
  if (model === 'place') return [1, 0, a, 0, 1, b, 0, 0, 1]
  if (model === 'turn') return [a, -b, c, b, a, d, 0, 0, 1]
  return model === 'lean' ? [a, b, c, d, e, f, 0, 0, 1] : [a, b, c, d, e, f, g, h, 1]
}

/** A homography of places about (fx, fy) to places about (tx, ty), both in units of r, as one of px. */
export function scaled(h: Homography, fx: number, fy: number, tx: number, ty: number, r: number): Homography {
  return timesHomography(timesHomography([r, 0, tx, 0, r, ty, 0, 0, 1], h), [
    1 / r,
    0,
    -fx / r,
    0,
    1 / r,
    -fy / r,
    0,
    0,
    1,
  ])
}
