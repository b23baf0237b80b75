import type { Camera } from '../data/index.ts'
import { length, subtract } from '../math/index.ts'
import type { FigureName, PlateInfo } from '../shot/index.ts'

/** Figures of a gas's kept frames, by frame, as they were kept. */
export type FigureTable = ReadonlyMap<number, Readonly<Record<string, unknown>>>

const KEPT: Readonly<Partial<Record<FigureName, string>>> = {
  heat: 'heatKw',
  light: 'light',
  height: 'height',
  flame: 'flame',
}
const AXES: Readonly<Partial<Record<FigureName, number>>> = { right: 0, up: 1, near: 2 }

/** One figure of a gas at a frame; undefined where the frame is not kept. pulse: how often a second a series (of the hot gas close over it) pulses round the frame. */
export function gasFigure(
  table: FigureTable | undefined,
  name: FigureName,
  frame: number,
  pulse: (values: ReadonlyMap<number, number>) => number | undefined,
): number | undefined {
  if (!table) return undefined
  if (name === 'pulse')
    return pulse(
      new Map(
        [...table].flatMap(([at, figures]) => (typeof figures.neck === 'number' ? [[at, figures.neck] as const] : [])),
      ),
    )
  const figures = table.get(frame)
  const axis = AXES[name]
  const value =
    axis === undefined
      ? figures?.[KEPT[name] ?? '']
      : Array.isArray(figures?.centre)
        ? (figures.centre[axis] as unknown)
        : undefined
  return typeof value === 'number' ? value : undefined
}

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
