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

/** The speed that drag and push end in, of one axis: relative to air at rest and to the wind. */
const endOf = (wind: number, push: number, rate: number, slows: number): number =>
  (push + rate * wind) / Math.max(1e-12, rate + slows)

/** Velocity after so long: it relaxes to where drag holds what pushes. slows: 1/s more, against air at rest. */
export function relaxed(v: Vec3, wind: Vec3, push: Vec3, rate: number, slows: number, seconds: number): Vec3 {
  const left = exp(-(rate + slows) * seconds)
  return [0, 1, 2].map((a) => {
    if (rate + slows < 1e-9) return (v[a] as number) + (push[a] as number) * seconds
    const end = endOf(wind[a] as number, push[a] as number, rate, slows)
    return end + ((v[a] as number) - end) * left
  }) as unknown as Vec3
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
  const whole = rate + slows
  const left = exp(-whole * seconds)
  const velocity = relaxed(v, wind, push, rate, slows, seconds)
  const place = [0, 1, 2].map((a) => {
    const [x, own, pushed] = [at[a] as number, v[a] as number, push[a] as number]
    // With hardly any drag the exact form loses its digits.
    if (whole * seconds < 1e-4)
      return x + own * seconds + 0.5 * (pushed - whole * own + rate * (wind[a] as number)) * seconds * seconds
    const end = endOf(wind[a] as number, pushed, rate, slows)
    return x + end * seconds + ((own - end) * (1 - left)) / whole
  }) as unknown as Vec3
  return { at: place, velocity }
}
