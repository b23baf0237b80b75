import type { Crew } from '@lantern/core/base'
import type { FloatImage, Motion, Picture } from '@lantern/core/data'
import { pictureStream, plainDeflate, readPicture } from '@lantern/core/formats'
import { type MotionSources, plateMotion, stackMotions } from '@lantern/core/pipeline'
import { flameBrightness } from '@lantern/core/sit'
import { fetched, few, fewBytes, pictureBytes } from './fetched.ts'
import { plateOf } from './plateLight.ts'
import type { LaidFrom } from './protocol.ts'

/** A zlib stream unpacked by the browser, which is quicker at it. */
async function unpacked(bytes: Uint8Array): Promise<Uint8Array> {
  const stream = new Blob([bytes.slice()]).stream().pipeThrough(new DecompressionStream('deflate'))
  return new Uint8Array(await new Response(stream).arrayBuffer())
}

async function readKept(bytes: Uint8Array): Promise<Picture> {
  const body = await unpacked(pictureStream(bytes)).catch(() => new Uint8Array())
  return readPicture(bytes, { ...plainDeflate, inflate: () => body })
}

const picturesKept = fewBytes(5e8, pictureBytes)
/** A kept picture, decoded, at hand. */
export async function keptPicture(key: string, frame: number): Promise<Picture> {
  const there = picturesKept.get(key)
  if (there) return there
  const coming = onTheWay.get(key) ?? fetched(`/api/results/${key}/${frame}`).then(readKept)
  onTheWay.set(key, coming)
  try {
    return picturesKept.put(key, await coming)
  } finally {
    onTheWay.delete(key)
  }
}
const onTheWay = new Map<string, Promise<Picture>>()

const plateMotions = few<Motion>(48)
const pairMotions = few<Map<string, Motion>>(48)
/** The motions that a frame is drawn out along; those of kept pictures and of the plate are found once. */
export async function motionsOf(
  crew: Crew,
  { document, frame, source, size, motion }: LaidFrom,
  plate: FloatImage,
  picture: Picture | undefined,
): Promise<Map<string, Motion>> {
  if (!motion) return new Map()
  const { after, key, shutter } = motion
  const sources: MotionSources = { shutter }
  if (motion.plate) {
    const { knee, shoulder, curve } = document.sit
    const place = JSON.stringify([document.plate, frame, size, curve, knee, shoulder])
    const beside = await plateOf(crew, { document, frame: motion.frame, size })
    sources.plate = plateMotions.get(place) ?? plateMotions.put(place, plateMotion(crew, plate, beside, after))
  }
  if (key) sources.beside = { picture: await keptPicture(key, motion.frame), after }
  const kept = source.kind === 'kept' ? JSON.stringify([source.key, motion, document.sit.layers]) : ''
  const known = kept ? pairMotions.get(kept) : undefined
  const found = known ?? stackMotions(crew, document, picture, sources)
  if (kept && !known) pairMotions.put(kept, found)
  return found
}

const flames = new WeakMap<Picture, number | undefined>()
/** How bright the flame of a picture is; measured once. */
export function flameOf(picture: Picture): number | undefined {
  if (!flames.has(picture))
    flames.set(picture, flameBrightness(...picture.layers.flatMap(({ emission }) => emission ?? [])))
  return flames.get(picture)
}
