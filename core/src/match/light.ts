// Pictures as a patch is sought in them: root of brightness, halved again and again.

/** One picture of root light, row-major from the top left. */
export interface Light {
  width: number
  height: number
  data: Float32Array
}

const [RED, GREEN, BLUE] = [0.2126, 0.7152, 0.0722]

/** Root of the brightness (Rec. 709) of linear r g b: grain is then about alike in dark and bright. */
export function rootLight(rgb: Float32Array, width: number, height: number): Light {
  const data = new Float32Array(width * height)
  for (let n = 0, k = 0; n < data.length; n++, k += 3)
    data[n] = Math.sqrt(
      Math.max(0, RED * (rgb[k] as number) + GREEN * (rgb[k + 1] as number) + BLUE * (rgb[k + 2] as number)),
    )
  return { width, height, data }
}

function halved({ width, height, data }: Light): Light {
  const [w, h] = [width >> 1, height >> 1]
  const out = new Float32Array(w * h)
  for (let y = 0; y < h; y++)
    for (let x = 0; x < w; x++) {
      const at = 2 * y * width + 2 * x
      out[y * w + x] =
        0.25 *
        ((data[at] as number) +
          (data[at + 1] as number) +
          (data[at + width] as number) +
          (data[at + width + 1] as number))
    }
  return { width: w, height: h, data: out }
}

/** A picture and its halves, finest first; a place of level n is 2^-n times that of level 0. */
export function lightLevels(finest: Light, levels: number): Light[] {
  const out = [finest]
  for (let last = finest; out.length < levels && last.width >= 32 && last.height >= 32; out.push(last))
    last = halved(last)
  return out
}

/** Catmull–Rom through the sixteen pixels round a place; the place must lie two pixels from the edge or more. */
export function cubicAt({ width, data }: Light, x: number, y: number): number {
  const u = x - 0.5
  const v = y - 0.5
  const i = Math.floor(u)
  const j = Math.floor(v)
  const s = u - i
  const t = v - j
  const [s0, s1, s2, s3] = [
    ((-0.5 * s + 1) * s - 0.5) * s,
    (1.5 * s - 2.5) * s * s + 1,
    ((-1.5 * s + 2) * s + 0.5) * s,
    (0.5 * s - 0.5) * s * s,
  ]
  let sum = 0
  for (let k = 0, at = (j - 1) * width + i - 1; k < 4; k++, at += width) {
    const row =
      s0 * (data[at] as number) +
      s1 * (data[at + 1] as number) +
      s2 * (data[at + 2] as number) +
      s3 * (data[at + 3] as number)
    sum +=
      row *
      (k === 0
        ? ((-0.5 * t + 1) * t - 0.5) * t
        : k === 1
          ? (1.5 * t - 2.5) * t * t + 1
          : k === 2
            ? ((-1.5 * t + 2) * t + 0.5) * t
            : (0.5 * t - 0.5) * t * t)
  }
  return sum
}
