import type { Crew } from '../../base/index.ts'
import { cbrt } from '../../math/index.ts'

/** A frame as mattes are cut from it: CIE L*a*b* (D65), three values a pixel in steps of 1/LAB_STEPS. */
export interface LabPicture {
  width: number
  height: number
  data: Int16Array
}
export const LAB_STEPS = 128

const TABLE = 16384
let table: Float32Array | undefined
/** CIE's f(t) for t from 0 to 1, read from a table by straight lines. */
function curveTable(): Float32Array {
  table ??= Float32Array.from({ length: TABLE + 2 }, (_, n) => {
    const t = n / TABLE
    return t > 216 / 24389 ? cbrt(t) : (24389 / 27 / 116) * t + 16 / 116
  })
  return table
}

/** Linear r g b (Rec. 709, white at 1, clipped there) as Lab. */
export function labPicture(crew: Crew, rgb: Float32Array, width: number, height: number): LabPicture {
  const { heap } = crew
  const mark = heap.mark()
  try {
    const curve = curveTable()
    const [source, table, out] = [heap.alloc(rgb.byteLength), heap.alloc(curve.byteLength), heap.alloc(2 * rgb.length)]
    heap.f32(source, rgb.length).set(rgb)
    heap.f32(table, curve.length).set(curve)
    crew.run('labOf', { rgb: source, table, out }, width * height, 16384)
    return { width, height, data: new Int16Array(heap.u8(out, 2 * rgb.length).slice().buffer) }
  } finally {
    heap.release(mark)
  }
}

/** The linear light of a Lab colour (r, g, b), into `out` at `at`. */
export function linearOf(l: number, a: number, b: number, out: Float32Array, at: number): void {
  const y = (l + 16) / 116
  const inverse = (t: number): number => (t > 6 / 29 ? t * t * t : (t - 16 / 116) / (24389 / 27 / 116))
  const [x1, y1, z1] = [0.95047 * inverse(y + a / 500), inverse(y), 1.08883 * inverse(y - b / 200)]
  out[at] = 3.2404542 * x1 - 1.5371385 * y1 - 0.4985314 * z1
  out[at + 1] = -0.969266 * x1 + 1.8760108 * y1 + 0.041556 * z1
  out[at + 2] = 0.0556434 * x1 - 0.2040259 * y1 + 1.0572252 * z1
}
