import { z } from 'zod'
import {
  choice,
  colour,
  common,
  follows,
  type Item,
  itemOf,
  number,
  type Setting,
  type SettingMeta,
  settingsOf,
  toggle,
  vec3,
} from '../../settings/index.ts'

// Relighting: light on what was filmed inside a matte.

const who = { group: 'Who', touches: 'picture', still: true } as const
const body = { group: 'Body', touches: 'picture' } as const
const light = { group: 'Light', touches: 'picture' } as const
const side = { ...light, when: { by: ['a side', 'both'] } }
const apart = (label: string) =>
  itemOf(['matte'], { label, hint: 'A limb with a matte of its own is rounded by itself.', none: 'none', ...who })

export const relightSchema = z
  .object({
    ...common,
    kind: z.literal('relight'),
    /** It has no place of its own: it stands where its matte does. */
    position: vec3.default([0, 0, 0]),
    matte: itemOf(['matte'], { label: 'Matte', hint: 'What is lit lies inside it.', none: 'none', ...who }),
    limbA: apart('A limb'),
    limbB: apart('Another limb'),
    limbC: apart('A third limb'),
    keep: itemOf(['matte'], {
      label: 'Kept off by',
      hint: 'Inside this matte no light falls on it.',
      none: 'nothing',
      ...who,
    }),
    directions: choice(['rounded', 'from the set'], 'rounded', {
      label: 'Its form',
      hint: 'Rounded out of its matte; or that of the pieces and things of the set that stand where it is.',
      still: true,
      ...body,
    }),
    round: number(0, 4, 0.5, {
      label: 'Roundness',
      unit: '×',
      span: [0, 1.5],
      step: 0.05,
      hint: 'How deep it is against its width: 0.5 for people, 1 for a ball.',
      when: { directions: ['rounded'] },
      ...body,
    }),
    distance: number(0, 10_000, 0, {
      label: 'Stands at',
      unit: 'm',
      span: [0, 40],
      step: 0.05,
      hint: 'How far along the view; 0: where its matte stands.',
      when: { directions: ['rounded'] },
      ...body,
    }),
    by: choice(['the shot', 'a side', 'both'], 'the shot', {
      label: 'Lit by',
      hint: 'Lamps, fires, sparks and cards; or a light of its own from a side.',
      still: true,
      ...light,
    }),
    only: itemOf(['lamp', 'gas', 'particles', 'card'], {
      label: 'Only by',
      hint: 'One light of the shot alone; all of them where none is chosen.',
      none: 'all of them',
      when: { by: ['the shot', 'both'] },
      still: true,
      ...light,
    }),
    amount: number(0, 100, 1, {
      label: 'Amount',
      unit: '×',
      span: [0, 4],
      step: 0.05,
      hint: 'How strongly the shot’s lights light it; 1 as they light the set.',
      when: { by: ['the shot', 'both'] },
      ...light,
    }),
    shadowed: toggle(true, {
      label: 'Shadowed',
      hint: 'Set and things between it and a light keep the light off.',
      when: { by: ['the shot', 'both'] },
      still: true,
      ...light,
    }),
    level: number(0, 100, 0.5, {
      label: 'From a side',
      unit: '×',
      span: [0, 3],
      step: 0.05,
      hint: 'How bright the light from a side is, against the plate’s own light. Let it follow a signal for flicker.',
      ...side,
    }),
    tint: colour
      .default([1, 0.72, 0.45])
      .meta({ label: 'Its colour', hint: 'Of the light from a side.', ...side } satisfies SettingMeta),
    azimuth: number(-360, 360, 90, {
      label: 'Comes from',
      unit: '°',
      span: [-180, 180],
      step: 1,
      hint: 'Round the subject: 0 from the camera, 90 from the right, 180 from behind.',
      ...side,
    }),
    elevation: number(-90, 90, 15, {
      label: 'From above',
      unit: '°',
      span: [-30, 90],
      step: 1,
      hint: 'How high the light stands.',
      ...side,
    }),
    wrap: number(0, 1, 0.15, {
      label: 'Wraps round',
      unit: '',
      span: [0, 1],
      step: 0.01,
      hint: 'How far light reaches round it: 0 to the line where it turns away, 1 all round.',
      ...light,
    }),
    shows: choice(['its light', 'its form'], 'its light', {
      label: 'Shows',
      hint: 'The form as a grey relief, to judge it by.',
      still: true,
      group: 'To judge it',
      touches: 'picture',
    }),
    follows,
  })
  .strict()

export type RelightItem = z.infer<typeof relightSchema>
export const RELIGHT_SETTINGS: readonly Setting[] = settingsOf(relightSchema)
export const isRelight = (item: Item | undefined): item is RelightItem => item?.kind === 'relight'

/** The mattes that an item names, each once. */
export const mattesOf = ({ matte, limbA, limbB, limbC, keep }: RelightItem): string[] => [
  ...new Set([matte, limbA, limbB, limbC, keep].filter((id) => id !== '')),
]
