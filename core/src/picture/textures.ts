import { MATERIAL_BYTES, TEXTURE_BYTES, writeMaterial, writeTexture } from '@lantern/kernels'
import type { Crew } from '../base/index.ts'
import type { Material, Texture } from '../data/index.ts'
import { pow } from '../math/index.ts'

const WRAPS = { repeat: 0, hold: 1, mirror: 2 } as const
const STEPS = 4096

/** What bytes mean as light, and back. */
interface ByteTables {
  /** 256 floats of sRGB bytes, then 256 of plain ones. */
  forward: number
  /** sRGB bytes of STEPS steps of light. */
  back: number
}

const fromSrgb = (value: number): number => (value <= 0.04045 ? value / 12.92 : pow((value + 0.055) / 1.055, 2.4))
const toSrgb = (light: number): number => (light <= 0.0031308 ? light * 12.92 : 1.055 * pow(light, 1 / 2.4) - 0.055)

const FORWARD = Float32Array.from({ length: 512 }, (_, n) => (n < 256 ? fromSrgb(n / 255) : (n - 256) / 255))
const BACK = Uint8Array.from({ length: STEPS }, (_, n) => Math.round(255 * toSrgb(n / (STEPS - 1))))

/** Lays the tables of bytes on the heap. */
export function uploadByteTables(crew: Crew): ByteTables {
  const forward = crew.heap.alloc(2048)
  crew.heap.f32(forward, 512).set(FORWARD)
  const back = crew.heap.alloc(STEPS)
  crew.heap.u8(back, STEPS).set(BACK)
  return { forward, back }
}

/** Lays a texture with its smaller versions on the heap. */
function uploadTexture(crew: Crew, texture: Texture, tables: ByteTables): number {
  const { heap } = crew
  const { width, height, data, srgb, wrap } = texture
  const levels: number[] = []
  let [w, h] = [width, height]
  for (;;) {
    const at = heap.alloc(w * h * 4)
    const before = levels.at(-1)
    if (before === undefined) heap.u8(at, w * h * 4).set(data)
    else {
      const [largerWidth, largerHeight] = [
        Math.max(1, width >> (levels.length - 1)),
        Math.max(1, height >> (levels.length - 1)),
      ]
      const size = { src: before, width: largerWidth, height: largerHeight, out: at, srgb: Number(srgb) }
      crew.run('halveTexture', { ...size, ...tables }, h, 16)
    }
    levels.push(at)
    if (w === 1 && h === 1) break
    w = Math.max(1, w >> 1)
    h = Math.max(1, h >> 1)
  }
  const list = heap.alloc(levels.length * 4)
  heap.i32(list, levels.length).set(levels)
  const block = heap.alloc(TEXTURE_BYTES)
  writeTexture(heap, block, {
    width,
    height,
    levels: levels.length,
    srgb: Number(srgb),
    wrapX: WRAPS[wrap[0]],
    wrapY: WRAPS[wrap[1]],
    at: list,
  })
  return block
}

/** Lays materials on the heap one after another; textures that several share lie there once. */
export function materialUploader(
  crew: Crew,
  tables: ByteTables,
  projection: (plate: NonNullable<Material['plate']>) => number,
): (materials: readonly Material[]) => number {
  const laid = new Map<Texture, number>()
  const of = (texture: Texture | undefined): number => {
    if (!texture) return 0
    const at = laid.get(texture) ?? uploadTexture(crew, texture, tables)
    laid.set(texture, at)
    return at
  }
  return (materials) => {
    const at = crew.heap.alloc(Math.max(1, materials.length) * MATERIAL_BYTES)
    materials.forEach((material, n) =>
      writeMaterial(crew.heap, at + n * MATERIAL_BYTES, {
        base: material.base,
        emission: [...material.emission, material.fade ?? 0],
        metal: material.metal,
        roughness: material.roughness,
        normalScale: material.normalScale,
        cutoff: material.alpha === 'opaque' ? -1 : material.alpha === 'blend' ? 0 : Math.max(1e-6, material.alpha),
        baseMap: of(material.baseMap),
        normalMap: of(material.normalMap),
        surfaceMap: of(material.surfaceMap),
        emissionMap: of(material.emissionMap),
        doubleSided: Number(material.doubleSided),
        plate: material.plate ? projection(material.plate) : 0,
      }),
    )
    return at
  }
}
