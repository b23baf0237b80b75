import { readMeshAsset } from '@lantern/core/formats'
import { zipSync } from 'fflate'
import sharp from 'sharp'
import { describe, expect, it } from 'vitest'
import { takeSurfacePictures } from './surfacePictures.ts'

const plain = async (background: string, width = 32, height = 16): Promise<Uint8Array> =>
  new Uint8Array(
    await sharp({ create: { width, height, channels: 3, background } })
      .png()
      .toBuffer(),
  )
/** Heights that rise to the right, as 16 bits. */
const slope = async (): Promise<Uint8Array> => {
  const data = Uint16Array.from({ length: 64 * 64 }, (_, n) => (n % 64) * 1000)
  return new Uint8Array(
    await sharp(data, { raw: { width: 64, height: 64, channels: 1 } })
      .toColourspace('grey16')
      .png()
      .toBuffer(),
  )
}

describe('pictures of a surface', () => {
  it('are kept as one material, told apart by their names', async () => {
    const files = { 'wall_colour.png': await plain('#804020'), 'wall_rough.png': await plain('#c0c0c0') }
    const taken = await takeSurfacePictures(zipSync(files), 'wall.zip')
    expect(taken).toMatchObject({ aspect: 0.5, raised: false, notes: [] })
    const asset = await readMeshAsset(taken.glb)
    const [material] = asset.materials
    expect(material?.baseMap).toBeDefined()
    expect(material?.surfaceMap).toBeDefined()
    expect(material?.normalMap).toBeUndefined()
    const { data } = await sharp(asset.pictures[material?.baseMap?.picture ?? 9]?.bytes)
      .raw()
      .toBuffer({ resolveWithObject: true })
    expect([...data.subarray(0, 3)]).toEqual([0x80, 0x40, 0x20])
  })
  it('give slopes where they are heights, of 16 bits too', async () => {
    const taken = await takeSurfacePictures(await slope(), 'cobbles_height.png')
    expect(taken).toMatchObject({ aspect: 1, raised: true })
    const asset = await readMeshAsset(taken.glb)
    const { data, info } = await sharp(asset.pictures[0]?.bytes).raw().toBuffer({ resolveWithObject: true })
    const at = (32 * info.width + 32) * info.channels
    // Rising to the right: it faces left, and neither up nor down.
    expect(data[at]).toBeLessThan(126)
    expect(Math.abs((data[at + 1] ?? 0) - 128)).toBeLessThanOrEqual(1)
  })
  it('that are none are refused by name, and what has no place is named', async () => {
    await expect(takeSurfacePictures(new TextEncoder().encode('none'), 'wall.png')).rejects.toThrow(/wall\.png can’t/)
    await expect(takeSurfacePictures(zipSync({ 'a.txt': new Uint8Array(3) }), 'wall.zip')).rejects.toThrow(/no picture/)
    const two = zipSync({ 'a.png': await plain('#111111'), 'b.png': await plain('#222222') })
    expect((await takeSurfacePictures(two, 'two.zip')).notes).toEqual([
      'a.png is left out: another picture has its place.',
    ])
  })
})
