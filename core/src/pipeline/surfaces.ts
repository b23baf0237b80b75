import { type Material, PLAIN, type SurfaceMesh } from '../data/index.ts'
import {
  meshOf,
  type PatternSettings,
  patternPictures,
  type SurfacedItem,
  type Unfolding,
  unfolded,
} from '../set/index.ts'
import { type MeshSource, textureOf } from './meshSource.ts'

// Pieces that are drawn with a surface of their own: one colour, a made pattern, or taken-in pictures, laid in metres.

/** What of a piece's settings decides its surface. */
export function surfaceKey(item: SurfacedItem): unknown {
  const { surfaceColour, roughness, metal, pattern } = item
  const own = { base: [...surfaceColour, 1], roughness, metal }
  if (pattern === 'plain') return own
  const { patternSize, relief } = item
  if (pattern === 'pictures') return { ...own, pattern, patternSize, relief, pictures: item.surfacePictures }
  const { secondColour, jointColour, patternVariant } = item
  return { ...own, pattern, patternSize, relief, secondColour, jointColour, patternVariant }
}

/** What of it decides where its pictures lie; undefined where it has none. */
export const unfoldingKey = ({ pattern, patternSize, surfacePictures }: SurfacedItem): unknown =>
  pattern === 'plain' ? undefined : [pattern, patternSize, ...(pattern === 'pictures' ? [surfacePictures?.aspect] : [])]

const unfoldingOf = (item: SurfacedItem): Unfolding =>
  item.kind === 'form' && item.shape === 'cylinder'
    ? { kind: 'round', radius: (item.width + item.depth) / 4, gap: item.gap, copies: Math.round(item.copies) }
    : { kind: 'sides' }

function patternOf(item: SurfacedItem): PatternSettings | undefined {
  const { pattern, patternSize, surfaceColour, secondColour, jointColour, relief, patternVariant } = item
  if (pattern === 'plain' || pattern === 'pictures') return undefined
  return {
    pattern,
    size: patternSize,
    first: surfaceColour,
    second: secondColour,
    joint: jointColour,
    relief: relief / 1000,
    variant: patternVariant,
  }
}

/** A piece's mesh and material. Pictures that are not there leave it in its colour. */
export function drawSurface(item: SurfacedItem, meshes: MeshSource): { mesh: SurfaceMesh; material: Material } {
  const plain: Material = {
    ...PLAIN,
    base: [...item.surfaceColour, 1],
    roughness: item.roughness,
    metal: item.metal,
  }
  const pattern = patternOf(item)
  if (pattern) {
    const { base, normal, metres } = patternPictures(pattern)
    const material = { ...plain, base: [1, 1, 1, 1] as const, baseMap: base, normalMap: normal }
    return { mesh: unfolded(meshOf(item), metres, unfoldingOf(item)), material }
  }
  const taken = item.pattern === 'pictures' ? item.surfacePictures : undefined
  const loaded = taken && meshes(taken.blob)
  const from = loaded?.asset.materials[0]
  if (!taken || !loaded || !from) return { mesh: meshOf(item), material: plain }
  const material: Material = {
    ...plain,
    ...(from.baseMap ? { base: [1, 1, 1, 1], baseMap: textureOf(loaded, from.baseMap, true) } : {}),
    ...(from.surfaceMap ? { roughness: 1, surfaceMap: textureOf(loaded, from.surfaceMap, false) } : {}),
    normalMap: textureOf(loaded, from.normalMap, false),
    // Slopes from a height are kept for a relief of a fiftieth of the width.
    normalScale: taken.raised ? (item.relief / 1000 / item.patternSize) * 50 : 1,
  }
  const metres = [item.patternSize, item.patternSize * taken.aspect] as const
  return { mesh: unfolded(meshOf(item), metres, unfoldingOf(item)), material }
}
