import type { Solid } from '../data/index.ts'
import type { Vec3 } from '../math/index.ts'

/** Where gas comes from. Lengths in metres. */
export type SourceShape =
  | { kind: 'disc'; radius: number; thickness: number }
  | { kind: 'box'; half: Vec3 }
  | { kind: 'ball'; radius: number }

export interface GasSource {
  shape: SourceShape
  centre: Vec3
  /** Heat that the released fuel gives when burnt, W. 0 for smoke alone. */
  heat: number
  /** Soot set free by itself, kg/s. */
  smoke: number
  /** Temperature of what comes out, K. */
  temperature: number
  /** Upward speed of what comes out, m/s. */
  speed: number
  /** Random stirring of the air in the source, m/s. */
  stir: number
}

/** Everything that decides a gas run, SI units. */
export interface GasSettings {
  cell: number
  sources: readonly GasSource[]
  solids: readonly Solid[]
  /** Air temperature, K. */
  ambient: number
  wind: Vec3
  /** Soot per fuel burnt, kg/kg. */
  sootYield: number
  /** Time in which fuel that is alight and not stirred burns down to 1/e, s. */
  burnTime: number
  /** Least share of the heat that leaves as radiation, 0 to 1. */
  radiant: number
  /** Strength of the vorticity confinement; 0 is none. */
  confinement: number
  /** Longest path of the gas in one step, cells. */
  courant: number
  /** The box never grows beyond this, metres: low corner and high corner. */
  bounds: { low: Vec3; high: Vec3 }
  /** Most cells the box may have. */
  mostCells: number
  seed: number
}

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
/** Burning against the length of the velocity's gradient: A (eps / k) with A = 4 (Magnussen & Hjertager 1977) and eps / k = (Ck / Cs)^2 |S|, Ck = 0.094, Cs = 0.17 (Yoshizawa 1986). */
export const MIXING = 1.2
/** Planck-mean absorption of soot per its density over the air's, 1/(m K), times T: 3.83 fv C0 T / C2 (Modest, Radiative Heat Transfer), C0 = 7, C2 = 0.014388 m K, 1800 kg/m^3. */
export const SOOT_ABSORPTION = (3.83 * 7 * AIR_DENSITY) / (0.014388 * 1800)
export const STEFAN_BOLTZMANN = 5.670374e-8
/** Gas so much hotter than the air counts as flame, K: the rise that marks the mean flame height (Heskestad 1983; McCaffrey 1979). */
export const FLAME_HEAT = 500
