import type { Drawable } from '../../picture/index.ts'
import { type MarkLook, markMaterial, stampedBy } from '../../set/index.ts'
import type { DrawContext, EffectInstance } from '../effect.ts'

/** What the picture draws of a mark; on what broke it goes with the pieces, which draw it themselves. */
export function drawMark(
  { look }: EffectInstance<MarkLook>,
  _frames?: unknown,
  { taken, replaced }: Pick<DrawContext, 'taken' | 'replaced'> = {},
): Drawable[] {
  const { key, stamped } = stampedBy(look, taken)
  const material = markMaterial(look)
  return stamped.flatMap(({ item, mesh }): Drawable[] => {
    const place = look.on.find((one) => one.item === item)
    if (!place || replaced?.has(item)) return []
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
