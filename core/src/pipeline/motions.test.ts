import { describe, expect, it } from 'vitest'
import { makeCrew, random } from '../base/index.ts'
import { type Motion, makeImage, type PictureLayer } from '../data/index.ts'
import { makeItem, makeShot, mergePatch, parseShot } from '../shot/index.ts'
import type { StackPicture } from '../sit/index.ts'
import { frameBeside, motionNeeds, plateMotion, stackMotions } from './motions.ts'

const [W, H] = [160, 96]
const shotOf = (sit: object, kind: 'card' | 'gas' = 'card') => {
  const size = { width: W, height: H, first: 1, last: 9 }
  const plate = { ...size, asset: 'a'.repeat(64), file: 'a.mp4', rate: [24, 1], encoding: 'srgb' }
  const shot = makeShot('Motions', plate as unknown as Parameters<typeof makeShot>[1])
  return parseShot(mergePatch(shot, { items: { a: makeItem(kind, { name: 'A', order: 1 }) }, sit }))
}
const stream = random(3)
const waves = Array.from({ length: 30 }, () => {
  const [long, angle] = [6 + 50 * stream.next(), 6.3 * stream.next()]
  return [(6.3 / long) * Math.cos(angle), (6.3 / long) * Math.sin(angle), 6.3 * stream.next()] as const
})
const shade = (x: number, y: number): number =>
  0.3 + waves.reduce((sum, [a, b, c]) => sum + 0.015 * Math.sin(a * x + b * y + c), 0)

/** A textured square in the middle that shows what lay so far to its left. */
function pictureAt(moved: number): StackPicture {
  const size = { x: 40, y: 24, width: 80, height: 48 }
  const [colour, alpha] = [makeImage(80, 48, 3), makeImage(80, 48, 1)]
  alpha.data.fill(1)
  for (let n = 0; n < 80 * 48; n++) {
    const value = shade((n % 80) - moved, Math.floor(n / 80))
    colour.data.set([value, value, value], 3 * n)
  }
  const layer: PictureLayer = { id: 'a', ...size, colour, alpha }
  return { width: W, height: H, layers: [layer], sunlit: makeImage(W, H, 1) }
}
const at = (motion: Motion | undefined, x: number, y: number): number =>
  motion?.u[Math.floor(y / 2) * motion.width + Math.floor(x / 2)] ?? Number.NaN

describe('what motions need', () => {
  it('is nothing where nothing is drawn out, else a picture beside, or the plate’s motion', () => {
    expect(motionNeeds(shotOf({}))).toEqual({ beside: false, plate: false })
    expect(motionNeeds(shotOf({ layers: { a: { streak: 1 } } }))).toEqual({ beside: true, plate: false })
    expect(motionNeeds(shotOf({ layers: { a: { streak: 1, streakBy: 'plate' } } }))).toEqual({
      beside: false,
      plate: true,
    })
    expect(motionNeeds(shotOf({ plateStreak: 0.5 }))).toEqual({ beside: false, plate: true })
  })

  it('is the next frame, and at the end the one before', () => {
    expect(frameBeside({ last: 9 }, 4)).toEqual({ frame: 5, after: true })
    expect(frameBeside({ last: 9 }, 9)).toEqual({ frame: 8, after: false })
  })
})

describe('a layer’s motion', () => {
  const crew = makeCrew(1)
  const of = (
    document: ReturnType<typeof shotOf>,
    picture: StackPicture,
    beside: number,
    after: boolean,
    shutter = 0,
  ) => stackMotions(crew, document, picture, { shutter, beside: { picture: pictureAt(beside), after } })

  it('is found between its pictures, whichever of them is beside, and goes on beyond it', () => {
    const shot = shotOf({ layers: { a: { streak: 1, streakBy: 'pictures' } } })
    for (const [beside, after] of [
      [4, true],
      [-4, false],
    ] as const) {
      const motion = of(shot, pictureAt(0), beside, after).get('a/pictures')
      expect(Math.abs(at(motion, 80, 48) - 4)).toBeLessThan(0.3)
      expect(Math.abs(at(motion, 10, 48) - 4)).toBeLessThan(1.5)
    }
  })

  it('is the picture’s own vectors over a whole frame where it has any', () => {
    const shot = shotOf({ layers: { a: { streak: 1 } } })
    const motion = makeImage(W, H, 2)
    for (let n = 0; n < W * H; n++) motion.data[2 * n] = 5
    const found = of(shot, { ...pictureAt(0), motion }, 4, true, 0.5).get('a/vectors')
    expect(at(found, 80, 48)).toBeCloseTo(10, 5)
    expect(at(found, 4, 4)).toBeCloseTo(10, 5)
    // A first look sees one moment: its pictures tell.
    expect(Math.abs(at(of(shot, pictureAt(0), 4, true).get('a/vectors'), 80, 48) - 4)).toBeLessThan(0.3)
  })

  it('is never the vectors of what lies behind smoke', () => {
    const shot = shotOf({ layers: { a: { streak: 1 } } }, 'gas')
    const motion = makeImage(W, H, 2)
    motion.data.fill(7)
    const found = of(shot, { ...pictureAt(0), motion }, 4, true, 0.5).get('a/vectors')
    expect(Math.abs(at(found, 80, 48) - 4)).toBeLessThan(0.3)
  })

  it('is not there without a picture beside', () => {
    const shot = shotOf({ layers: { a: { streak: 1, streakBy: 'pictures' } } })
    expect(stackMotions(crew, shot, pictureAt(0), { shutter: 0 }).size).toBe(0)
  })

  it('of a plate is told forward from the frame before too', () => {
    const plateOf = (moved: number) => {
      const image = makeImage(W, H, 3)
      for (let n = 0; n < W * H; n++) image.data.fill(shade((n % W) - moved, Math.floor(n / W)), 3 * n, 3 * n + 3)
      return image
    }
    expect(Math.abs(at(plateMotion(crew, plateOf(0), plateOf(3), true), 80, 48) - 3)).toBeLessThan(0.2)
    expect(Math.abs(at(plateMotion(crew, plateOf(0), plateOf(-3), false), 80, 48) - 3)).toBeLessThan(0.2)
  })
})
