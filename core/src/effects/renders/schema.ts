import { z } from 'zod'
import {
  choice,
  colour,
  common,
  follows,
  type Item,
  id,
  itemOf,
  number,
  type Setting,
  type SettingMeta,
  settingsOf,
  toggle,
  vec3,
} from '../../settings/index.ts'

// Others' renders: multi-layer EXR sequences that hide and are hidden like our own.

const file = { group: 'File', touches: 'picture', still: true } as const
const light = { group: 'Light', touches: 'picture' } as const
const look = { group: 'Look', touches: 'picture' } as const
const names = (most: number) => z.array(z.string().max(200)).max(most).default([])

/** Which of the file's channels are which. */
export const passesSchema = z
  .object({
    colour: names(3),
    alpha: names(1),
    depth: names(1),
    normal: names(3),
    position: names(3),
    albedo: names(3),
  })
  .strict()

/** A taken-in render. */
export const takenRender = z
  .object({
    asset: id,
    file: z.string().max(400),
    first: z.int(),
    last: z.int(),
    width: z.int().min(1).max(32_768),
    height: z.int().min(1).max(32_768),
    /** All channels of its files. */
    channels: z.array(z.string().max(200)).max(256),
    /** Frames that are missing: first and last of each gap. */
    gaps: z
      .array(z.tuple([z.int(), z.int()]))
      .max(1000)
      .default([]),
  })
  .strict()

export const renderSchema = z
  .object({
    ...common,
    kind: z.literal('render'),
    /** It has no place of its own: its camera is the shot's. */
    position: vec3.default([0, 0, 0]),
    render: takenRender.optional(),
    passes: passesSchema.prefault({}),
    offset: number(-1_000_000, 1_000_000, 0, {
      label: 'Later by',
      unit: 'fr',
      span: [-100, 100],
      step: 1,
      hint: 'Frames between the numbers of its files and those of the plate.',
      ...file,
    }),
    premultiplied: toggle(true, {
      label: 'Premultiplied',
      hint: 'Whether its colours were multiplied with its alpha: edges are dark or bright where this is wrong.',
      ...file,
    }),
    depthWay: choice(['along the view', 'from the camera', 'inverted'], 'along the view', {
      label: 'Depth is',
      hint: 'How far along the view things are, how far from the camera, or one over that.',
      ...file,
    }),
    unit: number(1e-6, 1e6, 1, {
      label: 'One unit is',
      unit: 'm',
      span: [0.001, 1],
      step: 0.001,
      hint: 'Of its depth and places: 0.01 where it counts in centimetres.',
      ...file,
    }),
    standing: number(0.01, 100_000, 10, {
      label: 'Stands at',
      unit: 'm',
      span: [0.5, 60],
      step: 0.1,
      hint: 'How far along the view all of it is where it has no depth.',
      ...file,
    }),
    standIn: itemOf(['box', 'form', 'thing'], {
      label: 'Its shape',
      hint: 'A piece or thing of the set, hidden or not, that stands where it is: tells how far away it is and how it faces, where its passes don’t.',
      none: 'its passes',
      ...file,
    }),
    normals: choice(['world', 'camera'], 'world', {
      label: 'Normals are of',
      hint: 'The set’s axes, or the camera’s.',
      ...file,
    }),
    lit: number(0, 100, 1, {
      label: 'Lit by the shot',
      unit: '×',
      span: [0, 4],
      step: 0.05,
      hint: 'How strongly fires, lamps and cards light it.',
      ...light,
    }),
    reflects: number(0, 100, 50, {
      label: 'Reflects',
      unit: '%',
      span: [5, 90],
      step: 1,
      hint: 'How much of light its surfaces send back where it has no albedo pass: then in its own colour.',
      ...light,
    }),
    wrap: number(0, 1, 0, {
      label: 'Wraps round',
      unit: '',
      span: [0, 1],
      step: 0.01,
      hint: 'How far that light reaches round it.',
      ...light,
    }),
    exposure: number(-20, 20, 0, {
      label: 'Exposure',
      unit: 'st',
      span: [-4, 4],
      step: 0.05,
      hint: 'Against its file.',
      ...look,
    }),
    tint: colour.default([1, 1, 1]).meta({ label: 'Tint', hint: 'Multiplied with it.', ...look } satisfies SettingMeta),
    follows,
  })
  .strict()

export type RenderItem = z.infer<typeof renderSchema>
export type TakenRender = z.infer<typeof takenRender>
export const RENDER_SETTINGS: readonly Setting[] = settingsOf(renderSchema)
export const isRender = (item: Item | undefined): item is RenderItem => item?.kind === 'render'

/** The number of the file that is shown at a frame of the plate; undefined where there is none, or it is missing. */
export function renderFrame(
  { render, offset }: Pick<RenderItem, 'render' | 'offset'>,
  frame: number,
): number | undefined {
  const own = frame - Math.round(offset)
  if (!render || own < render.first || own > render.last) return undefined
  return render.gaps.some(([from, to]) => own >= from && own <= to) ? undefined : own
}
