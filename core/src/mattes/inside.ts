import { shapesInOrder } from './draw.ts'
import { insideRing, type Place, pointsAt, ringOf } from './outline.ts'
import type { MatteItem } from './schema.ts'

/** Whether places lie inside a matte at a frame: its shapes added, taken away and intersected in order, edges sharp. */
export function insideOf(item: MatteItem, frame: number): (place: Place) => boolean {
  const shapes = shapesInOrder(item).flatMap(([, shape]) =>
    shape.shown ? [{ way: shape.way, inverted: shape.inverted, ring: ringOf(pointsAt(shape, frame)) }] : [],
  )
  const [first] = shapes
  return (place) => {
    let inside = first !== undefined && (first.way === 'subtract' || first.way === 'intersect')
    for (const { way, inverted, ring } of shapes) {
      const own = insideRing(ring, place) !== inverted
      if (way === 'add') inside ||= own
      else if (way === 'difference') inside = inside !== own
      else inside &&= way === 'subtract' ? !own : own
    }
    return inside !== item.inverted
  }
}
