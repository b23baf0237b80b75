// IEEE 754 binary16, rounded to nearest even, with subnormals, infinities and NaN.
const floats = new Float32Array(1)
const bits = new Uint32Array(floats.buffer)

/** The 16 bits of the half nearest to x. */
export function toHalf(x: number): number {
  floats[0] = x
  const f = bits[0] ?? 0
  const sign = (f >>> 16) & 0x8000
  const exponent = (f >>> 23) & 0xff
  const mantissa = f & 0x7fffff
  if (exponent === 0xff) return sign | 0x7c00 | (mantissa ? 0x200 : 0)
  const e = exponent - 112
  if (e >= 31) return sign | 0x7c00
  if (e <= 0) {
    if (e < -10) return sign
    const m = mantissa | 0x800000
    const shift = 14 - e
    const rounded = m + (1 << (shift - 1)) - 1 + ((m >>> shift) & 1)
    return sign | (rounded >>> shift)
  }
  const rounded = mantissa + 0xfff + ((mantissa >>> 13) & 1)
  return (sign | (e << 10)) + (rounded >>> 13)
}

/** The value of 16 half bits. */
export function fromHalf(h: number): number {
  const sign = h & 0x8000 ? -1 : 1
  const exponent = (h >>> 10) & 31
  const mantissa = h & 0x3ff
  if (exponent === 31) return mantissa ? Number.NaN : sign * Number.POSITIVE_INFINITY
  return exponent === 0 ? sign * mantissa * 2 ** -24 : sign * (mantissa + 1024) * 2 ** (exponent - 25)
}

let table: Float32Array | undefined

/** fromHalf for many values: a table of all 65536. */
export function halfTable(): Float32Array {
  if (!table) {
    table = new Float32Array(65536)
    for (let h = 0; h < 65536; h++) table[h] = fromHalf(h)
  }
  return table
}
