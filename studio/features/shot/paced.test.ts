import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { paced } from './paced.ts'

describe('work at a pace', () => {
  beforeEach(() => void vi.useFakeTimers({ toFake: ['setTimeout', 'clearTimeout', 'performance'] }))
  afterEach(() => void vi.useRealTimers())
  const set = (takes: number) => {
    const work = vi.fn(() => undefined)
    let time = 0
    const clock = (): number => time
    work.mockImplementation(() => void (time += takes))
    const pass = async (ms: number): Promise<void> => {
      await Promise.resolve()
      time += ms
      await vi.advanceTimersByTimeAsync(ms)
    }
    return { work, pass, ...paced(work, clock) }
  }
  it('is done at once, and then after a pause as long as it took, once for all that asked', async () => {
    const { work, pass, ask } = set(50)
    ask()
    expect(work).toHaveBeenCalledTimes(1)
    await pass(10)
    ask()
    await pass(10)
    ask()
    expect(work).toHaveBeenCalledTimes(1)
    await pass(40)
    expect(work).toHaveBeenCalledTimes(2)
    await pass(200)
    expect(work).toHaveBeenCalledTimes(2)
  })
  it('never waits where it takes no time', async () => {
    const { work, pass, ask } = set(0)
    for (let n = 0; n < 5; n++) {
      ask()
      await pass(1)
    }
    expect(work).toHaveBeenCalledTimes(5)
  })
  it('is done now where that is asked for, and what waited is done with it', async () => {
    const { work, pass, ask, now } = set(50)
    ask()
    await pass(1)
    ask()
    now()
    expect(work).toHaveBeenCalledTimes(2)
    await pass(500)
    expect(work).toHaveBeenCalledTimes(2)
  })
})
