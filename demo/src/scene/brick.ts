import type { Skin } from './builder.ts'
import { clamp, grain, rough, smooth, spot } from './noise.ts'

const LONG = 0.225
const HEAD = 0.1125
export const COURSE = 0.075
const JOINT = 0.01

export interface Brick {
  /** Metres from the nearest joint's middle; key of the brick; across: place along its length, 0 to 1. */
  edge: number
  key: number
  header: boolean
}

/** Garden-wall bond: five courses of stretchers, each half a brick on from the last, then one of headers. u along, v up, m. */
export function bond(u: number, v: number, brick: Brick): void {
  const course = Math.floor(v / COURSE)
  const header = ((course % 6) + 6) % 6 === 5
  const length = header ? HEAD : LONG
  // A hand laid these: each course starts a little off.
  const shift = (header ? HEAD / 2 : (LONG / 2) * (course & 1)) + 0.05 * (spot(3, course, 5) - 0.5)
  let column = Math.floor((u + shift) / length)
  let a = u + shift - column * length
  // No two bricks are of one length: each upright joint stands a little off its place.
  const off = (k: number): number => 0.014 * (spot(5, k, course) - 0.5)
  if (a < off(column)) {
    column -= 1
    a += length
  } else if (a > length + off(column + 1)) {
    column += 1
    a -= length
  }
  a -= off(column)
  const whole = length + off(column + 1) - off(column)
  const b = v - course * COURSE + 0.0022 * grain(4, u * 2.3, course)
  brick.edge = Math.min(a, whole - a, b, COURSE - b)
  brick.key = course * 4099 + column
  brick.header = header
}

export interface Face {
  relief: number
  mortar: boolean
  spall: number
}

/** Relief of one spot of a brick: proud or set back, tilted, chipped at its edges, spalled, or gone. */
export function brickFace(seed: number, brick: Brick, u: number, v: number, out: Face): void {
  const chip =
    0.0045 * Math.max(0, rough(seed + 1, u * 34, v * 34, 3)) +
    0.012 * Math.max(0, grain(seed + 2, u * 13, v * 17) - 0.55) +
    0.0018 * grain(seed + 3, u * 95, v * 95)
  const edge = brick.edge - JOINT / 2 - chip
  const gone = spot(seed + 4, brick.key, 0) < 0.004
  const spalled = spot(seed + 5, brick.key, 0) < 0.1 ? smooth(-0.15, 0.25, rough(seed + 6, u * 9, v * 9, 3)) : 0
  const tilt = 0.018 * (spot(seed + 7, brick.key, 0) - 0.5)
  const proud = 0.006 * (spot(seed + 8, brick.key, 0) - 0.5)
  const skin = 0.0011 * rough(seed + 9, u * 60, v * 60, 3)
  const rounded = 0.006 * smooth(0.006, 0, edge)
  const mortar =
    -0.0075 -
    0.003 * rough(seed + 10, u * 30, v * 30, 3) -
    0.012 * Math.max(0, grain(seed + 11, u * 3.2, v * 4.4) - 0.45)
  const face =
    proud +
    tilt * brick.edge +
    skin -
    rounded -
    spalled * (0.009 + 0.005 * rough(seed + 12, u * 40, v * 40, 3)) -
    (gone ? 0.075 : 0)
  out.mortar = edge <= 0 || (!gone && face < mortar)
  out.relief = edge <= 0 ? mortar : Math.max(face, gone ? -1 : mortar)
  out.spall = edge <= 0 ? 0 : gone ? 0.6 : spalled
}

/** Colour of one spot of brickwork before the weather. */
export function brickColour(seed: number, brick: Brick, face: Face, u: number, v: number, skin: Skin): void {
  const mottle = rough(seed + 21, u * 24, v * 24, 4, 0.6)
  const speck = grain(seed + 22, u * 210, v * 210)
  if (face.mortar) {
    const t = (1 + 0.34 * mottle + 0.16 * speck) * (1 + 0.3 * rough(seed + 25, u * 2.1, v * 2.6, 3))
    skin.r = 0.255 * t
    skin.g = 0.222 * t
    skin.b = 0.182 * t
    skin.rough = 0.95
    return
  }
  const tone = spot(seed + 23, brick.key, 1)
  const fire = spot(seed + 24, brick.key, 2)
  // From under-burnt orange through red to over-burnt plum and near black.
  let r = 0.125 + 0.15 * tone
  let g = r * (0.46 + 0.12 * fire)
  let b = r * (0.31 + 0.13 * fire)
  if (fire > 0.78) {
    const burnt = (fire - 0.78) / 0.22
    r *= 1 - 0.5 * burnt
    g *= 1 - 0.3 * burnt
    b *= 1 - 0.05 * burnt
  }
  const t = 1 + 0.42 * mottle + 0.17 * speck
  skin.r = r * t * (1 + 0.35 * face.spall)
  skin.g = g * t * (1 + 0.5 * face.spall)
  skin.b = b * t * (1 + 0.55 * face.spall)
  skin.rough = 0.82 + 0.1 * mottle
}

/** What years did to a wall, by place: damp and moss low, lime and salts, streaks under the coping. top: height of the wall there. */
export function weathered(seed: number, u: number, y: number, top: number, skin: Skin, mortar: boolean): void {
  const slow = rough(seed + 31, u * 0.55, y * 0.7, 4)
  const mid = rough(seed + 32, u * 3.1, y * 3.7, 4)
  const fine = rough(seed + 33, u * 19, y * 19, 3)
  const grime = clamp(0.62 + 0.3 * slow + 0.32 * mid)
  let k = 1 - 0.36 * grime
  // Streaks run down from the coping and from sills.
  const streak =
    smooth(-0.1, 0.6, grain(seed + 34, u * 5.5, y * 0.22) + 0.5 * grain(seed + 35, u * 17, y * 0.4)) *
    smooth(2.4, 0, top - y + 0.5 * slow)
  k *= 1 - 0.42 * streak
  skin.r *= k
  skin.g *= k * 1.01
  skin.b *= k * 1.03
  // Salts: a pale bloom, mostly on bricks a metre up.
  const bloom =
    smooth(0.18, 0.62, mid * 0.55 + 0.75 * rough(seed + 36, u * 1.2 + 9, y * 1.5, 3)) *
    smooth(0.25, 0.8, y) *
    smooth(2.6, 1.3, y) *
    (mortar ? 0.6 : 1)
  const pale = 0.42 * bloom * clamp(0.6 + 0.7 * fine)
  skin.r += (0.4 - skin.r) * pale
  skin.g += (0.37 - skin.g) * pale
  skin.b += (0.335 - skin.b) * pale
  // Old limewash left in patches.
  const lime = smooth(0.3, 0.42, rough(seed + 37, u * 0.8 + 20, y * 0.9, 4) + 0.3 * fine) * smooth(3.3, 2, y)
  const wash = 0.3 * lime
  skin.r += (0.43 - skin.r) * wash
  skin.g += (0.405 - skin.g) * wash
  skin.b += (0.36 - skin.b) * wash
  // Damp and green at the foot.
  const damp = smooth(0.75, 0.1, y - 0.28 * slow - 0.1 * mid)
  const wetter = 1 - 0.42 * damp
  skin.r *= wetter
  skin.g *= wetter * (1 + 0.14 * damp)
  skin.b *= wetter
  const green = damp * smooth(0.05, 0.5, mid + 0.4 * fine + (mortar ? 0.25 : 0)) * 0.75
  skin.r += (0.052 - skin.r) * green
  skin.g += (0.07 - skin.g) * green
  skin.b += (0.024 - skin.b) * green
  skin.film = 0.12 * damp
  skin.rough = clamp(skin.rough - 0.15 * damp)
}

/** Soot laid over, and what no surface is outside of. */
export function finish(skin: Skin, soot: number): void {
  const k = 1 - soot
  skin.r = clamp(skin.r * k + 0.021 * soot, 0.014, 0.6)
  skin.g = clamp(skin.g * k + 0.019 * soot, 0.012, 0.6)
  skin.b = clamp(skin.b * k + 0.018 * soot, 0.012, 0.6)
  skin.rough = clamp(skin.rough, 0.05, 1)
}
