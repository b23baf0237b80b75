import { Document, type JSONDocument, WebIO } from '@gltf-transform/core'
import { unzipSync } from 'fflate'
import type { BufferGeometry, MeshPhongMaterial, Mesh as ThreeMesh } from 'three'
import { MTLLoader } from 'three/examples/jsm/loaders/MTLLoader.js'
import { OBJLoader } from 'three/examples/jsm/loaders/OBJLoader.js'
import { PLYLoader } from 'three/examples/jsm/loaders/PLYLoader.js'
import { STLLoader } from 'three/examples/jsm/loaders/STLLoader.js'
import { LanternError } from '../../base/index.ts'
import { type MeshAsset, triangleCount } from '../../data/index.ts'
import { assetOf } from './glb.ts'

// Files of meshes as somebody has them, brought to one: a GLB with all it needs. glTF is kept as it is; OBJ with its MTL, PLY and STL are written as glTF.

const MOST_TRIANGLES = 5e6
/** The forms that are read, by their files' ends. */
export const MESH_FILES = ['.glb', '.gltf', '.obj', '.ply', '.stl', '.zip'] as const
/** Files by their names, without folders. */
export type MeshFiles = ReadonlyMap<string, Uint8Array>

const baseName = (path: string): string => path.replaceAll('\\', '/').split('/').at(-1) ?? path
const endOf = (file: string): string => /\.[a-z0-9]+$/i.exec(file)?.[0].toLowerCase() ?? ''
const refuse = (file: string, what: string, remedy: string): LanternError =>
  new LanternError('mesh-file', `${file} ${what}.`, remedy, { file })

/** What is wrong with a mesh is told; what is only missing is left out with a note. */
export interface TakenMesh {
  glb: Uint8Array
  asset: MeshAsset
  notes: string[]
}

/** The files of an archive, flat. Throws LanternError 'mesh-file'. */
function unpacked(bytes: Uint8Array, file: string, mostBytes: number): Map<string, Uint8Array> {
  let sum = 0
  try {
    const all = unzipSync(bytes, {
      filter: ({ originalSize }) => {
        sum += originalSize
        if (sum > mostBytes) throw new Error('it unpacks to too much')
        return true
      },
    })
    return new Map(Object.entries(all).map(([name, value]) => [baseName(name), value]))
  } catch (error) {
    throw refuse(
      file,
      `can’t be unpacked: ${error instanceof Error ? error.message : 'it is damaged'}`,
      'Pack it again.',
    )
  }
}

/** A geometry of three's loaders as a primitive of a glTF document. */
function addGeometry(
  document: Document,
  geometry: BufferGeometry,
  name: string,
  material: ReturnType<Document['createMaterial']>,
) {
  const buffer = document.getRoot().listBuffers()[0] ?? document.createBuffer()
  const accessor = (values: Float32Array | Uint32Array, type: 'VEC2' | 'VEC3' | 'VEC4' | 'SCALAR') =>
    document.createAccessor().setArray(values).setType(type).setBuffer(buffer)
  const primitive = document.createPrimitive().setMaterial(material)
  const place = geometry.getAttribute('position')
  if (!place) return
  const take = (attribute: string): Float32Array | undefined => {
    const own = geometry.getAttribute(attribute)
    if (!own || own.count !== place.count) return undefined
    const out = new Float32Array(own.count * own.itemSize)
    for (let n = 0; n < own.count; n++)
      for (let c = 0; c < own.itemSize; c++) out[n * own.itemSize + c] = own.getComponent(n, c)
    return out
  }
  primitive.setAttribute('POSITION', accessor(take('position') ?? new Float32Array(0), 'VEC3'))
  const [normals, uvs, colours] = [take('normal'), take('uv'), take('color')]
  if (normals) primitive.setAttribute('NORMAL', accessor(normals, 'VEC3'))
  if (uvs) {
    // glTF's v goes down from the top of the picture.
    for (let n = 1; n < uvs.length; n += 2) uvs[n] = 1 - (uvs[n] ?? 0)
    primitive.setAttribute('TEXCOORD_0', accessor(uvs, 'VEC2'))
  }
  if (colours)
    primitive.setAttribute(
      'COLOR_0',
      accessor(colours, geometry.getAttribute('color').itemSize === 4 ? 'VEC4' : 'VEC3'),
    )
  const index = geometry.getIndex()
  if (index) primitive.setIndices(accessor(Uint32Array.from(index.array), 'SCALAR'))
  const node = document.createNode(name).setMesh(document.createMesh(name).addPrimitive(primitive))
  const scene = document.getRoot().listScenes()[0] ?? document.createScene('scene')
  scene.addChild(node)
}

const MEDIA: Readonly<Record<string, string>> = {
  '.png': 'image/png',
  '.jpg': 'image/jpeg',
  '.jpeg': 'image/jpeg',
  '.webp': 'image/webp',
}

/** Materials of an MTL file by name: [diffuse colour, its picture's file, opacity, shine]. */
function readMtl(bytes: Uint8Array | undefined) {
  if (!bytes) return {}
  const { materialsInfo } = new MTLLoader().parse(new TextDecoder().decode(bytes), '') as unknown as {
    materialsInfo: Record<string, Record<string, string | number[]>>
  }
  return materialsInfo
}

function readObj(files: MeshFiles, file: string, bytes: Uint8Array, notes: string[]): Document {
  const text = new TextDecoder().decode(bytes)
  const wanted = /^mtllib\s+(.+)$/m.exec(text)?.[1]?.trim()
  const library = wanted ? files.get(baseName(wanted)) : undefined
  if (wanted && !library) notes.push(`${baseName(wanted)} is missing: its surfaces are grey.`)
  const described = readMtl(library)
  const document = new Document()
  const made = new Map<string, ReturnType<Document['createMaterial']>>()
  const materialOf = (name: string) => {
    const known = made.get(name)
    if (known) return known
    const own = described[name] ?? {}
    const list = (key: string): number[] | undefined => (Array.isArray(own[key]) ? own[key].map(Number) : undefined)
    const [r = 0.5, g = 0.5, b = 0.5] = list('kd') ?? []
    const opacity = own.d === undefined ? 1 : Number(own.d)
    const shine = own.ns === undefined ? 10 : Number(own.ns)
    // Roughness of a Blinn–Phong exponent (Walter et al. 2007): alpha^2 = 2 / (n + 2), roughness its root.
    const roughness = Math.min(1, Math.sqrt(Math.sqrt(2 / (shine + 2))))
    const material = document
      .createMaterial(name)
      .setBaseColorFactor([r, g, b, opacity])
      .setMetallicFactor(0)
      .setRoughnessFactor(roughness)
      .setDoubleSided(true)
    if (opacity < 1) material.setAlphaMode('BLEND')
    const map = typeof own.map_kd === 'string' ? baseName(own.map_kd.split(/\s+/).at(-1) ?? '') : undefined
    const picture = map ? files.get(map) : undefined
    if (map && picture)
      material.setBaseColorTexture(
        document
          .createTexture(map)
          .setImage(picture)
          .setMimeType(MEDIA[endOf(map)] ?? 'image/png'),
      )
    else if (map) notes.push(`${map} is missing: ${name} is grey.`)
    made.set(name, material)
    return material
  }
  const group = new OBJLoader().parse(text)
  group.traverse((child) => {
    const mesh = child as ThreeMesh
    if (!mesh.isMesh) return
    const listed = (Array.isArray(mesh.material) ? mesh.material : [mesh.material]) as MeshPhongMaterial[]
    const groups =
      mesh.geometry.groups.length > 0 ? mesh.geometry.groups : [{ start: 0, count: Infinity, materialIndex: 0 }]
    for (const { start, count, materialIndex = 0 } of groups) {
      const part = sliced(mesh.geometry, start, count)
      addGeometry(document, part, mesh.name || file, materialOf(listed[materialIndex]?.name ?? ''))
    }
  })
  return document
}

/** A part of a geometry without indices, by vertices. */
function sliced(geometry: BufferGeometry, start: number, count: number): BufferGeometry {
  const place = geometry.getAttribute('position')
  if (start === 0 && count >= place.count) return geometry
  const part = geometry.clone()
  for (const name of Object.keys(part.attributes)) {
    const own = part.getAttribute(name)
    const from = start * own.itemSize
    const values = Float32Array.from(own.array).slice(from, from + Math.min(count, place.count) * own.itemSize)
    part.setAttribute(name, new (own.constructor as typeof import('three').BufferAttribute)(values, own.itemSize))
  }
  return part
}

function plain(geometry: BufferGeometry, file: string): Document {
  const document = new Document()
  const grey = document
    .createMaterial('grey')
    .setBaseColorFactor([0.5, 0.5, 0.5, 1])
    .setMetallicFactor(0)
    .setRoughnessFactor(0.8)
  const coloured = geometry.getAttribute('color') !== undefined
  if (coloured) grey.setBaseColorFactor([1, 1, 1, 1])
  addGeometry(document, geometry, file, grey.setDoubleSided(true))
  return document
}

/** glTF as text, with its buffers and pictures beside it. Throws LanternError 'mesh-file' naming what is missing. */
async function readGltf(files: MeshFiles, file: string, bytes: Uint8Array, notes: string[]): Promise<Document> {
  const json = JSON.parse(new TextDecoder().decode(bytes)) as JSONDocument['json']
  const resources: Record<string, Uint8Array<ArrayBuffer>> = {}
  for (const { uri } of json.buffers ?? []) {
    if (!uri || uri.startsWith('data:')) continue
    const found = files.get(baseName(decodeURIComponent(uri)))
    if (!found)
      throw refuse(
        file,
        `needs ${baseName(uri)}, which did not come with it`,
        'Drop both together, or export one .glb.',
      )
    resources[uri] = found.slice()
  }
  for (const image of json.images ?? []) {
    const { uri } = image
    if (!uri || uri.startsWith('data:')) continue
    const found = files.get(baseName(decodeURIComponent(uri)))
    if (found) resources[uri] = found.slice()
    else {
      notes.push(`${baseName(uri)} is missing: what it covers is grey.`)
      image.uri = `data:image/png;base64,${GREY_PIXEL}`
    }
  }
  return new WebIO().readJSON({ json, resources })
}
/** A PNG of one grey pixel. */
const GREY_PIXEL = 'iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNkYPhfDwAChwGA60e6kgAAAABJRU5ErkJggg=='

async function documentOf(files: MeshFiles, file: string, notes: string[]): Promise<Document> {
  const bytes = files.get(file) ?? new Uint8Array(0)
  const end = endOf(file)
  const buffer = (): ArrayBuffer => bytes.slice().buffer
  if (end === '.glb') return new WebIO().readBinary(bytes)
  if (end === '.gltf') return readGltf(files, file, bytes, notes)
  if (end === '.obj') return readObj(files, file, bytes, notes)
  if (end === '.ply') return plain(new PLYLoader().parse(buffer()), file)
  return plain(new STLLoader().parse(buffer()), file)
}

/** Names the file of a drop that holds the mesh. Throws LanternError 'mesh-file' where none does. */
function mainFile(files: MeshFiles): string {
  const names = [...files.keys()]
  for (const end of ['.glb', '.gltf', '.obj', '.ply', '.stl']) {
    const found = names.find((name) => endOf(name) === end)
    if (found) return found
  }
  const [other = 'That'] = names
  throw refuse(
    other,
    'is a form that is not read',
    `Export it as glTF (.glb), an open form that keeps its surfaces, or as ${MESH_FILES.slice(2, 5).join(', ')}.`,
  )
}

/** Throws LanternError 'mesh-file' where numbers of the mesh are none, or too many. */
function check(asset: MeshAsset, file: string): void {
  const triangles = triangleCount(asset)
  if (triangles === 0) throw refuse(file, 'holds no triangles', 'Export its surface as triangles.')
  if (triangles > MOST_TRIANGLES)
    throw refuse(
      file,
      `has ${(triangles / 1e6).toFixed(1)} million triangles; ${MOST_TRIANGLES / 1e6} million is the most`,
      'Thin it before you export it.',
    )
  for (const { positions, indices } of asset.parts) {
    if (positions.some((value) => !Number.isFinite(value) || Math.abs(value) > 1e9))
      throw refuse(
        file,
        'has corners that are no places (not a number, or beyond all bounds)',
        'Mend it where it was made.',
      )
    const vertices = positions.length / 3
    if (indices.length % 3 !== 0 || indices.some((index) => index >= vertices))
      throw refuse(file, 'names corners that it does not have', 'Export it again.')
  }
}

/**
 * Takes the files of one mesh in. files: by name; an archive alone is unpacked, to at most mostBytes.
 * Throws LanternError 'mesh-file' naming the file and the remedy.
 */
export async function takeMesh(given: MeshFiles, mostBytes = 1 << 30): Promise<TakenMesh> {
  const [only] = [...given]
  const files = given.size === 1 && only && endOf(only[0]) === '.zip' ? unpacked(only[1], only[0], mostBytes) : given
  const file = mainFile(files)
  const notes: string[] = []
  let document: Document
  try {
    document = await documentOf(files, file, notes)
  } catch (error) {
    if (error instanceof LanternError) throw error
    throw refuse(
      file,
      `can’t be read: ${error instanceof Error ? error.message : 'it is damaged'}`,
      'Export it again, as .glb if it can be.',
    )
  }
  const asset = assetOf(document)
  check(asset, file)
  const io = new WebIO()
  const glb = endOf(file) === '.glb' ? (files.get(file) ?? new Uint8Array(0)) : await io.writeBinary(single(document))
  return { glb, asset, notes }
}

/** All buffers in one, as a GLB has it. */
function single(document: Document): Document {
  const [first, ...others] = document.getRoot().listBuffers()
  if (first) for (const accessor of document.getRoot().listAccessors()) accessor.setBuffer(first)
  for (const other of others) other.dispose()
  return document
}
