import type { z } from 'zod'
import type { motion } from './fields.ts'
import type { Ride } from './rides.ts'
import type { Following, Signal } from './signals.ts'

/** What every item of a shot has, whatever its kind. */
export interface Item {
  kind: string
  name: string
  order: number
  shown: boolean
  locked: boolean
  /** Items of one group are one layer of the picture. */
  group?: string
  follows?: Readonly<Record<string, Following>>
  motion?: z.infer<typeof motion>
  rides?: readonly Ride[]
}

/** The frames of a plate and their rate. */
export interface PlateFrames {
  first: number
  last: number
  /** Frames per second as a fraction. */
  rate: readonly [number, number]
}

/** What of a shot's document items are resolved against: other items are known by kind alone. */
export interface ItemDocument {
  plate: PlateFrames
  signals: Readonly<Record<string, Signal>>
  items: Readonly<Record<string, Item>>
}

/** Items in the roster's order. */
export const itemsInOrder = <I extends Item>(document: { items: Readonly<Record<string, I>> }): [string, I][] =>
  Object.entries(document.items).sort(([a, x], [b, y]) => x.order - y.order || (a < b ? -1 : 1))

/** Frames per second. */
export const frameRate = ({ rate }: Pick<PlateFrames, 'rate'>): number => rate[0] / rate[1]
