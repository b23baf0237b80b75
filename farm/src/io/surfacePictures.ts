import { Document, type Texture, WebIO } from '@gltf-transform/core'
import { LanternError } from '@lantern/core/base'
import { normalMap } from '@lantern/core/set'
import { unzipSync } from 'fflate'
import sharp, { type Sharp } from 'sharp'

// Pictures of a surface on the way in: colour, slopes, heights and roughness, told apart by their names, kept as a GLB of one material.

/** A picture's longer side at most; larger ones are made smaller. */
const MOST_SIDE = 4096
const MOST_UNPACKED = 2 ** 30
/** What a picture of heights spans, as a share of its width. */
const RAISED = 1 / 50

/** A surface that was taken in, as a piece's document names it but for its blob. */
export interface SurfaceTaken {
  glb: Uint8Array
  /** Height over width. */
  aspect: number
  /** Whether its slopes come from heights. */
  raised: boolean
  notes: string[]
}

type Kind = 'colour' | 'normal' | 'roughness' | 'height'
function kindOf(file: string): Kind {
  const name = file.toLowerCase()
  if (/norm|nrm/.test(name)) return 'normal'
  if (/rough/.test(name)) return 'roughness'
  return /height|disp|bump/.test(name) ? 'height' : 'colour'
}

const refuse = (file: string, what: string, remedy: string): LanternError =>
  new LanternError('surface-file', `${file} ${what}.`, remedy, { file })

function filesOf(bytes: Uint8Array, file: string): [string, Uint8Array][] {
  if (!/\.zip$/i.test(file)) return [[file, bytes]]
  let sum = 0
  try {
    const all = unzipSync(bytes, {
      filter: ({ name, originalSize }) => {
        sum += originalSize
        if (sum > MOST_UNPACKED) throw new Error('it unpacks to too much')
        return /\.(png|jpe?g|webp)$/i.test(name)
      },
    })
    return Object.entries(all).map(([name, own]) => [name.split('/').at(-1) ?? name, own])
  } catch (error) {
    throw refuse(
      file,
      `can’t be unpacked: ${error instanceof Error ? error.message : 'it is damaged'}`,
      'Pack it again.',
    )
  }
}

/** A picture as 8 bits, no larger than is kept. Throws LanternError 'surface-file'. */
async function opened(bytes: Uint8Array, file: string): Promise<{ picture: Sharp; aspect: number }> {
  try {
    const read = sharp(bytes, { limitInputPixels: 2 ** 28 }).resize(MOST_SIDE, MOST_SIDE, {
      fit: 'inside',
      withoutEnlargement: true,
    })
    const { data, info } = await read.toColourspace('srgb').removeAlpha().raw().toBuffer({ resolveWithObject: true })
    const { width, height, channels } = info
    return { picture: sharp(data, { raw: { width, height, channels } }), aspect: height / width }
  } catch {
    throw refuse(file, 'can’t be read as a picture', 'Save it as PNG, JPEG or WebP.')
  }
}

/** Heights as slopes. */
async function slopesOf(picture: Sharp, aspect: number): Promise<Sharp> {
  const { data, info } = await picture.greyscale().raw().toBuffer({ resolveWithObject: true })
  const { width, height, channels } = info
  const heights = Float32Array.from({ length: width * height }, (_, n) => (RAISED * (data[n * channels] ?? 0)) / 255)
  const slopes = normalMap(heights, width, height, [1, aspect])
  return sharp(slopes, { raw: { width, height, channels: 4 } })
}

/** Takes the pictures of one surface in: one file, or an archive of several. Throws LanternError 'surface-file' naming the file. */
export async function takeSurfacePictures(bytes: Uint8Array, file: string): Promise<SurfaceTaken> {
  const files = filesOf(bytes, file)
  if (files.length === 0) throw refuse(file, 'holds no picture', 'Choose PNG, JPEG or WebP pictures.')
  const document = new Document()
  document.createBuffer()
  const material = document.createMaterial('surface').setRoughnessFactor(1).setMetallicFactor(0)
  const texture = async (name: string, picture: Sharp): Promise<Texture> =>
    document
      .createTexture(name)
      .setImage(new Uint8Array(await picture.png().toBuffer()))
      .setMimeType('image/png')
  const kinds = new Map(files.map(([name, own]) => [kindOf(name), [name, own] as const]))
  const notes = files
    .filter(([name]) => kinds.get(kindOf(name))?.[0] !== name)
    .map(([name]) => `${name} is left out: another picture has its place.`)
  let aspect = 1
  for (const [kind, [name, own]] of kinds) {
    const { picture, aspect: ratio } = await opened(own, name)
    if (kind === 'colour' || kinds.size === 1) aspect = ratio
    if (kind === 'colour') material.setBaseColorTexture(await texture(name, picture))
    else if (kind === 'normal') material.setNormalTexture(await texture(name, picture))
    else if (kind === 'roughness') material.setMetallicRoughnessTexture(await texture(name, picture))
    else if (!kinds.has('normal')) material.setNormalTexture(await texture(name, await slopesOf(picture, ratio)))
  }
  const position = document.createAccessor().setType('VEC3').setArray(new Float32Array(9))
  const primitive = document.createPrimitive().setMaterial(material).setAttribute('POSITION', position)
  for (const accessor of document.getRoot().listAccessors())
    accessor.setBuffer(document.getRoot().listBuffers()[0] ?? null)
  document.createScene().addChild(document.createNode().setMesh(document.createMesh().addPrimitive(primitive)))
  const glb = await new WebIO().writeBinary(document)
  return { glb, aspect, raised: kinds.has('height') && !kinds.has('normal'), notes }
}
