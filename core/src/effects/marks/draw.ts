import { canonicalJson, textKey } from '../../base/index.ts'
import { type Material, PLAIN } from '../../data/index.ts'
import type { Drawable } from '../../picture/index.ts'
import type { EffectInstance } from '../effect.ts'
import type { MarkLook } from './instances.ts'
import { type Stamped, stampOn } from './stamp.ts'
import { markTexture } from './texture.ts'

// Marks as the picture draws them: thin see-through surfaces just over what they lie on.

const stamps = new Map<string, Stamped[]>()
const MOST_STAMPS = 40

function stampedBy(look: MarkLook): { key: string; stamped: Stamped[] } {
  const key = textKey(canonicalJson(look.stamp))
  const stamped = stamps.get(key) ?? stampOn(look.stamp)
  stamps.set(key, stamped)
  for (const oldest of stamps.keys()) if (stamps.size > MOST_STAMPS) stamps.delete(oldest)
  return { key, stamped }
}

/** What the picture draws of a mark. What multiplies is black, as see-through as what is left of the plate; what lies over has its own colour. */
export function drawMark({ look }: EffectInstance<MarkLook>): Drawable[] {
  const { key, stamped } = stampedBy(look)
  const { stamp: _, on, ...own } = look
  const texture = markTexture(look, textKey(canonicalJson(own)))
  const [r, g, b] = look.laid === 'multiply' && look.picture ? [0, 0, 0] : look.picture ? [1, 1, 1] : look.colour
  const material: Material = {
    ...PLAIN,
    base: [r, g, b, 1],
    baseMap: texture,
    roughness: Math.max(0.08, 1 - 0.9 * look.gloss),
    alpha: 'blend',
  }
  return stamped.flatMap(({ item, mesh }): Drawable[] => {
    const place = on.find((one) => one.item === item)
    if (!place) return []
    const pose = { rotation: place.rotation, place: place.position, scale: 1 }
    return [
      {
        kind: 'thing',
        key: `mark/${key}/${item}`,
        mesh,
        materials: [material],
        opening: pose,
        closing: pose,
        throwsShadow: false,
      },
    ]
  })
}
