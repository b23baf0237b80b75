import { describe, expect, it } from 'vitest'
import { scanMesh } from '../../../testing/scans.ts'
import type { Camera } from '../../data/index.ts'
import { type MarkLook, meshBounds, piecesAt, stampOn, type ThingItem, thingPose } from '../../set/index.ts'
import { makeItem, makeShot, type ShotDocument } from '../../shot/index.ts'
import { drawMark, markInstances, marksEffect } from './index.ts'

const camera: Camera = {
  position: [0, 1.5, 5],
  rotation: [0, 0, 0, 1],
  focalPx: 300,
  centre: [160, 90],
  k1: 0,
  k2: 0,
  width: 320,
  height: 180,
}
function yard(over: Record<string, unknown> = {}): ShotDocument {
  const plate = { asset: 'a', file: 'f', width: 320, height: 180, first: 1, last: 40, rate: [24, 1], encoding: 'srgb' }
  const shot = makeShot('Yard', plate as Parameters<typeof makeShot>[1])
  shot.items.ground = makeItem('ground', { name: 'Ground', order: 1 })
  shot.items.wall = makeItem('box', { name: 'Wall', order: 2, position: [0, 0, -1], width: 4, height: 3, depth: 0.4 })
  shot.items.mark = makeItem('marks', {
    name: 'Scorch',
    order: 3,
    position: [0, 1.5, -0.8],
    width: 1,
    height: 1,
    camera,
    stamped: 1,
    ...over,
  } as never)
  return shot
}
const stamp = (shot: ShotDocument, position: [number, number, number], size = 1) =>
  stampOn({ pieces: piecesAt(shot, 1), things: [], camera, position, width: size, height: size, turn: 0 })
const lookOf = (shot: ShotDocument, frame: number): MarkLook | undefined =>
  markInstances(shot, 'mark', frame, {})[0]?.look

describe('a mark', () => {
  it('lies just over what the camera sees there, as large as it is told', () => {
    const shot = yard()
    const [on] = stamp(shot, [0, 1.5, -0.8])
    expect(on?.item).toBe('wall')
    // In the wall's own space, whose front is at 0.2.
    const xs = [...(on?.mesh.positions ?? [])].filter((_, n) => n % 3 === 0)
    const zs = [...(on?.mesh.positions ?? [])].filter((_, n) => n % 3 === 2)
    expect(Math.max(...xs) - Math.min(...xs)).toBeCloseTo(1, 2)
    for (const z of zs) expect(z).toBeCloseTo(0.2015, 4)
  })
  it('goes over the fold between wall and ground as two parts, joined by none', () => {
    const parts = stamp(yard(), [0, 0.1, -0.8], 1.2)
    expect(parts.map(({ item }) => item).sort()).toEqual(['ground', 'wall'])
    const ground = parts.find(({ item }) => item === 'ground')
    for (let n = 1; n < (ground?.mesh.positions.length ?? 0); n += 3)
      expect(ground?.mesh.positions[n]).toBeCloseTo(0.0015, 4)
  })
  it('goes with what it lies on', () => {
    const motion = {
      keys: [
        { frame: 1, position: [0, 0, -1] },
        { frame: 21, position: [2, 0, -1] },
      ],
      curve: 'straight',
    }
    const shot = yard()
    shot.items.wall = makeItem('box', { name: 'Wall', order: 2, width: 4, height: 3, depth: 0.4, motion } as never)
    const [thing] = drawMark(markInstances(shot, 'mark', 11, {})[0] as never)
    expect(thing?.kind === 'thing' && thing.opening.place[0]).toBeCloseTo(1, 6)
  })
  it('begins at its frame and grows to all of it', () => {
    const shot = yard({ begins: 10, grows: 10 })
    expect(lookOf(shot, 9)).toBeUndefined()
    expect(lookOf(shot, 14)?.grown).toBeCloseTo(0.5, 9)
    const filled = (frame: number): number => {
      const [thing] = drawMark(markInstances(shot, 'mark', frame, {})[0] as never)
      const map = thing?.kind === 'thing' ? thing.materials[0]?.baseMap : undefined
      return [...(map?.data ?? [])].filter((_, n) => n % 4 === 3).reduce((sum, a) => sum + a, 0)
    }
    expect(filled(10)).toBeGreaterThan(0)
    expect(filled(12)).toBeLessThan(filled(19))
    expect(filled(19)).toBe(filled(30))
  })
  it('as cracks runs out from its middle, the first ones staying as more of them open', () => {
    const at = (frame: number): Uint8Array => {
      const shot = yard({ mark: 'cracks', begins: 10, grows: 10, blur: 0 })
      const [thing] = drawMark(markInstances(shot, 'mark', frame, {})[0] as never)
      return (thing?.kind === 'thing' && thing.materials[0]?.baseMap?.data) || new Uint8Array()
    }
    const [early, late] = [at(12), at(19)]
    const share = (data: Uint8Array): number => data.filter((a, n) => n % 4 === 3 && a > 100).length
    expect(share(early)).toBeGreaterThan(5)
    expect(share(late)).toBeGreaterThan(2 * share(early))
    for (let n = 3; n < early.length; n += 4) if ((early[n] ?? 0) > 100) expect(late[n]).toBeGreaterThan(100)
  })
  it('of every preset is placed, and draws something', () => {
    for (const preset of marksEffect.presets) {
      const shot = yard()
      delete shot.items.mark
      const at = { position: [0, 1.5, -0.8] as [number, number, number], frame: 1, camera }
      const { items } = preset.place(shot, 'mark', at) as { items: Record<string, never> }
      shot.items.mark = items.mark as never
      const drawn = markInstances(shot, 'mark', 5, {}).flatMap((one) => drawMark(one))
      expect(drawn.length, preset.name).toBeGreaterThan(0)
    }
  })
  it('lies on a taken-in mesh before the wall, triangle by triangle', () => {
    const shot = yard({ width: 0.6, height: 0.6 })
    const ball = scanMesh(30, 30)
    const mesh = { blob: 'a'.repeat(64), standIn: 'a'.repeat(64), file: 'a.glb', triangles: 1, animations: [] }
    shot.items.ball = makeItem('thing', {
      name: 'Ball',
      order: 4,
      position: [0, 0.5, 1],
      mesh: { ...mesh, ...meshBounds(ball) },
    } as never)
    const [instance] = markInstances(shot, 'mark', 5, {})
    const drawn = instance ? drawMark(instance, [], { taken: () => ball }) : []
    // It goes by the plate: the ball is before the wall at that place.
    expect(drawn.map((one) => one.kind === 'thing' && one.key.split('/').at(-1))).toEqual(['ball'])
    const [own] = drawn
    const positions = own?.kind === 'thing' ? own.mesh.positions : []
    expect(positions.length).toBeGreaterThan(300)
    const { rotation, place } = thingPose(shot.items.ball as ThingItem)
    expect(rotation).toEqual([0, 0, 0, 1])
    for (let n = 0; n < positions.length; n += 3) {
      const at = [0, 1, 2].map((a) => (positions[n + a] ?? 0) + ([0, 0.5, 1][a] ?? 0) - (place[a] ?? 0))
      const away = Math.sqrt(at.reduce((sum, v) => sum + v * v, 0))
      expect(away).toBeGreaterThan(0.75)
      expect(away).toBeLessThan(1.25)
    }
    // One that has not come yet is passed over.
    expect(instance && drawMark(instance).map((one) => one.kind === 'thing' && one.key.split('/').at(-1))).toEqual([
      'wall',
    ])
  })
  it('is left to what broke, with its pieces', () => {
    const [instance] = markInstances(yard(), 'mark', 5, {})
    if (!instance) throw new TypeError('it is shown')
    expect(drawMark(instance)).toHaveLength(1)
    expect(drawMark(instance, [], { replaced: new Set(['wall']) })).toEqual([])
  })
  it('lies on nothing behind the camera, and shows nothing without one', () => {
    expect(stamp(yard(), [0, 1.5, 9])).toEqual([])
    expect(markInstances(yard({ camera: undefined }), 'mark', 5, {})).toEqual([])
  })
})
