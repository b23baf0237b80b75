import { describe, expect, it } from 'vitest'
import { recipeKey } from '../base/index.ts'
import type { MatteFrame } from '../data/index.ts'
import { makeItem, makeShot, type ShotDocument } from '../shot/index.ts'
import { carriedRuns, drawnKeepOuts, keptOutAt, plainKeepOuts } from './keepOuts.ts'
import { followSettings, tracksRecipe } from './match.ts'

const box = (x: number, y: number, wide: number, high: number) =>
  [
    [x, y],
    [x + wide, y],
    [x + wide, y + high],
    [x, y + high],
  ].map(([u, v]) => ({ at: [u, v] as [number, number] }))
const shape = { name: 'Shape', order: 1, keys: [{ frame: 1, points: box(10, 10, 20, 20) }] }
const strokes = { a: { order: 1, frame: 1, inside: true, points: [[28, 20]] } }
function shot(person: object, other: object = {}): ShotDocument {
  const plate = { asset: 'a', file: 'f', width: 64, height: 48, first: 1, last: 9, rate: [24, 1], encoding: 'srgb' }
  const made = makeShot('One', plate as Parameters<typeof makeShot>[1])
  made.items.person = makeItem('matte', { name: 'Person', order: 1, keepsOut: true, ...person } as never)
  made.items.other = makeItem('matte', { name: 'Other', order: 2, ...other } as never)
  return made
}
const kept: MatteFrame = {
  width: 64,
  height: 48,
  x: 40,
  y: 20,
  wide: 10,
  high: 10,
  alpha: new Uint8Array(100).fill(255),
  inside: new Uint8Array(100).fill(1),
}
const helped = { from: 1, to: 9, strokes, carried: 1 }
const out = (document: ShotDocument, x: number, y: number, track?: (id: string, frame: number) => [number, number][]) =>
  keptOutAt(document, 3, (id) => (id === 'person' ? kept : undefined), { track }).out[(y >> 1) * 32 + (x >> 1)]

describe('mattes that keep the match out', () => {
  it('are asked place by place where they are drawn, and drawn frame by frame where they are carried, taken or riding', () => {
    const kinds = (document: ShotDocument) => [plainKeepOuts(document).length, drawnKeepOuts(document).length]
    expect(kinds(shot({ shapes: { shape } }))).toEqual([1, 0])
    expect(kinds(shot({ shapes: { shape }, helped }))).toEqual([0, 1])
    expect(kinds(shot({ takes: { t: { of: 'other', order: 1 } } }))).toEqual([0, 1])
    expect(kinds(shot({ shapes: { shape: { ...shape, rides: { on: 'track.t', frame: 1 } } } }))).toEqual([0, 1])
    expect(kinds(shot({ shapes: { shape }, keepsOut: false }))).toEqual([0, 0])
    expect(kinds(shot({ shapes: { shape }, shown: false }))).toEqual([0, 0])
  })
  it('keep out what a carried frame covers, and what they take of others', () => {
    expect(out(shot({ helped }), 44, 24)).toBe(1)
    expect(out(shot({ helped }), 20, 20)).toBe(0)
    const taking = shot({ helped, takes: { t: { of: 'other', order: 1 } } }, { shapes: { shape } })
    expect([out(taking, 44, 24), out(taking, 20, 20)]).toEqual([1, 1])
    const document = shot({ helped })
    const masks = Array.from({ length: 9 }, (_, n) => keptOutAt(document, n + 1, () => kept))
    const { keptOut } = followSettings(document, masks)
    expect([keptOut?.(2, 44, 24), keptOut?.(2, 20, 20)]).toEqual([true, false])
  })
  it('go with a track by hand', () => {
    const riding = shot({ shapes: { shape: { ...shape, rides: { on: 'track.t', frame: 1 } } } })
    const track = (_: string, frame: number): [number, number][] => [[10 * frame, 0]]
    expect([out(riding, 14, 20, track), out(riding, 44, 20, track)]).toEqual([0, 1])
  })
  it('make other tracks when what they cover changes, and none where they keep nothing out', () => {
    const key = (document: ShotDocument): string => recipeKey(tracksRecipe(document))
    expect(key(shot({ helped }))).not.toBe(key(shot({ helped, keepsOut: false })))
    expect(key(shot({ helped: { ...helped, from: 2 } }))).not.toBe(key(shot({ helped })))
    const takes = { t: { of: 'other', order: 1 } }
    expect(key(shot({ takes }, { shapes: { shape } }))).not.toBe(key(shot({ takes })))
    expect(carriedRuns(shot({ helped, takes }), 'person').map(({ item }) => item)).toEqual(['person'])
    // A ring of mattes ends.
    expect(() => key(shot({ takes }, { takes: { t: { of: 'person', order: 1 } } }))).not.toThrow()
  })
})
