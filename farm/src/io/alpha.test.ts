import { execFileSync } from 'node:child_process'
import { mkdtempSync } from 'node:fs'
import { writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { writeExr } from '@lantern/core/formats'
import sharp from 'sharp'
import { describe, expect, it } from 'vitest'
import { nodeDeflate } from './deflate.ts'
import { type Plan, planMovie, planStills } from './plan.ts'
import { alphaFile, alphaPlane } from './plateFrames.ts'
import type { StillPixels } from './stills.ts'

// Clips that say how much of each pixel is there.

const folder = mkdtempSync(join(tmpdir(), 'alpha-'))
/** A clip of 3 frames, 64 by 32: nothing on its left, half in its middle, all on its right. */
function clip(name: string, codec: readonly string[]): string {
  const path = join(folder, name)
  const source =
    "color=gray:size=64x32:rate=50,format=rgba,geq=r=200:g=100:b=40:a='if(lt(X,20),0,if(lt(X,44),128,255))'"
  execFileSync('ffmpeg', ['-v', 'error', '-f', 'lavfi', '-i', source, '-frames:v', '3', ...codec, path])
  return path
}
async function readAlpha(plan: Plan): Promise<{ kept: number[]; frames: number }> {
  const all: StillPixels[] = []
  await plan.read(async (_, pixels) => all.push(pixels) > 0)
  const [first] = all
  if (!first) throw new TypeError('it has frames')
  const { data, width } = await alphaPlane(await alphaFile(first))
  return { kept: [5, 32, 58].map((x) => Math.round((data[16 * width + x] ?? 0) * 50) / 50), frames: all.length }
}

describe('alpha', () => {
  it.each([
    ['prores.mov', ['-c:v', 'prores_ks', '-profile:v', '4444', '-pix_fmt', 'yuva444p10le']],
    ['vp9.webm', ['-c:v', 'libvpx-vp9', '-pix_fmt', 'yuva420p', '-lossless', '1']],
    ['rle.mov', ['-c:v', 'qtrle', '-pix_fmt', 'argb']],
  ])('of %s is kept', async (name, codec) => {
    const plan = await planMovie(clip(name, codec), name)
    expect(plan.info.alpha).toBe(true)
    expect(await readAlpha(plan)).toEqual({ kept: [0, 0.5, 1], frames: 3 })
  })
  it('of PNG and EXR stills is kept, as deep as they are', async () => {
    const row = Uint16Array.from({ length: 64 * 32 * 4 }, (_, n) =>
      n % 4 < 3 ? 30000 : ([0, 32768, 65535][Math.floor((3 * ((n >> 2) % 64)) / 64)] ?? 0),
    )
    await sharp(row, { raw: { width: 64, height: 32, channels: 4 } })
      .toColourspace('rgb16')
      .png()
      .toFile(join(folder, 'puff.0001.png'))
    const png = await planStills(join(folder, 'puff.####.png'), [24, 1])
    expect([png.info.alpha, png.info.bits]).toEqual([true, 16])
    expect((await readAlpha(png)).kept).toEqual([0, 0.5, 1])
    const plane = (of: (x: number) => number): Float32Array =>
      Float32Array.from({ length: 64 * 32 }, (_, n) => of(n % 64))
    const channels = ['A', 'B', 'G', 'R'].map((channel) => ({
      name: channel,
      type: 'half' as const,
      data: plane((x) => (x < 20 ? 0 : x < 44 ? 0.5 : 1)),
    }))
    const bytes = writeExr({ width: 64, height: 32, attributes: {}, channels }, nodeDeflate)
    await writeFile(join(folder, 'glow.0001.exr'), bytes)
    const exr = await planStills(join(folder, 'glow.####.exr'), [24, 1])
    expect(exr.info.alpha).toBe(true)
    expect((await readAlpha(exr)).kept).toEqual([0, 0.5, 1])
  })
  it('is not said of clips that have none', async () => {
    const plan = await planMovie(clip('plain.mp4', ['-c:v', 'libx264', '-pix_fmt', 'yuv420p']), 'plain.mp4')
    expect(plan.info.alpha).toBeUndefined()
  })
})

describe('a render of several passes', () => {
  const channels = ['A', 'B', 'G', 'N.X', 'R', 'Z'].map((name) => ({
    name,
    type: 'half' as const,
    data: new Float32Array(8 * 4).fill(name === 'R' ? 0.5 : 1),
  }))
  const bytes = writeExr({ width: 8, height: 4, attributes: {}, channels }, nodeDeflate)
  it('keeps its own file beside its picture, and a damaged frame of it is named and left out', async () => {
    await writeFile(join(folder, 'pass.0001.exr'), bytes)
    await writeFile(join(folder, 'pass.0002.exr'), bytes.slice(0, bytes.length - 20))
    await writeFile(join(folder, 'pass.0003.exr'), bytes)
    const plan = await planStills(join(folder, 'pass.####.exr'), [24, 1])
    expect(plan.info.channels).toEqual(['A', 'B', 'G', 'N.X', 'R', 'Z'])
    const all: [number, StillPixels][] = []
    await plan.read(async (frame, pixels) => all.push([frame, pixels]) > 0)
    expect(all.map(([frame]) => frame)).toEqual([1, 3])
    expect(plan.info.gaps).toEqual([[2, 2]])
    expect(plan.info.notes?.[0]).toMatch(/pass\.0002\.exr was left out/)
    const [, first] = all[0] ?? []
    expect(first && 'passes' in first && first.passes?.bytes.length).toBe(bytes.length)
    expect(first?.bits === 32 && first.data[0]).toBe(0.5)
  })
})
