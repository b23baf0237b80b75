import { z } from 'zod'
import { smallPicture } from '../../set/index.ts'
import {
  choice,
  colour,
  common,
  follows,
  type Item,
  itemOf,
  motion,
  number,
  type Setting,
  type SettingMeta,
  settingsOf,
  toggle,
  vec3,
} from '../../settings/index.ts'
import { computedFields, contactFields } from './computedFields.ts'

// Particles: sparks, embers, ash, snow, motes, paper, which are computed from frame to frame and kept; and rain and snow that fall without end, found anew for every picture.

const kept = { way: ['computed'] } as const
const falls = { way: ['rain', 'snow'] } as const
const air = { group: 'Air', touches: 'gas' } as const
const look = { group: 'Look', touches: 'picture' } as const

/** Particles that were computed elsewhere. */
export const takenParticles = z
  .object({
    /** What the first file was called, and the store's blobs of all frames, each with its number in the files. */
    file: z.string().max(200),
    frames: z
      .array(z.object({ frame: z.number().int(), blob: z.string().regex(/^[0-9a-f]{64}$/) }).strict())
      .min(1)
      .max(20_000),
    /** Frame of the plate at which the first one is shown. */
    at: z
      .number()
      .int()
      .min(-1_000_000)
      .max(1_000_000)
      .default(0)
      .meta({
        label: 'Begins at',
        unit: 'fr',
        span: [0, 2000],
        step: 1,
        hint: 'Frame of the plate at which the first frame is shown.',
        group: 'Taken in',
        touches: 'gas',
      } satisfies SettingMeta),
  })
  .strict()

export const particlesSchema = z
  .object({
    ...common,
    kind: z.literal('particles'),
    way: choice(['computed', 'rain', 'snow', 'taken in'], 'computed', {
      label: 'Is',
      hint: 'Computed and kept from a source; rain or snow that falls without end where the camera sees it; or taken in from files.',
      group: 'Kind',
      touches: 'gas',
      still: true,
    }),
    ...computedFields,
    intensity: number(0.1, 300, 8, {
      label: 'Intensity',
      unit: 'mm/h',
      span: [0.5, 60],
      step: 0.5,
      hint: 'Drizzle 1, rain 5, heavy rain 25; of snow its water.',
      group: 'Fall',
      touches: 'picture',
      when: falls,
    }),
    least: number(0.2, 20, 0.8, {
      label: 'From',
      unit: 'mm',
      span: [0.3, 3],
      step: 0.1,
      hint: 'Smaller drops are left out: they are many, and hardly seen.',
      group: 'Fall',
      touches: 'picture',
      when: falls,
    }),
    near: number(0.1, 100, 0.8, {
      label: 'Near',
      unit: 'm',
      span: [0.2, 5],
      step: 0.1,
      hint: 'Drops nearer than this are left out.',
      group: 'Fall',
      touches: 'picture',
      when: falls,
    }),
    far: number(1, 500, 18, {
      label: 'Far',
      unit: 'm',
      span: [5, 60],
      step: 1,
      hint: 'Drops farther than this are left out.',
      group: 'Fall',
      touches: 'picture',
      when: falls,
    }),
    most: number(100, 400_000, 60_000, {
      label: 'At most',
      unit: '',
      span: [1000, 100_000],
      step: 1000,
      hint: 'Where more would be seen, far is brought nearer.',
      group: 'Fall',
      touches: 'picture',
      when: falls,
    }),
    splashes: toggle(true, {
      label: 'Splashes',
      hint: 'Crowns of droplets where drops meet the ground and tops of boxes.',
      group: 'Fall',
      touches: 'picture',
      when: { way: ['rain'] },
    }),
    falls: choice(['everywhere', 'before added'], 'everywhere', {
      label: 'Falls',
      hint: 'Everywhere; or, where it rains in the plate already, only before what is added to it.',
      group: 'Fall',
      touches: 'picture',
      when: falls,
      still: true,
    }),
    drips: itemOf(['box'], {
      label: 'Drips from',
      hint: 'A box, a roof: what it gathers falls off its upper edges in drops.',
      group: 'Fall',
      touches: 'picture',
      when: { way: ['rain'] },
      still: true,
    }),
    puddles: itemOf(['matte'], {
      label: 'Ripples on',
      hint: 'Water stands where this matte is painted on the ground: drops send rings over it.',
      group: 'Fall',
      touches: 'picture',
      when: { way: ['rain'] },
      still: true,
    }),
    refracts: number(0, 100, 0, {
      label: 'Refracts',
      unit: '%',
      span: [0, 100],
      step: 1,
      hint: 'How much of its look a drop has from the plate around it, bright above and dark below; the rest is its own brightness.',
      group: 'Look',
      touches: 'picture',
      when: { way: ['rain'] },
    }),
    flow: number(0, 300, 100, {
      label: 'Rides the gas',
      unit: '%',
      span: [0, 150],
      step: 1,
      hint: 'How much of the gas’s velocity the air has where they are.',
      group: 'Air',
      touches: 'gas',
      when: kept,
      still: true,
    }),
    wind: number(0, 60, 0, {
      label: 'Wind',
      unit: 'm/s',
      span: [0, 10],
      step: 0.1,
      hint: 'Speed of the air.',
      ...air,
    }),
    windFrom: number(-360, 360, 270, {
      label: 'Wind from',
      unit: '°',
      span: [-180, 360],
      step: 5,
      hint: '0 from behind the set, 90 from the right, 270 from the left.',
      ...air,
    }),
    gust: number(0, 100, 0, {
      label: 'Gusts',
      unit: '%',
      span: [0, 100],
      step: 1,
      hint: 'Share of the wind that comes and goes.',
      ...air,
    }),
    gustEvery: number(0.2, 60, 3, {
      label: 'Gust every',
      unit: 's',
      span: [0.5, 10],
      step: 0.1,
      hint: 'From one gust to the next.',
      ...air,
      still: true,
    }),
    flutter: number(0, 20, 0, {
      label: 'Flutter',
      unit: 'm/s',
      span: [0, 2],
      step: 0.05,
      hint: 'By which they sway as they fall.',
      ...air,
      still: true,
    }),
    drag: number(0, 1000, 100, {
      label: 'Drag',
      unit: '%',
      span: [0, 200],
      step: 1,
      hint: 'Of what the air slows by their size and weight.',
      group: 'Air',
      touches: 'gas',
      when: kept,
      still: true,
    }),
    gravity: number(-100, 100, 9.81, {
      label: 'Gravity',
      unit: 'm/s²',
      span: [0, 20],
      step: 0.1,
      hint: '9.81 on the ground.',
      group: 'Air',
      touches: 'gas',
      when: kept,
      still: true,
    }),
    ...contactFields,
    lays: choice(['over', 'add'], 'over', {
      label: 'Laid',
      hint: 'Over: hides what is behind it; add: only gives light.',
      ...look,
    }),
    bits: choice(['points', 'chips', 'pebbles', 'shards', 'splinters', 'mixed', 'discs', 'mesh', 'pieces'], 'points', {
      label: 'Drawn as',
      hint: 'Soft points; or solid bits that tumble and throw shadows: chips, pebbles, shards, splinters, all of these; discs with a picture, a taken-in mesh, or pieces of something that breaks.',
      ...look,
      when: { way: ['computed', 'taken in'] },
      still: true,
    }),
    /** The picture on discs. */
    bitPicture: smallPicture.optional(),
    bitPieces: itemOf(['breaking'], {
      label: 'Pieces of',
      hint: 'Bits have the shapes of its pieces, as large as they are told.',
      ...look,
      when: { bits: ['pieces'] },
      still: true,
    }),
    bitMesh: itemOf(['thing'], {
      label: 'Mesh',
      hint: 'The taken-in mesh that each bit is, as large as it is told; the thing itself may be hidden.',
      ...look,
      when: { bits: ['mesh'] },
      still: true,
    }),
    among: toggle(false, {
      label: 'Meet each other',
      hint: 'Bits push and pile on each other, up to 2,000 at once; others meet the set alone.',
      group: 'Surfaces',
      touches: 'gas',
      when: { bits: ['chips', 'pebbles', 'shards', 'splinters', 'mixed', 'discs', 'mesh', 'pieces'] },
      still: true,
    }),
    colour: colour.default([0.8, 0.8, 0.8]).meta({
      label: 'Colour',
      hint: 'Of what it sends back of the light.',
      ...look,
    } satisfies SettingMeta),
    brightness: number(0, 1000, 0.6, {
      label: 'Brightness',
      unit: '×',
      span: [0, 40],
      step: 0.1,
      hint: 'Against a white board that faces the light; drops with a light behind them shine many times as much.',
      ...look,
    }),
    glow: number(0, 100, 1, {
      label: 'Glow',
      unit: '×',
      span: [0, 4],
      step: 0.05,
      hint: 'Of hot ones, against a black body of their size.',
      ...look,
    }),
    lights: number(0, 64, 0, {
      label: 'Light the set',
      unit: '',
      span: [0, 16],
      step: 1,
      hint: 'So many of the brightest light what is near them.',
      ...look,
    }),
    shadow: number(0, 100, 60, {
      label: 'Shadow',
      unit: '%',
      span: [0, 100],
      step: 1,
      hint: 'How much of their soft shadow and contact they throw on the ground and on boxes.',
      group: 'Look',
      touches: 'picture',
      when: { lays: ['over'], way: ['computed', 'snow', 'taken in'] },
    }),
    bends: number(0, 100, 0, {
      label: 'Bends',
      unit: '%',
      span: [0, 100],
      step: 1,
      hint: 'How far flat ones bend as they turn, as paper does: more of them is seen edge on, lit here and there.',
      group: 'Look',
      touches: 'picture',
      when: { way: ['computed', 'taken in'], form: ['flake'] },
    }),
    afterglow: number(0, 100, 0, {
      label: 'Glows on',
      unit: '%',
      span: [0, 100],
      step: 1,
      hint: 'Share of its life over which the rim of ash still glows, ever redder.',
      group: 'Look',
      touches: 'picture',
      when: kept,
    }),
    fades: number(0, 100, 20, {
      label: 'Fades',
      unit: '%',
      span: [0, 100],
      step: 1,
      hint: 'Share of its life over which it fades out.',
      group: 'Look',
      touches: 'picture',
      when: kept,
    }),
    taken: takenParticles.optional(),
    /** Corners of the line, metres. */
    line: z.array(vec3).max(500).optional(),
    motion,
    follows,
  })
  .strict()

export type ParticlesItem = z.infer<typeof particlesSchema>
export const PARTICLES_SETTINGS: readonly Setting[] = settingsOf(particlesSchema)
export const TAKEN_SETTINGS: readonly Setting[] = settingsOf(takenParticles)
export const isParticles = (item: Item | undefined): item is ParticlesItem => item?.kind === 'particles'
/** Whether its frames are kept; what falls without end is found anew for every picture. */
export const isKept = ({ way }: Pick<ParticlesItem, 'way'>): boolean => way === 'computed' || way === 'taken in'
