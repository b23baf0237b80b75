import {
  bolted,
  DEGREE,
  downward,
  FOCAL_MM,
  handheld,
  hurried,
  nudged,
  type PlateLens,
  type PlateSpec,
  trembling,
  turning,
} from './cameras.ts'

export * from './cameras.ts'

// The plates: which camera, which day, how long. A change of exposure or noise here asks for developing alone, not for drawing.

const LENS: PlateLens = { focalMm: FOCAL_MM, k1: -0.052, k2: 0.009, fStop: 2.8, focus: 9 }

const common = {
  first: 1001,
  rate: 24,
  width: 1280,
  height: 720,
  lens: LENS,
  drift: (): number => 0,
  shutter: 0.5,
  noise: 1,
  light: 1,
  slices: 8,
}
const WALK: PlateSpec = {
  ...common,
  name: 'yard-walk',
  frames: 120,
  day: 'dusk',
  seed: 3,
  camera: handheld,
  exposure: 0.8,
  drift: (time) => 0.1 * Math.sin(0.75 * time + 0.3),
  worker: { from: [4.75, 2.05], speed: 1.16 },
  flameFrom: 36,
}

export const PLATES: readonly PlateSpec[] = [
  WALK,
  {
    ...common,
    name: 'yard-locked',
    frames: 96,
    day: 'rain',
    seed: 7,
    camera: trembling,
    exposure: 1.45,
    flameFrom: 50,
  },
  { ...common, name: 'yard-pan', frames: 72, day: 'dusk', seed: 11, camera: turning, exposure: 0.8, flameFrom: 60 },
  {
    ...common,
    name: 'yard-still',
    frames: 1,
    day: 'dusk',
    width: 3840,
    height: 2160,
    seed: 13,
    camera: () => ({ position: [-7.6, 1.64, 7.2], pan: 33 * DEGREE, tilt: 5.5 * DEGREE, roll: 0.5 * DEGREE }),
    exposure: 0.35,
    flameFrom: 70,
    lens: { ...LENS, fStop: 8 },
    slices: 16,
    noise: 0.5,
  },
]

/** Small and short, with a camera whose lens can't be told from its motion. */
const small = { ...WALK, width: 640, height: 360, frames: 24, slices: 4, drift: (): number => 0 }

/** What tests of the match ask for, at a quarter of the length. */
export const VARIANTS: readonly PlateSpec[] = [
  { ...WALK, name: 'yard-walk-dim', frames: 30, light: 0.5, noise: 4 },
  { ...WALK, name: 'yard-walk-blurred', frames: 30, shutter: 1, camera: hurried },
  { ...WALK, name: 'yard-walk-wide', frames: 30, lens: { ...LENS, focalMm: 17, k1: -0.15, k2: 0.03 } },
  { ...small, name: 'yard-bolted', camera: bolted },
  { ...small, name: 'yard-nudged', camera: nudged },
  { ...small, name: 'yard-cobbles', camera: downward, worker: undefined },
]

/**
 * Frames, counted from 0, in which a plate is measured (at rest, on what is in focus) and later looked for again; 0 and 40 where none is named: the pan is in full swing by then, and blurred as it should be.
 * blunt: too few clear edges for their spread to be told (in rain light hardly a shadow has one, and a flame's are soft of themselves).
 */
export const LOOKED: Record<string, { at: number; later: number; blunt?: boolean }> = {
  'yard-pan': { at: 60, later: 60 },
  'yard-locked': { at: 0, later: 40, blunt: true },
}
