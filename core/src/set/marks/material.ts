import { canonicalJson, textKey } from '../../base/index.ts'
import { type Material, type Mesh, PLAIN } from '../../data/index.ts'
import type { ThingItem } from '../schema.ts'
import type { MarkLook } from './look.ts'
import { type Stamped, stampOn } from './stamp.ts'
import { markTexture } from './texture.ts'

// Marks as thin see-through surfaces just over what they lie on.

const stamps = new Map<string, Stamped[]>()
const MOST_STAMPS = 40

/** The parts of a mark on what it lies on, and a key of all that decides them. */
export function stampedBy(
  look: MarkLook,
  meshOfThing?: (thing: ThingItem) => Mesh | undefined,
): { key: string; stamped: readonly Stamped[] } {
  // The lighter form of a mesh makes another stamp, and one that has not come yet.
  const there = look.stamp.things.map(([, thing]) => meshOfThing?.(thing)?.indices.length ?? 0)
  const key = textKey(canonicalJson([look.stamp, there]))
  const stamped = stamps.get(key) ?? stampOn(look.stamp, meshOfThing)
  stamps.set(key, stamped)
  for (const oldest of stamps.keys()) if (stamps.size > MOST_STAMPS) stamps.delete(oldest)
  return { key, stamped }
}

/** What a mark is made of. What multiplies is black, as see-through as what is left of the plate; what lies over has its own colour. */
export function markMaterial(look: MarkLook): Material {
  const { stamp: _, on: __, ...own } = look
  const texture = markTexture(look, textKey(canonicalJson(own)))
  const [r, g, b] = look.laid === 'multiply' && look.picture ? [0, 0, 0] : look.picture ? [1, 1, 1] : look.colour
  return {
    ...PLAIN,
    base: [r, g, b, 1],
    baseMap: texture,
    roughness: Math.max(0.08, 1 - 0.9 * look.gloss),
    alpha: 'blend',
  }
}
