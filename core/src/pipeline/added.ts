import { effectOf, type ShotDocument } from '../shot/index.ts'
import { coversAt, needRaster } from './needs.ts'
import type { PictureFrame } from './pictureFrame.ts'

// What particles ask of the picture that they fall in: the plate around them, and what is added behind them.

/** How far the nearest of what is added lies, by places of the picture; undefined where nothing asks for it. */
export function addedAt(
  document: Parameters<typeof coversAt>[0],
  at: PictureFrame,
  dataOf: (item: string, frame: number) => unknown,
): ((x: number, y: number) => number) | undefined {
  const asks = Object.values(document.items).some((item) => item.shown && effectOf(item)?.onlyBeforeAdded?.(item))
  if (!asks) return undefined
  const raster = needRaster(at.camera)
  const covers = coversAt(document, at, raster, ({ of }, frame) => {
    const data = dataOf(of, frame)
    return data === undefined ? undefined : effectOf(document.items[of])?.extent?.(data)
  })
  const near = new Float32Array(raster.width * raster.height).fill(Infinity)
  for (const cover of covers.values())
    for (let n = 0; n < near.length; n++) near[n] = Math.min(near[n] as number, cover.near[n] as number)
  const clamp = (share: number, count: number): number => Math.min(count - 1, Math.max(0, Math.floor(share * count)))
  return (x, y) => near[clamp(y, raster.height) * raster.width + clamp(x, raster.width)] as number
}

/** Whether something that is shown takes its look from the plate around it. */
export const usesPlate = ({ items }: Pick<ShotDocument, 'items'>): boolean =>
  Object.values(items).some((item) => item.shown && effectOf(item)?.usesPlate?.(item))
