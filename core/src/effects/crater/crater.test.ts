import { describe, expect, it } from 'vitest'
import { makeCrew } from '../../base/index.ts'
import { boxBody } from '../../data/index.ts'
import { pictureFrame, renderPicture } from '../../pipeline/index.ts'
import { setChanges } from '../../pipeline/openings.ts'
import { RigidSimulation } from '../../rigid/index.ts'
import { stoppingAt } from '../../set/index.ts'
import { makeItem, makeShot, type ShotDocument } from '../../shot/index.ts'

const camera = {
  position: [0, 2.5, 4] as const,
  rotation: [-0.25, 0, 0, 0.968] as const,
  focalPx: 100,
  centre: [48, 32] as const,
  k1: 0,
  k2: 0,
  width: 96,
  height: 64,
}
function yard(over: Record<string, unknown> = {}): ShotDocument {
  const plate = { asset: 'a', file: 'f', width: 96, height: 64, first: 1, last: 20, rate: [24, 1], encoding: 'srgb' }
  const shot = makeShot('Yard', plate as Parameters<typeof makeShot>[1])
  shot.camera = { ...shot.camera, kind: 'typed' }
  shot.items.ground = makeItem('ground', { name: 'Ground', order: 1 })
  shot.items.hole = makeItem('crater', {
    name: 'Hole',
    order: 2,
    position: [0, 0, 0],
    width: 1.6,
    depth: 0.5,
    opens: 5,
    grows: 4,
    rough: 0,
    ...over,
  } as never)
  return shot
}

describe('a crater in the shot', () => {
  it('is not there before it opens, and then takes its square of the ground', () => {
    const shot = yard()
    expect(setChanges(shot, 4).squares.size).toBe(0)
    const [square] = setChanges(shot, 9).squares.get('ground') ?? []
    expect(square?.low[0]).toBeLessThan(-0.8)
    const at = (frame: number) => pictureFrame(shot, () => camera, frame)
    expect(at(4).instances).toHaveLength(0)
    expect(at(5).instances).toHaveLength(1)
    const deep = (frame: number): number => {
      const ground = stoppingAt(shot, frame).find(({ id }) => id === 'ground')?.solid
      return ground?.kind === 'halfspace' && ground.dug?.[0]?.shape.kind === 'crater' ? ground.dug[0].shape.depth : 0
    }
    expect([deep(4), deep(5), deep(8), deep(12)]).toEqual([0, 0.125, 0.5, 0.5])
  })
  it('covers the plate where it is not level, and nothing beyond', () => {
    const shot = yard({ opens: 0 })
    const picture = renderPicture(
      makeCrew(1),
      shot,
      pictureFrame(shot, () => camera, 9),
      () => undefined,
      'look',
      {
        size: 1,
      },
    )
    const [layer] = picture.layers
    const alpha = (x: number, y: number): number => {
      const [lx, ly] = [x - (layer?.x ?? 0), y - (layer?.y ?? 0)]
      if (!layer || lx < 0 || ly < 0 || lx >= layer.width || ly >= layer.height) return 0
      return layer.alpha?.data[ly * layer.width + lx] ?? 0
    }
    // The middle of the picture looks at the crater's floor.
    const covered = Array.from({ length: 96 }, (_, x) => alpha(x, 36))
    expect(Math.max(...covered)).toBeGreaterThan(0.95)
    expect(covered[1]).toBe(0)
    expect(alpha(48, 2)).toBe(0)
    expect(layer?.id).toBe('hole')
  })
  it('lets what stands on the ground fall in, and come to rest on its floor', async () => {
    const solids = stoppingAt(yard({ opens: 0 }), 9).map(({ solid }) => solid)
    const cube = Float32Array.from(boxBody([-0.05, -0.05, -0.05], [0.05, 0.05, 0.05]).corners.flat())
    const body = (x: number) => ({
      hulls: [cube],
      place: [x, 0.4, 0] as const,
      rotation: [0, 0, 0, 1] as const,
      density: 1900,
      friction: 0.6,
      restitution: 0,
      held: false,
    })
    const simulation = await RigidSimulation.open({
      gravity: 9.81,
      rate: 24,
      substeps: 4,
      solids,
      bodies: [body(0), body(6)],
    })
    for (let n = 0; n < 60; n++) for (const _ of simulation.frame()) void _
    expect(simulation.pose(0).place[1]).toBeCloseTo(-0.45, 1)
    expect(simulation.pose(1).place[1]).toBeCloseTo(0.05, 1)
    simulation.close()
  })
  it('shows nothing without a ground', () => {
    const shot = yard({ opens: 0 })
    delete shot.items.ground
    expect(pictureFrame(shot, () => camera, 9).instances).toHaveLength(0)
  })
})
