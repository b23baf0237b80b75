import type { Crew } from '../../core/src/base/index.ts'
import { type Camera, type FloatImage, makeImage } from '../../core/src/data/index.ts'
import { panTiltRoll } from '../../core/src/math/index.ts'
import { FINAL } from '../../core/src/picture/index.ts'
import { checkFrame, plateSun, sunToward } from '../../core/src/pipeline/index.ts'
import { makeShot } from '../../core/src/shot/index.ts'
import { BARE_LAYER, BARE_STACK, type CheckLine, type LineName, plateSpreads } from '../../core/src/sit/index.ts'
import { ball, ground, render, thing } from '../../core/testing/frames.ts'
import type { Row } from './row.ts'

// A ball that is lit from elsewhere than the plate, and shadows of another density: what the check says of them.

const camera: Camera = {
  position: [0, 1.5, 4],
  rotation: panTiltRoll(0, -0.17, 0),
  focalPx: 620,
  centre: [320, 180],
  k1: 0,
  k2: 0,
  width: 640,
  height: 360,
}
const SUN = { from: 300, height: 42, share: 0.55 }
const PLATE = {
  ...{ asset: 'a', file: 'f', width: camera.width, height: camera.height, first: 1, last: 1 },
  rate: [24, 1] as [number, number],
  encoding: 'linear' as const,
}
const LAW = { floor: [1e-6, 1e-6, 1e-6], slope: [5e-5, 5e-5, 5e-5], spread: 0.1 } as const

/** What the check says of a ball that is lit by a sun turned by so many degrees, with so much of its shadow laid. */
function said(crew: Crew, turned: number, raised: number, shadow: number): readonly CheckLine[] {
  const lit = sunToward({ sunFrom: SUN.from + turned, sunHeight: SUN.height + raised })
  const picture = render(
    crew,
    {
      ball: [
        thing(
          ball(0.5),
          { opening: { rotation: [0, 0, 0, 1], place: [0, 0.5, 0], scale: 1 } },
          { base: [0.4, 0.4, 0.4, 1], roughness: 1 },
        ),
      ],
    },
    {
      camera,
      light: {
        sunDirection: lit,
        sunShare: SUN.share,
        sunColour: [1.1, 1, 0.9],
        skyColour: [0.92, 1, 1.12],
        sky: 'model',
      },
      pieces: [ground()],
      quality: FINAL,
    },
  )
  const plate: FloatImage = makeImage(camera.width, camera.height, 3)
  plate.data.forEach((_, n) => (plate.data[n] = 0.2 + 0.05 * Math.sin(n / 97)))
  const grain = { floor: [...LAW.floor], slope: [...LAW.slope], spread: LAW.spread } as never
  const lay = { of: 'ball', how: { ...BARE_LAYER, shadow } }
  const check = checkFrame(crew, {
    plate,
    picture,
    settings: { ...BARE_STACK, grain, lays: [lay], sunColour: [1.1, 1, 0.9], skyColour: [0.92, 1, 1.12] },
    names: [{ id: 'ball', of: 'ball', name: 'Ball' }],
    fullWidth: camera.width,
    frame: 1,
    spreads: plateSpreads(plate, grain),
    sun: plateSun({
      ...makeShot('sun', PLATE).light,
      sunFrom: SUN.from,
      sunHeight: SUN.height,
      sunShare: SUN.share,
      sunColour: [1.1, 1, 0.9],
      skyColour: [0.92, 1, 1.12],
    }),
  })
  return check.layers[0]?.lines ?? []
}

const row = (
  name: string,
  expected: number,
  lines: readonly CheckLine[],
  line: LineName,
  most: number,
  unit: string,
): Row => {
  const measured = lines.find((one) => one.name === line)?.difference ?? Number.NaN
  return {
    case: `sit, a rendered ball ${name}: said (${line}, ${unit})`,
    reference: 'what was done',
    expected,
    measured,
    tolerance: `within ${most}`,
    pass: Math.abs(measured - expected) <= most,
  }
}

/** Degrees between the sun and one turned and raised so. */
function between(turned: number, raised: number): number {
  const a = sunToward({ sunFrom: SUN.from, sunHeight: SUN.height })
  const b = sunToward({ sunFrom: SUN.from + turned, sunHeight: SUN.height + raised })
  return (Math.acos(Math.min(1, a[0] * b[0] + a[1] * b[1] + a[2] * b[2])) * 180) / Math.PI
}

export function lightRows(crew: Crew): Row[] {
  const right = said(crew, 0, 0, 1)
  const round = 10.8
  return [
    row('lit as the plate', 0, right, 'light', 3, 'degrees'),
    row('lit from 8 degrees to the side', between(round, 0), said(crew, round, 0, 1), 'light', 3, 'degrees'),
    row('lit from 8 degrees higher', between(0, 8), said(crew, 0, 8, 1), 'light', 3, 'degrees'),
    row('with the plate’s shadow', 0, right, 'shadow', 5, '%'),
    row('with a shadow 20 % thinner', -20, said(crew, 0, 0, 0.8), 'shadow', 5, '%'),
    row('with a shadow 20 % denser', 20, said(crew, 0, 0, 1.2), 'shadow', 5, '%'),
  ]
}
