import { describe, expect, it } from 'vitest'
import { NO_GRAIN, plateGrain } from './stack.ts'

const law = (level: number) => ({ floor: [level, level, level], slope: [0, 0, 0], spread: 0.1 }) as const

describe('a plate’s grain', () => {
  it('is that of many frames where a report is kept, else of the frame that was read, else none', () => {
    expect(plateGrain({ grain: law(2) }, law(1))).toEqual(law(2))
    expect(plateGrain(undefined, law(1))).toEqual(law(1))
    expect(plateGrain(undefined, undefined)).toBe(NO_GRAIN)
  })
})
