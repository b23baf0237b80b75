/** Red, green, blue of linear light, and brightness. */
export type Figures4 = readonly [number, number, number, number]

/** What an area of the plate held, frame by frame from `first`; null where none of it was seen. */
export interface ReadingFrames {
  first: number
  frames: ({ mean: Figures4; peak: Figures4; percentile: Figures4 } | null)[]
  /** Of a clip: what is usual of what is there, as shares: where it begins and how tall it is (of the frame's height), how wide near its base (of the width); how fast its base goes up, frame heights a frame, and how high over the foot that was taken. */
  fire?: { foot: number; tall: number; wide: number; rise: number; over: number }
}

/** What added parts must be matched to: measured in a plate, over the frame or an area of it. */
export interface PlateReport {
  first: number
  /** Own drift of exposure, stops by frame; null where it can't be told. From what: tracks, or a grid that holds only for a camera that stands. */
  drift: (number | null)[]
  driftFrom: 'tracks' | 'grid'
  /** Noise in linear light: variance = floor + slope x value, r g b; share of a speck that spreads to each neighbour. */
  grain: { floor: readonly [number, number, number]; slope: readonly [number, number, number]; spread: number }
  /** Rise of the sharp edges from 10 to 90 %, px; null with too few. */
  risePx: number | null
  edges: number
  black: readonly [number, number, number]
  white: readonly [number, number, number]
  /** Share of a frame's time with the shutter open; null where too little moves. */
  shutter: number | null
  /** Where its camera bends and clips its highlights; null where they tell nothing. */
  sensor: { knee: number; top: number } | null
  /** Light round its highlights, of white, and how red that is; null without any. */
  halo: { level: number; red: number } | null
}
