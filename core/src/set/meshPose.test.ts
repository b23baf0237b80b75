import { describe, expect, it } from 'vitest'
import type { AssetChannel, AssetNode, AssetPart, MeshAsset } from '../data/index.ts'
import { surfaceOf } from './meshPose.ts'
import type { ThingItem } from './schema.ts'
import { animationMoment, animationTime, guessScale, thingBounds, thingPose } from './things.ts'

const node = (over: Partial<AssetNode> = {}): AssetNode => ({
  parent: -1,
  translation: [0, 0, 0],
  rotation: [0, 0, 0, 1],
  scale: [1, 1, 1],
  ...over,
})
const HALF = Math.SQRT1_2
const part = (over: Partial<AssetPart> = {}): AssetPart => ({
  node: 0,
  material: -1,
  positions: Float32Array.of(1, 0, 0, 2, 0, 0, 1, 1, 0),
  indices: Uint32Array.of(0, 1, 2),
  ...over,
})
const asset = (over: Partial<MeshAsset>): MeshAsset => ({
  nodes: [node()],
  parts: [part()],
  materials: [],
  pictures: [],
  animations: [],
  ...over,
})
const channel = (over: Partial<AssetChannel>): AssetChannel => ({
  node: 0,
  of: 'translation',
  way: 'straight',
  times: Float32Array.of(0, 1),
  values: Float32Array.of(0, 0, 0, 4, 0, 0),
  ...over,
})
const first = (made: MeshAsset, opening: number, closing = opening) =>
  surfaceOf(made, { animation: 'run', opening, closing })
const close = (got: ArrayLike<number> | undefined, wanted: readonly number[]): void =>
  wanted.forEach((value, n) => expect(got?.[n], `number ${n}`).toBeCloseTo(value, 5))

describe('a mesh asset', () => {
  it('goes through its nodes, from the parent down', () => {
    const nodes = [
      node({ translation: [10, 0, 0], scale: [2, 2, 2] }),
      node({ parent: 0, rotation: [0, 0, HALF, HALF] }),
    ]
    close(surfaceOf(asset({ nodes, parts: [part({ node: 1 })] })).positions, [10, 2, 0, 10, 4, 0, 8, 2, 0])
  })

  it('is where its animation has it: straight, in steps, by cubic splines, held at both ends', () => {
    const at = (over: Partial<AssetChannel>, seconds: number): number => {
      const animations = [{ name: 'run', seconds: 1, channels: [channel(over)] }]
      return (first(asset({ animations }), seconds).positions[0] ?? 0) - 1
    }
    expect([-1, 0.25, 0.5, 9].map((seconds) => at({}, seconds))).toEqual([0, 1, 2, 4])
    expect([0.5, 1].map((seconds) => at({ way: 'step' }, seconds))).toEqual([0, 4])
    // Without tangents a spline leaves and arrives at rest.
    const still = {
      way: 'cubic',
      values: Float32Array.of(0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 4, 0, 0, 0, 0, 0),
    } as const
    expect(at(still, 0.5)).toBeCloseTo(2, 6)
    expect(at(still, 0.25)).toBeCloseTo(4 * (3 / 16 - 2 / 64), 5)
  })

  it('turns the shorter way, and holds its corners when the shutter closes', () => {
    const turns = channel({ of: 'rotation', values: Float32Array.of(0, 0, 0, 1, 0, 0, -HALF, -HALF) })
    const animations = [{ name: 'run', seconds: 1, channels: [turns] }]
    const mesh = first(asset({ animations }), 0, 1)
    close(mesh.positions, [1, 0, 0])
    close(mesh.closing, [0, 1, 0])
    close(first(asset({ animations }), 0.5).positions, [HALF, HALF, 0])
  })

  it('bends by its joints’ weights', () => {
    const skin = {
      joints: [1, 2],
      inverse: Float32Array.from([
        1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, -1, 0, 0, 1,
      ]),
      vertexJoints: Uint16Array.of(0, 1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0),
      vertexWeights: Float32Array.of(1, 0, 0, 0, 0, 1, 0, 0, 0.5, 0.5, 0, 0),
    }
    const nodes = [node(), node(), node({ translation: [1, 0, 3] })]
    // The second joint has moved by 3 towards the camera since it was bound at x = 1.
    close(surfaceOf(asset({ nodes, parts: [part({ skin })] })).positions, [1, 0, 0, 2, 0, 3, 1, 1, 1.5])
  })

  it('without keys or materials is still a mesh, grey', () => {
    const empty = channel({ times: new Float32Array(0), values: new Float32Array(0) })
    const animations = [{ name: 'run', seconds: 0, channels: [empty] }]
    const mesh = first(asset({ animations }), 0.5)
    close(mesh.positions, [1, 0, 0])
    expect([...(mesh.parts ?? [])]).toEqual([0])
  })
})

describe('a thing', () => {
  const mesh = { blob: '', standIn: '', file: 'a.glb', triangles: 1, low: [-1, -2, 0], high: [3, 2, 2], notes: [] }
  const thing = (over: object = {}): ThingItem =>
    ({
      position: [5, 1, 0],
      turn: 0,
      tilt: 0,
      roll: 0,
      scale: 2,
      mesh: { ...mesh, animations: [{ name: 'run', seconds: 2 }] },
      animation: 'run',
      starts: 0,
      pace: 1,
      loops: true,
      ...over,
    }) as unknown as ThingItem

  it('stands with the middle of its foot at its place, however it is turned', () => {
    for (const turn of [0, 90, 200]) {
      const box = thingBounds(thing({ turn }))
      if (box.kind !== 'box') throw new Error('a thing fills a box')
      close(box.centre, [5, 1 + 4, 0])
      close(box.half, [4, 4, 2])
      expect(thingPose(thing({ turn })).scale).toBe(2)
    }
  })

  it('plays its animation from its start, at its pace, in a loop or once', () => {
    const at = (frame: number, over: object = {}): number | undefined => animationTime(thing(over), frame, 1001, 24)
    expect(at(1001)).toBe(0)
    expect(at(1025)).toBe(1)
    expect(at(1061)).toBeCloseTo(0.5, 9)
    expect(at(1061, { loops: false })).toBe(2)
    expect(at(1025, { pace: -1 })).toBe(1)
    expect(at(1025, { starts: 0.5, pace: 2 })).toBe(1)
    expect(at(1025, { animation: '' })).toBeUndefined()
    // Over the seam of a loop it is not drawn out backwards.
    const seam = animationMoment(thing(), { opening: 1048.9, closing: 1049.1 }, 1001, 24)
    expect(seam?.closing).toBe(seam?.opening)
  })

  it('has the size that its file’s units most likely mean', () => {
    const of = (size: number): number => guessScale({ low: [0, 0, 0], high: [size, 0.1, 0.1] })
    expect([1.8, 180, 1800, 0.1].map(of)).toEqual([1, 0.01, 0.001, 10])
  })
})
