// How sharp a plate is, and how long its shutter stays open, from its own edges.

/** An upright or level edge: where, how high its step is, how spread it is. */
export interface Edge {
  x: number
  y: number
  /** Across which axis it steps: x is an upright edge. */
  across: 'x' | 'y'
  /** Step of linear light. */
  step: number
  /** Variance of its spread, px^2, the pixel's own width taken out. */
  variance: number
}

const LEAST_REACH = 4
const MOST_REACH = 16
/** Steps per pixel below this share of the steepest end an edge. */
const TAIL = 0.05
const STRAIGHT = 0.15
const LEAST_STEP = 0.05
/** Steepest step of an edge against the grain beside it. */
const OVER_GRAIN = 6

/** Brightness (Rec. 709) of linear r g b. */
export function brightnessOf(rgb: Float32Array): Float32Array {
  return Float32Array.from(
    { length: rgb.length / 3 },
    (_, n) =>
      0.2126 * (rgb[3 * n] as number) + 0.7152 * (rgb[3 * n + 1] as number) + 0.0722 * (rgb[3 * n + 2] as number),
  )
}

/**
 * The plain edges of a picture: single steps along x or y with flat light on both sides, straight over three rows. light: brightness, rows from the top left; leastStep: of a step that counts, in linear light.
 * Their spread is the second moment of the profile's steps (an edge-spread function's derivative; ISO 12233 measures the same function by its transform).
 */
export function plainEdges(light: Float32Array, width: number, height: number, leastStep = LEAST_STEP): Edge[] {
  const edges: Edge[] = []
  for (const across of ['x', 'y'] as const) {
    const [step, side] = across === 'x' ? [1, width] : [width, 1]
    for (let y = MOST_REACH + 1; y < height - MOST_REACH - 1; y++)
      for (let x = MOST_REACH + 1; x < width - MOST_REACH - 1; x++) {
        const at = y * width + x
        const row = (k: number): number =>
          ((light[at + k * step - side] as number) +
            (light[at + k * step] as number) +
            (light[at + k * step + side] as number)) /
          3
        const slope = (k: number): number => row(k + 1) - row(k)
        const own = (light[at + step] as number) - (light[at] as number)
        if (Math.abs(own) < 0.24 * leastStep) continue
        const peak = slope(0)
        if (
          Math.abs(peak) < 0.2 * leastStep ||
          Math.abs(slope(-1)) > Math.abs(peak) ||
          Math.abs(slope(1)) >= Math.abs(peak)
        )
          continue
        // Straight along itself.
        if (
          Math.abs(
            (light[at + side] as number) +
              (light[at + side + step] as number) -
              (light[at - side] as number) -
              (light[at - side + step] as number),
          ) >
          2 * STRAIGHT * Math.abs(peak)
        )
          continue
        const edge = measured(slope, row, peak, leastStep)
        if (edge)
          edges.push({
            x: x + 1 + (across === 'x' ? edge.middle : -0.5),
            y: y + (across === 'x' ? 0.5 : 1 + edge.middle),
            across,
            step: edge.step,
            variance: edge.variance,
          })
      }
  }
  return edges
}

function measured(
  slope: (k: number) => number,
  row: (k: number) => number,
  peak: number,
  leastStep: number,
): { step: number; variance: number; middle: number } | undefined {
  const end = (way: 1 | -1): number | undefined => {
    for (let k = 1; k <= MOST_REACH; k++) {
      const s = slope(way * k) / peak
      if (s < -2 * TAIL) return undefined
      if (s < TAIL && slope(way * (k + 1)) / peak < TAIL) return Math.max(k, LEAST_REACH)
    }
    return undefined
  }
  const [left, right] = [end(-1), end(1)]
  if (left === undefined || right === undefined) return undefined
  let [weight, first, second, rough] = [0, 0, 0, 0]
  for (let k = -left; k <= right; k++) {
    const s = slope(k)
    weight += s
    first += s * k
    second += s * k * k
  }
  for (const k of [-left - 2, -left - 1, right + 1, right + 2])
    rough = Math.max(rough, Math.abs(slope(Math.max(-MOST_REACH, Math.min(MOST_REACH - 1, k)))))
  if (
    Math.abs(weight) < leastStep ||
    Math.abs(peak) < OVER_GRAIN * rough ||
    Math.abs(row(right + 1) - row(-left)) < 0.9 * Math.abs(weight)
  )
    return undefined
  const middle = first / weight
  // A pixel gathers over its own width, and so does the difference of two: a twelfth each.
  const variance = second / weight - middle * middle - 1 / 6
  return variance > 0 ? { step: Math.abs(weight), variance, middle } : undefined
}

const median = (values: readonly number[]): number =>
  [...values].sort((a, b) => a - b)[values.length >> 1] ?? Number.NaN

/** 10 to 90 % of a step that was blurred by a Gaussian, in its standard deviations. */
const RISE = 2.563
const MOST_EDGES = 800

/** Rise from 10 to 90 % of the plate's sharpest plain edges, px: the median of the highest steps. NaN where there are too few. */
export function edgeRise(edges: readonly Edge[]): number {
  const best = [...edges].sort((a, b) => b.step - a.step).slice(0, MOST_EDGES)
  return best.length < 12 ? Number.NaN : RISE * Math.sqrt(median(best.map(({ variance }) => variance)))
}

const LEAST_MOVING_PX = 2
const LEAST_EDGES = 60
const LEAST_IN_FRAME = 6
const ROUNDS = 6

/** An edge in a frame, and how fast the picture moves under it, px a frame. */
export interface MovingEdge {
  frame: number
  edge: Edge
  speed: readonly [number, number]
}

/**
 * Share of a frame's time for which the shutter is open (a half is 180 degrees), from edges and how fast the picture moves under each: a box of length share x speed adds a twelfth of its square to an edge's variance.
 * Edges are compared within their frame, level ones with upright ones: what is out of focus blurs both alike, whatever it moves. (Comparing within small parts of it measured worse: too few edges of either kind.)
 * A line through the differences, those far off it weighing less (Huber). Undefined where too little moves or too few edges are seen.
 */
export function shutterShare(moving: readonly MovingEdge[]): { share: number; edges: number } | undefined {
  const frames = new Map<number, { x: number; y: number }[]>()
  for (const { frame, edge, speed } of moving) {
    const v = edge.across === 'x' ? speed[0] : speed[1]
    const there = frames.get(frame)
    if (there) there.push({ x: v * v, y: edge.variance })
    else frames.set(frame, [{ x: v * v, y: edge.variance }])
  }
  const points = [...frames.values()]
    .filter((list) => list.length >= LEAST_IN_FRAME)
    .flatMap((list) => {
      const [mx, my] = [list.reduce((sum, p) => sum + p.x, 0) / list.length, median(list.map((p) => p.y))]
      return list.map((p) => ({ x: p.x - mx, y: p.y - my, own: p.x }))
    })
  const fast = points.map(({ own }) => own).sort((a, b) => b - a)[points.length >> 4] ?? 0
  if (points.length < LEAST_EDGES || fast < LEAST_MOVING_PX * LEAST_MOVING_PX) return undefined
  let slope = 0
  let level = 0
  let weights = points.map(() => 1)
  for (let round = 0; round < ROUNDS; round++) {
    const w = weights.reduce((sum, v) => sum + v, 0)
    const [mx, my] = [
      points.reduce((sum, p, n) => sum + (weights[n] as number) * p.x, 0) / w,
      points.reduce((sum, p, n) => sum + (weights[n] as number) * p.y, 0) / w,
    ]
    const across = points.reduce((sum, p, n) => sum + (weights[n] as number) * (p.x - mx) * (p.x - mx), 0)
    if (!(across > 0)) return undefined
    slope = points.reduce((sum, p, n) => sum + (weights[n] as number) * (p.x - mx) * (p.y - my), 0) / across
    level = my - slope * mx
    const off = points.map((p) => Math.abs(p.y - slope * p.x - level))
    const usual = 1.4826 * median(off)
    weights = off.map((d) => (d > 1.345 * usual ? (1.345 * usual) / d : 1))
  }
  return { share: Math.sqrt(Math.max(0, 12 * slope)), edges: points.length }
}
