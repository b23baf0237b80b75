import { z } from 'zod'
import { cos, cross, normalise, radians, scale, sin, subtract, type Vec3 } from '../math/index.ts'
import {
  choice,
  colour,
  common,
  follows,
  type Item,
  type ItemDocument,
  itemsInOrder,
  motion,
  movedAndSettledAt,
  number,
  place,
  rides,
  type Setting,
  type SettingMeta,
  type SignalInputs,
  settingsOf,
  vec3,
} from '../settings/index.ts'

// Lamps that are set up in a shot, beside the plate's own sun and sky.

const look = { group: 'Light', touches: 'picture' } as const

export const lampSchema = z
  .object({
    ...common,
    kind: z.literal('lamp'),
    ...place('Place'),
    aim: vec3.default([0, 0, 0]).meta({
      label: 'Aim',
      unit: 'm',
      step: 0.01,
      hint: 'The place that it shines at.',
      group: 'Place',
      when: { shape: ['spot', 'area'] },
    } satisfies SettingMeta),
    shape: choice(['spot', 'area', 'point'], 'spot', {
      label: 'Shape',
      hint: 'A cone, a shining rectangle such as a window, or a ball that shines all round.',
      ...look,
    }),
    lumens: number(0, 1e7, 3000, {
      label: 'Power',
      unit: 'lm',
      span: [0, 20000],
      step: 10,
      hint: 'All the light that it gives: 800 a household bulb, 20,000 a film lamp.',
      ...look,
    }),
    kelvin: number(1000, 20000, 3200, {
      label: 'Colour',
      unit: 'K',
      span: [1800, 10000],
      step: 50,
      hint: '1900 a candle, 3200 a film lamp, 5600 daylight.',
      ...look,
    }),
    tint: colour.default([1, 1, 1]).meta({
      label: 'Filter',
      hint: 'Multiplies its colour.',
      step: 0.01,
      ...look,
    } satisfies SettingMeta),
    cone: number(1, 175, 60, {
      label: 'Cone',
      unit: '°',
      span: [5, 120],
      step: 1,
      hint: 'From edge to edge.',
      when: { shape: ['spot'] },
      ...look,
    }),
    edge: number(0, 1, 0.25, {
      label: 'Soft edge',
      unit: '',
      span: [0, 1],
      step: 0.01,
      hint: 'Share of the cone over which it fades.',
      when: { shape: ['spot'] },
      ...look,
    }),
    size: number(0, 20, 0.2, {
      label: 'Size',
      unit: 'm',
      span: [0, 2],
      step: 0.01,
      hint: 'Across its ball: larger throws softer shadows.',
      when: { shape: ['spot', 'point'] },
      ...look,
    }),
    width: number(0.01, 100, 1, {
      label: 'Width',
      unit: 'm',
      span: [0.1, 5],
      step: 0.01,
      hint: 'Of the rectangle.',
      when: { shape: ['area'] },
      ...look,
    }),
    height: number(0.01, 100, 1, {
      label: 'Height',
      unit: 'm',
      span: [0.1, 5],
      step: 0.01,
      hint: 'Of the rectangle.',
      when: { shape: ['area'] },
      ...look,
    }),
    lights: choice(['all', 'added'], 'all', {
      label: 'Lights',
      hint: 'All: the set too; added: only what was added, as the plate shows this lamp’s own light already.',
      ...look,
    }),
    motion,
    rides,
    follows,
  })
  .strict()

export type LampItem = z.infer<typeof lampSchema>
export const LAMP_SETTINGS: readonly Setting[] = settingsOf(lampSchema)
export const isLamp = (item: Item | undefined): item is LampItem => item?.kind === 'lamp'

/** The shown lamps as they are at a frame, which may lie between frames, in the roster's order. */
export const lampsAt = (
  document: ItemDocument,
  frame = document.plate.first,
  inputs: SignalInputs = {},
): [string, LampItem][] =>
  itemsInOrder(document).flatMap(([id, item]): [string, LampItem][] =>
    isLamp(item) && item.shown ? [[id, movedAndSettledAt(document, item, LAMP_SETTINGS, frame, inputs)]] : [],
  )

/** Unit, where a lamp shines. */
export function lampAxis({ position, aim }: LampItem): Vec3 {
  const along = subtract(aim, position)
  return along.every((part) => Math.abs(part) < 1e-6) ? [0, -1, 0] : normalise(along)
}

/** Half edges of an area lamp, m, turned about its axis by its turn. It shines along upward x across. */
export function lampEdges(item: LampItem): { across: Vec3; upward: Vec3 } {
  const axis = lampAxis(item)
  const up: Vec3 = Math.abs(axis[1]) > 0.999 ? [0, 0, -1] : [0, 1, 0]
  const side = normalise(cross(axis, up))
  const over = cross(side, axis)
  const turn = radians(item.turn)
  const [c, s] = [cos(turn), sin(turn)]
  const mix = (a: Vec3, b: Vec3, p: number, q: number): Vec3 => [
    a[0] * p + b[0] * q,
    a[1] * p + b[1] * q,
    a[2] * p + b[2] * q,
  ]
  return {
    across: scale(mix(side, over, c, s), -item.width / 2),
    upward: scale(mix(side, over, -s, c), item.height / 2),
  }
}
