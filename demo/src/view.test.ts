import { existsSync } from 'node:fs'
import { resolve } from 'node:path'
import type { Vec3 } from '@lantern/core/math'
import { describe, expect, it } from 'vitest'
import { yardCrew } from './crew.ts'
import { momentOf, PLATES, type PlateSpec, project } from './plates.ts'
import { type ChartSpec, newMesh, planar, skinOf } from './scene/builder.ts'
import { lightYard, uploadYard } from './scene/yardScene.ts'
import { drawMoments, newDrawing, newMoments, setMoment } from './view.ts'

// What the camera kernels draw must lie where the exact camera says: the plates' truth hangs on it.
const [W, H] = [320, 180]
const at: Vec3 = [1.7, 1.1, 2]
const small: ChartSpec = {
  name: 'target',
  columns: 16,
  rows: 16,
  texel: 0.01,
  step: 4,
  ...planar([at[0] - 0.08, at[1] + 0.08, at[2]], [1, 0, 0], [0, -1, 0]),
  height: new Float32Array(256),
  paint: (_, __, skin) => Object.assign(skin, skinOf(0.5, 0.5, 0.5, 1)),
}
const plate = (patch: Partial<PlateSpec>): PlateSpec => ({
  ...(PLATES[0] as PlateSpec),
  width: W,
  height: H,
  worker: undefined,
  ...patch,
})

function scene(threads: number) {
  const crew = yardCrew(threads)
  const laid = uploadYard(
    crew,
    { charts: [small], mesh: newMesh() },
    {
      sun: [0, 0.2, 0.98],
      spread: 0.02,
      sunLight: [2, 2, 2],
      look: () => [0, 0, 0],
      air: { colour: [0, 0, 0], loss: 0 },
    },
    64,
    false,
  )
  lightYard(crew, laid, { rays: 8, coarseRays: 8, passes: 1, flame: false })
  const drawing = newDrawing(crew, W, H)
  return (
    spec: PlateSpec,
    times: readonly number[],
    opening = 0,
    focus = 9,
  ): { image: Float32Array; depth: Float32Array } => {
    const mark = crew.heap.mark()
    const moments = newMoments(crew, times.length)
    for (const [n, time] of times.entries())
      setMoment(
        crew,
        laid,
        drawing,
        moments,
        n,
        momentOf(spec, time),
        { focalPx: (spec.lens.focalMm / 28) * W, k1: spec.lens.k1, k2: spec.lens.k2, opening, focus },
        5,
        1,
      )
    drawMoments(crew, laid, drawing, moments)
    crew.heap.release(mark)
    return {
      image: crew.heap.f32(drawing.image, W * H * 3).slice(),
      depth: crew.heap.f32(drawing.depth, W * H).slice(),
    }
  }
}

/** Middle of the light and its breadth along x and y, px. */
function lightOf(image: Float32Array): { x: number; y: number; sum: number; broad: number; tall: number } {
  let [sum, x, y, xx, yy] = [0, 0, 0, 0, 0]
  for (let j = 0; j < H; j++)
    for (let i = 0; i < W; i++) {
      const v = image[(j * W + i) * 3 + 1] ?? 0
      sum += v
      x += v * (i + 0.5)
      y += v * (j + 0.5)
      xx += v * (i + 0.5) ** 2
      yy += v * (j + 0.5) ** 2
    }
  return {
    x: x / sum,
    y: y / sum,
    sum,
    broad: Math.sqrt(xx / sum - (x / sum) ** 2),
    tall: Math.sqrt(yy / sum - (y / sum) ** 2),
  }
}
const still = (time: number, moments = 16): number[] => Array.from({ length: moments }, () => time)

describe('the drawn camera', () => {
  const draw = scene(1)
  it('puts a target where the exact projection does, with and without distortion, at every moment and turn', () => {
    for (const lens of [
      { k1: 0, k2: 0 },
      { k1: -0.052, k2: 0.009 },
      { k1: -0.15, k2: 0.03 },
    ])
      for (const time of [0, 1.7, 4]) {
        const spec = plate({ lens: { ...(PLATES[0] as PlateSpec).lens, ...lens } })
        const want = project(spec, momentOf(spec, time), at)
        const got = lightOf(draw(spec, still(time)).image)
        expect(Math.abs(got.x - (want?.x ?? 0))).toBeLessThan(0.08)
        expect(Math.abs(got.y - (want?.y ?? 0))).toBeLessThan(0.08)
      }
  })
  it('tells the distance along the view axis', () => {
    const spec = plate({})
    const want = project(spec, momentOf(spec, 0), at)
    const { depth } = draw(spec, still(0, 1))
    expect(
      Math.abs((depth[Math.floor(want?.y ?? 0) * W + Math.floor(want?.x ?? 0)] ?? 0) - (want?.depth ?? 0)),
    ).toBeLessThan(0.02)
    expect(depth[0]).toBeGreaterThan(1e29)
  })
  it('blurs along the way the target goes while the shutter is open, and loses no light', () => {
    const spec = plate({})
    const moments = Array.from({ length: 16 }, (_, n) => 1 + n * 0.05)
    const [calm, moved] = [lightOf(draw(spec, still(1.4)).image), lightOf(draw(spec, moments).image)]
    const ends = [project(spec, momentOf(spec, 1), at), project(spec, momentOf(spec, 1.75), at)]
    const way = Math.abs((ends[0]?.x ?? 0) - (ends[1]?.x ?? 0))
    expect(way).toBeGreaterThan(3)
    // A box of that length, by its spread, on top of what the target has at rest.
    expect(Math.sqrt(moved.broad ** 2 - calm.broad ** 2) * Math.sqrt(12)).toBeGreaterThan(0.75 * way)
    expect(Math.sqrt(moved.broad ** 2 - calm.broad ** 2) * Math.sqrt(12)).toBeLessThan(1.35 * way)
    expect(moved.sum / calm.sum).toBeGreaterThan(0.9)
    expect(moved.sum / calm.sum).toBeLessThan(1.1)
  })
  it('spreads what is out of focus over the circle of the opening, and leaves what is in focus', () => {
    const spec = plate({ camera: () => ({ position: [at[0], at[1], 8], pan: 0, tilt: 0, roll: 0 }) })
    const away = 6
    const [sharp, soft] = [
      lightOf(draw(spec, still(0), 0.1, away).image),
      lightOf(draw(spec, still(0), 0.1, 2 * away).image),
    ]
    const pin = lightOf(draw(spec, still(0)).image)
    expect(sharp.broad / pin.broad).toBeLessThan(1.05)
    // Blur circle: focal x opening x |1/d - 1/focus|; a disc's spread is half its radius.
    const radius = (24 / 28) * W * 0.1 * (1 / away - 1 / (2 * away))
    expect(Math.sqrt(soft.broad ** 2 - pin.broad ** 2)).toBeGreaterThan(0.4 * radius)
    expect(Math.sqrt(soft.broad ** 2 - pin.broad ** 2)).toBeLessThan(0.6 * radius)
  })
  it('gives the same bits on one thread and on three', () => {
    const entry = resolve('farm/dist/thread.mjs')
    if (!existsSync(entry)) throw new Error('farm/dist/thread.mjs is missing: the test set-up builds it')
    process.env.LANTERN_THREAD_ENTRY = entry
    const spec = plate({})
    expect(scene(3)(spec, still(1.2, 4), 0.004).image).toEqual(draw(spec, still(1.2, 4), 0.004).image)
  })
})
