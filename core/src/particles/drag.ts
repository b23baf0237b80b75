import { exp, log, pow } from '../math/index.ts'

// How air slows small bodies, and how fast they fall in it.

/** Air near the ground: kg/m^3, Pa s, W/(m K). */
export const AIR = { density: 1.2, viscosity: 1.81e-5, conductivity: 0.026 } as const
export const GRAVITY = 9.81

/** A ball, or a thin round flake that falls flat. */
export type BodyForm = 'ball' | 'flake'
/** Thickness of a flake against its diameter. */
export const FLAKE_THIN = 0.06

/** Drag coefficient of a ball by its Reynolds number (Schiller & Naumann 1933; 0.44 from 1,000 on). */
export const ballDrag = (reynolds: number): number =>
  reynolds > 1000 ? 0.44 : (24 / reynolds) * (1 + 0.15 * pow(reynolds, 0.687))

/** Of a disc that faces the flow (Clift, Grace & Weber 1978, table 6.4; 1.17 from 300 on). */
export function flakeDrag(reynolds: number): number {
  if (reynolds > 300) return 1.17
  const base = 64 / (Math.PI * reynolds)
  if (reynolds <= 0.01) return base * (1 + reynolds / (2 * Math.PI))
  if (reynolds <= 1.5) {
    const w = log(reynolds) / Math.LN10
    return base * (1 + exp(Math.LN10 * (-0.883 + 0.906 * w - 0.025 * w * w)))
  }
  return base * (1 + 0.138 * pow(reynolds, 0.792))
}

/**
 * The rate at which a body's speed against the air falls, 1/s: drag force / (mass x speed).
 * diameter: m; density: kg/m^3 of the body; speed: m/s against the air.
 */
export function slowingRate(form: BodyForm, diameter: number, density: number, speed: number): number {
  const reynolds = Math.max(1e-6, (AIR.density * speed * diameter) / AIR.viscosity)
  const flat = form === 'flake'
  const coefficient = flat ? flakeDrag(reynolds) : ballDrag(reynolds)
  // Area over volume: 3/2 a diameter for a ball, once a thickness for a flake.
  const thin = flat ? 1 / (FLAKE_THIN * diameter) : 1.5 / diameter
  const fast = Math.max(1e-9, speed)
  return (0.5 * AIR.density * coefficient * thin * fast) / density
}

/** The speed of fall at which drag holds gravity, m/s, by bisection. */
export function terminalSpeed(form: BodyForm, diameter: number, density: number): number {
  const weight = GRAVITY * Math.max(0, 1 - AIR.density / density)
  let [low, high] = [0, 200]
  for (let n = 0; n < 60; n++) {
    const middle = (low + high) / 2
    if (slowingRate(form, diameter, density, middle) * middle < weight) low = middle
    else high = middle
  }
  return (low + high) / 2
}

/** Stefan–Boltzmann, W/(m^2 K^4). */
const SIGMA = 5.670374e-8
/** Cube root of air's Prandtl number, 0.71. */
const PRANDTL_ROOT = 0.8921

/** What of a hot ball decides how it cools. */
export interface HotBody {
  diameter: number
  density: number
  /** J/(kg K). */
  specificHeat: number
  emissivity: number
}

/** What of a hot ball's cooling stays the same while it does: of the air that passes, of its own radiation, of the air's, and the heat that it holds. */
interface Cooling {
  convection: number
  radiation: number
  fromAir: number
  mass: number
}
/** Fills in how a ball cools: by the air that passes (Ranz & Marshall 1952) and by its own radiation. air: K; speed: m/s against it. */
function coolingIn(into: Cooling, body: HotBody, air: number, speed: number): void {
  const { diameter, density, specificHeat, emissivity } = body
  const reynolds = (AIR.density * speed * diameter) / AIR.viscosity
  const nusselt = 2 + 0.6 * Math.sqrt(reynolds) * PRANDTL_ROOT
  into.convection = (nusselt * AIR.conductivity) / diameter
  into.radiation = emissivity * SIGMA
  into.fromAir = air * air * air * air
  into.mass = density * specificHeat * diameter
}
const rateOf = ({ convection, radiation, fromAir, mass }: Cooling, kelvin: number, air: number): number =>
  (6 * (convection * (kelvin - air) + radiation * (kelvin * kelvin * kelvin * kelvin - fromAir))) / mass

/** How fast a hot ball cools, K/s. speed: m/s against the air. */
export function coolingRate(body: HotBody, kelvin: number, air: number, speed: number): number {
  coolingIn(inHand, body, air, speed)
  return rateOf(inHand, kelvin, air)
}
const inHand: Cooling = { convection: 0, radiation: 0, fromAir: 0, mass: 1 }

/** K by which a hot one may cool in a step. */
const COOLS = 20
/** The temperature of a hot ball after so long, K (midpoint rule). speed: m/s against the air. */
export function cooled(body: HotBody, kelvin: number, air: number, speed: number, seconds: number): number {
  coolingIn(inHand, body, air, speed)
  const steps = Math.min(16, Math.max(1, Math.ceil((rateOf(inHand, kelvin, air) * seconds) / COOLS)))
  const h = seconds / steps
  let now = kelvin
  for (let k = 0; k < steps; k++) {
    const half = Math.max(air, now - (h / 2) * rateOf(inHand, now, air))
    now = Math.max(air, now - h * rateOf(inHand, half, air))
  }
  return now
}
