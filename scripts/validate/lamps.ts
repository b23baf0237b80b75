import type { Crew } from '../../core/src/base/index.ts'
import { dot, normalise, subtract, type Vec3 } from '../../core/src/math/index.ts'
import type { Lamp } from '../../core/src/picture/index.ts'
import { ground, lookingDown, NOON, render, valueAt } from '../../core/testing/frames.ts'
import { type Row, within } from './row.ts'

const DARK = { ...NOON, sunColour: [0, 0, 0], skyColour: [0, 0, 0] } as const

/** A small area light over level ground, against the inverse square and both cosines. */
export function lampRows(crew: Crew): Row[] {
  const camera = lookingDown(90, [0, 6, 0], 96, 192)
  return (
    [
      [
        [0, 1, 0],
        [0, -1, 0],
      ],
      [
        [0, 4, 0],
        [0, -1, 0],
      ],
      [
        [1, 1.5, 0],
        [0, -1, 0],
      ],
      [
        [0.8, 1.2, 0.5],
        [-0.6, -0.8, 0],
      ],
    ] as const
  ).map(([at, axis]) => {
    const across: Vec3 = normalise([axis[1], -axis[0], 0])
    const lamp: Lamp = {
      kind: 'lamp',
      shape: 'rectangle',
      at,
      radius: 0,
      intensity: [Math.PI, Math.PI, Math.PI],
      across: [across[0] * 0.02, across[1] * 0.02, 0],
      upward: [0, 0, 0.02],
      axis,
      onSet: true,
    }
    const picture = render(crew, { lamp: [lamp] }, { camera, light: DARK, pieces: [ground()] })
    const place: Vec3 = [(0.5 / 192) * 6, 0, (0.5 / 192) * 6]
    const away = subtract(place, at)
    const r2 = dot(away, away)
    const towards = normalise(away)
    const expected = (-towards[1] * dot(towards, axis)) / r2
    return within(
      `solids, small area light at ${at.join(', ')} m facing ${axis.join(', ')}, on level ground`,
      'inverse square and both cosines',
      expected,
      valueAt(picture, 'lamp', 'light', 48, 48, 1),
      0.01,
    )
  })
}
