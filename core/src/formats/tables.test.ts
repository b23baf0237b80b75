import { describe, expect, it } from 'vitest'
import { LanternError, random } from '../base/index.ts'
import { readMotionCsv, readPoints } from './index.ts'

const bytes = (text: string): Uint8Array => new TextEncoder().encode(text)
const refusal = (work: () => unknown): LanternError => {
  try {
    work()
  } catch (error) {
    if (error instanceof LanternError) return error
    throw error
  }
  throw new Error('it was not refused')
}

describe('a table of points', () => {
  it('gives each frame its points, with a radius of its own or the usual one', () => {
    const table = readPoints(bytes('frame,x,y,z,radius\n2,1,2,3,0.5\n1,0,0,0,\n2,4,5,6,0\n'), 'sparks.csv')
    expect([table.frames, table.count, table.first, table.last]).toEqual([2, 3, 1, 2])
    expect(table.at(2)).toEqual([1, 2, 3, 0.5, 4, 5, 6, 0])
    expect(table.at(1).slice(0, 3)).toEqual([0, 0, 0])
    expect(table.at(3)).toEqual([])
    expect(readPoints(bytes('z,y,x,FRAME \n3,2,1,7\n'), 'a.csv').at(7)).toEqual([1, 2, 3, 0.05])
  })
  it.each([
    ['x,y,z\n1,2,3\n', /has no column called frame/],
    ['frame,x,y\n1,2,3\n', /no column called z/],
    ['frame,x,y,z\n', /has no rows/],
    ['', /no column/],
    ['frame,x,y,z\n1,2,3,4\n1,2,,4\n3,a,0,0\n', /row 4 that is no point: 3, a, 0, 0/],
    ['frame,x,y,z\n1.5,0,0,0\n', /row 2/],
    ['frame,x,y,z\n1,0,0,2e9\n', /row 2/],
    ['frame,x,y,z,radius\n1,0,0,0,-1\n', /row 2/],
    ['frame,x,y,z\n1,Infinity,0,0\n', /row 2/],
  ])('%j is refused by the row or column', (text, told) => {
    const error = refusal(() => readPoints(bytes(text), 'sparks.csv'))
    expect(error.message).toMatch(told)
    expect(error.message).toMatch(/^sparks\.csv /)
    expect(error.remedy).toMatch(/frame, x, y, z/)
  })
})

describe('a table of a motion', () => {
  it('comes in order of its frames, with angles where it has them', () => {
    expect(readMotionCsv(bytes('frame,x,y,z,turn\n1010,1,0,0,90\n1001,0,0,0,\n'), 'beam.csv')).toEqual([
      { frame: 1001, position: [0, 0, 0], turn: 0, tilt: 0, roll: 0 },
      { frame: 1010, position: [1, 0, 0], turn: 90, tilt: 0, roll: 0 },
    ])
  })
  it.each([
    ['frame,x,y\n1,0,0\n', /no column called z/],
    ['frame,x,y,z\n', /has no rows/],
    ['frame,x,y,z\n1,0,0,0\n1,1,1,1\n', /has frame 1 twice/],
    ['frame,x,y,z\n1,0,0,far\n', /row 2 that is no place: 1, 0, 0, far/],
    ['frame,x,y,z\n1.5,0,0,0\n', /row 2/],
    ['frame,x,y,z,roll\n1,0,0,0,1e9\n', /row 2/],
  ])('%j is refused by the row, column or frame', (text, told) => {
    const error = refusal(() => readMotionCsv(bytes(text), 'beam.csv'))
    expect(error.message).toMatch(told)
    expect(error.remedy).toMatch(/columns frame, x, y, z/)
  })
  it('of more rows than a motion may have is refused by their number', () => {
    const text = `frame,x,y,z\n${Array.from({ length: 20001 }, (_, n) => `${n},0,0,0`).join('\n')}\n`
    expect(refusal(() => readMotionCsv(bytes(text), 'beam.csv')).message).toMatch(/20001 rows; 20000 are the most/)
  })
})

it.each([
  ['points', readPoints, 'frame,x,y,z,radius\n1,0.5,1.5,-2,0.1\n2,0.6,1.4,-2,0.1\n'],
  ['motion', readMotionCsv, 'frame,x,y,z,turn\n1,0,0,0,10\n9,1,2,3,20\n'],
] as const)('damaged tables of %s are read or refused plainly', (_, read, text) => {
  const whole = bytes(text)
  for (let seed = 0; seed < 250; seed++) {
    const stream = random(seed)
    const damaged = whole.slice(0, 1 + Math.floor(stream.next() * whole.length))
    for (let flips = Math.floor(stream.next() * 5); flips > 0; flips--)
      damaged[Math.floor(stream.next() * damaged.length)] = Math.floor(stream.next() * 256)
    try {
      read(damaged, 'x.csv')
    } catch (error) {
      expect(error, `seed ${seed}`).toBeInstanceOf(LanternError)
    }
  }
})
