import type { GasSettings, SourceShape } from '../gas/index.ts'
import { cos, radians, sin, type Vec3 } from '../math/index.ts'
import type { GasItem, ShotDocument } from '../shot/index.ts'
import { type Recipe, VERSIONS } from './recipe.ts'
import { solidsOf } from './set.ts'

const KELVIN = 273.15
const SOURCE_THICKNESS = 0.06
/** Temperature and upward speed of what leaves a source, K and m/s: as fuel boils off a pool. */
const SOURCE_TEMPERATURE = 400
const SMOKE_TEMPERATURE = 420
const SOURCE_SPEED = 0.25
const MOST_CELLS = 14e6
/** A thin run has about this many cells in reach. */
const THIN_CELLS_ACROSS_SOURCE = 9
const COURANT = 0.6

/** How finely a gas is computed: thin for the first look, full as the item's cell says. */
export type GasQuality = 'thin' | 'full'

function shapeOf(item: GasItem): SourceShape {
  const radius = item.diameter / 2
  if (item.shape === 'sphere') return { kind: 'ball', radius }
  if (item.shape === 'box') return { kind: 'box', half: [radius, radius, radius] }
  return { kind: 'disc', radius, thickness: SOURCE_THICKNESS }
}

/** Edge of a cell in metres at a quality. */
export const cellOf = (item: GasItem, quality: GasQuality): number => (quality === 'full' ? item.cell / 1000 : Math.max(item.cell / 1000, item.diameter / THIN_CELLS_ACROSS_SOURCE))

/** An item's settings in SI, with the set pieces that stop gas. */
export function gasSettings(document: Pick<ShotDocument, 'items'>, item: GasItem, quality: GasQuality): GasSettings {
  const cell = cellOf(item, quality)
  const from = radians(item.windFrom)
  // 0 degrees: from behind the set (-Z) towards the camera; 90: from the right (+X).
  const wind: Vec3 = [-item.wind * sin(from), 0, item.wind * cos(from)]
  const solids = solidsOf(document)
  const ground = solids.reduce((height, solid) => (solid.kind === 'halfspace' && solid.normal[1] > 0.99 ? Math.max(height, solid.point[1]) : height), -Infinity)
  const [x, y, z] = item.position
  const low = Math.max(y - item.reach, Math.floor((ground + 1e-6) / cell + 1e-6) * cell)
  return {
    cell,
    sources: [{ shape: shapeOf(item), centre: item.position, heat: item.heat * 1000, smoke: item.smoke / 1000, temperature: item.heat > 0 ? SOURCE_TEMPERATURE : SMOKE_TEMPERATURE, speed: SOURCE_SPEED, stir: item.stir }],
    solids,
    ambient: item.airTemperature + KELVIN,
    wind,
    sootYield: item.soot / 100,
    burnTime: item.burnTime,
    radiant: item.radiant / 100,
    confinement: item.confinement,
    courant: COURANT,
    bounds: { low: [x - item.reach, low, z - item.reach], high: [x + item.reach, y + (item.rise || item.reach), z + item.reach] },
    mostCells: quality === 'full' ? MOST_CELLS : MOST_CELLS / 8,
    seed: item.seed,
  }
}

/** The recipe of an item's gas over the whole plate. */
export function gasRecipe(document: Pick<ShotDocument, 'items' | 'plate'>, item: GasItem, quality: GasQuality): Recipe {
  const [over, under] = document.plate.rate
  return { kind: 'gas', version: VERSIONS.gas, settings: { ...gasSettings(document, item, quality), rate: [over, under], runUp: item.runUp, first: document.plate.first }, inputs: [] }
}
