// Numbers for sampling: Sobol pairs, Owen-scrambled by hashing (Burley 2020), another scramble for every pixel and pair, so that pairs of one pixel go together at random and each is even by itself.

export let pairX: f32 = 0
export let pairY: f32 = 0
let pixelSeed: u32 = 0

// @ts-ignore: decorator
@inline
export function mixBits(v: u32): u32 {
  let h = v
  h ^= h >>> 16
  h *= 0x7feb352d
  h ^= h >>> 15
  h *= 0x846ca68b
  return h ^ (h >>> 16)
}

// @ts-ignore: decorator
@inline
function reversed(v: u32): u32 {
  let x = v
  x = ((x >>> 1) & 0x55555555) | ((x & 0x55555555) << 1)
  x = ((x >>> 2) & 0x33333333) | ((x & 0x33333333) << 2)
  x = ((x >>> 4) & 0x0f0f0f0f) | ((x & 0x0f0f0f0f) << 4)
  x = ((x >>> 8) & 0x00ff00ff) | ((x & 0x00ff00ff) << 8)
  return (x >>> 16) | (x << 16)
}

/** Owen's scramble of a number whose bits are reversed (Laine & Karras 2011, constants of Vegdahl 2021). */
// @ts-ignore: decorator
@inline
function scrambled(v: u32, seed: u32): u32 {
  let x = v
  x ^= x * 0x3d20adea
  x += seed
  x *= (seed >>> 16) | 1
  x ^= x * 0x05526c56
  return x ^ (x * 0x53a22864)
}

/** Second coordinate of a Sobol sequence. */
// @ts-ignore: decorator
@inline
function second(index: u32): u32 {
  let v: u32 = 0x80000000, r: u32 = 0, i = index
  while (i) {
    if (i & 1) r ^= v
    v ^= v >>> 1
    i >>>= 1
  }
  return r
}

/** Chooses the pixel that pairs are for. */
export function samplePixel(x: i32, y: i32, salt: u32): void {
  pixelSeed = mixBits(<u32>x * 0x9e3779b1 + <u32>y * 0x85ebca77 + salt * 0x27d4eb2f)
}

/** Of the first samples the pairs are kept in a table of so many scrambles: two words each. */
export const SCRAMBLES: u32 = 256
export const KEPT_PAIRS: u32 = 64
let table: usize = 0
export function takePairTable(at: usize): void {
  table = at
}

/** Fills the table: rows (items) of scrambles. */
export function pairTable(out: usize, from: i32, to: i32): void {
  for (let n = from; n < to; n++)
    for (let index: u32 = 0; index < KEPT_PAIRS; index++) {
      scramblePair(index, mixBits(n))
      const at = out + ((<usize>(<u32>n * KEPT_PAIRS + index)) << 3)
      store<u32>(at, wordX)
      store<u32>(at, wordY, 4)
    }
}

/** Pair number `pair` of sample `index`, each in [0, 1): left in pairX, pairY. */
export function samplePair(index: u32, pair: u32): void {
  const seed = mixBits(pixelSeed + pair * 0x9e3779b1)
  if (index < KEPT_PAIRS && table) {
    // One of the scrambles, in an order and with a shift of its own: both leave it as even as it is (Kollig & Keller 2002).
    const at = table + ((<usize>(((seed & (SCRAMBLES - 1)) * KEPT_PAIRS) | (index ^ ((seed >>> 8) & (KEPT_PAIRS - 1))))) << 3)
    let shift: u32 = seed * 0x2c1b3c6d
    shift ^= shift >>> 15
    pairX = <f32>((load<u32>(at) ^ shift) >>> 8) / 16777216
    pairY = <f32>((load<u32>(at, 4) ^ (shift * 0x297a2d39)) >>> 8) / 16777216
    return
  }
  scramblePair(index, seed)
  pairX = <f32>(wordX >>> 8) / 16777216
  pairY = <f32>(wordY >>> 8) / 16777216
}

let wordX: u32 = 0
let wordY: u32 = 0
function scramblePair(index: u32, seed: u32): void {
  const shuffled = reversed(scrambled(reversed(index), seed))
  wordX = reversed(scrambled(shuffled, mixBits(seed + 1)))
  wordY = reversed(scrambled(reversed(second(shuffled)), mixBits(seed + 2)))
}
