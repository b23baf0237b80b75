// Measures the plates against what photographs show:  node scripts/run-ts.mjs demo/src/measure.ts [--out DIR] [--exact DIR]
import { spawnSync } from 'node:child_process'
import { existsSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { parseArgs } from 'node:util'
import type { Vec3 } from '@lantern/core/math'
import { corners, edgeSpread, type Luma, lumaOf, ninths, patchCorrelation, spectrumSlope, tones } from './figures.ts'
import { LOOKED, momentOf, PLATES, type PlateSpec, project } from './plates.ts'

const { values } = parseArgs({
  options: { out: { type: 'string', default: 'demo/plates' }, exact: { type: 'string', default: 'demo/exact' } },
})

/** Frame n (from 0) of a movie or still as 8-bit r g b. */
function frameOf(path: string, n: number, spec: PlateSpec): Uint8Array {
  const select = spec.frames > 1 ? ['-vf', `select=eq(n\\,${n}),scale=in_color_matrix=bt709:in_range=tv`] : []
  const { stdout, status } = spawnSync(
    'ffmpeg',
    ['-v', 'error', '-i', path, ...select, '-frames:v', '1', '-f', 'rawvideo', '-pix_fmt', 'rgb24', '-'],
    { maxBuffer: 1 << 28 },
  )
  if (status !== 0) throw new Error(`ffmpeg could not read frame ${n} of ${path}`)
  return new Uint8Array(stdout)
}

/** The landmarks of a plate's first frame, each looked for where the exact camera sees it `later` frames on. */
function correlations(
  spec: PlateSpec,
  seed: number,
  later: number,
  landmarks: readonly Vec3[],
  a: Luma,
  b: Luma,
): number[] {
  return landmarks.flatMap((point) => {
    const [before, after] = [
      project(spec, momentOf(spec, 0, seed), point),
      project(spec, momentOf(spec, later / spec.rate, seed), point),
    ]
    if (!before || !after) return []
    // The landmark lies on a pixel's middle in the first frame.
    const found = patchCorrelation(
      a,
      Math.round(before.x - 0.5),
      Math.round(before.y - 0.5),
      b,
      after.x - 0.5,
      after.y - 0.5,
    )
    return found === undefined ? [] : [found]
  })
}

/** Mean of the slopes at the left, in the middle and at the right. */
function slopeOf(luma: Luma, size: number): number {
  const part = (x0: number): Luma => ({
    width: size,
    height: size,
    data: Float32Array.from(
      { length: size * size },
      (_, n) => luma.data[(((luma.height - size) >> 1) + Math.floor(n / size)) * luma.width + x0 + (n % size)] ?? 0,
    ),
  })
  return [0, 0.5, 1].reduce(
    (sum, share) => sum + spectrumSlope(part(Math.round(share * (luma.width - size))), size) / 3,
    0,
  )
}

for (const spec of PLATES) {
  const path = join(values.out, `${spec.name}.${spec.frames > 1 ? 'mp4' : 'png'}`)
  if (!existsSync(path)) continue
  const { at, later, blunt } = LOOKED[spec.name] ?? { at: 0, later: 40 }
  const rgb = frameOf(path, at, spec)
  const luma = lumaOf(rgb, spec.width, spec.height)
  const found = corners(luma)
  const { dark, clipped } = tones(rgb)
  const row: Record<string, string> = {
    plate: spec.name,
    'near black': `${(dark * 100).toFixed(2)} %`,
    clipped: `${(clipped * 100).toFixed(2)} %`,
    'edge px': blunt ? 'too few edges' : edgeSpread(luma).toFixed(2),
    slope: slopeOf(luma, spec.width > 2000 ? 1024 : 512).toFixed(2),
    corners: `${found.length} (${ninths(found, spec.width, spec.height).join(' ')})`,
  }
  if (spec.frames > 40 && existsSync(join(values.exact, `${spec.name}.json`))) {
    const { landmarks, seed } = JSON.parse(readFileSync(join(values.exact, `${spec.name}.json`), 'utf8')) as {
      landmarks: Vec3[]
      seed: number
    }
    const all = correlations(
      spec,
      seed,
      later,
      landmarks,
      at === 0 ? luma : lumaOf(frameOf(path, 0, spec), spec.width, spec.height),
      lumaOf(frameOf(path, later, spec), spec.width, spec.height),
    ).sort((p, q) => p - q)
    row[`patch after ${later}`] = `${(all[all.length >> 1] ?? Number.NaN).toFixed(3)} of ${all.length}`
  }
  console.log(
    Object.entries(row)
      .map(([name, value]) => `${name} ${value}`)
      .join(' | '),
  )
}
