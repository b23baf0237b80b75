import { exp, log } from '../math/index.ts'
import { type SensorCurve, sensorNumbers } from './sensor.ts'

// How a plate's camera bent its highlights, told by how rare ever brighter light is in it.

/** Between these plate values a camera is straight, and the law of its tones is taken. */
const STRAIGHT = [0.22, 0.42] as const
const POINTS = 14
/** So many samples must lie beyond middling brightness, and near the top. */
const LEAST_BRIGHT = 400
const LEAST_CLIPPED = 40
const NEAR_TOP = 0.96
/** The law must be a straight line, and a curve must follow it, this well; the last in stops. */
const LEAST_STRAIGHT = 0.97
const MOST_OFF = 0.2

/** How many of sorted values lie above one. */
function above(sorted: Float32Array, value: number): number {
  let [low, high] = [0, sorted.length]
  while (low < high) {
    const middle = (low + high) >> 1
    if ((sorted[middle] ?? 0) > value) high = middle
    else low = middle + 1
  }
  return sorted.length - low
}

/** Light that gives a plate value by a curve. */
function lightOf(y: number, curve: SensorCurve): number {
  const [knee, , a, b] = sensorNumbers(curve)
  if (y <= knee) return y
  const d = y - knee
  const p = 1 - d * b
  return knee + (2 * d) / (p + Math.sqrt(Math.max(0, p * p + 4 * a * d)))
}

/** ln N(> y) = c - a ln y, by least squares over the straight part; undefined where tones follow no such law. */
function tailLaw(sorted: Float32Array): { a: number; c: number } | undefined {
  const points = Array.from({ length: POINTS }, (_, n) => {
    const y = STRAIGHT[0] + ((STRAIGHT[1] - STRAIGHT[0]) * n) / (POINTS - 1)
    return { x: log(y), y: log(Math.max(1, above(sorted, y))) }
  })
  const [mx, my] = [points.reduce((s, p) => s + p.x, 0) / POINTS, points.reduce((s, p) => s + p.y, 0) / POINTS]
  const [xx, xy, yy] = [
    points.reduce((s, p) => s + (p.x - mx) ** 2, 0),
    points.reduce((s, p) => s + (p.x - mx) * (p.y - my), 0),
    points.reduce((s, p) => s + (p.y - my) ** 2, 0),
  ]
  const a = -xy / xx
  if (!(a > 0.4 && a < 8) || (xy * xy) / (xx * Math.max(1e-12, yy)) < LEAST_STRAIGHT) return undefined
  return { a, c: my + a * mx }
}

/**
 * Knee and clip of a plate's camera, fitted to its own highlights: bright light gets rarer by a power of its brightness (as in most scenes; the law is taken where the camera is straight), so that how rare a plate value is tells how much light it stands for.
 * values: brightness of many pixels of many frames, linear plate values. Undefined where there are too few highlights, or where their tones follow no such law, as before a bright sky.
 */
export function fitSensor(values: Float32Array): SensorCurve | undefined {
  const sorted = values.slice().sort()
  if (above(sorted, STRAIGHT[1]) < LEAST_BRIGHT || above(sorted, NEAR_TOP) < LEAST_CLIPPED) return undefined
  const law = tailLaw(sorted)
  if (!law) return undefined
  const told = Array.from({ length: 27 }, (_, n) => 0.44 + 0.02 * n).map((y) => ({
    y,
    light: exp((law.c - log(Math.max(1, above(sorted, y)))) / law.a),
  }))
  let best: { curve: SensorCurve; off: number } | undefined
  for (let knee = 0.4; knee <= 0.92; knee += 0.02)
    for (let top = 1.6; top <= 24; top *= 1.08) {
      const curve = { knee, top }
      const off = Math.sqrt(
        told.reduce((sum, { y, light }) => sum + (log(light / lightOf(y, curve)) / Math.LN2) ** 2, 0) / told.length,
      )
      if (!best || off < best.off) best = { curve, off }
    }
  return best && best.off < MOST_OFF ? best.curve : undefined
}
