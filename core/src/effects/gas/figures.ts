import { pulseAt } from '../../gas/index.ts'
import type { Figure, FigureTable } from '../effect.ts'

/** One number of a kept frame's figures. */
const kept =
  (name: string) =>
  (table: FigureTable, frame: number): number | undefined => {
    const value = table.get(frame)?.[name]
    return typeof value === 'number' ? value : undefined
  }

/** One axis of the centre of burning, m. */
const centre =
  (axis: number) =>
  (table: FigureTable, frame: number): number | undefined => {
    const place = table.get(frame)?.centre
    const value: unknown = Array.isArray(place) ? place[axis] : undefined
    return typeof value === 'number' ? value : undefined
  }

/** How often a second the hot gas close over the source pulses round a frame. */
function pulse(table: FigureTable, frame: number, rate: number): number | undefined {
  const baseBuoyancy = [...table].flatMap(([at, figures]) =>
    typeof figures.baseBuoyancy === 'number' ? [[at, figures.baseBuoyancy] as const] : [],
  )
  return pulseAt(new Map(baseBuoyancy), frame, rate)
}

/** What a kept gas tells per frame. */
export const GAS_FIGURES = [
  { name: 'heat', label: 'Heat, kW', unit: 'kW', value: kept('heatKw') },
  { name: 'light', label: 'Light, cd', unit: 'cd', value: kept('light') },
  { name: 'height', label: 'Flame height, m', unit: 'm', value: kept('height') },
  { name: 'flame', label: 'Flame volume, m³', unit: 'm³', value: kept('flame') },
  { name: 'pulse', label: 'Pulse, Hz', unit: 'Hz', value: pulse },
  { name: 'right', label: 'Centre, right, m', unit: 'm', value: centre(0) },
  { name: 'up', label: 'Centre, up, m', unit: 'm', value: centre(1) },
  { name: 'near', label: 'Centre, near, m', unit: 'm', value: centre(2) },
] as const satisfies readonly Figure[]

/** Figures of a kept frame that the interface shows. */
export const GAS_FRAME_FIGURES = [
  'heatKw',
  'light',
  'height',
  'axialFlameLength',
  'baseBuoyancy',
  'flame',
  'centre',
  'seconds',
]
