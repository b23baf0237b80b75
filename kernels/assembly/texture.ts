import { textureAt, textureHeight, textureLevels, textureSrgb, textureWidth, textureWrapX, textureWrapY } from './layouts.generated'

// Pictures on surfaces: r g b a bytes with their smaller versions, read smoothly within a level and between two.

/** Linear light of an sRGB byte, and of a plain one: 512 floats at `table`, set by the picture. */
let table: usize = 0
export function takeByteTable(at: usize): void {
  table = at
}

// @ts-ignore: decorator
@inline
function wrapped(n: i32, size: i32, way: i32): i32 {
  if (way == 1) return max(0, min(size - 1, n))
  if (way == 2) {
    const twice = 2 * size
    const m = ((n % twice) + twice) % twice
    return m < size ? m : twice - 1 - m
  }
  return ((n % size) + size) % size
}

// @ts-ignore: decorator
@inline
function texel(level: usize, width: i32, x: i32, y: i32, bytes: usize): v128 {
  const p = level + ((<usize>(y * width + x)) << 2)
  const plain = table + 1024
  return f32x4(
    load<f32>(bytes + ((<usize>load<u8>(p)) << 2)),
    load<f32>(bytes + ((<usize>load<u8>(p, 1)) << 2)),
    load<f32>(bytes + ((<usize>load<u8>(p, 2)) << 2)),
    load<f32>(plain + ((<usize>load<u8>(p, 3)) << 2)),
  )
}

function onLevel(texture: usize, level: i32, u: f32, v: f32): v128 {
  const width = max(1, textureWidth(texture) >> level), height = max(1, textureHeight(texture) >> level)
  const data = <usize>load<u32>(textureAt(texture) + ((<usize>level) << 2))
  const bytes = textureSrgb(texture) ? table : table + 1024
  const x: f32 = u * <f32>width - 0.5, y: f32 = v * <f32>height - 0.5
  const i = <i32>floor(x), j = <i32>floor(y)
  const fx = f32x4.splat(x - <f32>i), fy = f32x4.splat(y - <f32>j)
  const wx = textureWrapX(texture), wy = textureWrapY(texture)
  const x0 = wrapped(i, width, wx), x1 = wrapped(i + 1, width, wx), y0 = wrapped(j, height, wy), y1 = wrapped(j + 1, height, wy)
  const a = texel(data, width, x0, y0, bytes), b = texel(data, width, x1, y0, bytes), c = texel(data, width, x0, y1, bytes), d = texel(data, width, x1, y1, bytes)
  const upper = f32x4.add(a, f32x4.mul(fx, f32x4.sub(b, a))), lower = f32x4.add(c, f32x4.mul(fx, f32x4.sub(d, c)))
  return f32x4.add(upper, f32x4.mul(fy, f32x4.sub(lower, upper)))
}

/** Linear r g b a at (u, v), of a footprint so wide: the power of two of its width in texels of the first level. */
export function sampleTexture(texture: usize, u: f32, v: f32, size: f32): v128 {
  const most = <f32>(textureLevels(texture) - 1)
  const level = max<f32>(0, min(most, size))
  const first = <i32>level
  const share = level - <f32>first
  const a = onLevel(texture, first, u, v)
  if (share < 0.01) return a
  const b = onLevel(texture, min(<i32>most, first + 1), u, v)
  return f32x4.add(a, f32x4.mul(f32x4.splat(share), f32x4.sub(b, a)))
}

/** Makes a level from the one before: the mean of four texels (of their light, where bytes are sRGB). Items are rows of the smaller. out and src: r g b a bytes. */
export function halveTexture(src: usize, width: i32, height: i32, out: usize, srgb: i32, forward: usize, back: usize, from: i32, to: i32): void {
  const w = max(1, width >> 1)
  for (let y = from; y < to; y++)
    for (let x = 0; x < w; x++)
      for (let c: usize = 0; c < 4; c++) {
        const x0 = min(width - 1, 2 * x), x1 = min(width - 1, 2 * x + 1), y0 = min(height - 1, 2 * y), y1 = min(height - 1, 2 * y + 1)
        const light = forward + (srgb && c < 3 ? 0 : 1024)
        const sum =
          load<f32>(light + ((<usize>load<u8>(src + ((<usize>(y0 * width + x0)) << 2) + c)) << 2)) +
          load<f32>(light + ((<usize>load<u8>(src + ((<usize>(y0 * width + x1)) << 2) + c)) << 2)) +
          load<f32>(light + ((<usize>load<u8>(src + ((<usize>(y1 * width + x0)) << 2) + c)) << 2)) +
          load<f32>(light + ((<usize>load<u8>(src + ((<usize>(y1 * width + x1)) << 2) + c)) << 2))
        const mean: f32 = 0.25 * sum
        // back: the sRGB byte of each of 4096 steps of light.
        const byte: u8 = srgb && c < 3 ? load<u8>(back + <usize>(mean * 4095 + 0.5)) : <u8>(mean * 255 + 0.5)
        store<u8>(out + ((<usize>(y * w + x)) << 2) + c, byte)
      }
}
