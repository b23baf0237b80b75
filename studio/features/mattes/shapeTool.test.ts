import { type MattePoint, matteSchema, pointsAt } from '@lantern/core/mattes'
import { applyPatch, makeItem, makeShot, type ShotDocument } from '@lantern/core/shot'
import { describe, expect, it } from 'vitest'
import { down, finishShape, gripOf, move, press, type ShapeContext, START, twice, up } from './shapeTool.ts'

const shot = (): ShotDocument =>
  makeShot('One', {
    asset: 'a',
    file: 'f',
    width: 640,
    height: 360,
    first: 1,
    last: 9,
    rate: [24, 1],
    encoding: 'srgb',
  })
const context = (document: ShotDocument, over: Partial<ShapeContext> = {}): ShapeContext => ({
  document,
  matte: '',
  shape: '',
  drawing: false,
  frame: 1,
  scope: 'frame',
  reach: 6,
  fresh: () => 'a1',
  ...over,
})
const CORNERS = [
  [100, 100],
  [200, 100],
  [200, 200],
  [100, 200],
] as const
/** A matte of a square, as the hand draws it. */
function drawn(): { document: ShotDocument; own: ShapeContext } {
  const drawing = context(shot(), { drawing: true })
  let state = START
  for (const corner of CORNERS) {
    state = down(drawing, state, corner).state
    state = up(drawing, state, corner).state
  }
  const result = down(drawing, state, [101, 101])
  const document = applyPatch(drawing.document, result.edit ?? {})
  expect(result.chosen).toEqual({ matte: 'matte-a1', shape: 'shape-a1' })
  return { document, own: context(document, { matte: 'matte-a1', shape: 'shape-a1' }) }
}
const pointsOf = (document: ShotDocument, frame = 1): readonly MattePoint[] => {
  const item = matteSchema.parse(document.items['matte-a1'])
  const shape = item.shapes['shape-a1']
  return shape ? pointsAt(shape, frame) : []
}

describe('drawing a shape', () => {
  it('closes at its first point, and is a matte then', () => {
    expect(pointsOf(drawn().document).map(({ at }) => at)).toEqual(CORNERS.map((at) => [...at]))
  })
  it('bends where the hand is drawn on, takes its last point back, and is none of less than two', () => {
    const drawing = context(shot(), { drawing: true })
    const begun = move(drawing, down(drawing, START, [50, 50]).state, [90, 60])
    expect(begun.state.drawn[0]).toMatchObject({ after: [40, 10], before: [-40, -10] })
    expect(press(drawing, begun.state, 'Backspace', false)?.state.drawn).toEqual([])
    expect(finishShape(drawing, begun.state).edit).toBeUndefined()
  })
})

describe('changing a shape', () => {
  const done = (
    { document, own }: ReturnType<typeof drawn>,
    from: readonly [number, number],
    to: readonly [number, number],
  ) => {
    const taken = down(own, START, from)
    expect(move(own, taken.state, to).preview).toBeDefined()
    return applyPatch(document, up(own, taken.state, to).edit ?? {})
  }
  it('moves a point, or the whole of it by its inside', () => {
    expect(pointsOf(done(drawn(), [200, 100], [210, 90]))[1]?.at).toEqual([210, 90])
    expect(
      pointsOf(done(drawn(), [150, 150], [160, 150])).every(({ at }, n) => at[0] === (CORNERS[n]?.[0] ?? 0) + 10),
    ).toBe(true)
  })
  it('is turned and scaled by its grip about its middle', () => {
    const { document, own } = drawn()
    const grip = gripOf(pointsOf(document), own.reach)
    const twiceAsFar = [150 + 2 * (grip[0] - 150), 150 + 2 * (grip[1] - 150)] as const
    const [first] = pointsOf(done({ document, own }, grip, twiceAsFar))
    expect(first?.at[0]).toBeCloseTo(50, 0)
    expect(first?.at[1]).toBeCloseTo(50, 0)
  })
  it('keeps a key on its frame, or is changed on all of them', () => {
    const { document, own } = drawn()
    const later = done({ document, own: { ...own, frame: 5 } }, [150, 150], [190, 150])
    expect([pointsOf(later, 1)[0]?.at[0], pointsOf(later, 5)[0]?.at[0]]).toEqual([100, 140])
    const all = { ...own, document: later, frame: 5, scope: 'all' as const }
    const moved = done({ document: later, own: all }, [190, 150], [190, 160])
    expect([pointsOf(moved, 1)[0]?.at[1], pointsOf(moved, 5)[0]?.at[1]]).toEqual([110, 110])
  })
  it('takes a point more by a double click on a side, makes one smooth and sharp again, and removes it by Delete', () => {
    const { document, own } = drawn()
    const more = twice(own, START, [150, 100])
    const five = applyPatch(document, more.edit ?? {})
    expect(pointsOf(five)).toHaveLength(5)
    const now = { ...own, document: five }
    const smooth = applyPatch(five, twice(now, START, [200, 100]).edit ?? {})
    const at = pointsOf(five).findIndex((point) => point.at[0] === 200 && point.at[1] === 100)
    expect(pointsOf(smooth)[at]?.after).not.toEqual([0, 0])
    const sharp = applyPatch(smooth, twice({ ...own, document: smooth }, START, [200, 100]).edit ?? {})
    expect(pointsOf(sharp)[at]?.after).toEqual([0, 0])
    const gone = press(now, more.state, 'Delete', false)
    expect(pointsOf(applyPatch(five, gone?.edit ?? {}))).toHaveLength(4)
  })
  it('is let alone where it is locked, or the click meets none', () => {
    const { document, own } = drawn()
    expect(down(own, START, [500, 300]).state).toEqual(START)
    const locked = applyPatch(document, { items: { 'matte-a1': { locked: true } } })
    expect(down({ ...own, document: locked }, START, [150, 150]).state).toEqual(START)
    expect(makeItem('matte', { name: 'None', order: 1 }).shapes).toEqual({})
  })
})
