import { exp, log, pow } from '../math/index.ts'

// Rain and snow as they fall: how many drops of which size a cubic metre holds, and how fast each falls.

/** Fall speed of drops in still air, m/s, from 0.1 mm in steps of 0.1 to 1 mm, then of 0.2 (Gunn & Kinzer 1949). */
const FINE = [0.27, 0.72, 1.17, 1.62, 2.06, 2.47, 2.87, 3.27, 3.67, 4.03]
const COARSE = [
  4.03, 4.64, 5.17, 5.65, 6.09, 6.49, 6.9, 7.27, 7.57, 7.82, 8.06, 8.26, 8.44, 8.6, 8.72, 8.83, 8.92, 8.98, 9.03, 9.07,
  9.09, 9.12, 9.14, 9.16, 9.17,
]

/** Fall speed of a drop, m/s. millimetres: its diameter. */
export function dropSpeed(millimetres: number): number {
  const along = (table: readonly number[], at: number): number => {
    const n = Math.min(table.length - 2, Math.max(0, Math.floor(at)))
    const t = Math.min(1, at - n)
    return (table[n] as number) * (1 - t) + (table[n + 1] as number) * t
  }
  if (millimetres <= 0.1) return 2.7 * millimetres
  return millimetres < 1 ? along(FINE, millimetres * 10 - 1) : along(COARSE, (millimetres - 1) * 5)
}

/** Drops of a cubic metre by size: number a metre^3 and mm of diameter is n0 exp(-slope D). */
export interface SizeLaw {
  n0: number
  /** 1/mm. */
  slope: number
}
/** Of rain of so many mm/h (Marshall & Palmer 1948). */
export const rainSizes = (intensity: number): SizeLaw => ({
  n0: 8000,
  slope: 4.1 * pow(Math.max(1e-3, intensity), -0.21),
})
/** Of snow, by the melted drops' diameter (Gunn & Marshall 1958); intensity: mm/h of water. */
export const snowSizes = (intensity: number): SizeLaw => ({
  n0: 3800 * pow(Math.max(1e-3, intensity), -0.87),
  slope: 2.55 * pow(Math.max(1e-3, intensity), -0.48),
})

/** Number a cubic metre between two diameters, mm. */
export const numberBetween = ({ n0, slope }: SizeLaw, from: number, to: number): number =>
  (n0 / slope) * (exp(-slope * from) - exp(-slope * to))

/** A class of drops that fall alike. */
export interface DropClass {
  /** mm: its bounds, and the diameter that its speed goes by (the mean of its drops). */
  from: number
  to: number
  diameter: number
  /** A cubic metre. */
  number: number
}

/** Classes of equal width from the smallest diameter that is shown to one beyond which there are hardly any. */
export function dropClasses(law: SizeLaw, least: number, count: number): DropClass[] {
  const most = Math.min(8, least + 7 / law.slope)
  const width = (most - least) / count
  return Array.from({ length: count }, (_, n) => {
    const [from, to] = [least + n * width, least + (n + 1) * width]
    const number = numberBetween(law, from, to)
    const { slope } = law
    const moment = (d: number): number => -exp(-slope * d) * (d / slope + 1 / (slope * slope))
    const mean = (law.n0 * (moment(to) - moment(from))) / Math.max(1e-30, number)
    return { from, to, diameter: mean, number }
  })
}

/** A diameter of a class, mm, as its law spreads them. dice: 0 to 1. */
export function diameterIn({ from, to }: DropClass, { slope }: SizeLaw, dice: number): number {
  const left = 1 - exp(-slope * (to - from))
  return from - log(1 - dice * left) / slope
}
