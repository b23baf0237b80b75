import { developKernels } from '@lantern/kernels/develop'
import { between, blurPlane, COARSE, fallOf, GLOWS, gaussian, type LensLook, type Planes, tapsOf } from './lens.ts'
import { codeTable, mix32, mostLight, type SensorLook, STEPS } from './sensor.ts'

/** Lens and sensor for pictures of one size. Planes are changed in place; their views hold until the next developer is made. */
export interface Developer {
  /** Scene light in three planes, to be written into. */
  planes: Planes
  throughLens(look: LensLook): void
  addNoise(frame: number, seed: number, look: SensorLook): void
  /** Interleaved codes of 8 or 16 bits (most: 255 or 65535); the view is written anew by the next call. */
  toCodes(most: 255 | 65535, look: SensorLook): Uint8Array | Uint16Array
}

const PAGE = 65536
const ALIGN = 16

/** A developer for pictures of an even width and a number of pixels that four divides, as every plate's is. */
export function newDeveloper(width: number, height: number): Developer {
  if (width % 2 !== 0 || (width * height) % 4 !== 0)
    throw new RangeError(`pictures of ${width} by ${height} pixels can't be developed`)
  const kernels = developKernels()
  const pixels = width * height
  const [w, h] = [Math.ceil(width / COARSE), Math.ceil(height / COARSE)]
  let end = 1024
  const alloc = (bytes: number): number => {
    const at = end
    end += Math.ceil(bytes / ALIGN) * ALIGN + ALIGN
    return at
  }
  const planes = [alloc(pixels * 4), alloc(pixels * 4), alloc(pixels * 4)] as const
  const [work, fall, padded] = [alloc(pixels * 4), alloc(pixels * 8), alloc((width + 8) * 4)]
  const taps = {
    across: [alloc(width * 4), alloc(width * 16)] as const,
    down: [alloc(height * 4), alloc(height * 16)] as const,
  }
  const glow = {
    small: alloc(w * h * 4),
    line: alloc((w + 1) * 4),
    columns: alloc(width * 4),
    columnShares: alloc(width * 4),
    rows: alloc(height * 4),
    rowShares: alloc(height * 4),
  }
  const table = alloc((STEPS + 1) * 4)
  const codes = alloc(pixels * 6)
  kernels.memory.grow(Math.ceil((end - kernels.memory.buffer.byteLength) / PAGE) + 1)
  const { buffer } = kernels.memory
  const floats = (at: number, count: number): Float32Array => new Float32Array(buffer, at, count)
  const integers = (at: number, count: number): Int32Array => new Int32Array(buffer, at, count)
  const [columns, rows] = [between(width, w), between(height, h)]
  integers(glow.columns, width).set(columns.at)
  floats(glow.columnShares, width).set(columns.share)
  integers(glow.rows, height).set(rows.at)
  floats(glow.rowShares, height).set(rows.share)
  const small = floats(glow.small, w * h)
  let vignette = Number.NaN

  const rescale = (plane: number, scale: number): void => {
    for (const [[from, weights], size] of [
      [taps.across, width],
      [taps.down, height],
    ] as const) {
      const made = tapsOf(size, scale)
      integers(from, size).set(made.from)
      floats(weights, size * 4).set(made.weights)
    }
    kernels.scaleRows(plane, work, taps.across[0], taps.across[1], padded, width, height)
    kernels.scaleColumns(work, plane, taps.down[0], taps.down[1], width, height)
  }
  const blur = (plane: number, sigma: number): void => {
    const weights = gaussian(sigma)
    if (weights.length === 3)
      kernels.blurThree(
        plane,
        work,
        padded,
        weights[0] as number,
        weights[1] as number,
        weights[2] as number,
        width,
        height,
      )
    else blurPlane(floats(plane, pixels), width, height, sigma)
  }
  const spread = (plane: number, scale: number): void => {
    kernels.gatherEighths(plane, glow.small, w, h, width, height)
    const source = small.slice()
    const sum = new Float32Array(w * h)
    for (const [sigma, share] of GLOWS) {
      const one = source.slice()
      blurPlane(one, w, h, (sigma * scale) / COARSE)
      for (let n = 0; n < sum.length; n++) sum[n] = (sum[n] as number) + share * (one[n] as number)
    }
    small.set(sum)
  }
  return {
    planes: planes.map((at) => floats(at, pixels)) as Planes,
    throughLens(look) {
      if (vignette !== look.vignette) new Float64Array(buffer, fall, pixels).set(fallOf(width, height, look.vignette))
      vignette = look.vignette
      const scale = width / 1280
      const corner = Math.hypot(width, height) / 2
      for (const [c, plane] of planes.entries()) {
        if (c !== 1 && look.fringe !== 0) rescale(plane, 1 + ((c === 0 ? 1 : -0.8) * look.fringe * scale) / corner)
        blur(plane, look.blur)
        spread(plane, scale)
        kernels.glowAndFall(
          plane,
          glow.small,
          glow.line,
          w,
          glow.columns,
          glow.columnShares,
          glow.rows,
          glow.rowShares,
          fall,
          look.glow,
          width,
          height,
        )
      }
    },
    addNoise(frame, seed, look) {
      for (const [c, plane] of planes.entries()) {
        const gain = look.balance[c] ?? 1
        kernels.deviates(work, mix32(mix32(seed * 3 + c) + frame * 0x9e3779b1) | 0, pixels)
        kernels.addGrain(
          plane,
          work,
          look.smear,
          1 / Math.sqrt(1 + 2 * look.smear * look.smear),
          look.photon * gain,
          look.read * gain * gain,
          width,
          height,
        )
      }
    },
    toCodes(most, look) {
      floats(table, STEPS + 1).set(codeTable(most, look))
      for (const [c, plane] of planes.entries())
        kernels.codesOf(plane, table, codes, c, 1 / mostLight(look), STEPS, pixels, most === 65535)
      return most === 255 ? new Uint8Array(buffer, codes, pixels * 3) : new Uint16Array(buffer, codes, pixels * 3)
    },
  }
}
