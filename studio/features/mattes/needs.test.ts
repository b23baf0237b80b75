import type { FrameNeeds } from '@lantern/core/pipeline'
import { describe, expect, it } from 'vitest'
import { blocksRound, cellsPath, framesText, needOf, partText, uncoveredBy } from './needs.ts'

const frame = (number: number, behind: number, before = 0, uncovered: FrameNeeds['uncovered'] = {}): FrameNeeds => ({
  frame: number,
  width: 4,
  height: 3,
  mattes: { person: { there: true, items: { smoke: { behind, before } }, cells: [], from: 0, to: 1 } },
  items: {},
  uncovered,
})

describe('needs in words', () => {
  it('joins frames that follow one another', () => {
    expect(framesText([1036, 1034, 1035, 1040])).toBe('1034–1036, 1040')
    expect(framesText([])).toBe('')
  })
  it('tells by effect the frames on which it lies behind and before', () => {
    const frames = new Map([frame(1, 0.5), frame(2, 0, 1), frame(3, 0.1, 0.2)].map((one) => [one.frame, one]))
    expect(needOf(frames, 'person').get('smoke')).toEqual({ behind: [1, 3], before: [2, 3] })
    expect(needOf(frames, 'other').size).toBe(0)
  })
  it('says which side, and nothing where most of it is needed', () => {
    expect(partText(0, 0.3)).toBe('left side only')
    expect(partText(0.8, 1)).toBe('right side only')
    expect(partText(0.4, 0.6)).toBe('middle only')
    expect(partText(0.1, 0.95)).toBe('')
    expect(partText(0, 0)).toBe('')
  })
  it('names regions that an effect crosses without a matte', () => {
    const frames = new Map(
      [frame(4, 0, 0, { Worker: ['smoke'] }), frame(5, 0, 0, { Worker: ['fire'] })].map((one) => [one.frame, one]),
    )
    expect([...uncoveredBy(frames, 'smoke')]).toEqual([['Worker', [4]]])
  })
  it('asks for the frames round the shown one first', () => {
    expect(blocksRound(40, 1, 60)).toEqual([
      [33, 48],
      [17, 32],
      [49, 60],
      [1, 16],
    ])
  })
  it('draws the outline of cells and no line between them', () => {
    const path = cellsPath([5, 6], { width: 4, height: 3 }, { width: 40, height: 30 })
    expect(path.match(/H/g)).toHaveLength(4)
    expect(path.match(/V/g)).toHaveLength(2)
    expect(path).toContain('M10.0 10.0H20.0')
  })
})
