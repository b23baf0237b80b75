import { cos, exp, sin, type Vec3 } from '../math/index.ts'
import { diceOf } from './births.ts'
import { coolingRate, type HotBody } from './drag.ts'

// A particle's own way through a step: exact where what slows it is even.

const FLUTTER_PACE = 2 * Math.PI * 1.7
/** K by which a hot one may cool in a step. */
const COOLS = 20

/** The temperature of a hot ball after so long, K (midpoint rule). speed: m/s against the air. */
export function cooled(body: HotBody, kelvin: number, air: number, speed: number, seconds: number): number {
  const steps = Math.min(16, Math.max(1, Math.ceil((coolingRate(body, kelvin, air, speed) * seconds) / COOLS)))
  const h = seconds / steps
  let now = kelvin
  for (let k = 0; k < steps; k++) {
    const half = Math.max(air, now - (h / 2) * coolingRate(body, now, air, speed))
    now = Math.max(air, now - h * coolingRate(body, half, air, speed))
  }
  return now
}

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

/** Velocity after so long. rate: 1/s by which speed against the wind falls; slows: 1/s more, against air at rest. */
export function relaxed(v: Vec3, wind: Vec3, push: Vec3, rate: number, slows: number, seconds: number): Vec3 {
  const left = exp(-(rate + slows) * seconds)
  return [
    relaxedAlong(v[0], wind[0], push[0], rate, slows, seconds, left),
    relaxedAlong(v[1], wind[1], push[1], rate, slows, seconds, left),
    relaxedAlong(v[2], wind[2], push[2], rate, slows, seconds, left),
  ]
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

/** Place and velocity after so long. */
export function moved(
  at: Vec3,
  v: Vec3,
  wind: Vec3,
  push: Vec3,
  rate: number,
  slows: number,
  seconds: number,
): { at: Vec3; velocity: Vec3 } {
  const left = exp(-(rate + slows) * seconds)
  return {
    at: [
      at[0] + movedAlong(v[0], wind[0], push[0], rate, slows, seconds, left),
      at[1] + movedAlong(v[1], wind[1], push[1], rate, slows, seconds, left),
      at[2] + movedAlong(v[2], wind[2], push[2], rate, slows, seconds, left),
    ],
    velocity: [
      relaxedAlong(v[0], wind[0], push[0], rate, slows, seconds, left),
      relaxedAlong(v[1], wind[1], push[1], rate, slows, seconds, left),
      relaxedAlong(v[2], wind[2], push[2], rate, slows, seconds, left),
    ],
  }
}
