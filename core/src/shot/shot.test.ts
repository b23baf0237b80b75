import { describe, expect, it } from 'vitest'
import {
  applyPatch,
  diffPatch,
  ITEM_SCHEMAS,
  makeItem,
  makeShot,
  mergePatch,
  parseShot,
  SETTINGS,
  shotNameSchema,
} from './index.ts'

const plate = {
  asset: 'a',
  file: 'f.mp4',
  width: 64,
  height: 36,
  first: 1,
  last: 10,
  rate: [24, 1] as [number, number],
  encoding: 'srgb' as const,
}
const shot = makeShot('One', plate)

describe('merge patches (RFC 7396, appendix A)', () => {
  it.each([
    [{ a: 'b' }, { a: 'c' }, { a: 'c' }],
    [{ a: 'b' }, { b: 'c' }, { a: 'b', b: 'c' }],
    [{ a: 'b' }, { a: null }, {}],
    [{ a: 'b', b: 'c' }, { a: null }, { b: 'c' }],
    [{ a: ['b'] }, { a: 'c' }, { a: 'c' }],
    [{ a: 'c' }, { a: ['b'] }, { a: ['b'] }],
    [{ a: { b: 'c' } }, { a: { b: 'd', c: null } }, { a: { b: 'd' } }],
    [{ a: [{ b: 'c' }] }, { a: [1] }, { a: [1] }],
    [
      ['a', 'b'],
      ['c', 'd'],
      ['c', 'd'],
    ],
    [{ a: 'b' }, ['c'], ['c']],
    [{ a: 'foo' }, null, null],
    [{ e: null }, { a: 1 }, { e: null, a: 1 }],
    [[1, 2], { a: 'b', c: null }, { a: 'b' }],
    [{}, { a: { bb: { ccc: null } } }, { a: { bb: {} } }],
  ])('%j with %j is %j', (target, patch, result) => {
    expect(mergePatch(target, patch)).toEqual(result)
  })
  it('undo: the patch back from a change restores the document', () => {
    const changed = applyPatch(shot, {
      items: { fire: makeItem('gas', { name: 'Fire', order: 1 }) },
      sit: { fireExposure: -2 },
    })
    expect(applyPatch(changed, diffPatch(changed, shot))).toEqual(shot)
    expect(diffPatch(shot, shot)).toEqual({})
  })
  it('never reach a prototype, at any depth; what stands beside is still applied', () => {
    const bad = '{"bad":1}'
    const patch: unknown = JSON.parse(
      `{"__proto__":${bad},"constructor":{"prototype":${bad}},"b":2,"deep":{"__proto__":${bad},"c":3}}`,
    )
    const result = mergePatch({ a: 1, deep: {} }, patch) as { deep: object; bad?: number; constructor: unknown }
    expect(JSON.stringify(result)).toBe('{"a":1,"deep":{"c":3},"b":2}')
    expect([result.bad, result.constructor, Object.getPrototypeOf(result.deep)]).toEqual([
      undefined,
      Object,
      Object.prototype,
    ])
    expect({}).not.toHaveProperty('bad')
  })
})

it.each([
  ['a/b', 'slashes'],
  ['..', 'more than dots'],
  ['a\ud800b', 'slashes'],
  ['a\0b', 'slashes'],
  ['🔥'.repeat(40), undefined],
  ['🔥'.repeat(60), 'at most|too long'],
  ['50% smoke a%41b?#', undefined],
])('a shot may be called %j or is refused', (name, why) => {
  const { error } = shotNameSchema.safeParse(name)
  if (why) expect(error?.issues[0]?.message).toMatch(new RegExp(why))
  else expect(error).toBeUndefined()
})

describe('a document', () => {
  it('is refused by the field: unknown, negative, not a number, of a wrong kind', () => {
    expect(() => applyPatch(shot, { nonsense: 1 })).toThrow(/nonsense/)
    expect(() => applyPatch(shot, { items: { box: { kind: 'box', name: 'B', order: 1, width: -2 } } })).toThrow(
      /items\.box\.width/,
    )
    expect(() => applyPatch(shot, { sit: { fireExposure: Number.NaN } })).toThrow(/sit\.fireExposure/)
    expect(() => applyPatch(shot, { items: { x: { kind: 'rocket', name: 'R', order: 1 } } })).toThrow(/items\.x/)
    expect(() => applyPatch(shot, { items: { 'Bad/Id': makeItem('ground', { name: 'G', order: 1 }) } })).toThrow(
      /Bad\/Id/,
    )
    expect(() => applyPatch(shot, [])).toThrow(/not a JSON object/)
    expect(() => parseShot(undefined)).toThrow(/document/)
    expect(() => makeItem('gas', { name: '', order: 1 })).toThrow()
  })
  it('is unchanged by a patch that fails', () => {
    const before = JSON.stringify(shot)
    expect(() => applyPatch(shot, { camera: { tilt: 400 } })).toThrow()
    expect(JSON.stringify(shot)).toBe(before)
  })
  it('has label and hint on every field of every kind of item but those that no form shows', () => {
    const HIDDEN = [
      'kind',
      'name',
      'order',
      'shown',
      'locked',
      'follows',
      'motion',
      'position',
      'render',
      'stuck',
      'cutBy',
      'area',
      'passes',
      'line',
      'drawn',
      'points',
      'part',
      'group',
      'mesh',
      'animation',
      'rides',
      'corners',
      'surfacePictures',
      'still',
      'trim',
      'cuts',
      'shapes',
      'helped',
      'takes',
      'painted',
      'cut',
      'standsWith',
      'strikes',
      'stops',
      'stamped',
      'outlines',
      'clip',
      'bitPicture',
      'camera',
      'picture',
      'position',
      'render',
      'passes',
    ]
    for (const [kind, schema] of Object.entries(ITEM_SCHEMAS)) {
      const shown = SETTINGS[kind as keyof typeof ITEM_SCHEMAS].map(({ key }) => key)
      const fields = Object.keys(schema.shape).filter(
        (key) => (shown.includes(key) || !HIDDEN.includes(key)) && key !== 'taken',
      )
      expect([...shown].sort(), kind).toEqual(fields.sort())
    }
  })
  it('is refused where items are made from one another, naming them', () => {
    const items = {
      torch: makeItem('source', { name: 'Torch', order: 1, feeds: 'fire' }),
      fire: { ...makeItem('gas', { name: 'Fire', order: 2 }), piece: 'torch' },
    }
    expect(() => applyPatch(shot, { items })).toThrow('“Torch” is made from “Fire”, which is made from “Torch”.')
    expect(applyPatch(shot, { items: { ...items, fire: { ...items.fire, piece: '' } } }).items).toHaveProperty('torch')
  })
  it('carries label, range and hint on every setting, and its default lies within', () => {
    for (const settings of Object.values(SETTINGS))
      for (const setting of settings) {
        expect(setting.label && setting.hint && setting.group).toBeTruthy()
        if (setting.type !== 'number') continue
        expect(setting.initial).toBeGreaterThanOrEqual(setting.minimum ?? Infinity)
        expect(setting.initial).toBeLessThanOrEqual(setting.maximum ?? -Infinity)
        expect(setting.span?.[0]).toBeGreaterThanOrEqual(setting.minimum ?? Infinity)
      }
    expect(SETTINGS.gas.map(({ key }) => key)).toContain('heat')
    expect(SETTINGS.layer).toHaveLength(32)
  })
})
