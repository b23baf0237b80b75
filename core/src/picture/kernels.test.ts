import { describe, expect, it } from 'vitest'
import { piece } from '../../testing/frames.ts'
import { makeCrew } from '../base/index.ts'
import {
  boxMesh,
  type Camera,
  distort,
  type GasFrame,
  pixelRay,
  planeMesh,
  projectPoint,
  TILE,
  toHalf,
} from '../data/index.ts'
import { GLOW_FROM, GLOW_STEP, glowTable } from '../light/index.ts'
import { normalise, panTiltRoll, type Vec3 } from '../math/index.ts'
import {
  FINAL,
  type FlatPicture,
  type GasVolume,
  LOOK,
  lightFactor,
  type PictureEmitter,
  renderFlat,
  type ScenePiece,
  uploadGasFrame,
} from './index.ts'

const light = {
  sunDirection: normalise([0.3, 1, 0.2]),
  sunShare: 0.4,
  sunColour: [1, 1, 1],
  skyColour: [1, 1, 1],
} as const
const EXTINCTION = 1000

/** One tile of gas whose low corner lies at `origin` cells; density by cell. */
function puff(
  origin: readonly [number, number, number],
  density: (i: number, j: number, k: number) => number,
  over: Partial<GasVolume> = {},
): GasVolume {
  const channels = Array.from({ length: 6 }, () => new Uint16Array(TILE ** 3))
  for (let n = 0; n < TILE ** 3; n++) {
    const soot = channels[0]
    if (soot)
      soot[n] = toHalf((density(n % TILE, Math.floor(n / TILE) % TILE, Math.floor(n / TILE ** 2)) / EXTINCTION) * 1000)
  }
  const frame: GasFrame = {
    box: { cell: 0.1, origin, size: [TILE, TILE, TILE] },
    ambient: 290,
    tiles: Int32Array.of(0),
    channels,
  }
  return {
    kind: 'gas',
    frames: [{ frame, weight: 1, ahead: 0 }],
    emitters: [],
    glow: { from: GLOW_FROM, step: GLOW_STEP, table: glowTable(100, 1) },
    albedo: 0.5,
    forward: 0,
    extinctionPerSoot: EXTINCTION,
    ...over,
  }
}
function render(
  camera: Camera,
  pieces: readonly ScenePiece[],
  gases: readonly GasVolume[],
  quality = FINAL,
): FlatPicture {
  const crew = makeCrew(1)
  return renderFlat(crew, { pieces, camera, drawables: gases, light, quality })
}

describe('rays', () => {
  it('bend with the lens as the camera’s own projection says', () => {
    const camera: Camera = {
      position: [0.5, 1.6, 3],
      rotation: panTiltRoll(0.2, -0.15, 0.03),
      focalPx: 60,
      centre: [41, 23],
      k1: -0.2,
      k2: 0.05,
      width: 80,
      height: 48,
    }
    const { depth } = render(camera, [piece(planeMesh([0, 0, 0], 40, 40, [0, 0, 0, 1]))], [])
    for (const [x, y] of [
      [2, 45],
      [40, 30],
      [77, 40],
      [20, 47],
    ] as const) {
      const ray = pixelRay(camera, x + 0.5, y + 0.5)
      const expected = -ray.from[1] / ray.along[1]
      expect(depth.data[y * 80 + x]).toBeCloseTo(expected, 2)
      const seen = projectPoint(camera, [
        ray.from[0] + ray.along[0] * expected,
        0,
        ray.from[2] + ray.along[2] * expected,
      ])
      expect(seen?.x).toBeCloseTo(x + 0.5, 3)
      expect(seen?.y).toBeCloseTo(y + 0.5, 3)
    }
    expect(distort(camera, 0, 0)).toEqual([0, 0])
  })
})

describe('the coarse light grid', () => {
  it('holds the mean extinction of its cells', () => {
    const crew = makeCrew(1)
    const gas = puff([0, 0, 0], (i, j, k) => i + 2 * j + 3 * k)
    const { block, coarse } = uploadGasFrame(crew, gas.frames[0]?.frame as GasFrame, { extinctionPerSoot: EXTINCTION })
    const words = crew.heap.i32(block, 20)
    const [cx, cy, cz] = coarse
    const cells = crew.heap.f32((words[17] ?? 0) >>> 0, (cx + 2) * (cy + 2) * (cz + 2))
    for (let k = 0; k < cz; k++)
      for (let j = 0; j < cy; j++)
        for (let i = 0; i < cx; i++) {
          const middle = (n: number): number => n * 4 + 1.5
          expect(cells[((k + 1) * (cy + 2) + j + 1) * (cx + 2) + i + 1]).toBeCloseTo(
            middle(i) + 2 * middle(j) + 3 * middle(k),
            1,
          )
        }
  })
})

describe('the light grid', () => {
  it('is as fine as its work may be, and coarser for many lights', () => {
    expect(lightFactor([64, 64, 64], 0, 12e6)).toBe(1)
    expect(lightFactor([80, 88, 80], 64, 12e6)).toBe(2)
    expect(lightFactor([200, 200, 200], 64, 12e6)).toBe(4)
  })
})

const front: Camera = {
  position: [0, 0, 6],
  rotation: [0, 0, 0, 1],
  focalPx: 40,
  centre: [16, 16],
  k1: 0,
  k2: 0,
  width: 32,
  height: 32,
}
const middle = 16 * 32 + 16

describe('several gases', () => {
  it('cover one another by distance: what is behind is dimmed by what is before, whatever their order in the roster', () => {
    const [near, far] = [puff([-4, -4, 10], () => 2), puff([-4, -4, -14], () => 3)]
    const alone = [near, far].map((gas) => render(front, [], [gas]).smoke.data[middle * 4 + 3] ?? 0) as [number, number]
    const both = render(front, [], [near, far])
    expect(both.smoke.data[middle * 4 + 3]).toBeCloseTo(1 - (1 - alone[0]) * (1 - alone[1]), 2)
    const turned = render(front, [], [far, near])
    both.smoke.data.forEach((value, n) => expect(turned.smoke.data[n]).toBeCloseTo(value, 5))
  })
  it('light a surface together: their shares add', () => {
    const lamp = (x: number): PictureEmitter => ({ at: [x, 1, 0], intensity: [4, 2, 1], radius: 0.01 })
    const ground = piece(planeMesh([0, -1, 0], 20, 20, [0, 0, 0, 1]))
    const clear = (x: number): GasVolume => puff([40, 40, 40], () => 0, { emitters: [lamp(x)] })
    const [a, b, both] = [
      render(front, [ground], [clear(-1)]),
      render(front, [ground], [clear(1)]),
      render(front, [ground], [clear(-1), clear(1)]),
    ]
    for (let n = 0; n < both.light.data.length; n += 5)
      expect(both.light.data[n]).toBeCloseTo((a.light.data[n] ?? 0) + (b.light.data[n] ?? 0), 5)
    expect(Math.max(...both.light.data)).toBeGreaterThan(0)
  })
})

describe('shadow on the set', () => {
  const ground = piece(planeMesh([0, -1, 0], 20, 20, [0, 0, 0, 1]))
  it('falls below the smoke, no darker than its cover, and nowhere far off', () => {
    const { shadow } = render(front, [ground], [puff([-4, -4, -4], () => 6)])
    expect(Math.min(...shadow.data)).toBeLessThan(0.85)
    expect(Math.min(...shadow.data)).toBeGreaterThan(0)
    expect(shadow.data[0]).toBe(1)
  })
  it('stays off pieces that do not receive', () => {
    const { shadow } = render(front, [{ ...ground, receives: false }], [puff([-4, -4, -4], () => 6)])
    expect(Math.min(...shadow.data)).toBe(1)
  })
})

describe('qualities', () => {
  it('agree on the whole: a look is the final’s picture, coarser', () => {
    const gas = puff([-4, -4, -4], (i, j) => 1 + 0.3 * i + 0.2 * j)
    const box = piece(boxMesh([0.3, 0, -1], [0.2, 0.2, 0.2], [0, 0, 0, 1]))
    const mean = (passes: FlatPicture): number =>
      passes.smoke.data.filter((_, n) => n % 4 === 3).reduce((sum, v) => sum + v, 0)
    const near = { ...front, focalPx: 150 }
    expect(mean(render(near, [box], [gas], LOOK)) / mean(render(near, [box], [gas], FINAL))).toBeCloseTo(1, 1)
  })
  it('leave the crew’s heap as it was', () => {
    const crew = makeCrew(1)
    const pieces = [piece(boxMesh([0, 0, 0], [1, 1, 1], [0, 0, 0, 1]))]
    const used = crew.heap.used()
    renderFlat(crew, {
      pieces,
      camera: front,
      drawables: [puff([-4, -4, 10], () => 1)],
      light: light,
      quality: LOOK,
    })
    expect(crew.heap.used()).toBe(used)
  })
  it('see nothing but sky from inside an empty shot', () => {
    const up: Vec3 = [0, 50, 0]
    const passes = render({ ...front, position: up }, [], [])
    expect(Math.max(...passes.depth.data)).toBe(0)
  })
})
