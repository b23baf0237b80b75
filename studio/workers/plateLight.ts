import type { Crew } from '@lantern/core/base'
import type { FloatImage } from '@lantern/core/data'
import { lightOfPlate, lightWithAlpha, plateImage } from '@lantern/core/pipeline'
import { alphaPlane, colourPlanes, fetched, few, pixelsOf } from './fetched.ts'
import type { LaidFrom } from './protocol.ts'

// Frames of plates and clips as light, kept at hand.

export const plates = few<FloatImage>(24)

/** The plate of a frame, as light is added to it. */
export async function plateOf(crew: Crew, request: Pick<LaidFrom, 'document' | 'frame' | 'size'>): Promise<FloatImage> {
  const { document, frame, size } = request
  const { plate } = document
  const { curve, knee, shoulder } = document.sit
  const place = `${plate.asset}/${frame}/${size}/${plate.encoding}/${curve}/${knee}/${shoulder}`
  return (
    plates.get(place) ?? plates.put(place, lightOfPlate(crew, await readPlate(request), document.sit, plate.encoding))
  )
}

/** A clip's frame with its alpha, as light. */
export async function withAlphaOf(
  crew: Crew,
  request: Pick<LaidFrom, 'document' | 'frame' | 'size'>,
  way: 'straight' | 'premultiplied',
): Promise<FloatImage> {
  const { document, frame, size } = request
  const { asset, encoding } = document.plate
  const place = `${asset}/${frame}/${size}/${encoding}/${document.sit.curve}/${way}`
  const there = plates.get(place)
  if (there) return there
  const plane = await alphaPlane(await fetched(`/api/assets/${asset}/${frame}?size=alpha`))
  const image = await readPlate(request)
  return plates.put(place, lightWithAlpha(crew, image, plane, way, document.sit, encoding))
}

async function readPlate({
  document: { plate },
  frame,
  size,
}: Pick<LaidFrom, 'document' | 'frame' | 'size'>): Promise<FloatImage> {
  const bytes = await fetched(`/api/assets/${plate.asset}/${frame}?size=${size}`)
  if (bytes[0] === 0x76) return colourPlanes(bytes)
  const { data, width, height } = await pixelsOf(bytes)
  return plateImage(new Uint8Array(data.buffer), width, height, plate.encoding, 4)
}
