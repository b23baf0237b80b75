import sharp from 'sharp'
import { describe, expect, it } from 'vitest'
import { PLATES } from './plates.ts'
import { WORKER_FRAMES, workerMask } from './workerMask.ts'

const walk = PLATES.find(({ name }) => name === 'yard-walk')
const FRAME = 1050

describe('what the worker covers', () => {
  it('is written beside the plate as the figure is drawn now', async () => {
    if (!walk) throw new Error('no walk')
    const { width, height } = walk
    const { data, info } = await sharp('demo/exact/yard-walk-worker.png', { limitInputPixels: false })
      .extractChannel(0)
      .raw()
      .toBuffer({ resolveWithObject: true })
    expect([info.width, info.height]).toEqual([width, height * (WORKER_FRAMES.last - WORKER_FRAMES.first + 1)])
    const at = (FRAME - WORKER_FRAMES.first) * width * height
    const mask = workerMask(walk, walk.seed, FRAME)
    expect(Buffer.compare(data.subarray(at, at + width * height), Buffer.from(mask))).toBe(0)
    // A person 8.7 m away, with rims that are covered in part.
    const area = mask.reduce((sum, value) => sum + value / 255, 0)
    expect(area).toBeGreaterThan(5000)
    expect(area).toBeLessThan(30_000)
    expect(mask.some((value) => value > 60 && value < 200)).toBe(true)
  })
})
