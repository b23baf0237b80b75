import { spawnSync } from 'node:child_process'
import { readFileSync, statSync } from 'node:fs'
import { join } from 'node:path'
import type { Vec3 } from '@lantern/core/math'
import { describe, expect, it } from 'vitest'
import { corners, edgeSpread, type Luma, lumaOf, ninths, patchCorrelation, spectrumSlope, tones } from './figures.ts'
import { LOOKED, momentOf, PLATES, type PlateSpec, project } from './plates.ts'

// The plates that ship, held against what photographs show.
const plateFile = (spec: PlateSpec): string => join('demo/plates', `${spec.name}.${spec.frames > 1 ? 'mp4' : 'png'}`)

function frameOf(spec: PlateSpec, n: number): Uint8Array {
  const filter = spec.frames > 1 ? ['-vf', `select=eq(n\\,${n}),scale=in_color_matrix=bt709:in_range=tv`] : []
  const { stdout, status } = spawnSync(
    'ffmpeg',
    ['-v', 'error', '-i', plateFile(spec), ...filter, '-frames:v', '1', '-f', 'rawvideo', '-pix_fmt', 'rgb24', '-'],
    { maxBuffer: 1 << 28 },
  )
  expect(status).toBe(0)
  return new Uint8Array(stdout)
}
const square = (image: Luma, x0: number, y0: number, size: number): Luma => ({
  width: size,
  height: size,
  data: Float32Array.from(
    { length: size * size },
    (_, n) => image.data[(y0 + Math.floor(n / size)) * image.width + x0 + (n % size)] ?? 0,
  ),
})

const halfOf = ({ width, height, data }: Luma): Luma => {
  const [w, h] = [width >> 1, height >> 1]
  const at = (x: number, y: number): number => data[y * width + x] ?? 0
  return {
    width: w,
    height: h,
    data: Float32Array.from({ length: w * h }, (_, n) => {
      const [x, y] = [2 * (n % w), 2 * Math.floor(n / w)]
      return (at(x, y) + at(x + 1, y) + at(x, y + 1) + at(x + 1, y + 1)) / 4
    }),
  }
}

describe.each(PLATES.map((spec) => [spec.name, spec] as const))('%s', (_, spec) => {
  const { at, later, blunt } = LOOKED[spec.name] ?? { at: 0, later: 40 }
  const rgb = frameOf(spec, at)
  const luma = lumaOf(rgb, spec.width, spec.height)
  const exact = JSON.parse(readFileSync(join('demo/exact', `${spec.name}.json`), 'utf8')) as {
    landmarks: Vec3[]
    seed: number
    frames: number
  }
  it('has blacks and keeps its whites', () => {
    const { dark, clipped } = tones(rgb)
    expect(dark).toBeGreaterThan(0.01)
    expect(dark).toBeLessThan(0.12)
    expect(clipped).toBeLessThan(0.01)
  })
  it.runIf(!blunt)('is as sharp as a lens and a filter leave it', () => {
    expect(edgeSpread(luma)).toBeGreaterThan(1.2)
    expect(edgeSpread(luma)).toBeLessThan(2.5)
  })
  it('holds all sizes of things as scenes do', () => {
    const size = spec.width > 2000 ? 1024 : 512
    const slopes = [0, 0.5, 1].map((share) =>
      spectrumSlope(square(luma, Math.round(share * (spec.width - size)), (spec.height - size) >> 1, size)),
    )
    const mean = slopes.reduce((sum, slope) => sum + slope, 0) / slopes.length
    expect(mean).toBeGreaterThan(-2.4)
    expect(mean).toBeLessThan(-1.6)
  })
  it('gives a tracker corners everywhere', () => {
    // A large plate is followed from smaller ones upwards.
    const seen = spec.width > 2000 ? halfOf(luma) : luma
    const found = corners(seen)
    expect(found.length).toBeGreaterThan(400)
    for (const [n, count] of ninths(found, seen.width, seen.height).entries())
      expect(count, `ninth ${n + 1}`).toBeGreaterThan(n < 3 ? 0 : 8)
  })
  it.runIf(spec.frames > 40)('looks alike at its exact places 40 frames on or more', () => {
    const before = at === 0 ? luma : lumaOf(frameOf(spec, 0), spec.width, spec.height)
    const after = lumaOf(frameOf(spec, later), spec.width, spec.height)
    const found = exact.landmarks
      .flatMap((point) => {
        const [a, b] = [
          project(spec, momentOf(spec, 0, exact.seed), point),
          project(spec, momentOf(spec, later / spec.rate, exact.seed), point),
        ]
        const likeness =
          a && b
            ? patchCorrelation(before, Math.round(a.x - 0.5), Math.round(a.y - 0.5), after, b.x - 0.5, b.y - 0.5)
            : undefined
        return likeness === undefined ? [] : [likeness]
      })
      .sort((a, b) => a - b)
    expect(found.length).toBeGreaterThan(200)
    expect(found[found.length >> 1]).toBeGreaterThan(0.8)
  })
})

it('fits its movies into 40 MB together', () => {
  expect(
    PLATES.filter((spec) => spec.frames > 1).reduce((sum, spec) => sum + statSync(plateFile(spec)).size, 0),
  ).toBeLessThan(40e6)
})
