import { Document, WebIO } from '@gltf-transform/core'
import { strToU8, zipSync } from 'fflate'
import { describe, expect, it } from 'vitest'
import { triangleCount } from '../data/index.ts'
import { readMeshAsset, takeMesh } from './index.ts'

const files = (all: Readonly<Record<string, string | Uint8Array>>): Map<string, Uint8Array> =>
  new Map(Object.entries(all).map(([name, value]) => [name, typeof value === 'string' ? strToU8(value) : value]))
const PNG = Uint8Array.from(
  atob('iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNkYPhfDwAChwGA60e6kgAAAABJRU5ErkJggg=='),
  (c) => c.charCodeAt(0),
)
const OBJ = `mtllib box.mtl
v 0 0 0
v 1 0 0
v 1 1 0
v 0 1 0
vt 0 0
vt 1 0
vt 1 1
vt 0 1
usemtl wood
f 1/1 2/2 3/3
usemtl iron
f 1/1 3/3 4/4
`
const MTL = 'newmtl wood\nKd 0.8 0.5 0.2\nmap_Kd textures/wood.png\nnewmtl iron\nKd 0.1 0.1 0.1\nNs 200\n'
const PLY = `ply
format ascii 1.0
element vertex 3
property float x
property float y
property float z
property uchar red
property uchar green
property uchar blue
element face 1
property list uchar int vertex_indices
end_header
0 0 0 255 0 0
1 0 0 0 255 0
0 1 0 0 0 255
3 0 1 2
`
const STL =
  'solid a\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 0\nendloop\nendfacet\nendsolid a\n'

/** A glTF document of one triangle, its corners as given. */
function triangle(positions: number[], indices = [0, 1, 2]): Document {
  const document = new Document()
  const buffer = document.createBuffer()
  const primitive = document
    .createPrimitive()
    .setAttribute(
      'POSITION',
      document.createAccessor().setType('VEC3').setArray(Float32Array.from(positions)).setBuffer(buffer),
    )
    .setIndices(document.createAccessor().setType('SCALAR').setArray(Uint32Array.from(indices)).setBuffer(buffer))
  document.createScene().addChild(document.createNode().setMesh(document.createMesh().addPrimitive(primitive)))
  return document
}

describe('a mesh that is taken in', () => {
  it('from OBJ has its surfaces from the MTL beside it, and says what is missing', async () => {
    const whole = await takeMesh(files({ 'box.obj': OBJ, 'box.mtl': MTL, 'wood.png': PNG }))
    expect(whole.notes).toEqual([])
    expect(triangleCount(whole.asset)).toBe(2)
    const [wood, iron] = whole.asset.materials
    expect(wood).toMatchObject({ name: 'wood', base: [0.8, 0.5, 0.2, 1], baseMap: { picture: 0 } })
    // Shinier is smoother.
    expect(iron?.roughness).toBeLessThan(wood?.roughness ?? 0)
    // A picture's top is v = 0 in glTF, v = 1 in OBJ.
    const at = whole.asset.parts[0]
    const corner = [...(at?.positions ?? [])].findIndex(
      (_, n) => n % 3 === 0 && at?.positions[n] === 1 && at.positions[n + 1] === 1,
    )
    expect([...(at?.uvs ?? [])].slice((corner / 3) * 2, (corner / 3) * 2 + 2)).toEqual([1, 0])
    const bare = await takeMesh(files({ 'box.obj': OBJ }))
    expect(bare.notes).toEqual(['box.mtl is missing: its surfaces are grey.'])
    const unpainted = await takeMesh(files({ 'box.obj': OBJ, 'box.mtl': MTL }))
    expect(unpainted.notes).toEqual(['wood.png is missing: wood is grey.'])
  })

  it('from PLY keeps its corners’ colours, from STL its form, from an archive all that is in it', async () => {
    const ply = await takeMesh(files({ 'scan.ply': PLY }))
    expect(ply.asset.parts[0]?.colours?.slice(0, 4)).toEqual(Uint8Array.of(255, 0, 0, 255))
    expect(triangleCount((await takeMesh(files({ 'part.stl': STL }))).asset)).toBe(1)
    const packed = zipSync({ 'box/box.obj': strToU8(OBJ), 'box/box.mtl': strToU8(MTL), 'box/textures/wood.png': PNG })
    expect((await takeMesh(files({ 'box.zip': packed }))).notes).toEqual([])
  })

  it('is kept as one GLB, which reads back to the same', async () => {
    const { glb, asset } = await takeMesh(files({ 'box.obj': OBJ, 'box.mtl': MTL, 'wood.png': PNG }))
    const back = await readMeshAsset(glb)
    expect(back.parts.map(({ positions }) => [...positions])).toEqual(
      asset.parts.map(({ positions }) => [...positions]),
    )
    expect(back.pictures[0]?.bytes).toEqual(PNG)
  })

  it('from glTF with its files beside it: a missing buffer is named, a missing picture is grey', async () => {
    const { json, resources } = await new WebIO().writeJSON(triangle([0, 0, 0, 1, 0, 0, 0, 1, 0]))
    const [[uri, buffer] = ['', new Uint8Array()]] = Object.entries(resources)
    json.images = [{ uri: 'wood.png' }]
    json.textures = [{ source: 0 }]
    json.materials = [{ name: 'wood', pbrMetallicRoughness: { baseColorTexture: { index: 0 } } }]
    const text = JSON.stringify(json)
    await expect(takeMesh(files({ 'a.gltf': text }))).rejects.toThrow(`a.gltf needs ${uri}, which did not come with it`)
    const taken = await takeMesh(files({ 'a.gltf': text, [uri]: buffer }))
    expect(taken.notes).toEqual(['wood.png is missing: what it covers is grey.'])
  })

  it('is refused by name, with what to do, where it can’t be used', async () => {
    const refused = async (all: Readonly<Record<string, string | Uint8Array>>): Promise<string> => {
      const error = await takeMesh(files(all)).catch((thrown: unknown) => thrown)
      return error instanceof Error && 'remedy' in error
        ? `${error.message} ${error.remedy}`
        : `taken: ${String(error)}`
    }
    const glb = async (document: Document): Promise<Uint8Array> => new WebIO().writeBinary(document)
    expect(await refused({ 'cart.xyz': 'x' })).toMatch(/cart\.xyz is a form that is not read\. Export it as glTF/)
    expect(await refused({ 'a.glb': 'glTFnonsense' })).toMatch(/a\.glb can’t be read/)
    expect(await refused({ 'a.gltf': '{' })).toMatch(/a\.gltf can’t be read/)
    expect(await refused({ 'a.zip': 'PK nothing' })).toMatch(/a\.zip can’t be unpacked/)
    expect(await refused({ 'a.obj': 'v 0 0 0\n' })).toMatch(/holds no triangles/)
    expect(await refused({ 'a.glb': await glb(triangle([0, 0, 0, Number.NaN, 0, 0, 0, 1, 0])) })).toMatch(
      /corners that are no places/,
    )
    expect(await refused({ 'a.glb': await glb(triangle([0, 0, 0, 1, 0, 0, 0, 1, 0], [0, 1, 9])) })).toMatch(
      /corners that it does not have/,
    )
  })
})
