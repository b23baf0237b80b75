import { clampToSetting, type ItemDocument, MOST_FOLLOWED } from '../../settings/index.ts'
import type { Preset, PresetPlace } from '../effect.ts'
import { type GasPresetSettings, SETTINGS_OF_PRESETS } from './presetSettings.ts'
import { forceSchema, GAS_SETTINGS, type GasItem, gasSchema, isGas } from './schema.ts'

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
/** What breaks, where something does: the newest. */
const breakIn = ({ items }: ItemDocument): string =>
  Object.entries(items).findLast(([, { kind }]) => kind === 'breaking')?.[0] ?? ''

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
    ...(kind.settings.shape === 'break' ? { breaks: breakIn(document) } : {}),
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
