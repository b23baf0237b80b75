import type { Camera } from '@lantern/core/data'
import { makeItem, makeShot, type ShotDocument, type ShotItem } from '@lantern/core/shot'
import { describe, expect, it } from 'vitest'
import { draggedTo, handleAt, handlesOf, regionOf, wallBetween } from './setTool.ts'

const camera: Camera = {
  position: [0, 1.5, 0],
  rotation: [0, 0, 0, 1],
  focalPx: 720,
  centre: [360, 200],
  k1: 0,
  k2: 0,
  width: 720,
  height: 400,
}
const plate = { asset: 'a', file: 'f', width: 720, height: 400, first: 1, last: 9, rate: [24, 1], encoding: 'srgb' }
const box = (over: object = {}): ShotItem =>
  makeItem('box', { name: 'Wall', order: 1, position: [0, 0, -6], width: 2, height: 1, depth: 0.2, ...over } as never)
const shot = (item: ShotItem = box()): ShotDocument => {
  const made = makeShot('One', plate as Parameters<typeof makeShot>[1])
  made.items.wall = item
  return made
}

describe('a wall drawn by its foot', () => {
  it('stands between the two places on the ground, and none where one is above the horizon or it is no wall', () => {
    // 6 m away the ground is 180 px below the horizon; 120 px a metre.
    const wall = wallBetween(shot(), camera, [240, 380], [480, 380]) as { position: number[]; width: number }
    expect(wall.width).toBeCloseTo(2, 2)
    expect(wall.position[2]).toBeCloseTo(-6, 2)
    expect(wallBetween(shot(), camera, [240, 100], [480, 380])).toBeUndefined()
    expect(wallBetween(shot(), camera, [240, 380], [243, 380])).toBeNull()
  })
})
describe('handles', () => {
  it('are taken where they are seen', () => {
    const item = box()
    const kinds = handlesOf(camera, item).map(({ kind, at }) => [kind, ...at.map(Math.round)])
    expect(kinds).toEqual([
      ['move', 360, 380],
      ['height', 360, 260],
      ['turn', 480, 380],
    ])
    expect(handleAt(camera, item, [362, 258])?.kind).toBe('height')
    expect(handleAt(camera, item, [400, 300])).toBeUndefined()
    expect(handlesOf(camera, box({ position: [0, 0, 5] }))).toEqual([])
  })
  it('change height, place and turn by what they are dragged', () => {
    const dragged = (kind: 'height' | 'move' | 'turn', start: [number, number], to: [number, number]) => {
      const item = box()
      return draggedTo(shot(item), camera, { kind, id: 'wall', start, item }, to, 1)
    }
    expect(dragged('height', [360, 260], [360, 140])).toEqual({ height: 2 })
    expect(dragged('move', [360, 380], [480, 380])).toEqual({ position: [1, 0, -6] })
    expect((dragged('turn', [480, 380], [360, 390]) as { turn: number }).turn).toBeCloseTo(-90, 0)
    expect(dragged('move', [360, 380], [360, 100])).toBeUndefined()
  })
})
describe('a filmed element', () => {
  const card = (over: object): ShotItem =>
    makeItem('card', { name: 'Puff', order: 1, position: [0, 0, -6], height: 2, foot: 50, ...over } as never)
  const dragged = (item: ShotItem, kind: 'height' | 'move', start: [number, number], to: [number, number]) =>
    draggedTo(shot(item), camera, { kind, id: 'puff', start, item }, to, 1)
  it('is made taller by its upper side, its foot where it was', () => {
    const item = card({})
    expect(handlesOf(camera, item).map(({ kind, at }) => [kind, ...at.map(Math.round)])).toEqual([
      ['move', 360, 380],
      ['height', 360, 260],
    ])
    // A metre of it is over its foot: twice as far up it is twice as tall.
    expect(dragged(item, 'height', [360, 260], [360, 140])).toEqual({ height: 4 })
    expect(dragged(item, 'height', [360, 260], [360, 900])).toEqual({ height: 0.01 })
  })
  it('far away is dragged over the sky by its direction', () => {
    const item = card({ far: 'in the sky', azimuth: 0, elevation: 0 })
    expect(handlesOf(camera, item).map(({ kind, at }) => [kind, ...at.map(Math.round)])).toEqual([['move', 360, 200]])
    expect(dragged(item, 'move', [360, 200], [1080, 200])).toEqual({ azimuth: 45, elevation: 0 })
    expect(dragged(item, 'move', [360, 200], [360, -520])).toEqual({ azimuth: 0, elevation: 45 })
  })
  it('that stands as it was filmed has no place to be taken by', () => {
    expect(handlesOf(camera, card({ far: 'as filmed' }))).toEqual([])
  })
})
it('a region lies within the picture, and a click makes none', () => {
  expect(regionOf(camera, [-50, 100], [360, 500])).toEqual({ x: 0, y: 0.25, width: 0.5, height: 0.75 })
  expect(regionOf(camera, [100, 100], [102, 300])).toBeUndefined()
})
