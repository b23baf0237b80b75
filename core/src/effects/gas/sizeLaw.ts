import { pulseRate } from '../../gas/index.ts'
import { pow } from '../../math/index.ts'
import type { GasItem } from './schema.ts'

/** What a fire of its size does by the laws, and what this one does; undefined where too little is known. */
export interface SpeedForSize {
  /** Diameter that the laws are asked with, m: the source's, or that of a disc of its area. */
  diameter: number
  /** Mean heat set free, kW; what it is set to until enough is known. */
  heat: number
  pulse: { law: number; found?: number }
  height: { law: number; found?: number }
}

/** Fires that burn for less than this many frames have no rate of their own yet. */
const LEAST_FRAMES = 30

/** Diameter across a source, m; of a box the disc of its ground. Undefined where its size is the set's. */
function across(item: Pick<GasItem, 'shape' | 'diameter' | 'deep'>): number | undefined {
  if (item.shape === 'disc' || item.shape === 'sphere') return item.diameter
  return item.shape === 'box' ? Math.sqrt((4 * item.diameter * (item.deep || item.diameter)) / Math.PI) : undefined
}

/**
 * A fire's pulse and height against the laws of its size: 1.5 D^-1/2 Hz (Cetegen & Ahmed 1993) and 0.235 Q^2/5 - 1.02 D m (Heskestad 1983). The pulse is that of the hot gas close over it, where its rings are whole (higher up they pair and break, and the heat of all of them blurs), the height where flame stands half of the time on the fire's axis. Undefined for what is no pool-like fire.
 * figures: of its frames in order; rate: frames a second.
 */
export function speedForSize(
  item: Pick<GasItem, 'shape' | 'diameter' | 'deep' | 'heat' | 'per'>,
  figures: { heatKw: readonly number[]; axialFlameLength: readonly number[]; baseBuoyancy: readonly number[] },
  rate: number,
): SpeedForSize | undefined {
  const diameter = across(item)
  if (diameter === undefined || item.heat <= 0) return undefined
  const seen = figures.heatKw.length
  // A fire that is being lit doesn't burn yet as it is set to.
  const set = item.heat * (item.per === 'in all' ? 1 : 0.25 * Math.PI * diameter * diameter)
  const heat = seen >= LEAST_FRAMES ? figures.heatKw.reduce((sum, v) => sum + v, 0) / seen : set
  const pulse = seen >= LEAST_FRAMES ? pulseRate(figures.baseBuoyancy, rate) : undefined
  return {
    diameter,
    heat,
    pulse: { law: 1.5 / Math.sqrt(diameter), ...(pulse === undefined ? {} : { found: pulse }) },
    height: {
      law: Math.max(0, 0.235 * pow(heat, 0.4) - 1.02 * diameter),
      ...(seen >= LEAST_FRAMES ? { found: figures.axialFlameLength.reduce((sum, v) => sum + v, 0) / seen } : {}),
    },
  }
}
