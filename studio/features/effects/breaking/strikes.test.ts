import type { Camera } from '@lantern/core/data'
import { breakSettings, cutPieces, isBreaking } from '@lantern/core/effects/breaking'
import { applyPatch, makeItem, makeShot, type ShotDocument } from '@lantern/core/shot'
import { describe, expect, it } from 'vitest'
import { strikeAt } from './strikes.ts'
import { brickBetween, cutBetween } from './tools.ts'

const camera: Camera = {
  position: [0, 1, 5],
  rotation: [0, 0, 0, 1],
  focalPx: 100,
  centre: [50, 40],
  k1: 0,
  k2: 0,
  width: 100,
  height: 80,
}
/** A wall 4.9 m before the camera: its front is at z = 0.1. */
function shot(over: Record<string, unknown> = {}): ShotDocument {
  const plate = { asset: 'a', file: 'f', width: 100, height: 80, first: 1, last: 30, rate: [24, 1], encoding: 'srgb' }
  const made = makeShot('One', plate as Parameters<typeof makeShot>[1])
  made.items.ground = makeItem('ground', { name: 'Ground', order: 1 })
  made.items.wall = makeItem('box', { name: 'Wall', order: 2, width: 4, height: 3, depth: 0.2 })
  made.items.break = makeItem('breaking', { name: 'Falls', order: 3, piece: 'wall', number: 30, ...over } as never)
  return made
}
const breaking = (document: ShotDocument) => {
  const item = document.items.break
  if (!isBreaking(item)) throw new TypeError('it breaks')
  return item
}

describe('a strike by a click', () => {
  it('is on the surface, at that frame, and drives into it', () => {
    const document = shot()
    const patched = applyPatch(document, strikeAt(document, camera, 'break', [60, 30], 7) ?? {})
    const [one] = Object.values(breaking(patched).strikes)
    // 10 px right and 10 px up at 4.9 m.
    expect(one).toMatchObject({ name: 'Strike 1', frame: 7, at: [0.49, 1.49, 0.1] })
    expect(one?.direction.map((v) => v + 0)).toEqual([0, 0, -1])
  })
  it('is as strong as the one before, and has a name of its own', () => {
    const document = shot({
      strikes: { a: { name: 'Strike 1', frame: 3, at: [0, 1, 0.1], energy: 77, radius: 0.9, spread: 5 } },
    })
    const patched = applyPatch(document, strikeAt(document, camera, 'break', [50, 40], 9) ?? {})
    const added = Object.values(breaking(patched).strikes).find(({ frame }) => frame === 9)
    expect(added).toMatchObject({ name: 'Strike 2', energy: 77, radius: 0.9, spread: 5 })
  })
  it('is none above the horizon, or where nothing breaks', () => {
    const bare = shot()
    delete bare.items.wall
    expect(strikeAt(bare, camera, 'break', [50, 10], 1)).toBeUndefined()
    expect(strikeAt(shot(), camera, 'wall', [50, 40], 1)).toBeUndefined()
  })
})

describe('a cut by hand', () => {
  it('goes through both places, straight away from the camera, and parts what lies across it', () => {
    const document = shot()
    const cut = cutBetween(
      document,
      camera,
      breaking(document),
      [
        [20, 40],
        [80, 40],
      ],
      1,
    )
    // Level with the camera: a level plane 1 m up.
    expect(Math.abs(cut?.normal[1] ?? 0)).toBeCloseTo(1, 5)
    expect(Math.abs(cut?.offset ?? 0)).toBeCloseTo(1, 5)
    const before = cutPieces(breakSettings(document, breaking(document))).length
    const after = applyPatch(document, { items: { break: { cuts: [cut] } } })
    const pieces = cutPieces(breakSettings(after, breaking(after)))
    expect(pieces.length).toBeGreaterThan(before)
    for (const { bodies } of pieces) {
      const ys = bodies.flatMap(({ corners }) => corners.map(([, y]) => y))
      expect(Math.max(...ys) <= 1 + 1e-6 || Math.min(...ys) >= 1 - 1e-6).toBe(true)
    }
  })
  it('is none between one place and itself', () => {
    expect(
      cutBetween(
        shot(),
        camera,
        breaking(shot()),
        [
          [20, 40],
          [20, 40],
        ],
        1,
      ),
    ).toBeUndefined()
  })
})

it('a brick is as large as its corners are apart on what breaks', () => {
  const document = shot()
  const size = brickBetween(
    document,
    camera,
    breaking(document),
    [
      [50, 40],
      [55, 38],
    ],
    1,
  )
  expect(size?.brickLength).toBeCloseTo((5 / 100) * 4.9, 3)
  expect(size?.brickHeight).toBeCloseTo((2 / 100) * 4.9, 3)
  expect(
    brickBetween(
      document,
      camera,
      breaking(document),
      [
        [50, 40],
        [50, 40],
      ],
      1,
    ),
  ).toBeUndefined()
})
