import type { FloatImage } from '../../data/index.ts'
import type { GrainLaw } from '../grain.ts'
import { measureArea } from './figures.ts'
import { type Spreads, spreadsOf } from './lines.ts'
import { type Region, regionWhere } from './region.ts'

/** Areas of a plate that tell its own spread: so many across and down, each of a sixth of its sides. */
const [ACROSS, DOWN] = [6, 4]
const SIDE = 0.16

/** Areas over the whole plate. */
export function plateAreas({ width, height }: Pick<FloatImage, 'width' | 'height'>): Region[] {
  const [w, h] = [Math.max(16, Math.round(SIDE * width)), Math.max(16, Math.round(SIDE * height))]
  return Array.from({ length: ACROSS * DOWN }, (_, n) => {
    const [i, j] = [n % ACROSS, Math.floor(n / ACROSS)]
    const x = Math.round(((width - w) * (i + 0.5)) / ACROSS)
    const y = Math.round(((height - h) * (j + 0.5)) / DOWN)
    return regionWhere(width, height, () => true, { x, y, width: w, height: h })
  })
}

/** How much a plate differs from itself. plate: linear plate values. */
export const plateSpreads = (plate: FloatImage, law: GrainLaw): Spreads =>
  spreadsOf(plateAreas(plate).map((area) => measureArea(plate, area, law)))
