import { clampToSetting, type ItemDocument, MOST_FOLLOWED } from '../../settings/index.ts'
import type { PlacingTool, Preset, PresetPlace } from '../effect.ts'
import { forceSchema, GAS_SETTINGS, type GasItem, gasSchema, isGas } from './schema.ts'

/** A gas to start from: only settings, in real sizes. */
export interface GasPresetSettings {
  id: string
  name: string
  hint: string
  tool: PlacingTool
  settings: Partial<GasItem>
  /** Frames for which it is let loose, from the shown one on; it comes and goes within them. */
  burst?: number
  /** What pushes its air outwards along the ground while it is let loose, m/s². */
  push?: number
}

/** Fire loads and sizes: Babrauskas, Heat Release Rates (SFPE Handbook); pool fires about 1 MW/m^2 from a metre on. */
const SETTINGS_OF_PRESETS: readonly GasPresetSettings[] = [
  {
    id: 'drum',
    name: 'Oil-drum fire',
    hint: 'Wood and oil in an open drum, 0.57 m across, 250 kW.',
    tool: 'place',
    settings: {
      shape: 'disc',
      diameter: 0.57,
      heat: 250,
      soot: 2.5,
      stir: 0.5,
      pattern: 'noise',
      patches: 85,
      patchSize: 0.2,
      cell: 32,
      reach: 2,
      rise: 4,
      runUp: 30,
    },
  },
  {
    id: 'pool',
    name: 'Pool fire',
    hint: 'Burning fuel on the ground, 1 m across, 1 MW a square metre.',
    tool: 'place',
    settings: {
      shape: 'disc',
      diameter: 1,
      heat: 1000,
      per: 'a square metre',
      soot: 2.2,
      stir: 0.45,
      pattern: 'noise',
      patches: 80,
      patchSize: 0.3,
      cell: 55,
      reach: 3,
      rise: 6,
      runUp: 36,
    },
  },
  {
    id: 'burst',
    name: 'Door burst',
    hint: 'Fuel thrown out of a doorway 0.9 m wide within half a second: a ball of fire that rolls up.',
    tool: 'place',
    burst: 12,
    settings: {
      shape: 'box',
      diameter: 0.9,
      tall: 1.9,
      deep: 0.4,
      heat: 9000,
      soot: 2.5,
      warmth: 300,
      speed: 9,
      aim: [0, 0.12, 1],
      stir: 2.5,
      burnTime: 0.3,
      cell: 70,
      reach: 5,
      rise: 7,
      runUp: 0,
    },
  },
  {
    id: 'ground',
    name: 'Ground fire',
    hint: 'A line of burning litter 0.4 m wide, 500 kW a square metre.',
    tool: 'line',
    settings: {
      shape: 'line',
      diameter: 0.4,
      heat: 500,
      per: 'a square metre',
      pattern: 'noise',
      patches: 70,
      patchSize: 0.35,
      soot: 1.5,
      stir: 0.4,
      cell: 55,
      reach: 2.5,
      rise: 3,
      runUp: 30,
    },
  },
  {
    id: 'wall',
    name: 'Burning wall',
    hint: 'Flames over patches of a set piece, 250 kW a square metre.',
    tool: 'piece',
    settings: {
      shape: 'piece',
      heat: 250,
      per: 'a square metre',
      pattern: 'noise',
      patches: 45,
      patchSize: 0.6,
      soot: 2,
      speed: 0.1,
      stir: 0.4,
      cell: 75,
      reach: 2,
      rise: 3,
      runUp: 36,
    },
  },
  {
    id: 'smoulder',
    name: 'Smouldering',
    hint: 'A heap that glows inside and only smokes, 0.7 m across.',
    tool: 'place',
    settings: {
      shape: 'disc',
      diameter: 0.7,
      heat: 0,
      smoke: 0.6,
      warmth: 95,
      speed: 0.15,
      stir: 0.3,
      albedo: 0.75,
      forward: 0.5,
      cell: 50,
      reach: 3,
      rise: 5,
      runUp: 48,
      wind: 0.4,
    },
  },
  {
    id: 'chimney',
    name: 'Chimney plume',
    hint: 'Smoke that leaves a flue 0.8 m across at 2.5 m/s into a light wind.',
    tool: 'place',
    settings: {
      shape: 'disc',
      diameter: 0.8,
      heat: 0,
      smoke: 7,
      warmth: 180,
      speed: 2.5,
      stir: 0.5,
      albedo: 0.45,
      cell: 90,
      reach: 8,
      rise: 8,
      runUp: 60,
      wind: 1.6,
      shear: 0.15,
      gust: 30,
    },
  },
  {
    id: 'skirt',
    name: 'Dust skirt',
    hint: 'What is thrown up round something heavy that lands, 1.6 m across, within a third of a second.',
    tool: 'place',
    burst: 8,
    push: 90,
    settings: {
      shape: 'disc',
      diameter: 1.6,
      heat: 0,
      smoke: 700,
      matter: 'dust',
      grain: 40,
      smokeColour: [1, 0.82, 0.64],
      warmth: 15,
      speed: 0.6,
      stir: 1.8,
      pattern: 'noise',
      patches: 45,
      patchSize: 0.3,
      albedo: 0.85,
      forward: 0.6,
      cell: 60,
      reach: 4,
      rise: 2.5,
      runUp: 0,
    },
  },
  {
    id: 'steam',
    name: 'Steam',
    hint: 'From wet, warm ground drawn on the plate: 1.5 g of drops a square metre and second.',
    tool: 'area',
    settings: {
      shape: 'area',
      heat: 0,
      smoke: 1.5,
      per: 'a square metre',
      matter: 'water',
      warmth: 45,
      speed: 0.15,
      stir: 0.35,
      fade: 2.5,
      albedo: 0.98,
      forward: 0.7,
      pattern: 'noise',
      patches: 60,
      patchSize: 0.5,
      cell: 75,
      reach: 2,
      rise: 2.5,
      runUp: 48,
      wind: 0.3,
    },
  },
  {
    id: 'mist',
    name: 'Ground mist',
    hint: 'Cold air full of drops that lies and creeps, 6 m across, knee high.',
    tool: 'place',
    settings: {
      shape: 'box',
      diameter: 6,
      tall: 0.5,
      deep: 6,
      heat: 0,
      smoke: 4,
      matter: 'water',
      warmth: 9,
      speed: 0,
      stir: 0.25,
      fade: 20,
      albedo: 0.98,
      forward: 0.6,
      cell: 110,
      reach: 6,
      rise: 1.5,
      runUp: 72,
      wind: 0.2,
    },
  },
]

/** How settings of a source go with its size: lengths with it, speeds and times with its root (Froude's law), amounts with its ground. */
const GOES_WITH = {
  tall: 1,
  deep: 1,
  patchSize: 1,
  stirSize: 1,
  cell: 1,
  reach: 1,
  rise: 1,
  speed: 0.5,
  stir: 0.5,
  burnTime: 0.5,
} as const satisfies Partial<Record<keyof GasItem, number>>

/**
 * The settings that change when a gas is made so large, m across: what it puts out of each square metre stays, lengths grow with it and speeds and times with the root of it, so that it looks its size.
 * Each is held within what it may be; one that follows a signal follows it by that much more. Motion, wind, what pushes it and the signals themselves stay.
 */
export function resized(item: GasItem, diameter: number): Partial<GasItem> {
  const put = (key: keyof GasItem, value: number): number =>
    Number(
      clampToSetting(
        value,
        GAS_SETTINGS.gas.find((setting) => setting.key === key),
      ).toPrecision(4),
    )
  const most = (value: number): number => Math.max(-MOST_FOLLOWED, Math.min(MOST_FOLLOWED, value))
  const across = put('diameter', diameter)
  const by = across / item.diameter
  const powers: Partial<Record<keyof GasItem, 1 | 0.5 | 2>> = {
    ...GOES_WITH,
    ...(item.per === 'in all' ? { heat: 2, smoke: 2 } : {}),
  }
  const change: Partial<GasItem> & Record<string, unknown> = { diameter: across }
  const follows = { ...item.follows }
  for (const [key, power] of Object.entries(powers) as [keyof typeof GOES_WITH, 1 | 0.5 | 2][]) {
    const factor = power === 0.5 ? Math.sqrt(by) : power === 2 ? by * by : by
    change[key] = put(key, item[key] * factor)
    const followed = follows[key]
    if (followed)
      follows[key] = { ...followed, gain: most(followed.gain * factor), offset: most(followed.offset * factor) }
  }
  return Object.keys(follows).length > 0 ? { ...change, follows } : change
}

/** A merge patch that puts a preset into a shot where it was placed; `id` is the gas's. A burst brings the signal that lets it loose, and what it pushes the air with. */
function placePreset(
  document: ItemDocument,
  kind: GasPresetSettings,
  id: string,
  at: PresetPlace,
): Record<string, unknown> {
  const others = Object.values(document.items)
  const count = others.filter((item) => isGas(item) && item.name.startsWith(kind.name)).length
  const name = count > 0 ? `${kind.name} ${count + 1}` : kind.name
  const order = Math.max(0, ...others.map((item) => item.order)) + 1
  const signal = `${id.slice(0, 32)}-burst`
  const follow = (gain: number) => ({ signal, gain })
  const { heat = 0, smoke = 0, speed = 0 } = kind.settings
  const follows = kind.burst
    ? {
        follows: {
          ...(heat > 0 ? { heat: follow(heat) } : {}),
          ...(smoke > 0 ? { smoke: follow(smoke) } : {}),
          ...(speed > 0 ? { speed: follow(speed) } : {}),
        },
      }
    : {}
  const [x, y, z] = at.position
  // A box stands on its place; a disc lies on it.
  const position: [number, number, number] =
    kind.settings.shape === 'box' ? [x, y + (kind.settings.tall ?? kind.settings.diameter ?? 0) / 2, z] : [x, y, z]
  const gas = gasSchema.parse({
    kind: 'gas',
    name,
    order,
    ...kind.settings,
    position,
    ...(at.line ? { line: at.line } : {}),
    ...(at.piece ? { piece: at.piece } : {}),
    ...(at.drawn ? { drawn: at.drawn } : {}),
    ...follows,
  })
  const items: Record<string, unknown> = { [id]: gas }
  if (kind.push)
    items[`${id.slice(0, 32)}-push`] = forceSchema.parse({
      kind: 'force',
      name: `${name}, push`,
      order: order + 0.5,
      way: 'push',
      on: id,
      position: [x, y + 0.05, z],
      radius: 1.6,
      strength: 0,
      follows: { strength: follow(kind.push) },
    })
  if (!kind.burst) return { items }
  const keys = [
    [0, 0],
    [1, 1],
    [kind.burst * 0.5, 0.8],
    [kind.burst, 0],
  ] as const
  return {
    items,
    signals: {
      [signal]: {
        name: `${name}, let loose`,
        shown: true,
        source: {
          kind: 'keys',
          curve: 'smooth',
          keys: keys.map(([after, value]) => ({ frame: at.frame + Math.round(after), value })),
        },
      },
    },
  }
}

export const GAS_PRESETS: readonly (Preset & GasPresetSettings)[] = SETTINGS_OF_PRESETS.map((settings) => ({
  ...settings,
  place: (document, id, at) => placePreset(document, settings, id, at),
}))
