import { Document, WebIO } from '@gltf-transform/core'
import { triangleCount } from '@lantern/core/data'
import { readMeshAsset } from '@lantern/core/formats'
import sharp from 'sharp'
import { describe, expect, it } from 'vitest'
import { meshReader, takeMeshFile } from './meshes.ts'

/** A wavy sheet of side x side squares with a picture on it, as a GLB. */
async function sheet(side: number, picture: Uint8Array): Promise<Uint8Array> {
  const document = new Document()
  const buffer = document.createBuffer()
  const across = side + 1
  const positions = Float32Array.from({ length: across * across * 3 }, (_, n) => {
    const [x, z] = [(Math.floor(n / 3) % across) / side, Math.floor(n / 3 / across) / side]
    return [x, 0.05 * Math.sin(7 * x) * Math.sin(5 * z), z][n % 3] ?? 0
  })
  const indices = Uint32Array.from({ length: side * side * 6 }, (_, n) => {
    const square = Math.floor(n / 6)
    const corner = Math.floor(square / side) * across + (square % side)
    return corner + ([0, across, 1, 1, across, across + 1][n % 6] ?? 0)
  })
  const uvs = Float32Array.from(
    { length: across * across * 2 },
    (_, n) => positions[Math.floor(n / 2) * 3 + (n % 2) * 2] ?? 0,
  )
  const texture = document.createTexture('boards').setImage(picture.slice()).setMimeType('image/png')
  const primitive = document
    .createPrimitive()
    .setMaterial(document.createMaterial('wood').setBaseColorTexture(texture))
    .setAttribute('POSITION', document.createAccessor().setType('VEC3').setArray(positions).setBuffer(buffer))
    .setAttribute('TEXCOORD_0', document.createAccessor().setType('VEC2').setArray(uvs).setBuffer(buffer))
    .setIndices(document.createAccessor().setType('SCALAR').setArray(indices).setBuffer(buffer))
  document.createScene().addChild(document.createNode().setMesh(document.createMesh().addPrimitive(primitive)))
  return new WebIO().writeBinary(document)
}
const png = async (width: number, height: number, bits: 8 | 16 = 8): Promise<Uint8Array> => {
  const flat = sharp({ create: { width, height, channels: 3, background: '#b06040' } })
  return new Uint8Array(await (bits === 16 ? flat.toColourspace('rgb16') : flat).png().toBuffer())
}

describe('a mesh that is taken in', () => {
  it('keeps its file as it is where that is light, with its bounds and what it holds', async () => {
    const glb = await sheet(8, await png(30, 17))
    const taken = await takeMeshFile(glb, 'sheet.glb')
    expect(taken.glb).toEqual(glb)
    expect(taken.light).toBeUndefined()
    expect(taken).toMatchObject({ triangles: 128, animations: [], notes: [] })
    expect(taken.high[0] - taken.low[0]).toBeCloseTo(1, 5)
  })

  it('gets a lighter one for the browser where it is heavy: fewer triangles in the same place, smaller pictures', async () => {
    const taken = await takeMeshFile(await sheet(320, await png(2048, 16)), 'sheet.glb')
    expect(taken.triangles).toBe(204_800)
    const light = await readMeshAsset(taken.light ?? new Uint8Array(0))
    expect(triangleCount(light)).toBeLessThanOrEqual(100_000)
    expect(triangleCount(light)).toBeGreaterThan(500)
    const { width } = await sharp(light.pictures[0]?.bytes).metadata()
    expect(width).toBe(1024)
    expect(triangleCount(await readMeshAsset(taken.glb))).toBe(204_800)
  })

  it('has grey where a picture is broken, and says which', async () => {
    const broken = (await png(64, 64)).slice(0, 60)
    const taken = await takeMeshFile(await sheet(2, broken), 'sheet.glb')
    expect(taken.notes).toEqual(['boards can’t be read: what it covers is grey.'])
    const read = meshReader(async () => taken.glb)
    const { pictures } = await read('a')
    expect([...(pictures[0]?.data ?? [])]).toEqual([128, 128, 128, 255])
  })

  it('is unpacked once: pictures of odd sizes and 16 bits as bytes', async () => {
    let reads = 0
    const glb = await sheet(2, await png(7, 3, 16))
    const read = meshReader(async () => {
      reads++
      return glb
    })
    const [first, again] = [await read('a'), await read('a')]
    expect(again).toBe(first)
    expect(reads).toBe(1)
    expect(first.pictures[0]).toMatchObject({ width: 7, height: 3 })
    expect([...(first.pictures[0]?.data.slice(0, 4) ?? [])]).toEqual([0xb0, 0x60, 0x40, 255])
  })
})
