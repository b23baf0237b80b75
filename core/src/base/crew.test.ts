import { describe, expect, it, vi } from 'vitest'
import { LanternError, makeCrew } from './index.ts'

describe('a crew', () => {
  it('of one works where memory can’t be shared', () => {
    vi.stubGlobal('SharedArrayBuffer', undefined)
    const crew = makeCrew(1)
    const at = crew.heap.alloc(4 * 40)
    crew.run('fill', [at, 7, 10], 4)
    crew.end()
    vi.unstubAllGlobals()
    expect([...crew.heap.f32(at, 40)]).toEqual(Array.from({ length: 40 }, () => 7))
  })
  it('hands memory out aligned, grows it, and takes it back to a mark', () => {
    const { heap } = makeCrew(1)
    const mark = heap.mark()
    const [a, b] = [heap.alloc(1), heap.alloc(20 << 20)]
    expect([a % 64, b % 64]).toEqual([0, 0])
    expect(b).toBeGreaterThanOrEqual(a + 65)
    expect(heap.used()).toBeGreaterThan(20 << 20)
    heap.release(mark)
    expect(heap.used()).toBeLessThan(1 << 20)
    expect(heap.peak()).toBeGreaterThan(20 << 20)
    expect(heap.alloc(1)).toBe(a)
  })
  it('says how much is too much, and what to do', () => {
    expect(() => makeCrew(1).heap.alloc(5 * 2 ** 30)).toThrow(LanternError)
    expect(() => makeCrew(1).heap.alloc(5 * 2 ** 30)).toThrow(/5\.0 GiB at once; 4 GiB is the most/)
  })
  it('knows its kernels by name', () => {
    // A name that only JavaScript would let through.
    const name = 'none' as 'fill'
    expect(() => makeCrew(1).run(name, [], 1)).toThrow(/No kernel is called none/)
  })
  it('refuses a call that lacks an argument, and says which', () => {
    const crew = makeCrew(1)
    const lacking = { dst: crew.heap.alloc(64), value: 1 } as { dst: number; value: number; chunk: number }
    expect(() => crew.run('fill', lacking, 1)).toThrow(/fill lacks its argument chunk/)
    expect(() => crew.run('fill', [lacking.dst, 1], 1)).toThrow(/fill takes 3 arguments, not 2/)
    crew.run('fill', { ...lacking, chunk: 4 }, 1)
    expect([...crew.heap.f32(lacking.dst, 4)]).toEqual([1, 1, 1, 1])
  })
})
