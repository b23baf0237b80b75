import { blackBodyXyz, intoGamut, rec709 } from '../light/index.ts'
import { cos, radians } from '../math/index.ts'
import type { Lamp, LayerDrawables } from '../picture/index.ts'
import { carriedAt, isSeen, type LampItem, lampAxis, lampEdges, lampsAt, thingsAt } from '../set/index.ts'
import type { ItemDocument, SignalInputs } from '../settings/index.ts'
import { layerIdOf, type ShotDocument, shotLayers } from '../shot/index.ts'

/** A black body's colour against a plate's white (D65), of luminance 1. */
export function kelvinColour(kelvin: number): [number, number, number] {
  const xyz = blackBodyXyz(kelvin)
  const rgb = intoGamut(rec709([xyz[0] / xyz[1], 1, xyz[2] / xyz[1]]))
  return rgb
}

/** Candela along a lamp's axis: its lumens over the directions that it shines in. An area is Lambertian; a spot's soft edge counts half. */
export function lampCandela({ shape, lumens, cone, edge }: LampItem): number {
  if (shape === 'area') return lumens / Math.PI
  if (shape === 'point') return lumens / (4 * Math.PI)
  const [outer, inner] = [cos(radians(cone / 2)), cos(radians((cone / 2) * (1 - edge)))]
  return lumens / (2 * Math.PI * (1 - (outer + inner) / 2))
}

/** A lamp as the picture draws it. illuminance: lux that make white 1 in the plate. */
export function lampOf(item: LampItem, illuminance: number): Lamp {
  const power = (Math.PI * lampCandela(item)) / illuminance
  const hue = kelvinColour(item.kelvin)
  const intensity = hue.map((part, c) => part * (item.tint[c] ?? 1) * power) as [number, number, number]
  const own = { kind: 'lamp', at: item.position, intensity, onSet: item.lights === 'all' } as const
  if (item.shape === 'area') return { ...own, shape: 'rectangle', radius: 0, ...lampEdges(item), axis: lampAxis(item) }
  if (item.shape === 'point') return { ...own, shape: 'ball', radius: item.size / 2 }
  const half = item.cone / 2
  return {
    ...own,
    shape: 'spot',
    radius: item.size / 2,
    axis: lampAxis(item),
    inner: cos(radians(half * (1 - item.edge))),
    outer: cos(radians(half)),
  }
}

/** The lamps of a frame, by layer. */
export const drawLamps = (
  document: ItemDocument,
  frame: number,
  illuminance: number,
  inputs?: SignalInputs,
): LayerDrawables[] =>
  lampsAt(document, frame, inputs).map(([id, item]) => ({
    id: layerIdOf(id, item),
    drawables: [lampOf(item, illuminance)],
  }))

/** How much stands in a shot by itself, without a run that has to be kept: things, lamps, and what has the plate on it. */
export const standing = (document: ItemDocument, frame: number): number =>
  thingsAt(document, frame).length + lampsAt(document, frame).length + carriedAt(document, frame).length

/** A shot in which one light shines alone: a lamp's, or 'plateLight' for sun and sky. Fires give no light then, and what has the plate on it has none: the plate holds its own light. */
export function lightAlone<D extends Pick<ShotDocument, 'items' | 'light' | 'sit'>>(document: D, alone: string): D {
  const items = Object.fromEntries(
    Object.entries(document.items).map(([id, item]) => {
      if (item.kind === 'lamp') return [id, { ...item, shown: id === alone }]
      const lit = isSeen(item) && item.carries !== 'surface' && alone !== 'plateLight'
      return [id, lit ? { ...item, carries: 'nothing' } : item]
    }),
  )
  const dark = { sunColour: [0, 0, 0], skyColour: [0, 0, 0] } as const
  const light = alone === 'plateLight' ? document.light : { ...document.light, ...dark }
  return { ...document, items, light, sit: { ...document.sit, fireExposure: -16 } }
}

/** A document whose stack lays one layer alone; its shadow and light on the set stay. */
export function oneLayerShown<D extends Pick<ShotDocument, 'items' | 'signals' | 'plate' | 'sit'>>(
  document: D,
  alone: string,
): D {
  const layers = Object.fromEntries(
    shotLayers(document).map(({ id, settings }) => [id, { ...settings, shown: id === alone }]),
  )
  return { ...document, sit: { ...document.sit, layers: { ...document.sit.layers, ...layers } } }
}

/** How much of a frame is drawn that waits for nothing that is kept: what stands, and what falls without end. */
export const drawnByItself = (
  document: ItemDocument,
  frame: number,
  instances: readonly { frames: readonly unknown[] }[],
): number => standing(document, frame) + instances.filter(({ frames }) => frames.length === 0).length
