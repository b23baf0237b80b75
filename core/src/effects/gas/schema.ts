import { z } from 'zod'
import {
  choice,
  common,
  corner,
  follows,
  type Item,
  itemOf,
  motion,
  number,
  type SettingMeta,
  settingsOf,
  toggle,
  vec3,
} from '../../settings/index.ts'

// Gases, what feeds them, what pushes them, and kept runs that are shown again.

const SHAPES = ['disc', 'box', 'sphere', 'line', 'piece', 'area', 'points'] as const
const sized = { shape: ['disc', 'box', 'sphere', 'line'] } as const

/** What comes out of a source, and where. Gas has one of its own; source items add more. */
const sourceFields = {
  position: vec3.default([0, 0, 0]).meta({
    label: 'Place',
    unit: 'm',
    step: 0.01,
    hint: 'Middle of the source: right, up, towards the camera.',
    group: 'Source',
    when: { shape: ['disc', 'box', 'sphere'] },
    touches: 'gas',
  } satisfies SettingMeta),
  shape: choice(SHAPES, 'disc', {
    label: 'Shape',
    hint: 'A flat disc, a box, a ball, a line drawn in the set, a set piece’s surface, an area drawn on the plate, or points from a table.',
    group: 'Source',
    touches: 'gas',
    still: true,
  }),
  diameter: number(0.02, 50, 1.2, {
    label: 'Diameter',
    unit: 'm',
    span: [0.1, 5],
    step: 0.05,
    hint: 'Across the source, or across the line; its speed follows its size.',
    group: 'Source',
    touches: 'gas',
    when: sized,
    still: true,
  }),
  tall: number(0, 50, 0, {
    label: 'Height',
    unit: 'm',
    span: [0, 5],
    step: 0.05,
    hint: 'Of a box; 0 is as wide as it is.',
    group: 'Source',
    touches: 'gas',
    when: { shape: ['box'] },
    still: true,
  }),
  deep: number(0, 50, 0, {
    label: 'Depth',
    unit: 'm',
    span: [0, 5],
    step: 0.05,
    hint: 'Of a box from front to back; 0 is as wide as it is.',
    group: 'Source',
    touches: 'gas',
    when: { shape: ['box'] },
    still: true,
  }),
  piece: itemOf(['box', 'ground'], {
    label: 'Piece',
    hint: 'The set piece whose surface it comes from.',
    group: 'Source',
    touches: 'gas',
    when: { shape: ['piece'] },
    still: true,
  }),
  pattern: choice(['all', 'noise', 'painted'], 'all', {
    label: 'Pattern',
    hint: 'All of the surface, patches of it, or only where it is painted on the plate.',
    group: 'Source',
    touches: 'gas',
    when: { shape: ['piece', 'area', 'disc', 'line'] },
    still: true,
  }),
  patches: number(5, 100, 45, {
    label: 'Covered',
    unit: '%',
    span: [5, 100],
    step: 1,
    hint: 'Share of the surface that patches cover.',
    group: 'Source',
    touches: 'gas',
    when: { pattern: ['noise'] },
    still: true,
  }),
  patchSize: number(0.02, 20, 0.5, {
    label: 'Patch',
    unit: 'm',
    span: [0.05, 3],
    step: 0.05,
    hint: 'Size of a patch.',
    group: 'Source',
    touches: 'gas',
    when: { pattern: ['noise'] },
    still: true,
  }),
  heat: number(0, 100000, 400, {
    label: 'Heat',
    unit: 'kW',
    span: [0, 2000],
    step: 5,
    hint: 'Heat set free by burning. 0 gives smoke alone.',
    group: 'Source',
    touches: 'gas',
  }),
  per: choice(['in all', 'a square metre'], 'in all', {
    label: 'Amounts are',
    hint: 'Whether heat and smoke are of the whole source or of each square metre.',
    group: 'Source',
    touches: 'gas',
    still: true,
  }),
  smoke: number(0, 100000, 0, {
    label: 'Smoke',
    unit: 'g/s',
    span: [0, 50],
    step: 0.1,
    hint: 'Soot, dust or water set free without burning.',
    group: 'Source',
    touches: 'gas',
  }),
  warmth: number(-40, 1500, 127, {
    label: 'Comes out at',
    unit: '°C',
    span: [-20, 600],
    step: 1,
    hint: 'Temperature of what comes out; colder than the air sinks.',
    group: 'Source',
    touches: 'gas',
  }),
  speed: number(0, 200, 0.25, {
    label: 'Comes out with',
    unit: 'm/s',
    span: [0, 20],
    step: 0.05,
    hint: 'Speed of what comes out, along its direction.',
    group: 'Source',
    touches: 'gas',
  }),
  aim: vec3.default([0, 1, 0]).meta({
    label: 'Direction',
    step: 0.05,
    hint: 'Where it comes out to: right, up, near. A piece’s surface sends it straight away from itself instead.',
    group: 'Source',
    touches: 'gas',
    when: { shape: ['disc', 'box', 'sphere', 'line', 'points'] },
  } satisfies SettingMeta),
  stir: number(0, 20, 0.6, {
    label: 'Stir',
    unit: 'm/s',
    span: [0, 3],
    step: 0.05,
    hint: 'Unrest of the air in the source.',
    group: 'Source',
    touches: 'gas',
  }),
  stirSize: number(0, 20, 0, {
    label: 'Stir size',
    unit: 'm',
    span: [0, 2],
    step: 0.05,
    hint: 'Size of that unrest; 0 is a quarter of the diameter.',
    group: 'Source',
    touches: 'gas',
    still: true,
  }),
  /** Corners of the line, metres. */
  line: z.array(vec3).max(500).optional(),
  /** Shapes drawn on the plate at a frame (px of the full frame): the area, or where a piece is painted. */
  drawn: z
    .object({ frame: z.number().int(), shapes: z.array(z.array(corner).min(3).max(400)).min(1).max(40) })
    .strict()
    .optional(),
  /** The store's blob of a table of points: frame, x, y, z and, if wanted, radius, in metres. */
  points: z
    .object({ blob: z.string().regex(/^[0-9a-f]{64}$/), file: z.string().max(200), count: z.number().int() })
    .strict()
    .optional(),
  motion,
  follows,
}

/** Of a gas that was computed elsewhere: its frames of OpenVDB. */
const taken = z
  .object({
    /** What the first file was called, its frame's number there, and the store's blobs of all, one a frame. */
    file: z.string().max(200),
    first: z.number().int(),
    blobs: z
      .array(z.string().regex(/^[0-9a-f]{64}$/))
      .min(1)
      .max(100000),
    /** Frame of the plate at which its first one is shown. */
    at: z
      .number()
      .int()
      .min(-1000000)
      .max(1000000)
      .default(0)
      .meta({
        label: 'Begins at',
        unit: 'fr',
        span: [0, 2000],
        step: 1,
        hint: 'Frame of the plate at which its first frame is shown.',
        group: 'Taken in',
        touches: 'picture',
      } satisfies SettingMeta),
    density: number(1e-6, 1e6, 1, {
      label: 'Density of 1',
      unit: 'g/m³',
      span: [0.01, 20],
      step: 0.1,
      hint: 'Grams of soot, dust or water that a density of 1 in the files stands for.',
      group: 'Taken in',
      touches: 'gas',
    }),
    kelvin: number(1e-3, 1e5, 1, {
      label: 'Temperature of 1',
      unit: 'K',
      span: [1, 3000],
      step: 1,
      hint: 'Kelvin that a temperature of 1 in the files stands for.',
      group: 'Taken in',
      touches: 'gas',
    }),
    kelvinAt0: number(-1000, 3000, 0, {
      label: 'Temperature of 0',
      unit: 'K',
      span: [0, 300],
      step: 1,
      hint: 'Kelvin at a temperature of 0: 273 where the files are in degrees Celsius.',
      group: 'Taken in',
      touches: 'gas',
    }),
    scale: number(1e-3, 1000, 1, {
      label: 'Metres in a unit',
      unit: 'm',
      span: [0.01, 1],
      step: 0.01,
      hint: 'Length of a unit of the files: 0.01 where they were written in centimetres.',
      group: 'Taken in',
      touches: 'gas',
    }),
  })
  .strict()
export const takenSchema = taken

export const MATTERS = ['soot', 'dust', 'water'] as const

export const gasSchema = z
  .object({
    ...common,
    kind: z.literal('gas'),
    ...sourceFields,
    taken: taken.optional(),
    /** Kept alone while it is being worked on: frames of the plate, and a region of the set (low and high corner, m). */
    part: z
      .object({
        frames: z.tuple([z.number().int(), z.number().int()]).optional(),
        low: vec3.optional(),
        high: vec3.optional(),
      })
      .strict()
      .optional(),
    soot: number(0, 20, 1.8, {
      label: 'Soot',
      unit: '%',
      span: [0, 10],
      step: 0.1,
      hint: 'Share of the burnt fuel that turns to soot: more is darker and more orange.',
      group: 'Burning',
      touches: 'gas',
      still: true,
    }),
    radiant: number(0, 80, 35, {
      label: 'Radiant',
      unit: '%',
      span: [10, 60],
      step: 1,
      hint: 'Least share of the heat that leaves as radiation: 35 for oil, 15 for gas that burns blue.',
      group: 'Burning',
      touches: 'gas',
      still: true,
    }),
    burnTime: number(0.02, 10, 2, {
      label: 'Burn time',
      unit: 's',
      span: [0.1, 4],
      step: 0.01,
      hint: 'How long fuel lasts where nothing stirs it into the air: longer makes lazier flames.',
      group: 'Burning',
      touches: 'gas',
      still: true,
    }),
    matter: choice(MATTERS, 'soot', {
      label: 'Smoke is',
      hint: 'Soot, mineral dust of 10 µm, or water drops of 10 µm: how much light a gram of it stops, and what it weighs.',
      group: 'Matter',
      touches: 'gas',
      still: true,
    }),
    fade: number(0, 600, 0, {
      label: 'Fades in',
      unit: 's',
      span: [0, 60],
      step: 0.5,
      hint: 'Time in which smoke thins to 1/e by settling or drying; 0 keeps it.',
      group: 'Matter',
      touches: 'gas',
      still: true,
    }),
    wind: number(0, 30, 0, {
      label: 'Wind',
      unit: 'm/s',
      span: [0, 10],
      step: 0.1,
      hint: 'Speed of the air that comes in.',
      group: 'Air',
      touches: 'gas',
    }),
    windFrom: number(0, 360, 270, {
      label: 'From',
      unit: '°',
      span: [0, 360],
      step: 5,
      hint: 'Where it comes from: 0 from behind the set, 90 from the right, 270 from the left.',
      group: 'Air',
      touches: 'gas',
    }),
    gust: number(0, 100, 0, {
      label: 'Gusts',
      unit: '%',
      span: [0, 60],
      step: 1,
      hint: 'How much the wind’s speed comes and goes; its direction sways with it.',
      group: 'Air',
      touches: 'gas',
    }),
    gustEvery: number(0.2, 120, 4, {
      label: 'Every',
      unit: 's',
      span: [0.5, 20],
      step: 0.5,
      hint: 'Time from gust to gust.',
      group: 'Air',
      touches: 'gas',
      still: true,
    }),
    shear: number(0, 0.6, 0, {
      label: 'Shear',
      unit: '',
      span: [0, 0.4],
      step: 0.01,
      hint: 'How much slower the wind is near the ground: 0 the same everywhere, 0.15 over open land, 0.3 in a town.',
      group: 'Air',
      touches: 'gas',
      still: true,
    }),
    windAt: number(0.1, 200, 10, {
      label: 'Measured at',
      unit: 'm',
      span: [1, 20],
      step: 0.5,
      hint: 'Height at which the wind has its speed, where it has a shear.',
      group: 'Air',
      touches: 'gas',
      still: true,
    }),
    airTemperature: number(-40, 60, 15, {
      label: 'Air',
      unit: '°C',
      span: [-20, 40],
      step: 1,
      hint: 'Temperature of the air.',
      group: 'Air',
      touches: 'gas',
      still: true,
    }),
    cell: number(2, 500, 40, {
      label: 'Cell',
      unit: 'mm',
      span: [15, 150],
      step: 1,
      hint: 'Edge of a cell: halving it costs sixteen times the time.',
      group: 'Run',
      touches: 'gas',
      still: true,
    }),
    runUp: number(0, 240, 24, {
      label: 'Run-up',
      unit: 'fr',
      span: [0, 96],
      step: 1,
      hint: 'Frames that burn before the first one.',
      group: 'Run',
      touches: 'gas',
      still: true,
    }),
    reach: number(0.5, 100, 6, {
      label: 'Reach',
      unit: 'm',
      span: [2, 20],
      step: 0.5,
      hint: 'How far from the source to all sides the gas is followed.',
      group: 'Run',
      touches: 'gas',
      still: true,
    }),
    rise: number(0, 200, 0, {
      label: 'Rise',
      unit: 'm',
      span: [0, 30],
      step: 0.5,
      hint: 'How far above it; 0 is as far as to the sides.',
      group: 'Run',
      touches: 'gas',
      still: true,
    }),
    confinement: number(0, 3, 0.3, {
      label: 'Curl',
      unit: '',
      span: [0, 1.5],
      step: 0.05,
      hint: 'Keeps small whirls alive that a coarse cell loses.',
      group: 'Run',
      touches: 'gas',
      still: true,
    }),
    held: toggle(false, {
      label: 'Held still',
      hint: 'A source with a motion stays where it is and the wind of its motion blows through the box: for what flies far.',
      group: 'Run',
      touches: 'gas',
      still: true,
    }),
    seed: number(0, 99999, 1, {
      label: 'Seed',
      unit: '',
      span: [0, 100],
      step: 1,
      hint: 'Another number, another fire of the same kind.',
      group: 'Run',
      touches: 'gas',
      still: true,
    }),
    detail: z
      .number()
      .int()
      .min(1)
      .max(4)
      .default(1)
      .meta({
        label: 'Finer',
        unit: '×',
        span: [1, 4],
        step: 1,
        hint: 'Fine whirls added to a kept run, at so many times its resolution; the large motion stays.',
        group: 'Finer',
        touches: 'finer',
        still: true,
      } satisfies SettingMeta),
    detailAmount: number(0, 3, 1, {
      label: 'Strength',
      unit: '×',
      span: [0, 2],
      step: 0.05,
      hint: 'How far the added whirls carry the gas: 1 is as far as whirls of a cell’s size go in their own time, wherever the air moves.',
      group: 'Finer',
      touches: 'finer',
      still: true,
    }),
    albedo: number(0, 1, 0.3, {
      label: 'Smoke white',
      unit: '',
      span: [0, 1],
      step: 0.01,
      hint: 'Light that the smoke scatters: 0.3 is black smoke, 0.9 steam.',
      group: 'Look',
      touches: 'picture',
    }),
    forward: number(-0.9, 0.9, 0.4, {
      label: 'Forward',
      unit: '',
      span: [-0.9, 0.9],
      step: 0.05,
      hint: 'How much the smoke glows against the light.',
      group: 'Look',
      touches: 'picture',
    }),
    thickness: number(0, 20, 1, {
      label: 'Thickness',
      unit: '×',
      span: [0, 4],
      step: 0.05,
      hint: 'Times the light that its smoke stops.',
      group: 'Look',
      touches: 'picture',
    }),
    blue: number(0, 4, 1, {
      label: 'Blue base',
      unit: '×',
      span: [0, 3],
      step: 0.05,
      hint: 'Glow of the burning itself, blue: it shows where there is little soot.',
      group: 'Look',
      touches: 'picture',
    }),
  })
  .strict()

export const sourceSchema = z
  .object({
    ...common,
    kind: z.literal('source'),
    feeds: itemOf(['gas'], {
      label: 'Feeds',
      hint: 'The gas that it feeds.',
      group: 'Source',
      touches: 'gas',
      still: true,
    }),
    ...sourceFields,
  })
  .strict()

export const FORCES = ['push', 'swirl', 'blow', 'drag', 'turbulence'] as const
const within = { way: ['push', 'swirl', 'blow', 'drag', 'turbulence'] } as const

export const forceSchema = z
  .object({
    ...common,
    kind: z.literal('force'),
    way: choice(FORCES, 'push', {
      label: 'Does',
      hint: 'Pushes from its place (below 0 it pulls), swirls about its axis, blows along it, slows the air, or stirs it.',
      group: 'Force',
      touches: 'gas',
      still: true,
    }),
    on: itemOf(['gas'], {
      label: 'On',
      hint: 'The gas that it works on; none is every gas.',
      group: 'Force',
      touches: 'gas',
      still: true,
    }),
    position: vec3.default([0, 1, 0]).meta({
      label: 'Place',
      unit: 'm',
      step: 0.01,
      hint: 'Its middle: right, up, towards the camera.',
      group: 'Force',
      touches: 'gas',
    } satisfies SettingMeta),
    axis: vec3.default([0, 1, 0]).meta({
      label: 'Axis',
      step: 0.05,
      hint: 'What it swirls about or blows along: right, up, near.',
      group: 'Force',
      touches: 'gas',
      when: { way: ['swirl', 'blow'] },
    } satisfies SettingMeta),
    strength: number(-500, 500, 5, {
      label: 'Strength',
      unit: 'm/s²',
      span: [-30, 30],
      step: 0.1,
      hint: 'At its middle; gravity is 9.8.',
      group: 'Force',
      touches: 'gas',
      when: { way: ['push', 'swirl', 'blow', 'turbulence'] },
    }),
    slowing: number(0, 200, 2, {
      label: 'Slows',
      unit: '1/s',
      span: [0, 20],
      step: 0.1,
      hint: 'Share of its speed that the air loses in a second; a large one calms it.',
      group: 'Force',
      touches: 'gas',
      when: { way: ['drag'] },
    }),
    radius: number(0, 500, 1.5, {
      label: 'Radius',
      unit: 'm',
      span: [0.1, 10],
      step: 0.05,
      hint: 'How far it works; 0 is everywhere.',
      group: 'Force',
      touches: 'gas',
      when: within,
    }),
    softEdge: number(1, 100, 60, {
      label: 'Soft edge',
      unit: '%',
      span: [1, 100],
      step: 1,
      hint: 'Share of the radius over which it fades out.',
      group: 'Force',
      touches: 'gas',
      still: true,
    }),
    size: number(0.02, 50, 0.6, {
      label: 'Whirls',
      unit: 'm',
      span: [0.1, 5],
      step: 0.05,
      hint: 'Size of the whirls that it stirs in.',
      group: 'Force',
      touches: 'gas',
      when: { way: ['turbulence'] },
      still: true,
    }),
    change: number(0, 20, 1, {
      label: 'Change',
      unit: '1/s',
      span: [0, 5],
      step: 0.1,
      hint: 'How fast they turn into others.',
      group: 'Force',
      touches: 'gas',
      when: { way: ['turbulence'] },
      still: true,
    }),
    seed: number(0, 99999, 1, {
      label: 'Seed',
      unit: '',
      span: [0, 100],
      step: 1,
      hint: 'Another number, other whirls.',
      group: 'Force',
      touches: 'gas',
      when: { way: ['turbulence'] },
      still: true,
    }),
    motion,
    follows,
  })
  .strict()

export const reuseSchema = z
  .object({
    ...common,
    kind: z.literal('reuse'),
    of: itemOf(['gas'], {
      label: 'Shows',
      hint: 'The gas whose kept run it shows again.',
      group: 'Again',
      touches: 'picture',
      still: true,
    }),
    position: vec3.default([0, 0, 0]).meta({
      label: 'Place',
      unit: 'm',
      step: 0.01,
      hint: 'Where the source of it stands here.',
      group: 'Again',
      touches: 'picture',
    } satisfies SettingMeta),
    turn: number(-360, 360, 0, {
      label: 'Turn',
      unit: '°',
      span: [-180, 180],
      step: 1,
      hint: 'About the upright axis.',
      group: 'Again',
      touches: 'picture',
    }),
    tilt: number(-360, 360, 0, {
      label: 'Tilt',
      unit: '°',
      span: [-90, 90],
      step: 1,
      hint: 'Then about the axis to the right.',
      group: 'Again',
      touches: 'picture',
    }),
    scale: number(0.01, 100, 1, {
      label: 'Scale',
      unit: '×',
      span: [0.2, 5],
      step: 0.01,
      hint: 'Times its size.',
      group: 'Again',
      touches: 'picture',
    }),
    mirror: toggle(false, {
      label: 'Mirrored',
      hint: 'Right for left, before it is turned.',
      group: 'Again',
      touches: 'picture',
    }),
    froude: toggle(true, {
      label: 'Speed for size',
      hint: 'Its pace follows its size by Froude’s law: four times as large, half as fast. Off keeps the pace it was made with.',
      group: 'Again',
      touches: 'picture',
      still: true,
    }),
    shift: number(-10000, 10000, 0, {
      label: 'Later',
      unit: 'fr',
      span: [-100, 100],
      step: 1,
      hint: 'Frames by which it comes later.',
      group: 'Again',
      touches: 'picture',
      still: true,
    }),
    loop: toggle(false, {
      label: 'Looped',
      hint: 'Repeats a stretch of it for ever; its end fades over into its beginning.',
      group: 'Loop',
      touches: 'picture',
      still: true,
    }),
    loopFrom: number(-100000, 100000, 0, {
      label: 'From',
      unit: 'fr',
      span: [0, 120],
      step: 1,
      hint: 'First frame of the stretch, counted from the run’s first.',
      group: 'Loop',
      touches: 'picture',
      when: { loop: [true] },
      still: true,
    }),
    loopLength: number(2, 100000, 48, {
      label: 'Length',
      unit: 'fr',
      span: [12, 240],
      step: 1,
      hint: 'Frames until it is where it began.',
      group: 'Loop',
      touches: 'picture',
      when: { loop: [true] },
      still: true,
    }),
    loopBlend: number(0, 1000, 12, {
      label: 'Fade over',
      unit: 'fr',
      span: [0, 48],
      step: 1,
      hint: 'Frames in which its end becomes its beginning.',
      group: 'Loop',
      touches: 'picture',
      when: { loop: [true] },
      still: true,
    }),
    motion,
    follows,
  })
  .strict()

export type GasItem = z.infer<typeof gasSchema>
export type SourceItem = z.infer<typeof sourceSchema>
export type ForceItem = z.infer<typeof forceSchema>
export type ReuseItem = z.infer<typeof reuseSchema>
/** What a gas and a source item have in common. */
export type SourceSettings = Pick<GasItem, keyof typeof sourceFields>

/** Schemas of the kinds of item that this effect has. */
export const GAS_SCHEMAS = { gas: gasSchema, source: sourceSchema, force: forceSchema, reuse: reuseSchema } as const
export const GAS_SETTINGS = {
  gas: settingsOf(gasSchema),
  source: settingsOf(sourceSchema),
  force: settingsOf(forceSchema),
  reuse: settingsOf(reuseSchema),
  taken: settingsOf(takenSchema),
} as const

export const isGas = (item: Item | undefined): item is GasItem => item?.kind === 'gas'
export const isSource = (item: Item | undefined): item is SourceItem => item?.kind === 'source'
export const isForce = (item: Item | undefined): item is ForceItem => item?.kind === 'force'
export const isReuse = (item: Item | undefined): item is ReuseItem => item?.kind === 'reuse'
