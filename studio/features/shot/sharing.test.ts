import { describe, expect, it } from 'vitest'
import { sharing } from './sharing.ts'

const made = (amount: number) => ({
  sit: { layers: { crate: { amount }, cart: { amount: 1 } }, list: [1, [2, 3]] },
  name: 'yard',
})

describe('sharing', () => {
  it('keeps what is equal and gives what is not', () => {
    const old = made(1)
    expect(sharing(old, made(1))).toBe(old)
    const next = sharing(old, made(0.5))
    expect(next).toEqual(made(0.5))
    expect(next).not.toBe(old)
    expect(next.sit.layers.crate).not.toBe(old.sit.layers.crate)
    expect(next.sit.layers.cart).toBe(old.sit.layers.cart)
    expect(next.sit.list).toBe(old.sit.list)
    expect(old).toEqual(made(1))
  })
  it('keeps maps and sets of the same', () => {
    const rows = () => [{ kept: new Set([1, 2]), values: new Map([[1, { px: 0.5 }]]) }, { icon: String }]
    const old = rows()
    expect(sharing(old, rows())).toBe(old)
    const [first] = sharing(old, [{ kept: new Set([1]), values: new Map([[1, { px: 0.5 }]]) }, { icon: String }])
    expect(first?.kept).toEqual(new Set([1]))
    expect(first?.values).toBe(old[0]?.values)
  })
  it('leaves what is no plain data as it is', () => {
    const next = { values: new Float32Array([1]) }
    expect(sharing({ values: new Float32Array([1]) }, next)).toBe(next)
  })
  it.each([
    [{ a: 1, b: 2 }, { a: 1 }],
    [{ a: 1 }, { a: 1, b: undefined }],
    [
      [1, 2],
      [1, 2, 3],
    ],
    [[1, 2], { 0: 1, 1: 2 }],
    [{ a: null }, { a: {} }],
    [undefined, { a: 1 }],
    [{ a: { b: 1 } }, { a: { b: '1' } }],
    [new Map([[1, 2]]), new Map([[1, 3]])],
    [new Map([[1, 2]]), new Map([[2, 2]])],
    [new Set([1, 2]), new Set([1, 3])],
  ])('takes %j to %j for a change', (old, next) => {
    const copy = structuredClone(next)
    expect(sharing(old, next)).toStrictEqual(copy)
    expect(sharing(old, structuredClone(copy))).not.toBe(old)
  })
})
