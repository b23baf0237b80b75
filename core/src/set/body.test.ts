import { describe, expect, it } from 'vitest'
import { distanceTo } from '../data/index.ts'
import { makeItem, makeShot } from '../shot/index.ts'
import { meshBody, meshBounds, meshOf, stoppingAt, type ThingItem } from './index.ts'

const ball = meshOf(makeItem('form', { name: 'Ball', order: 1, shape: 'ball', width: 2, height: 2, depth: 2 }))
const bounds = meshBounds(ball)
const thing = (more: Partial<ThingItem> = {}): ThingItem =>
  makeItem('thing', {
    name: 'Barrel',
    order: 1,
    position: [3, 0, -4],
    scale: 0.5,
    stops: true,
    mesh: {
      blob: '0'.repeat(64),
      standIn: '0'.repeat(64),
      file: 'barrel.glb',
      triangles: 1000,
      animations: [],
      notes: [],
      ...bounds,
      body: meshBody(ball, bounds),
    },
    ...more,
  })
const shotOf = (item: ThingItem) => {
  const plate = { asset: 'a', file: 'f', width: 320, height: 180, first: 1, last: 9, rate: [24, 1], encoding: 'srgb' }
  const shot = makeShot('One', plate as Parameters<typeof makeShot>[1])
  shot.items.barrel = item
  return shot
}

describe('what gas stops at of a mesh', () => {
  it('fills it: as much as its volume within a box’s breadth of its surface', () => {
    const { steps, boxes } = meshBody(ball, bounds)
    const cells = boxes.reduce((sum, [a, b, c, x, y, z]) => sum + (x - a) * (y - b) * (z - c), 0)
    const volume = (cells * 8) / (steps[0] * steps[1] * steps[2])
    expect(volume / ((4 / 3) * Math.PI)).toBeGreaterThan(0.95)
    expect(volume / ((4 / 3) * Math.PI)).toBeLessThan(1.25)
    expect(boxes.length).toBeLessThanOrEqual(200)
  })
  it('stands where the thing stands, in its size, and only where it is wanted', () => {
    const [body] = stoppingAt(shotOf(thing()))
    if (!body) throw new Error('it stops gas')
    expect(body.id).toBe('barrel')
    expect(distanceTo(body.solid, [3, 0.5, -4])).toBeLessThan(0)
    expect(distanceTo(body.solid, [3, 0.5, -3.4])).toBeGreaterThan(0)
    expect(distanceTo(body.solid, [3, 1.05, -4])).toBeGreaterThan(0)
    expect(stoppingAt(shotOf(thing({ stops: false })))).toEqual([])
  })
  it('is without what is trimmed off', () => {
    const lower = thing({ trim: { low: [0, 0, 0], high: [1, 0.5, 1] } })
    const [body] = stoppingAt(shotOf(lower))
    if (!body) throw new Error('half of it is left')
    expect(distanceTo(body.solid, [3, 0.31, -4])).toBeLessThan(0)
    expect(distanceTo(body.solid, [3, 0.6, -4])).toBeGreaterThan(0)
    const none = thing({ cuts: [{ normal: [0, 1, 0], offset: -9 }] })
    expect(stoppingAt(shotOf(none))).toEqual([])
  })
  it('is a shell where the mesh is open', () => {
    const open = { positions: ball.positions, indices: ball.indices.slice(0, ball.indices.length / 2) }
    expect(meshBody(open, bounds).boxes.length).toBeGreaterThan(5)
  })
})
