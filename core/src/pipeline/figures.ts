import type { Camera } from '../data/index.ts'
import type { FigureTable } from '../effects/index.ts'
import { length, subtract } from '../math/index.ts'
import { effectOf, type PlateInfo, type ShotItem } from '../shot/index.ts'

/** One figure of an item's kept frames at a frame; undefined where it is not known. rate: frames a second. */
export const figureOf = (
  item: ShotItem | undefined,
  table: FigureTable | undefined,
  name: string,
  frame: number,
  rate: number,
): number | undefined =>
  table &&
  effectOf(item)
    ?.figures.find((figure) => figure.name === name)
    ?.value(table, frame, rate)

/** The camera's speed at a frame, m/s, from its places half a frame before and after; undefined without one. */
export function cameraSpeed(
  camera: (frame: number) => Camera | undefined,
  frame: number,
  plate: Pick<PlateInfo, 'first' | 'last' | 'rate'>,
): number | undefined {
  const [from, to] = [Math.max(plate.first, frame - 1), Math.min(plate.last, frame + 1)]
  const [a, b] = [camera(from), camera(to)]
  if (!a || !b || to === from) return undefined
  return (length(subtract(b.position, a.position)) * plate.rate[0]) / plate.rate[1] / (to - from)
}
