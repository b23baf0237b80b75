import { type Accessor, type Document, type Node, type TextureInfo, WebIO } from '@gltf-transform/core'
import { LanternError } from '../../base/index.ts'
import type {
  AssetAnimation,
  AssetChannel,
  AssetMaterial,
  AssetNode,
  AssetPart,
  AssetSkin,
  MeshAsset,
  PackedPicture,
  PictureUse,
} from '../../data/index.ts'

// glTF 2.0 (section 3) as a mesh asset. Points, lines and morph targets are left out.

const TRIANGLES = 4
const WRAPS: Readonly<Record<number, 'repeat' | 'hold' | 'mirror'>> = {
  10497: 'repeat',
  33071: 'hold',
  33648: 'mirror',
}
const WAYS = { STEP: 'step', LINEAR: 'straight', CUBICSPLINE: 'cubic' } as const

/** All values of an accessor as floats, normalised integers as shares. */
function floats(accessor: Accessor): Float32Array {
  const size = accessor.getElementSize()
  const out = new Float32Array(accessor.getCount() * size)
  const one: number[] = []
  for (let n = 0; n < accessor.getCount(); n++) {
    accessor.getElement(n, one)
    for (let c = 0; c < size; c++) out[n * size + c] = one[c] ?? 0
  }
  return out
}

function nodesOf(document: Document): { nodes: Node[]; numbers: Map<Node, number> } {
  const nodes: Node[] = []
  const numbers = new Map<Node, number>()
  const walk = (node: Node): void => {
    if (numbers.has(node)) return
    numbers.set(node, nodes.length)
    nodes.push(node)
    for (const child of node.listChildren()) walk(child)
  }
  const root = document.getRoot()
  const scene = root.getDefaultScene() ?? root.listScenes()[0]
  for (const node of scene?.listChildren() ?? root.listNodes().filter((one) => !one.getParentNode())) walk(node)
  return { nodes, numbers }
}

/** Numbers each used picture. */
function pictureBook(document: Document) {
  const pictures: PackedPicture[] = []
  const numbers = new Map(
    document
      .getRoot()
      .listTextures()
      .flatMap((texture): [typeof texture, number][] => {
        const bytes = texture.getImage()
        if (!bytes) return []
        pictures.push({ bytes, mediaType: texture.getMimeType() })
        return [[texture, pictures.length - 1]]
      }),
  )
  return { pictures, numbers }
}

function materialsOf(document: Document, numbers: ReadonlyMap<object, number>): AssetMaterial[] {
  const use = (texture: object | null, info: TextureInfo | null): PictureUse | undefined => {
    const picture = texture ? numbers.get(texture) : undefined
    if (picture === undefined) return undefined
    return {
      picture,
      wrap: [WRAPS[info?.getWrapS() ?? 10497] ?? 'repeat', WRAPS[info?.getWrapT() ?? 10497] ?? 'repeat'],
    }
  }
  return document
    .getRoot()
    .listMaterials()
    .map((material) => {
      const mode = material.getAlphaMode()
      return {
        name: material.getName(),
        base: material.getBaseColorFactor() as [number, number, number, number],
        emission: material.getEmissiveFactor() as [number, number, number],
        metal: material.getMetallicFactor(),
        roughness: material.getRoughnessFactor(),
        normalScale: material.getNormalScale(),
        alpha: mode === 'OPAQUE' ? 'opaque' : mode === 'BLEND' ? 'blend' : material.getAlphaCutoff(),
        doubleSided: material.getDoubleSided(),
        baseMap: use(material.getBaseColorTexture(), material.getBaseColorTextureInfo()),
        normalMap: use(material.getNormalTexture(), material.getNormalTextureInfo()),
        surfaceMap: use(material.getMetallicRoughnessTexture(), material.getMetallicRoughnessTextureInfo()),
        emissionMap: use(material.getEmissiveTexture(), material.getEmissiveTextureInfo()),
      }
    })
}

function skinOf(node: Node, primitive: { getAttribute(name: string): Accessor | null }, numbers: Map<Node, number>) {
  const skin = node.getSkin()
  const [joints, weights] = [primitive.getAttribute('JOINTS_0'), primitive.getAttribute('WEIGHTS_0')]
  if (!skin || !joints || !weights) return undefined
  const all = skin.listJoints()
  const inverse = skin.getInverseBindMatrices()
  const own = new Float32Array(all.length * 16)
  if (inverse) own.set(floats(inverse).subarray(0, own.length))
  else for (let n = 0; n < all.length; n++) for (let d = 0; d < 4; d++) own[n * 16 + d * 5] = 1
  return {
    joints: all.map((joint) => numbers.get(joint) ?? 0),
    inverse: own,
    vertexJoints: Uint16Array.from(floats(joints)),
    vertexWeights: floats(weights),
  } satisfies AssetSkin
}

function partsOf(document: Document, nodes: readonly Node[], numbers: Map<Node, number>): AssetPart[] {
  const materials = document.getRoot().listMaterials()
  return nodes.flatMap((node, number) =>
    (node.getMesh()?.listPrimitives() ?? []).flatMap((primitive): AssetPart[] => {
      const place = primitive.getAttribute('POSITION')
      if (!place || primitive.getMode() !== TRIANGLES) return []
      const optional = (name: string): Float32Array | undefined => {
        const accessor = primitive.getAttribute(name)
        return accessor ? floats(accessor) : undefined
      }
      const positions = floats(place)
      const listed = primitive.getIndices()
      const indices = listed
        ? Uint32Array.from(listed.getArray() ?? [])
        : Uint32Array.from({ length: positions.length / 3 }, (_, n) => n)
      const material = primitive.getMaterial()
      const colour = primitive.getAttribute('COLOR_0')
      const own = optional('COLOR_0')
      return [
        {
          node: number,
          material: material ? materials.indexOf(material) : -1,
          positions,
          indices,
          normals: optional('NORMAL'),
          uvs: optional('TEXCOORD_0'),
          colours: colour && own ? vertexColours(own, colour.getElementSize()) : undefined,
          skin: skinOf(node, primitive, numbers),
        },
      ]
    }),
  )
}

function vertexColours(values: Float32Array, size: number): Uint8Array {
  const count = values.length / size
  const out = new Uint8Array(count * 4).fill(255)
  for (let n = 0; n < count; n++)
    for (let c = 0; c < size; c++)
      out[n * 4 + c] = Math.round(255 * Math.min(1, Math.max(0, values[n * size + c] ?? 0)))
  return out
}

function animationsOf(document: Document, numbers: Map<Node, number>): AssetAnimation[] {
  return document
    .getRoot()
    .listAnimations()
    .map((animation, n) => {
      const channels = animation.listChannels().flatMap((channel): AssetChannel[] => {
        const [sampler, target, of] = [channel.getSampler(), channel.getTargetNode(), channel.getTargetPath()]
        const [times, values] = [sampler?.getInput(), sampler?.getOutput()]
        const node = target ? numbers.get(target) : undefined
        if (!sampler || !times || !values || node === undefined || !of || of === 'weights') return []
        return [{ node, of, way: WAYS[sampler.getInterpolation()], times: floats(times), values: floats(values) }]
      })
      const seconds = Math.max(0, ...channels.map(({ times }) => times.at(-1) ?? 0))
      return { name: animation.getName() || `Animation ${n + 1}`, seconds, channels }
    })
}

/** A glTF document as an asset. */
export function assetOf(document: Document): MeshAsset {
  const { nodes, numbers } = nodesOf(document)
  const book = pictureBook(document)
  return {
    nodes: nodes.map(
      (node): AssetNode => ({
        parent: numbers.get(node.getParentNode() as Node) ?? -1,
        translation: node.getTranslation() as [number, number, number],
        rotation: node.getRotation() as [number, number, number, number],
        scale: node.getScale() as [number, number, number],
      }),
    ),
    parts: partsOf(document, nodes, numbers),
    materials: materialsOf(document, book.numbers),
    pictures: book.pictures,
    animations: animationsOf(document, numbers),
  }
}

/** Reads a kept mesh (GLB). Throws LanternError 'mesh-file' on bytes that are none. */
export async function readMeshAsset(bytes: Uint8Array, file = 'mesh.glb'): Promise<MeshAsset> {
  try {
    return assetOf(await new WebIO().readBinary(bytes))
  } catch (error) {
    throw new LanternError(
      'mesh-file',
      `${file} can’t be read as glTF: ${error instanceof Error ? error.message : 'it is damaged'}.`,
      'Export it again as one .glb file.',
      { file },
    )
  }
}
