import { random } from '../../core/src/base/index.ts'
import { brightnessOf, edgeRise, measureGrain, plainEdges, shutterShare } from '../../core/src/sit/index.ts'
import { chart, H, normal, W } from '../../core/testing/chart.ts'
import { type Row, within } from './row.ts'

/** Fields of many brightnesses with grain of a stated law. */
function field(floor: number, slope: number, seed: number): Float32Array {
  const stream = random(seed)
  const [w, h] = [320, 240]
  return Float32Array.from({ length: w * h * 3 }, (_, k) => {
    const light = 0.02 + 0.9 * (Math.floor(k / 3 / w / 20) / 12)
    return light + Math.sqrt(floor + slope * light) * normal(stream)
  })
}

/** Grain, sharpness and shutter, held against rendered charts that state them. */
export function plateFigureRows(): Row[] {
  const rows: Row[] = []
  const [floor, slope] = [4e-6, 1.5e-4]
  const law = measureGrain({ width: 320, height: 240, channels: 3, data: field(floor, slope, 5) })
  for (const light of [0.05, 0.18, 0.6])
    rows.push(
      within(
        `grain: standard deviation at ${light}`,
        'a rendered field with grain of a stated law',
        Math.sqrt(floor + slope * light),
        Math.sqrt(law.floor[1] + law.slope[1] * light),
        0.1,
      ),
    )
  for (const sigma of [0.5, 0.8, 1.2])
    rows.push(
      within(
        `sharpness: rise of edges blurred by ${sigma} px, px`,
        'a rendered chart, gathered over each pixel, with grain',
        2.563 * sigma,
        edgeRise(plainEdges(brightnessOf(chart(sigma, 0, 0.003, 3)), W, H)),
        0.06,
      ),
    )
  const share = 0.5
  const seen = (speed: number, across: 'x' | 'y') =>
    plainEdges(
      brightnessOf(chart(0.6 + 0.06 * speed, across === 'x' ? share * speed : 0, 0.002, speed + 1, across)),
      W,
      H,
    ).map((edge) => ({ frame: speed, edge, speed: [speed, 0] as const }))
  rows.push(
    within(
      'shutter: share of the frame, from moving edges',
      'a rendered chart that moves, the faster the more out of focus',
      share,
      shutterShare([0, 4, 8, 12].flatMap((speed) => [...seen(speed, 'x'), ...seen(speed, 'y')]))?.share ?? Number.NaN,
      0.1,
    ),
  )
  return rows
}
