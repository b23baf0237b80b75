import { type Progress, stopIfCancelled } from '../base/index.ts'
import type { Picture, ReadingFrames } from '../data/index.ts'
import { isMatte } from '../mattes/index.ts'
import { isLamp, isPiece, isThing } from '../set/index.ts'
import { isDrawn, layerIdOf, type Reading, type ShotDocument, type ShotItem } from '../shot/index.ts'
import { readWhole } from '../sit/index.ts'

// Readings of a layer: how bright its light is in the picture, drawn alone: nothing that follows a reading can change what is read.

/** What lights or hides others has no say in how bright a layer is by itself. */
const isOther = (item: ShotItem): boolean => isLamp(item) || isMatte(item) || item.kind === 'relight'

/** A shot in which one layer alone is seen, before its set: with all that the layer is made from. */
export function layerAlone(document: ShotDocument, layer: string): ShotDocument {
  const items = Object.entries(document.items).map(([id, item]): [string, ShotItem] => {
    if (layerIdOf(id, item) === layer && !isOther(item)) return [id, item]
    return [id, isOther(item) || (isDrawn(item) && !isPiece(item) && !isThing(item)) ? { ...item, shown: false } : item]
  })
  return { ...document, items: Object.fromEntries(items) }
}

/** What decides how a layer is read: what it may be made from, by its settings. */
export const layerReadingSettings = (document: Pick<ShotDocument, 'items' | 'camera' | 'plate'>, layer: string) => ({
  layer,
  camera: document.camera,
  items: Object.entries(document.items)
    .filter(([, item]) => !isOther(item))
    .map(([id, item]) => {
      const { name: _, order: __, locked: ___, ...rest } = item
      const { shown, ...settings } = rest
      return [id, { ...settings, own: layerIdOf(id, item) === layer && shown }]
    }),
})

/** A layer's light at a frame: what it shines, and what it sends on of the plate's light and of the others'; over the whole picture. Figures of 0 where it is not seen. */
export function layerFigures(picture: Picture, layer: string, percentile: number) {
  const { width, height } = picture
  const light = new Float32Array(width * height * 3)
  for (const { id, x, y, width: wide, height: tall, ...planes } of picture.layers) {
    if (id !== layer) continue
    for (const plane of [planes.emission, planes.colour, planes.effect])
      for (let v = 0; plane && v < tall; v++)
        for (let n = 0; n < 3 * wide; n++) {
          const at = 3 * ((y + v) * width + x) + n
          light[at] = (light[at] as number) + (plane.data[3 * v * wide + n] as number)
        }
  }
  return readWhole(light, width, height, percentile / 100)
}

/** Takes a reading of a layer over the plate's frames. picture: a frame's picture with the layer alone. */
export async function takeLayerReading(
  { plate }: Pick<ShotDocument, 'plate'>,
  layer: string,
  { percentile }: Pick<Reading, 'percentile'>,
  picture: (frame: number) => Promise<Picture>,
  progress: Progress,
): Promise<ReadingFrames> {
  const frames: ReadingFrames['frames'] = []
  for (let frame = plate.first; frame <= plate.last; frame++) {
    stopIfCancelled(progress)
    progress.report((frame - plate.first) / (plate.last - plate.first + 1), 'reading')
    frames.push(layerFigures(await picture(frame), layer, percentile))
  }
  return { first: plate.first, frames }
}
