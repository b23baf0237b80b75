import { z } from 'zod'
import { common, follows, motion, number, place, roles } from '../settings/index.ts'

// Pieces of rough geometry. Each kind's schema carries label, unit, range and hint of its settings.

export const groundSchema = z
  .object({
    ...common,
    kind: z.literal('ground'),
    ...place('Place'),
    roles,
    size: number(1, 1000, 60, {
      label: 'Size',
      unit: 'm',
      span: [5, 200],
      step: 1,
      hint: 'Edge of the square of ground.',
      group: 'Place',
    }),
  })
  .strict()

export const boxSchema = z
  .object({
    ...common,
    kind: z.literal('box'),
    ...place('Place'),
    roles,
    tilt: number(-360, 360, 0, {
      label: 'Tilt',
      unit: '°',
      span: [-90, 90],
      step: 0.5,
      hint: 'Then about its own axis to the right: a ramp, a beam that falls.',
      group: 'Place',
    }),
    roll: number(-360, 360, 0, {
      label: 'Roll',
      unit: '°',
      span: [-90, 90],
      step: 0.5,
      hint: 'Then about its own axis towards the camera.',
      group: 'Place',
    }),
    width: number(0.01, 500, 2, {
      label: 'Width',
      unit: 'm',
      span: [0.1, 20],
      step: 0.01,
      hint: 'From side to side.',
      group: 'Size',
    }),
    height: number(0.01, 500, 2, {
      label: 'Height',
      unit: 'm',
      span: [0.1, 20],
      step: 0.01,
      hint: 'From the place upward.',
      group: 'Size',
    }),
    depth: number(0.01, 500, 0.3, {
      label: 'Depth',
      unit: 'm',
      span: [0.1, 20],
      step: 0.01,
      hint: 'From front to back.',
      group: 'Size',
    }),
    motion,
    follows,
  })
  .strict()

export type GroundItem = z.infer<typeof groundSchema>
export type BoxItem = z.infer<typeof boxSchema>
/** A piece of the set. */
export type PieceItem = GroundItem | BoxItem
