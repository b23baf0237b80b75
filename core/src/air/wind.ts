import { cos, fractal3, radians, sin, type Vec3 } from '../math/index.ts'

const SWAY = 25

/** Wind that comes in gusts: m/s, degrees that it comes from, share of its speed that comes and goes (%), and every how many seconds. */
export interface GustyWind {
  wind: number
  windFrom: number
  gust: number
  gustEvery: number
  seed: number
}

/** Wind at a time, m/s. 0 degrees: from behind the set (-Z) towards the camera; 90: from the right (+X). */
export function windAt({ wind, windFrom, gust: amount, gustEvery, seed }: GustyWind, seconds: number): Vec3 {
  const turn = seconds / gustEvery
  const gust = amount / 100
  const speed = wind * Math.max(0, 1 + gust * 1.6 * fractal3(seed + 911, turn, 0.5, 0.5, 3))
  const from = radians(windFrom + SWAY * gust * 1.6 * fractal3(seed + 977, turn, 0.5, 0.5, 3))
  return [-speed * sin(from), 0, speed * cos(from)]
}
