import { describe, expect, it } from 'vitest'
import { type Camera, makeImage } from '../data/index.ts'
import { makeItem, makeShot, mergePatch, parseShot } from '../shot/index.ts'
import { regionWhere } from '../sit/index.ts'
import { nudgesBetween, type SlideInputs, slideBase, slideLine, standingLayers } from './slides.ts'
import { fallOf, speedLines } from './speeds.ts'

const camera = { width: 200, height: 100 } as Camera
const picture = { width: 200, height: 100, layers: [], sunlit: makeImage(1, 1, 1) }
const part = regionWhere(200, 100, () => true, { x: 20, y: 20, width: 20, height: 20 })
const slide = (more: Partial<SlideInputs>): SlideInputs => ({
  camera,
  other: { camera, frame: 3 },
  offs: Array.from({ length: 12 }, (_, n) => ({ x: 20 + 3 * n, y: 30, dx: 0, dy: 0 })),
  nudges: {},
  standing: new Set(),
  ...more,
})
const shotOf = (patch: object) => {
  const size = { width: 200, height: 100, first: 1, last: 40 }
  const plate = { ...size, asset: 'a'.repeat(64), file: 'a.mp4', rate: [24, 1], encoding: 'srgb' }
  return parseShot(mergePatch(makeShot('Slides', plate as unknown as Parameters<typeof makeShot>[1]), patch))
}
const card = makeItem('card', { name: 'Card', order: 1 })

describe('how far a layer slides', () => {
  it('is nothing where the camera fits the tracks near by and nothing is moved', () => {
    expect(slideLine(slide({}), { id: 'a', of: 'a' }, picture, part, 200)[0]).toMatchObject({
      difference: 0,
      within: true,
    })
  })

  it('is what the nearest tracks are off, others further away left out', () => {
    const near = Array.from({ length: 8 }, (_, n) => ({ x: 28 + n, y: 30, dx: 0.6, dy: 0.8 }))
    const far = Array.from({ length: 20 }, () => ({ x: 190, y: 90, dx: 5, dy: 5 }))
    const [line] = slideLine(slide({ offs: [...far, ...near] }), { id: 'a', of: 'a' }, picture, part, 200)
    expect(line?.difference).toBeCloseTo(1, 6)
    expect(line?.within).toBe(false)
  })

  it('counts how far the lay itself was moved in the picture', () => {
    const [line] = slideLine(slide({ nudges: { b: [3, 0] } }), { id: 'b', of: 'a' }, picture, part, 200)
    expect(line?.difference).toBeCloseTo(3, 6)
    expect(line?.note).toBe('since 3')
  })

  it('is not told without tracks', () => {
    expect(slideLine(slide({ offs: [] }), { id: 'a', of: 'a' }, picture, part, 200)).toEqual([])
  })

  it('is told against a kept frame a dozen away where there is one', () => {
    expect(slideBase({ first: 1, last: 100 }, [49, 51, 63, 90], 52)).toBe(63)
    expect(slideBase({ first: 1, last: 100 }, [51, 53], 52)).toBe(40)
    expect(slideBase({ first: 1, last: 100 }, [], 5)).toBe(17)
  })

  it('knows what was moved and what stands', () => {
    const bare = shotOf({ items: { a: card } })
    expect(nudgesBetween(bare, 11, 1)).toEqual({ a: [0, 0] })
    expect([...standingLayers(bare, 11, 1)]).toEqual(['a'])
    const clip = { shot: '', asset: 'c', file: 'c.mp4', first: 1, last: 9, width: 64, height: 64, rate: 24 }
    const played = { ...card, clip: { ...clip, encoding: 'srgb', curve: 'sensor' } }
    expect([...standingLayers(shotOf({ items: { a: played } }), 11, 1)]).toEqual([])
    const still = { ...card, clip: { ...played.clip, last: 1 } }
    expect([...standingLayers(shotOf({ items: { a: still } }), 11, 1)]).toEqual(['a'])
    const gas = shotOf({ items: { a: makeItem('gas', { name: 'Fire', order: 1 }) } })
    expect([...standingLayers(gas, 11, 1)]).toEqual([])
  })
})

describe('how fast things go for their size', () => {
  it('knows free fall, and what is none', () => {
    const at = (t: number): number => 10 - 0.5 * 9.81 * t * t
    const falling = Array.from({ length: 7 }, (_, n) => at(0.4 + n / 24))
    expect(fallOf(falling, 24)).toBeCloseTo(9.81, 3)
    // Keys every second frame, straight between.
    const keyed = falling.map((y, n) => (n % 2 === 0 ? y : 0.5 * ((falling[n - 1] ?? 0) + (falling[n + 1] ?? 0))))
    expect(Math.abs((fallOf(keyed, 24) ?? 0) / 9.81 - 1)).toBeLessThan(0.1)
    // What it does before and after it falls is left out.
    expect(fallOf([...falling.slice(1, 6), 5, 5], 24)).toBeUndefined()
    expect(fallOf([falling[0] ?? 0, ...falling.slice(0, 5), 20], 24)).toBeCloseTo(9.81, 3)
    // The step in which it lands tells nothing.
    const [before = 0, last = 0] = falling.slice(5)
    expect(fallOf([...falling.slice(0, 6), before - 0.3 * (before - last)], 24)).toBeCloseTo(9.81, 3)
    // It stands, it goes up.
    expect(fallOf([1, 1, 1, 1, 1, 1, 1], 24)).toBeUndefined()
    expect(fallOf([0, 0.1, 0.2, 0.3, 0.4, 0.5, 0.6], 24)).toBeUndefined()
  })

  it('says nothing of what tells nothing', () => {
    const none = { figures: () => undefined, clip: () => undefined }
    expect(speedLines(shotOf({ items: { a: card } }), 5, {}, none)).toEqual({})
  })

  it('holds a fire’s pulse against the law of its width', () => {
    const gas = makeItem('gas', { name: 'Fire', order: 1, shape: 'disc', diameter: 0.25, heat: 60 } as never)
    const law = 1.5 / Math.sqrt(0.25)
    const series = (hertz: number): number[] =>
      Array.from({ length: 120 }, (_, n) => 1 + 0.3 * Math.sin((2 * Math.PI * hertz * n) / 24))
    const lineAt = (share: number) => {
      const wave = series(share * law)
      const figures = { heatKw: wave.map(() => 60), axialFlameLength: wave, baseBuoyancy: wave }
      const sources = { figures: () => figures, clip: () => undefined }
      return speedLines(shotOf({ items: { a: gas } }), 5, {}, sources).a
    }
    expect(lineAt(1)).toMatchObject({ within: true })
    expect(lineAt(2)?.within).toBe(false)
    expect(lineAt(2)?.difference).toBeGreaterThan(70)
  })
})
