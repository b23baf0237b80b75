import type { BrushStroke, Solid } from '../data/index.ts'
import type { Quaternion, Vec3 } from '../math/index.ts'

/** What a camera sees inside drawn shapes: places in the picture are x right, y down, over the distance along the view axis. */
export interface GasView {
  eye: Vec3
  /** Camera to world. */
  rotation: Quaternion
  shapes: readonly (readonly (readonly [number, number])[])[]
  /** Bounds of what it sees inside them, m. */
  low: Vec3
  high: Vec3
}

/** Where gas comes from, in the source's own frame (its centre, turned by its rotation) unless said. Lengths in metres. */
export type SourceShape =
  | { kind: 'disc'; radius: number; thickness: number }
  | { kind: 'box'; half: Vec3 }
  | { kind: 'ball'; radius: number }
  /** A strip of such a breadth on a run of straight pieces, as high as it is thick. */
  | { kind: 'line'; points: readonly Vec3[]; radius: number; thickness: number }
  /** The layer before a solid's surface (its number among the moment's solids), in the world; where there is a view only what it sees inside its shapes. */
  | { kind: 'surface'; solid: number; view?: GasView }
  /** The layer before whatever solid the view sees inside its shapes. */
  | { kind: 'area'; view: GasView }
  /** The layer before what a brush painted of solids, each stroke in its solid's own frame. */
  | { kind: 'painted'; strokes: readonly (BrushStroke & { solid: number })[] }
  /** Balls, given moment by moment. */
  | { kind: 'points' }

/** What of a source stays the same through a run. */
export interface GasSource {
  shape: SourceShape
  /** Heat and smoke are of a square metre of it. */
  perArea: boolean
  /** Size of what its stirring stirs, m; no less than two cells are. */
  stirSize: number
  /** Patches of such a size, m, that cover such a share of it. */
  pattern?: { size: number; share: number }
}

/** A source at one moment, in the world. */
export interface SourceInputs {
  centre: Vec3
  rotation: Quaternion
  /** Heat that the released fuel gives when burnt, W or W/m^2. 0 for smoke alone. */
  heat: number
  /** Soot, dust or drops set free by themselves, kg/s or kg/(s m^2). */
  smoke: number
  /** Temperature of what comes out, K. */
  temperature: number
  /** Speed of what comes out, m/s, along `aim` (unit; a surface sends it along its normal). */
  speed: number
  aim: Vec3
  /** Random stirring of the air in the source, m/s. */
  stir: number
  /** x y z radius of each ball, m, for shape 'points'. */
  points?: readonly number[]
}

export type ForceWay = 'push' | 'swirl' | 'blow' | 'drag' | 'turbulence'
export interface GasForce {
  way: ForceWay
  /** Share of the radius over which it fades, 0 to 1. */
  soft: number
  /** Of turbulence: size of its whirls, m; how often a second they are others; which they are. */
  size: number
  change: number
  seed: number
}
export interface ForceInputs {
  centre: Vec3
  /** Unit. */
  axis: Vec3
  /** m/s^2; of drag 1/s. */
  strength: number
  /** m; 0: everywhere. */
  radius: number
}

/** All that may change from frame to frame. The lists are as long in every moment. */
export interface SceneInputs {
  sources: readonly SourceInputs[]
  forces: readonly ForceInputs[]
  /** Wind, m/s. */
  wind: Vec3
  solids: readonly Solid[]
}

/** Everything that decides a gas run, SI units. */
export interface GasSettings {
  cell: number
  sources: readonly GasSource[]
  forces: readonly GasForce[]
  /** One for the whole run, or one a frame of the plate; the run-up has the first. */
  sceneInputs: readonly SceneInputs[]
  /** Frames before the plate's first. */
  preRoll: number
  /** Air temperature, K. */
  ambient: number
  /** The wind falls towards the ground as (height over `ground` / `at`) ^ exponent; 0: not at all. */
  shear: { exponent: number; at: number; ground: number }
  /** Soot per fuel burnt, kg/kg. */
  sootYield: number
  /** Time in which fuel that is alight and not stirred burns down to 1/e, s. */
  burnTime: number
  /** Least share of the heat that leaves as radiation, 0 to 1. */
  radiant: number
  /** Whether what floats in the gas is black: then it shines away heat as soot does. */
  black: boolean
  /** Time in which what floats thins to 1/e by settling or drying, s; 0: never. */
  fade: number
  /** Speed at which what floats falls through the gas, m/s. */
  settle: number
  /** Strength of the vorticity confinement; 0 is none. */
  confinement: number
  /** Longest path of the gas in one step, cells. */
  courant: number
  /** The box never grows beyond this, metres: low corner and high corner. */
  bounds: { low: Vec3; high: Vec3 }
  /** Whether walls cut through cells at any moment of the run. */
  cut: boolean
  /** Most cells the box may have. */
  mostCells: number
  seed: number
}

/** Thickness of the layer that a flat source fills, m; never under a cell. */
export const SHEET = 0.06

/** Heat of combustion of a sooty liquid fuel, J/kg (heptane 44.6 MJ/kg, SFPE Handbook table A.32). */
export const HEAT_OF_COMBUSTION = 44.6e6
/** Density (kg/m^3) and heat capacity (J/(kg K)) of air near 293 K. */
export const AIR_DENSITY = 1.204
export const AIR_HEAT_CAPACITY = 1005
export const GRAVITY = 9.81
/** No gas gets hotter than the adiabatic flame, K. */
export const HOTTEST = 2250
/** Planck-mean absorption of the hot gases themselves, 1/m at full heat (CO2 and H2O in a lean flame, Modest). */
export const GAS_ABSORPTION = 0.25
/** kg of air that a kg of that fuel needs (C7H16 + 11 O2, air 23.2 % oxygen by mass). */
export const AIR_NEED = 15.15
/**
 * Burning against the length of the velocity's curl: as fast as unresolved whirls carry things across a cell, nu / (Sc C cell^2), nu = (Cs cell)^2 |curl u| (Smagorinsky 1963, the curl in place of the strain: Mansour et al. 1979),
 * Cs = 0.2 (NIST SP 1018, 2008), Sc = 0.7, C = 0.1 (the same).
 * Put together otherwise the same literature gives 0.41 to 1.25: chosen by how pools of 0.3 to 3 m pulse and stand; they burn too much at their foot and pulse too fast with twice this.
 */
export const MIXING = 0.57
/** Planck-mean absorption of soot per its density over the air's, 1/(m K), times T: 3.83 fv C0 T / C2 (Modest, Radiative Heat Transfer), C0 = 7, C2 = 0.014388 m K, 1800 kg/m^3. */
export const SOOT_ABSORPTION = (3.83 * 7 * AIR_DENSITY) / (0.014388 * 1800)
export const STEFAN_BOLTZMANN = 5.670374e-8
/** Gas so much hotter than the air counts as flame, K: the rise that marks the mean flame height (Heskestad 1983; McCaffrey 1979). */
export const FLAME_HEAT = 500
