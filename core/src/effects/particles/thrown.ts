import { LanternError } from '../../base/index.ts'
import { dugVolumes } from '../../data/index.ts'
import { exp, pow, type Vec3 } from '../../math/index.ts'
import type { ParticleSettings } from '../../particles/index.ts'
import { craterAt, dugOf, isCrater } from '../../set/index.ts'
import { frameRate, type ItemDocument, type SignalInputs } from '../../settings/index.ts'
import type { ParticlesItem } from './schema.ts'

// What a crater throws out: as much as it lost, less what its rim holds.

/** Bits at most; with more they are taken larger. */
const MOST_BITS = 60_000

/** The mean of e^(t n) for a normal deviate as particles have it (the sum of four dice). */
export function meanOfExp(t: number): number {
  const x = (t * Math.sqrt(3)) / 2
  const one = Math.abs(x) < 1e-6 ? 1 : (exp(x) - exp(-x)) / (2 * x)
  // Each die goes from -1/2 to 1/2, times the root of three.
  return one ** 4
}

/** Volume of a bit of the mean size and spread of its item, m^3. */
const meanVolume = ({ size, sizeSpread }: Pick<ParticlesItem, 'size' | 'sizeSpread'>): number =>
  (Math.PI / 6) * (size / 1000) ** 3 * meanOfExp(3 * (sizeSpread / 100))

/** How a crater throws: where, how many of what size, and from when on. Throws LanternError 'source' where it is gone. */
export function thrownOf(
  document: ItemDocument,
  item: ParticlesItem,
  inputs: SignalInputs = {},
): Pick<ParticleSettings, 'source' | 'births' | 'from' | 'to'> & { centre: Vec3; diameter: number; volume: number } {
  const crater = document.items[item.crater]
  if (!isCrater(crater))
    throw new LanternError(
      'source',
      `“${item.name}” is thrown out of a crater, and ${item.crater ? 'that is gone' : 'none is chosen'}.`,
      'Choose one, or another source.',
      { field: 'crater' },
    )
  const { first, last } = document.plate
  const rate = frameRate(document.plate)
  const opens = crater.opens === 0 ? first : crater.opens
  const whole = opens + Math.ceil(crater.grows)
  const now = craterAt(document, crater, whole, inputs)
  const dug = dugOf(now, whole)
  const { hole, heap } = dug ? dugVolumes(dug) : { hole: 0, heap: 0 }
  const volume = Math.max(0, hole - heap)
  const wanted = volume / meanVolume(item)
  const number = Math.max(0, Math.min(MOST_BITS, Math.round(wanted)))
  // Fewer than that are as much larger.
  const diameter = (item.size / 1000) * (number > 0 ? pow(wanted / number, 1 / 3) : 1)
  const depth = dug?.shape.kind === 'crater' ? dug.shape.depth : 0.1
  const from = (opens - first) / rate
  return {
    source: { kind: 'crater', radius: now.width / 2, depth },
    births: { way: 'once', number, every: 1, lasts: Math.max(1, crater.grows) / rate },
    from,
    to: (last + 1 - first) / rate,
    centre: now.position,
    diameter,
    volume,
  }
}
