import { type FloatImage, makeImage, type Picture, type PictureLayer } from '../data/index.ts'
import { AREA, LAYER_PLANES, PRESENT, type RenderedTile, TILE } from './tiles.ts'

// Puts rendered tiles together: what a picture has once over the whole frame, each layer in the part of it where it shows.

/** Copies planes of a tile into an image's channels, at the image's place in the picture. */
function copyPlanes(
  into: FloatImage,
  at: { x: number; y: number },
  tile: { x: number; y: number },
  planes: Float32Array,
  first: number,
): void {
  const { width, height, channels, data } = into
  const left = Math.max(0, at.x - tile.x)
  const right = Math.min(TILE, width + at.x - tile.x)
  if (right <= left) return
  for (let y = 0; y < TILE; y++) {
    const row = tile.y + y - at.y
    if (row < 0 || row >= height) continue
    const to = (row * width + tile.x + left - at.x) * channels
    for (let c = 0; c < channels; c++) {
      const from = (first + c) * AREA + y * TILE
      if (channels === 1) data.set(planes.subarray(from + left, from + right), to)
      else for (let x = left, n = to + c; x < right; x++, n += channels) data[n] = planes[from + x] as number
    }
  }
}

/** What of a layer's planes goes where: the bit that says it is there, its first plane, its channels, and its value where it is not. */
const PARTS = [
  ['colour', PRESENT.colour, 0, 3, 0],
  ['alpha', PRESENT.colour, 3, 1, 0],
  ['emission', PRESENT.emission, 4, 3, 0],
  ['effect', PRESENT.effect, 7, 3, 0],
  ['depth', PRESENT.colour, 10, 1, 0],
  ['sun', PRESENT.sun, 11, 1, 1],
  ['sky', PRESENT.sky, 12, 1, 1],
  ['contact', PRESENT.contact, 13, 1, 1],
  ['hiddenColour', PRESENT.hidden, 14, 3, 0],
  ['hiddenAlpha', PRESENT.hidden, 17, 1, 0],
  ['hiddenEmission', PRESENT.hidden, 18, 3, 0],
  ['hiddenEffect', PRESENT.hidden, 21, 3, 0],
  ['hiddenDepth', PRESENT.hidden, 24, 1, 0],
] as const

/** One layer of the tiles; undefined where nothing of it shows. */
function layerOf(
  id: string,
  number: number,
  tiles: readonly RenderedTile[],
  width: number,
  height: number,
): PictureLayer | undefined {
  const own = tiles.filter(({ layers }) => layers[number])
  if (own.length === 0) return undefined
  const x = Math.min(...own.map((tile) => tile.x))
  const y = Math.min(...own.map((tile) => tile.y))
  const right = Math.min(width, Math.max(...own.map((tile) => tile.x + TILE)))
  const bottom = Math.min(height, Math.max(...own.map((tile) => tile.y + TILE)))
  const layer: PictureLayer = { id, x, y, width: right - x, height: bottom - y }
  for (const [name, bit, first, channels, elsewhere] of PARTS) {
    if (!own.some(({ present }) => (present[number] ?? 0) & bit)) continue
    const image = makeImage(layer.width, layer.height, channels)
    if (elsewhere) image.data.fill(elsewhere)
    // Planes of what a tile has nothing of may be another tile's.
    for (const tile of own.filter(({ present }) => (present[number] ?? 0) & bit))
      copyPlanes(image, layer, tile, tile.layers[number] ?? new Float32Array(LAYER_PLANES * AREA), first)
    layer[name] = image
  }
  return layer
}

/** The picture of rendered tiles; pixels of others hold the bare plate. */
export function assemble(
  ids: readonly string[],
  tiles: readonly RenderedTile[],
  width: number,
  height: number,
): Picture {
  const whole = (first: number, channels: number, elsewhere = 0): FloatImage => {
    const image = makeImage(width, height, channels)
    if (elsewhere) image.data.fill(elsewhere)
    for (const tile of tiles) copyPlanes(image, { x: 0, y: 0 }, tile, tile.own, first)
    return image
  }
  return {
    width,
    height,
    layers: ids.flatMap((id, n) => layerOf(id, n, tiles, width, height) ?? []),
    plate: whole(0, 1, 1),
    heat: whole(1, 1),
    sunlit: makeImage(width, height, 1),
    depth: whole(3, 1),
    normal: whole(4, 3),
    place: whole(7, 3),
    motion: whole(10, 2),
  }
}
