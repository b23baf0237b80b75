import type { Camera } from '@lantern/core/data'
import type { PaintStroke } from '@lantern/core/mattes'
import { makeItem, makeShot, type ShotDocument } from '@lantern/core/shot'
import { describe, expect, it } from 'vitest'
import { down, move, NO_PAINT, type PaintContext, type PaintState, up } from './paintTool.ts'

const camera: Camera = {
  position: [0, 1, 0],
  rotation: [0, 0, 0, 1],
  focalPx: 100,
  centre: [50, 40],
  k1: 0,
  k2: 0,
  width: 100,
  height: 80,
}
/** A wall 4 m away on the left, one 6 m away on the right. */
function shot(): ShotDocument {
  const plate = { asset: 'a', file: 'f', width: 100, height: 80, first: 1, last: 9, rate: [24, 1], encoding: 'srgb' }
  const made = makeShot('One', plate as Parameters<typeof makeShot>[1])
  made.items.left = makeItem('box', { name: 'Left', order: 1, position: [-2, 0, -5], width: 4, height: 3, depth: 2 })
  made.items.right = makeItem('box', { name: 'Right', order: 2, position: [2, 0, -7], width: 4, height: 3, depth: 2 })
  return made
}
let made = 0
const context = (document: ShotDocument, over: Partial<PaintContext> = {}): PaintContext => ({
  document,
  camera,
  matte: '',
  frame: 1,
  erase: false,
  radius: 0.2,
  soft: 0.3,
  step: 2,
  straight: false,
  fresh: () => `n${made++}`,
  ...over,
})
/** Drags over places and lets go. */
function stroke(own: PaintContext, places: readonly (readonly [number, number])[]) {
  const [first = [0, 0], ...rest] = places
  let state: PaintState = down(own, NO_PAINT, first).state
  for (const place of rest) state = move(own, state, place).state
  return { state, result: up(own, state) }
}
const strokesOf = (edit: Record<string, unknown> | undefined, id: string): PaintStroke[] =>
  Object.values((edit as { items: Record<string, { painted: Record<string, PaintStroke> }> }).items[id]?.painted ?? {})

describe('the brush', () => {
  it('makes a matte that stands on the surface, with the way in the item’s own space', () => {
    const { result } = stroke(context(shot()), [
      [20, 40],
      [22, 40],
      [26, 40],
    ])
    const id = result.painted ?? ''
    expect((result.edit as { items: Record<string, { stands: string }> }).items[id]?.stands).toBe('surface')
    const [own] = strokesOf(result.edit, id)
    expect(own?.on).toBe('left')
    // 30 px left of the middle at 4 m is 1.2 m: 0.8 m right of the wall's own middle, on its front.
    expect(own?.points[0]).toEqual([0.8, 1, 1])
    expect(own?.points).toHaveLength(3)
    expect(result.state).toEqual(NO_PAINT)
  })
  it('passes over places that are too near, and goes straight where it is to', () => {
    const near = stroke(context(shot()), [
      [20, 40],
      [20.5, 40],
      [21, 40],
    ])
    expect(near.state.places).toHaveLength(1)
    const straight = stroke(context(shot(), { straight: true }), [
      [10, 20],
      [15, 60],
      [40, 30],
    ])
    const seen = straight.state.places.map((place) => place.seen)
    for (const [x, y] of seen) expect(y - 20).toBeCloseTo((x - 10) / 3, 6)
    expect(seen.at(-1)).toEqual([40, 30])
  })
  it('begins a stroke of its own on each thing that it goes over', () => {
    const document = shot()
    const { result } = stroke(context(document, { straight: true }), [
      [30, 40],
      [80, 40],
    ])
    expect(strokesOf(result.edit, result.painted ?? '').map(({ on }) => on)).toEqual(['left', 'right'])
  })
  it('adds to the chosen matte in order, erases, and leaves a locked one alone', () => {
    const document = shot()
    const painted = { p: { order: 4, on: 'left', radius: 0.1, points: [[0, 1, 1]] } }
    document.items.wet = makeItem('matte', { name: 'Wet', order: 3, painted } as never)
    const { result } = stroke(context(document, { matte: 'wet', erase: true }), [[20, 40]])
    expect(result.painted).toBe('wet')
    expect(strokesOf(result.edit, 'wet')[0]).toMatchObject({ order: 5, erase: true })
    document.items.wet = { ...document.items.wet, locked: true } as never
    expect(stroke(context(document, { matte: 'wet' }), [[20, 40]]).result.edit).toBeUndefined()
  })
  it('makes nothing where there is no surface', () => {
    const document = shot()
    document.items = {}
    expect(stroke(context(document), [[50, 5]]).result).toEqual({ state: NO_PAINT })
  })
})
