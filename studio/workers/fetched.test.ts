import { makeImage, type Picture } from '@lantern/core/data'
import { describe, expect, it } from 'vitest'
import { few, fewBytes, pictureBytes } from './fetched.ts'

describe('what is kept at hand', () => {
  it('is so many of the newest', () => {
    const kept = few<number>(2)
    kept.put('a', 1)
    kept.put('b', 2)
    kept.get('a')
    kept.put('c', 3)
    expect([kept.get('a'), kept.get('b'), kept.get('c')]).toEqual([1, undefined, 3])
  })

  it('is as many as so many bytes hold, the newest always', () => {
    const kept = fewBytes<string>(10, (value) => value.length)
    kept.put('a', 'four')
    kept.put('b', 'five5')
    kept.get('a')
    kept.put('c', 'six666')
    expect([kept.get('a'), kept.get('b'), kept.get('c')]).toEqual(['four', undefined, 'six666'])
    kept.put('a', 'x')
    kept.put('d', 'three')
    expect([kept.get('a'), kept.get('c'), kept.get('d')]).toEqual(['x', undefined, 'three'])
    kept.put('e', 'much too long for it')
    expect([kept.get('a'), kept.get('e')]).toEqual([undefined, 'much too long for it'])
  })

  it('counts the images of a picture', () => {
    const one = makeImage(4, 2, 1)
    const layer = { id: 'a', x: 0, y: 0, width: 4, height: 2, alpha: one, sun: one }
    const picture = { width: 4, height: 2, layers: [layer], sunlit: one } as unknown as Picture
    expect(pictureBytes(picture)).toBe(3 * 32)
  })
})
