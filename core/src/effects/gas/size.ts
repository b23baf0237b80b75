import { LanternError } from '../../base/index.ts'
import type { GasSettings } from '../../gas/index.ts'
import { cbrt, pow } from '../../math/index.ts'
import type { GasQuality } from './items.ts'
import type { GasItem } from './schema.ts'

export const COURANT = 0.6
/** The most cells of a gas: of 66 bytes each, within the 4 GiB that a computation may have. */
export const MOST_CELLS = 46e6
/** A cell's memory while it is computed, bytes, with what a crew and the keeping of a frame need besides. */
export const BYTES_PER_CELL = 76
/** A draft run has about so many cells across its source, and never more than so many in all. */
const DRAFT_ACROSS = 12
const DRAFT_CELLS = 1.2e6
/** A finer one so many, or as many as FINER_CELLS allow. */
const FINER_ACROSS = 18
const FINER_CELLS = 4e6
const shared = (value: number): number => Math.round(value * 1e6) / 1e6

/** What it may fill, m^3. */
const roomOf = (item: GasItem): number =>
  2 * item.reach * (2 * item.reach) * ((item.rise || item.reach) + Math.min(item.reach, 1))

/** Cells times steps that a frame of a gas takes, to a factor of two or three: what it may fill, and how far its fastest air goes (that of a flame of Q kW 1.9 Q^1/5 m/s, McCaffrey 1979). For gases of which nothing more is known yet (estimateWork). rate: frames a second. */
export function roughWork(item: GasItem, rate: number): number {
  const cell = item.cell / 1000
  const heat = item.per === 'in all' ? item.heat : item.heat * item.diameter * item.diameter
  const speed = Math.max(1, item.speed, item.wind, 1.9 * pow(heat, 0.2))
  return Math.min(MOST_CELLS, roomOf(item) / (cell * cell * cell)) * Math.max(1, speed / (COURANT * cell * rate))
}

/** Edge of a cell in metres at a quality. */
export function cellOf(item: GasItem, quality: GasQuality): number {
  const full = item.cell / 1000
  if (quality === 'full') return full
  const room = roomOf(item)
  const sized = item.shape === 'disc' || item.shape === 'box' || item.shape === 'sphere'
  const least = (cells: number): number => cbrt(room / cells)
  if (quality === 'finer')
    return shared(
      Math.max(full, Math.min(sized ? item.diameter / FINER_ACROSS : Infinity, least(FINER_CELLS)), least(FINER_CELLS)),
    )
  return shared(Math.max(full, sized ? item.diameter / DRAFT_ACROSS : 0, least(DRAFT_CELLS)))
}

export interface GasRoom {
  cells: number
  bytes: number
  /** The smallest cell, m, with which it would fit into the memory that was asked about. */
  cellThatFits: number
}

/** The most that a gas may come to need, and what would fit into `memory` bytes. */
export function gasRoom(settings: GasSettings, memory: number): GasRoom {
  const spans = settings.bounds.high.map((high, axis) =>
    Math.max(settings.cell * 16, high - (settings.bounds.low[axis] ?? 0)),
  )
  const volume = spans.reduce((a, b) => a * b, 1)
  const cells = volume / settings.cell ** 3
  const most = Math.min(MOST_CELLS, memory / BYTES_PER_CELL)
  return { cells, bytes: cells * BYTES_PER_CELL, cellThatFits: Math.max(settings.cell, cbrt(volume / most)) }
}

/** Throws LanternError 'gas-size' where the whole reach of a gas does not fit, saying what would. */
export function checkRoom(name: string, settings: GasSettings, memory: number): void {
  const room = gasRoom(settings, memory)
  if (room.cellThatFits <= settings.cell) return
  const fits = Math.ceil(room.cellThatFits * 1000)
  throw new LanternError(
    'gas-size',
    `“${name}” may come to ${(room.cells / 1e6).toFixed(1)} million cells of ${(settings.cell * 1000).toFixed(0)} mm, ${(room.bytes / 1073741824).toFixed(1)} GiB; that is more than fits here.`,
    `A cell of ${fits} mm would fit, or a smaller reach or rise.`,
    { field: 'cell' },
  )
}
