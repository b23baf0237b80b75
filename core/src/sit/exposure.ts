import type { FloatImage } from '../data/index.ts'
import { log } from '../math/index.ts'

/** Where a flame that is exposed for has its brightest parts, times white: some of it is clipped, as filmed flames are, and its body keeps its colour. */
const FIRE_AT = 3.5
/** What is darker than this share of the flame's brightest counts as no flame. */
const FAINT = 0.02
const HIGH = 0.98

/** How bright a picture's flame is before any exposure: the value that 98 hundredths of its pixels lie below, times white; undefined where nothing burns. fires: layers' own light, 3 channels each. */
export function flameBrightness(...fires: readonly FloatImage[]): number | undefined {
  const pixels = new Float32Array(fires.reduce((sum, { data }) => sum + data.length / 3, 0))
  let at = 0
  for (const { data } of fires)
    for (let n = 0; n < data.length; n += 3)
      pixels[at++] = 0.2126 * (data[n] ?? 0) + 0.7152 * (data[n + 1] ?? 0) + 0.0722 * (data[n + 2] ?? 0)
  const most = pixels.reduce((a, b) => Math.max(a, b), 0)
  if (!(most > 0)) return undefined
  const bright = pixels.filter((value) => value > FAINT * most).sort()
  return bright[Math.min(bright.length - 1, Math.floor(HIGH * bright.length))]
}

/** Stops that expose for a flame of such brightness, to a tenth. */
export const exposureForFire = (brightness: number): number =>
  Math.round((10 * log(FIRE_AT / brightness)) / log(2)) / 10
