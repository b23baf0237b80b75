import { type Homography, inverseHomography, throughHomography } from '../math/index.ts'
import type { Place } from './outline.ts'
import type { MattePoint } from './schema.ts'

// Shapes that go with something: their points through the homography that takes the picture of the frame on which they were drawn to another frame's.

/** Length by which a homography scales small things at a place. */
function scaleAt(h: Homography, [x, y]: Place): number {
  const [a, b, c] = [throughHomography(h, x, y), throughHomography(h, x + 1, y), throughHomography(h, x, y + 1)]
  return Math.sqrt(Math.abs((b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])))
}

/** Points where a homography takes them, with their handles and soft edges. */
export const movedPoints = (points: readonly MattePoint[], h: Homography): MattePoint[] =>
  points.map(({ at, before, after, soft }) => {
    const there = throughHomography(h, ...at)
    const handle = ([x, y]: Place): [number, number] => {
      if (x === 0 && y === 0) return [0, 0]
      const end = throughHomography(h, at[0] + x, at[1] + y)
      return [end[0] - there[0], end[1] - there[1]]
    }
    return { at: there, before: handle(before), after: handle(after), soft: soft === 0 ? 0 : soft * scaleAt(h, at) }
  })

/** The same back: where points of that frame were drawn. */
export const movedBack = (points: readonly MattePoint[], h: Homography): MattePoint[] =>
  movedPoints(points, inverseHomography(h))
