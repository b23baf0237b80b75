import { describe, expect, it } from 'vitest'
import { emptyParticles, type ParticleFrame } from '../data/index.ts'
import { particleRows, readParticleCsv, readParticlePly, writeParticlePly } from './index.ts'

function some(count: number): ParticleFrame {
  const frame = emptyParticles(count)
  for (let n = 0; n < count; n++) {
    frame.ids[n] = 4_000_000_000 + n
    frame.states[n] = n % 3
    for (let c = 0; c < 3; c++) {
      frame.positions[3 * n + c] = 1.25 * n - c
      frame.velocities[3 * n + c] = 0.5 * n * (c - 1)
    }
    frame.sizes[n] = 0.001 * (n + 1)
    frame.ages[n] = n / 24
    frame.temperatures[n] = 1200 - n
    frame.spins[n] = n / 8
  }
  return frame
}
const bytes = (text: string): Uint8Array => new TextEncoder().encode(text)
const same = (a: ParticleFrame | undefined, b: ParticleFrame): void => {
  expect(a?.count).toBe(b.count)
  for (const name of ['ids', 'states', 'positions', 'velocities', 'sizes', 'ages', 'temperatures', 'spins'] as const)
    for (let n = 0; n < b[name].length; n++)
      expect(Math.abs((a?.[name][n] ?? Number.NaN) - (b[name][n] ?? 0))).toBeLessThanOrEqual(
        1e-6 * Math.abs(b[name][n] ?? 0),
      )
}

describe('tables of particles', () => {
  it('come back as they went out, frame by frame', () => {
    const text =
      particleRows(some(4), 1001, true) +
      particleRows(emptyParticles(), 1002, false) +
      particleRows(some(2), 1003, false)
    const back = readParticleCsv(bytes(text), 'sparks.csv')
    expect([...back.keys()]).toEqual([1001, 1003])
    same(back.get(1001), some(4))
    same(back.get(1003), some(2))
  })
  it('need no more than frame and place', () => {
    const frame = readParticleCsv(bytes('Frame,X,Y,Z\n7,1,2,-3\n'), 'p.csv').get(7)
    expect([...(frame?.positions ?? [])]).toEqual([1, 2, -3])
    expect(frame?.sizes[0]).toBeCloseTo(0.005, 6)
    expect(frame?.temperatures[0]).toBeCloseTo(288.15, 3)
  })
  it.each([
    ['frame,x,y,z\n1,0,NaN,0\n', /row 2 that is no particle/],
    ['frame,x,y,z\n1,0,0,0\n1,0,,0\n', /row 3 that is no particle/],
    ['frame,x,y,z\n1,0,1e300,0\n', /row 2 that is no particle/],
    ['frame,x,y,z,size\n1,0,0,0,-2\n', /row 2 that is no particle/],
    ['frame,x,y,z\n1.5,0,0,0\n', /row 2 without a whole number/],
    ['frame,x,y,z\n,0,0,0\n', /row 2 without a whole number/],
    ['frame,x,y\n1,0,0\n', /no column called z/],
    ['frame,x,y,z\n', /no rows/],
  ])('are refused by their row: %s', (text, message) => {
    expect(() => readParticleCsv(bytes(text), 'bad.csv')).toThrow(message)
  })
})

describe('point clouds of particles', () => {
  it('come back as they went out', () => {
    same(readParticlePly(writeParticlePly(some(5), 1001), 'a.ply'), some(5))
    expect(readParticlePly(writeParticlePly(emptyParticles(), 1), 'a.ply').count).toBe(0)
  })
  it('are read as text, and big-endian, with a radius and columns that mean nothing here', () => {
    const head = (format: string) =>
      `ply\nformat ${format} 1.0\nelement vertex 2\nproperty float x\nproperty float y\nproperty double z\nproperty uchar red\nproperty float radius\nend_header\n`
    const text = readParticlePly(bytes(`${head('ascii')}1 2 3 255 0.5\n4 5 6 0 0.25\n`), 'a.ply')
    expect([...text.positions]).toEqual([1, 2, 3, 4, 5, 6])
    expect([...text.sizes]).toEqual([1, 0.5])
    const body = new DataView(new ArrayBuffer(2 * 21))
    ;[1, 2].forEach((v, n) => {
      body.setFloat32(21 * n, v)
      body.setFloat64(21 * n + 8, -v)
      body.setFloat32(21 * n + 17, 0.125)
    })
    const big = readParticlePly(
      Uint8Array.from([...bytes(head('binary_big_endian')), ...new Uint8Array(body.buffer)]),
      'a.ply',
    )
    expect([...big.positions]).toEqual([1, 0, -1, 2, 0, -2])
    expect(big.sizes[0]).toBe(0.25)
  })
  it.each([
    ['solid thing', /no PLY/],
    ['ply\nformat ascii 1.0\nelement face 1\nproperty list uchar int a\nend_header\n', /begins with face/],
    ['ply\nformat ascii 1.0\nelement vertex 1\nproperty float x\nproperty float y\nend_header\n1 2\n', /has no z/],
    [
      'ply\nformat ascii 1.0\nelement vertex 9999999999\nproperty float x\nproperty float y\nproperty float z\nend_header\n',
      /are the most/,
    ],
    [
      'ply\nformat ascii 1.0\nelement vertex 2\nproperty float x\nproperty float y\nproperty float z\nend_header\n1 2 3\n',
      /ends before its last point/,
    ],
    [
      'ply\nformat binary_little_endian 1.0\nelement vertex 2\nproperty float x\nproperty float y\nproperty float z\nend_header\n1',
      /ends before/,
    ],
    [
      'ply\nformat ascii 1.0\nelement vertex 1\nproperty float x\nproperty float y\nproperty float z\nend_header\n1 nan 3\n',
      /point 1 whose y/,
    ],
    [
      'ply\nformat odd 1.0\nelement vertex 1\nproperty float x\nproperty float y\nproperty float z\nend_header\n1 2 3\n',
      /form that is not known/,
    ],
  ])('are refused plainly: %s', (text, message) => {
    expect(() => readParticlePly(bytes(text), 'bad.ply')).toThrow(message)
  })
})
