import type { ItemDocument } from '../../settings/index.ts'
import type { PlacingTool, Preset, PresetPlace } from '../effect.ts'
import { type ParticlesItem, particlesSchema } from './schema.ts'

/** Particles to start from: only settings, in real sizes. */
interface ParticlePreset {
  id: string
  name: string
  hint: string
  tool: PlacingTool
  /** Whether they come from the fire that is near where it is placed. */
  fire?: boolean
  /** Whether it comes off what breaks, where something does. */
  breaks?: boolean
  /** m above its place at which the source stands. */
  above?: number
  settings: Partial<ParticlesItem>
}

/** Sizes and weights: burning bits of wood 0.5 to 2 mm of charcoal (300 kg/m^3), ash flakes 3 to 10 mm, snow 3 mm, motes 0.03 mm. */
const ALL: readonly ParticlePreset[] = [
  {
    id: 'sparks',
    name: 'Sparks',
    hint: 'Glowing bits that start in a fire’s hot gas and ride it; click the fire, or a place.',
    tool: 'place',
    fire: true,
    settings: {
      rate: 120,
      speed: 1,
      speedSpread: 60,
      cone: 40,
      life: 2.2,
      lifeSpread: 50,
      hot: 1250,
      cools: 25,
      size: 2.4,
      sizeSpread: 45,
      density: 300,
      restitution: 30,
      friction: 35,
      lays: 'add',
      glow: 12,
      fades: 15,
      diameter: 0.5,
    },
  },
  {
    id: 'spits',
    name: 'Spits',
    hint: 'A fire that cracks: a burst of sparks every half second.',
    tool: 'place',
    fire: true,
    settings: {
      emits: 'in bursts',
      number: 45,
      every: 0.55,
      lasts: 0.06,
      speed: 6,
      speedSpread: 45,
      cone: 55,
      life: 1.1,
      lifeSpread: 40,
      hot: 1300,
      cools: 40,
      size: 2,
      sizeSpread: 40,
      density: 350,
      restitution: 35,
      friction: 40,
      lays: 'add',
      glow: 12,
      diameter: 0.2,
    },
  },
  {
    id: 'embers',
    name: 'Embers',
    hint: 'Light, slow, red bits that a fire carries up.',
    tool: 'place',
    fire: true,
    settings: {
      rate: 40,
      speed: 0.3,
      cone: 60,
      life: 6,
      lifeSpread: 40,
      hot: 950,
      cools: 0,
      form: 'flake',
      size: 4,
      sizeSpread: 40,
      density: 80,
      flutter: 0.35,
      restitution: 5,
      friction: 90,
      lays: 'add',
      glow: 8,
      diameter: 0.6,
    },
  },
  {
    id: 'ash',
    name: 'Ash',
    hint: 'Grey flakes that sink from above and stay where they land.',
    tool: 'place',
    above: 4,
    settings: {
      source: 'box',
      diameter: 10,
      tall: 2,
      rate: 60,
      speed: 0,
      life: 30,
      lifeSpread: 20,
      runUp: 200,
      form: 'flake',
      size: 6,
      sizeSpread: 50,
      density: 60,
      flutter: 0.4,
      meets: 'stick',
      colour: [0.3, 0.29, 0.28],
      fades: 10,
      afterglow: 0,
    },
  },
  {
    id: 'rain',
    name: 'Rain',
    hint: 'Falls everywhere the camera sees, as hard as it says; click anywhere.',
    tool: 'place',
    settings: {
      way: 'rain',
      intensity: 20,
      least: 1.6,
      near: 0.8,
      far: 16,
      lays: 'add',
      brightness: 6,
      refracts: 50,
      colour: [0.9, 0.95, 1],
    },
  },
  {
    id: 'snow',
    name: 'Snow',
    hint: 'Falls everywhere the camera sees; click anywhere.',
    tool: 'place',
    settings: {
      way: 'snow',
      intensity: 1.5,
      least: 0.6,
      near: 0.6,
      far: 14,
      flutter: 0.35,
      colour: [0.95, 0.97, 1],
      brightness: 1,
    },
  },
  {
    id: 'settling-snow',
    name: 'Snow that settles',
    hint: 'Flakes from above a place that stay where they land and melt.',
    tool: 'place',
    above: 4,
    settings: {
      source: 'box',
      diameter: 8,
      tall: 3,
      rate: 250,
      speed: 0,
      life: 40,
      lifeSpread: 10,
      runUp: 120,
      form: 'flake',
      size: 5,
      sizeSpread: 35,
      density: 60,
      flutter: 0.3,
      meets: 'stick',
      melts: 8,
      colour: [0.95, 0.97, 1],
      brightness: 0.8,
    },
  },
  {
    id: 'motes',
    name: 'Motes',
    hint: 'Dust that hangs in the light of a doorway.',
    tool: 'place',
    above: 1.2,
    settings: {
      source: 'box',
      diameter: 2,
      tall: 2,
      rate: 60,
      speed: 0.02,
      cone: 180,
      life: 12,
      lifeSpread: 30,
      runUp: 240,
      form: 'flake',
      size: 0.4,
      sizeSpread: 40,
      density: 20,
      flutter: 0.12,
      gravity: 0.4,
      meets: 'pass',
      lays: 'add',
      colour: [1, 0.95, 0.85],
      brightness: 40,
    },
  },
  {
    id: 'paper',
    name: 'Paper',
    hint: 'Scraps that tumble down and slide.',
    tool: 'place',
    above: 3,
    settings: {
      source: 'box',
      diameter: 2,
      tall: 1,
      emits: 'once',
      number: 60,
      lasts: 1,
      speed: 0.5,
      cone: 180,
      life: 30,
      form: 'flake',
      bends: 60,
      size: 45,
      sizeSpread: 20,
      density: 80,
      flutter: 1.1,
      restitution: 5,
      friction: 60,
      colour: [0.85, 0.82, 0.75],
      brightness: 0.7,
    },
  },
  {
    id: 'rubble',
    name: 'Rubble',
    hint: 'Chips that come off where something breaks and hits; with nothing that breaks, from where you click.',
    tool: 'place',
    breaks: true,
    settings: {
      source: 'disc',
      emits: 'once',
      number: 200,
      rate: 250,
      speed: 1.4,
      speedSpread: 70,
      cone: 180,
      inherits: 70,
      life: 60,
      lifeSpread: 0,
      size: 22,
      sizeSpread: 60,
      density: 1900,
      restitution: 18,
      friction: 60,
      bits: 'mixed',
      colour: [0.2, 0.085, 0.05],
      fades: 0,
    },
  },
  {
    id: 'thrown',
    name: 'Thrown out',
    hint: 'What a crater throws out as it opens, as much as it lost; click near it.',
    tool: 'place',
    settings: {
      source: 'crater',
      emits: 'once',
      speed: 0,
      life: 120,
      lifeSpread: 0,
      size: 22,
      sizeSpread: 70,
      density: 1700,
      restitution: 12,
      friction: 80,
      bits: 'mixed',
      colour: [0.1, 0.065, 0.042],
      fades: 0,
    },
  },
  {
    id: 'crumbs',
    name: 'Crumbs, grit',
    hint: 'Grains that rain down from where something breaks; with nothing that breaks, from where you click.',
    tool: 'place',
    breaks: true,
    settings: {
      source: 'disc',
      emits: 'once',
      number: 1500,
      rate: 4000,
      speed: 1.2,
      speedSpread: 80,
      cone: 180,
      inherits: 60,
      life: 20,
      size: 4,
      sizeSpread: 60,
      density: 1900,
      restitution: 15,
      friction: 60,
      colour: [0.3, 0.17, 0.11],
      brightness: 0.5,
      fades: 10,
    },
  },
]

/** A fire whose source is within so many m is the one that was clicked. */
const NEAR_FIRE = 1.8

/** The gas nearest to a place, if it is near enough to be meant. */
function fireNear({ items }: ItemDocument, [x, y, z]: readonly [number, number, number]): string | undefined {
  const near = Object.entries(items).flatMap(([id, item]) => {
    const at = 'position' in item && item.kind === 'gas' ? (item.position as [number, number, number]) : undefined
    const away = at ? Math.sqrt((at[0] - x) ** 2 + ((at[1] - y) * 0.5) ** 2 + (at[2] - z) ** 2) : Infinity
    return away < NEAR_FIRE ? [{ id, away }] : []
  })
  return near.sort((a, b) => a.away - b.away)[0]?.id
}

/** The newest item of a kind; empty where there is none. */
const newestOf = ({ items }: ItemDocument, kind: string): string =>
  Object.entries(items).findLast(([, one]) => one.kind === kind)?.[0] ?? ''

function placePreset(
  document: ItemDocument,
  preset: ParticlePreset,
  id: string,
  at: PresetPlace,
): Record<string, unknown> {
  const others = Object.values(document.items)
  const count = others.filter(({ name }) => name === preset.name || name.startsWith(`${preset.name} `)).length
  const fire = preset.fire ? fireNear(document, at.position) : undefined
  const broken = preset.breaks ? newestOf(document, 'breaking') : ''
  const [x, y, z] = at.position
  const item = particlesSchema.parse({
    kind: 'particles',
    name: count > 0 ? `${preset.name} ${count + 1}` : preset.name,
    order: Math.max(0, ...others.map(({ order }) => order)) + 1,
    ...preset.settings,
    position: [x, y + (preset.above ?? 0), z],
    ...(fire ? { source: 'gas', gas: fire } : {}),
    ...(preset.settings.source === 'crater' ? { crater: newestOf(document, 'crater') } : {}),
    ...(broken ? { source: 'break', breaks: broken, emits: 'all along' } : {}),
    // What happens once begins on the frame that is shown.
    ...(preset.settings.emits === 'once' && !broken ? { begins: Math.max(0, at.frame - document.plate.first) } : {}),
  })
  return { items: { [id]: item } }
}

export const PARTICLE_PRESETS: readonly Preset[] = ALL.map((preset) => ({
  id: preset.id,
  name: preset.name,
  hint: preset.hint,
  tool: preset.tool,
  place: (document, id, at) => placePreset(document, preset, id, at),
}))
