/** One line of a check: what the plate has, what the layer has, how far apart, how far they may be; in the line's own unit. */
export interface CheckedLine {
  name: string
  plate: number
  layer: number
  difference: number
  spread: number
  within: boolean
  note?: string
  parts?: readonly number[]
}
export interface CheckedLayer {
  /** Of the lay; 'picture' for all that is added. */
  id: string
  name: string
  /** Share of the picture that is measured of it. */
  share: number
  lines: readonly CheckedLine[]
}
export interface CheckedFrame {
  frame: number
  quality: 'look' | 'final'
  layers: readonly CheckedLayer[]
  /** Why a frame could not be checked. */
  wrong?: string
}
/** How a shot's layers sit, at frames all over it. */
export interface ShotCheck {
  frames: readonly CheckedFrame[]
}

/** How many lines are within the plate's own spread, and how many there are. */
export function checkedLines({ frames }: ShotCheck): { within: number; all: number } {
  const lines = frames.flatMap(({ layers }) => layers.flatMap((layer) => layer.lines))
  return { within: lines.filter((line) => line.within).length, all: lines.length }
}
