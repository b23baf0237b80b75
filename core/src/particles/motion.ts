import { cos, exp, sin, type Vec3 } from '../math/index.ts'
import { diceOf } from './births.ts'

// A particle's own way through a step: exact where what slows it is even.

/** Speed against the wind. */
export const apart = (v: Vec3, wind: Vec3): number =>
  Math.sqrt((v[0] - wind[0]) ** 2 + (v[1] - wind[1]) ** 2 + (v[2] - wind[2]) ** 2)

const FLUTTER_PACE = 2 * Math.PI * 1.7
/** Adds a flake's own swaying to the air that it feels. */
export function sway(id: number, flutter: number, time: number, wind: [number, number, number]): void {
  const [turn, phase] = [2 * Math.PI * diceOf(id, 40), 2 * Math.PI * diceOf(id, 41)]
  const pace = FLUTTER_PACE * (0.6 + 0.8 * diceOf(id, 42))
  const amount = flutter * cos(pace * time + phase)
  wind[0] += amount * cos(turn)
  wind[2] += amount * sin(turn)
  wind[1] += 0.3 * flutter * sin(2 * (pace * time + phase))
}

/** Velocity of one axis after so long: it relaxes to where drag holds what pushes. left: share of the difference that is left. */
function relaxedAlong(
  v: number,
  wind: number,
  push: number,
  rate: number,
  slows: number,
  seconds: number,
  left: number,
): number {
  if (rate + slows < 1e-9) return v + push * seconds
  const end = (push + rate * wind) / (rate + slows)
  return end + (v - end) * left
}

/** The way of one axis in so long. */
function movedAlong(
  v: number,
  wind: number,
  push: number,
  rate: number,
  slows: number,
  seconds: number,
  left: number,
): number {
  const whole = rate + slows
  // With hardly any drag the exact form loses its digits.
  if (whole * seconds < 1e-4) return v * seconds + 0.5 * (push - whole * v + rate * wind) * seconds * seconds
  const end = (push + rate * wind) / whole
  return end * seconds + ((v - end) * (1 - left)) / whole
}

/** A way through the air that is even over a step: where it begins, how fast, and what works on it. */
export interface Flight {
  at: [number, number, number]
  velocity: [number, number, number]
  wind: Vec3
  push: [number, number, number]
  /** 1/s, of its speed against the wind, and of all of its speed. */
  rate: number
  slows: number
}
export const newFlight = (wind: Vec3): Flight => ({
  at: [0, 0, 0],
  velocity: [0, 0, 0],
  wind,
  push: [0, 0, 0],
  rate: 0,
  slows: 0,
})

/** Place and velocity after so long, written to `at` and `velocity`. */
export function moved(
  { at: from, velocity: v, wind, push, rate, slows }: Flight,
  seconds: number,
  at: [number, number, number],
  velocity?: [number, number, number],
): void {
  const left = exp(-(rate + slows) * seconds)
  for (let a = 0; a < 3; a++) {
    const [own, air, acceleration] = [v[a] as number, wind[a] as number, push[a] as number]
    at[a] = (from[a] as number) + movedAlong(own, air, acceleration, rate, slows, seconds, left)
    if (velocity) velocity[a] = relaxedAlong(own, air, acceleration, rate, slows, seconds, left)
  }
}
