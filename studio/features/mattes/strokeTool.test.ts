import { applyPatch, makeShot, type ShotDocument } from '@lantern/core/shot'
import { describe, expect, it } from 'vitest'
import { canCut, down, helpedOf, move, NO_STROKE, type StrokeContext, up } from './strokeTool.ts'

const plate = { asset: 'a', file: 'f', width: 640, height: 360, first: 1, last: 99, rate: [24, 1], encoding: 'srgb' }
const blank = makeShot('One', plate as ShotDocument['plate'])
let fresh = 0
const context = (document: ShotDocument, over: Partial<StrokeContext> = {}): StrokeContext => ({
  document,
  matte: '',
  frame: 10,
  inside: true,
  width: 4,
  step: 2,
  fresh: () => `n${++fresh}`,
  ...over,
})
/** Draws a stroke and returns the document after it, and the matte. */
function drawn(document: ShotDocument, over: Partial<StrokeContext> = {}): { document: ShotDocument; id: string } {
  const own = context(document, over)
  let { state } = down(own, NO_STROKE, [100, 50])
  for (let x = 101; x <= 130; x++) state = move(own, state, [x, 50]).state
  const { edit, stroked = '' } = up(own, state)
  return { document: applyPatch(document, edit ?? {}), id: stroked }
}

describe('strokes by hand', () => {
  it('make a matte of their own where none is chosen, wanted around the frame within the plate', () => {
    const { document, id } = drawn(blank)
    const helped = helpedOf(document, id)?.helped
    expect(helped).toMatchObject({ from: 1, to: 30, carried: 0 })
    const [one] = Object.values(helped?.strokes ?? {})
    expect(one).toMatchObject({ frame: 10, inside: true, width: 4, round: 0 })
    // Places nearer than the step are passed over.
    expect(one?.points).toHaveLength(16)
  })
  it('join the chosen matte, in the order in which they are drawn', () => {
    const first = drawn(blank)
    const second = drawn(first.document, { matte: first.id, inside: false, frame: 12 })
    expect(second.id).toBe(first.id)
    const strokes = Object.values(helpedOf(second.document, first.id)?.helped.strokes ?? {})
    expect(strokes.map(({ order, inside, frame }) => [order, inside, frame]).sort()).toEqual([
      [1, true, 10],
      [2, false, 12],
    ])
  })
  it('can be cut with both sides at first, then with either', () => {
    const one = drawn(blank)
    const helped = helpedOf(one.document, one.id)?.helped
    if (!helped) throw new Error('no matte')
    expect(canCut(helped, 10)).toBe(false)
    const both = helpedOf(drawn(one.document, { matte: one.id, inside: false }).document, one.id)?.helped
    expect(both && canCut(both, 10)).toBe(true)
    const later = drawn(applyPatch(one.document, { items: { [one.id]: { helped: { carried: 1 } } } }), {
      matte: one.id,
    })
    const corrected = helpedOf(later.document, one.id)?.helped
    expect(corrected && canCut(corrected, 10)).toBe(true)
    expect(corrected && canCut(corrected, 11)).toBe(false)
    expect(
      Object.values(corrected?.strokes ?? {})
        .map(({ round }) => round)
        .sort(),
    ).toEqual([0, 1])
  })
  it('open a frame that was accepted', () => {
    const one = drawn(blank)
    const accepted = { 10: { round: 1, blob: 'b', key: 'k' }, 11: { round: 1, blob: 'b', key: 'k' } }
    const document = applyPatch(one.document, { items: { [one.id]: { helped: { carried: 1, accepted } } } })
    const after = helpedOf(drawn(document, { matte: one.id }).document, one.id)?.helped
    expect(Object.keys(after?.accepted ?? {})).toEqual(['11'])
  })
  it('are none on a locked matte, and none of a click that never went down', () => {
    const one = drawn(blank)
    const locked = applyPatch(one.document, { items: { [one.id]: { locked: true } } })
    expect(up(context(locked, { matte: one.id }), { drawn: [[1, 1]] }).edit).toBeUndefined()
    expect(up(context(blank), NO_STROKE).edit).toBeUndefined()
  })
})
