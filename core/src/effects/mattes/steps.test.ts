import { describe, expect, it } from 'vitest'
import { helpedMatte } from '../../mattes/index.ts'
import { helpedSteps, matteFrameKey, matteFrames, matteSize, openStrokes, stepFrameKeys, strokeKeyOf } from './steps.ts'

const plate = { asset: 'a', encoding: 'srgb', width: 1280, height: 720, first: 1001, last: 1120 }
const stroke = (order: number, frame: number, round = 0, inside = true) => ({
  order,
  frame,
  inside,
  width: 4,
  round,
  points: [
    [10, 10],
    [20, 30],
  ],
})
const matte = (strokes: Record<string, ReturnType<typeof stroke>>, over: object = {}) =>
  helpedMatte.parse({ from: 1040, to: 1080, strokes, carried: 1, ...over })
const two = { a: stroke(1, 1040), b: stroke(2, 1080) }
const keysOf = (helped: ReturnType<typeof matte>) => stepFrameKeys(helpedSteps(helped, plate), helped, plate)

describe('the steps of a helped matte', () => {
  it('begin with all strokes of the first round, over the frames that are wanted and those around', () => {
    expect(matteFrames(matte(two), plate)).toEqual({ first: 1022, last: 1098 })
    expect(helpedSteps(matte(two), plate)).toMatchObject([{ round: 0, from: 1022, to: 1098 }])
    expect(matteFrames(helpedMatte.parse({ from: 1119, to: 1003 }), plate)).toEqual({ first: 1001, last: 1120 })
  })
  it('are none before it is carried, or without strokes', () => {
    expect(helpedSteps(matte(two, { carried: 0 }), plate)).toEqual([])
    expect(helpedSteps(matte({}), plate)).toEqual([])
  })
  it('go on with one step a corrected frame, between the keyed frames around it', () => {
    const helped = matte({ ...two, c: stroke(3, 1060, 1), d: stroke(4, 1070, 1) }, { carried: 2 })
    expect(helpedSteps(helped, plate).map(({ frame, from, to }) => [frame, from, to])).toEqual([
      [undefined, 1022, 1098],
      [1060, 1041, 1079],
      [1070, 1061, 1079],
    ])
  })
  it('leave the keys of frames that no correction touches', () => {
    const before = keysOf(matte(two))
    const after = keysOf(matte({ ...two, c: stroke(3, 1050, 1) }, { carried: 2 }))
    for (const [frame, key] of before)
      if (frame > 1040 && frame < 1080) expect(after.get(frame), String(frame)).not.toBe(key)
      else expect(after.get(frame), String(frame)).toBe(key)
  })
  it('hold an accepted frame by its own key, and stop corrections there', () => {
    const helped = matte(
      { ...two, c: stroke(3, 1050, 1) },
      { carried: 2, accepted: { 1060: { round: 1, blob: 'file', key: 'kept' } } },
    )
    expect(keysOf(helped).get(1060)).toBe('kept')
    expect(helpedSteps(helped, plate).at(-1)).toMatchObject({ from: 1041, to: 1059 })
  })
  it('hang on the order of strokes, not on their names', () => {
    expect(keysOf(matte({ z: stroke(1, 1040), y: stroke(2, 1080) }))).toEqual(keysOf(matte(two)))
    expect(keysOf(matte({ a: stroke(2, 1040), b: stroke(1, 1080) })).get(1050)).not.toBe(keysOf(matte(two)).get(1050))
  })
  it('know which frames have new strokes, and name the cut of one by itself', () => {
    const helped = matte({ ...two, c: stroke(3, 1060, 1) })
    expect(openStrokes(helped, plate)).toEqual([1060])
    const key = strokeKeyOf(helped, plate, 1060)
    expect(strokeKeyOf(matte({ ...two, c: stroke(3, 1060, 1, false) }), plate, 1060)).not.toBe(key)
    expect(matteFrameKey(helped, plate, 1060)).toBe(keysOf(matte(two)).get(1060))
    expect(matteFrameKey(helped, plate, 1101)).toBeUndefined()
  })
  it('cut wide plates at half or a quarter of their size', () => {
    expect([1280, 1920, 2048, 3840, 4096].map((width) => matteSize({ width }))).toEqual([
      'full',
      'full',
      'half',
      'half',
      'quarter',
    ])
  })
})
