import type { FloatImage } from '../../data/index.ts'
import type { Vec3 } from '../../math/index.ts'

// What a drop shows of the plate: it sees nearly all that is before it, turned about, so that of each place what counts is the mean of what lies above and below, far around (Garg and Nayar, Vision and Rain, 2007: a field of about 165 degrees).

/** Mean light above and below a place, in shares of the picture's width and height. */
export interface Around {
  at(x: number, y: number): { above: Vec3; below: Vec3 }
}

const [ACROSS, DOWN] = [16, 9]
/** Columns to either side that a drop sees. */
const REACH = 4
const kept = new WeakMap<FloatImage, Around>()

/** Means of a plate's fields. */
function fieldsOf({ width, height, data }: FloatImage): Float64Array {
  const fields = new Float64Array(ACROSS * DOWN * 3)
  const counts = new Float64Array(ACROSS * DOWN)
  // Every other pixel tells as much.
  for (let y = 0; y < height; y += 2)
    for (let x = 0; x < width; x += 2) {
      const field = Math.floor((y * DOWN) / height) * ACROSS + Math.floor((x * ACROSS) / width)
      counts[field] = (counts[field] as number) + 1
      for (let c = 0; c < 3; c++)
        fields[3 * field + c] = (fields[3 * field + c] as number) + (data[3 * (y * width + x) + c] as number)
    }
  return fields.map((sum, n) => sum / Math.max(1, counts[Math.floor(n / 3)] as number))
}

/** The plate around any place of it. */
export function aroundOf(plate: FloatImage): Around {
  const there = kept.get(plate)
  if (there) return there
  const fields = fieldsOf(plate)
  const mean = (x: number, from: number, to: number): Vec3 => {
    const sum: [number, number, number] = [0, 0, 0]
    const [left, right] = [Math.max(0, x - REACH), Math.min(ACROSS - 1, x + REACH)]
    for (let row = from; row < to; row++)
      for (let column = left; column <= right; column++)
        for (let c = 0; c < 3; c++) sum[c as 0] = sum[c as 0] + (fields[3 * (row * ACROSS + column) + c] as number)
    const count = Math.max(1, (to - from) * (right - left + 1))
    return [sum[0] / count, sum[1] / count, sum[2] / count]
  }
  const places = Array.from({ length: ACROSS * DOWN }, (_, n) => {
    const [x, y] = [n % ACROSS, Math.floor(n / ACROSS)]
    return { above: mean(x, 0, Math.max(1, y)), below: mean(x, Math.min(DOWN - 1, y + 1), DOWN) }
  })
  const clamp = (share: number, count: number): number => Math.min(count - 1, Math.max(0, Math.floor(share * count)))
  const made: Around = {
    at: (x, y) => places[clamp(y, DOWN) * ACROSS + clamp(x, ACROSS)] as { above: Vec3; below: Vec3 },
  }
  kept.set(plate, made)
  return made
}
