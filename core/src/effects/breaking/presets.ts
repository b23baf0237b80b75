import { distanceTo } from '../../data/index.ts'
import { add, rotate, type Vec3 } from '../../math/index.ts'
import { isBox, isForm, isPiece, isThing, sizeOf, thingSize, turnOf } from '../../set/index.ts'
import type { ItemDocument } from '../../settings/index.ts'
import type { Preset, PresetPlace } from '../effect.ts'
import { aroundAt } from './body.ts'
import { type BreakingItem, breakingSchema } from './schema.ts'

/** Ways of breaking to start from: only settings, in real sizes. */
interface BreakingPreset {
  id: string
  name: string
  hint: string
  settings: Partial<BreakingItem>
}

const ALL: readonly BreakingPreset[] = [
  {
    id: 'masonry',
    name: 'Bricks',
    hint: 'A brick wall or arch that comes apart along its joints; click where it is struck.',
    settings: { insideIs: 'brick', pattern: 'bricks', density: 1900, strength: 60, roughness: 6, bounce: 8 },
  },
  {
    id: 'stone',
    name: 'Stone, concrete',
    hint: 'Lumps, finer where it is struck; click where it is struck.',
    settings: {
      insideIs: 'concrete',
      pattern: 'lumps',
      number: 180,
      density: 2300,
      strength: 800,
      roughness: 14,
      insideColour: [0.32, 0.3, 0.27],
    },
  },
  {
    id: 'timber',
    name: 'Timber',
    hint: 'Splinters along the grain; click where it is struck.',
    settings: {
      insideIs: 'wood',
      pattern: 'splinters',
      number: 120,
      density: 600,
      friction: 0.45,
      strength: 2000,
      bounce: 15,
      roughness: 4,
      insideColour: [0.42, 0.28, 0.15],
    },
  },
  {
    id: 'slab',
    name: 'Slab, tiles',
    hint: 'Flat pieces through the whole thickness; click where it is struck.',
    settings: {
      insideIs: 'brick',
      pattern: 'slabs',
      number: 120,
      density: 2200,
      strength: 300,
      roughness: 5,
      insideColour: [0.35, 0.24, 0.18],
    },
  },
  {
    id: 'iron',
    name: 'Cast iron',
    hint: 'Few sharp lumps that ring apart; holds much; click where it is struck.',
    settings: {
      insideIs: 'rust',
      pattern: 'lumps',
      number: 60,
      density: 7200,
      friction: 0.4,
      strength: 40_000,
      bounce: 25,
      roughness: 3,
      dust: 5,
      insideColour: [0.2, 0.17, 0.15],
    },
  },
  {
    id: 'pane',
    name: 'Pane',
    hint: 'Rings and rays about the strike; click where it is struck.',
    settings: {
      pattern: 'radial',
      number: 160,
      density: 2500,
      strength: 0,
      roughness: 0,
      bounce: 15,
      insideColour: [0.25, 0.35, 0.32],
    },
  },
]

/** Blur of its layer, px. */
const SOFTNESS = 0
/** Energy of a strike for each square metre that it covers, J. */
const ENERGY_PER_AREA = 3000

/** What is seen behind it: a hollow where it stands in something, its broken back else. */
function behindOf(document: ItemDocument, piece: string, frame: number): Partial<BreakingItem> {
  const item = document.items[piece]
  if (isThing(item)) return { held: 'foot' }
  if (!item || !isPiece(item)) return {}
  const [, tall, deep] = sizeOf(item)
  const turn = turnOf(item)
  const back: Vec3 = add(item.position, rotate(turn, [0, tall / 2, -deep / 2 - 0.05]))
  const inside = aroundAt(document, piece, frame).some((solid) => distanceTo(solid, back) < 0)
  return inside ? { behind: 'hollow', held: 'sides and foot' } : { behind: 'back', held: 'foot' }
}

function placed({ id, name, settings }: BreakingPreset, document: ItemDocument, made: string, at: PresetPlace) {
  const items = Object.values(document.items)
  const number = items.filter((item) => item.kind === 'breaking' && item.name.startsWith(name)).length + 1
  const piece = at.piece ? document.items[at.piece] : undefined
  const size = isThing(piece) ? thingSize(piece) : isBox(piece) || isForm(piece) ? sizeOf(piece) : [1, 1, 1]
  // Of its largest side the shorter edge.
  const across = [...size].sort((a, b) => a - b)[1] ?? 1
  const radius = Math.round(100 * Math.min(1.2, Math.max(0.15, 0.35 * across))) / 100
  const direction = at.normal ? at.normal.map((v) => Math.round(-100 * v) / 100) : [0, 0, -1]
  const item = breakingSchema.parse({
    ...settings,
    kind: 'breaking',
    name: number > 1 ? `${name} ${number}` : name,
    order: Math.max(0, ...items.map(({ order }) => order)) + 1,
    piece: at.piece ?? '',
    position: at.position,
    ...behindOf(document, at.piece ?? '', at.frame),
    strikes: {
      [`${id}-1`]: {
        name: 'Strike 1',
        frame: at.frame,
        at: at.position,
        direction,
        radius,
        energy: Math.round(ENERGY_PER_AREA * Math.PI * radius * radius * 0.3),
      },
    },
  })
  // What has the plate on it is as soft as the plate already.
  return { items: { [made]: item }, sit: { layers: { [made]: { softness: SOFTNESS } } } }
}

export const BREAKING_PRESETS: readonly Preset[] = ALL.map((preset) => ({
  id: preset.id,
  name: preset.name,
  hint: preset.hint,
  tool: 'piece',
  place: (document, made, at) => placed(preset, document, made, at),
}))
