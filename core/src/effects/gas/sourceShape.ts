import { LanternError } from '../../base/index.ts'
import { inFrameOf, rayToSolid, type Solid, straighten } from '../../data/index.ts'
import { type GasSource, type GasView, SHEET, type SourceInputs, type SourceShape } from '../../gas/index.ts'
import { add, normalise, panTiltRoll, radians, rotate, scale, type Vec3 } from '../../math/index.ts'
import { isMatte, strokesInOrder } from '../../mattes/index.ts'
import { piecesAt, standingPose, thingsAt } from '../../set/index.ts'
import type { ItemDocument, WorldPose } from '../../settings/index.ts'
import type { EffectContext } from '../effect.ts'
import type { GasItem, SourceItem } from './schema.ts'

/** Kelvin at 0 degrees Celsius. */
export const KELVIN = 273.15
/** What a source stirs is as large as a quarter of its breadth where nothing else is said. */
const STIR_SHARE = 4

/** Drawn shapes as the camera of their frame sees them, with the bounds of what solid they lie on. */
function viewOf(name: string, item: Pick<GasItem, 'drawn'>, solids: readonly Solid[], world: EffectContext): GasView {
  const { drawn } = item
  if (!drawn)
    throw new LanternError(
      'gas-area',
      `“${name}” comes from an area of the plate, and none is drawn.`,
      'Draw it on the plate, or choose another shape.',
      { field: 'shape' },
    )
  const camera = world.camera?.(drawn.frame)
  if (!camera)
    throw new LanternError(
      'no-camera',
      `“${name}” comes from an area drawn on frame ${drawn.frame}, and the shot has no camera to put it into the set.`,
      'Take in a camera or solve one at the Match station.',
      { field: 'camera', frame: drawn.frame },
    )
  const shapes = drawn.shapes.map((shape) =>
    shape.map(([x, y]): [number, number] =>
      straighten(camera, (x - camera.centre[0]) / camera.focalPx, (y - camera.centre[1]) / camera.focalPx),
    ),
  )
  const low: [number, number, number] = [Infinity, Infinity, Infinity]
  const high: [number, number, number] = [-Infinity, -Infinity, -Infinity]
  const GRID = 24
  for (const shape of shapes) {
    const [xs, ys] = [shape.map(([x]) => x), shape.map(([, y]) => y)]
    const [x0, x1, y0, y1] = [Math.min(...xs), Math.max(...xs), Math.min(...ys), Math.max(...ys)]
    for (let n = 0; n <= GRID; n++)
      for (let m = 0; m <= GRID; m++) {
        const along = normalise(
          rotate(camera.rotation, [x0 + ((x1 - x0) * n) / GRID, -(y0 + ((y1 - y0) * m) / GRID), -1]),
        )
        const t = solids.reduce(
          (nearest, solid) => Math.min(nearest, rayToSolid(solid, camera.position, along) ?? Infinity),
          Infinity,
        )
        if (!Number.isFinite(t) || t > 2000) continue
        const at = add(camera.position, scale(along, t))
        for (let a = 0; a < 3; a++) {
          low[a] = Math.min(low[a] ?? 0, at[a] ?? 0)
          high[a] = Math.max(high[a] ?? 0, at[a] ?? 0)
        }
      }
  }
  if (!Number.isFinite(low[0]))
    throw new LanternError(
      'gas-area',
      `The area of “${name}” lies on nothing: no set piece that stops gas is behind it.`,
      'Add the ground or a wall there, or draw it elsewhere.',
      { field: 'drawn', frame: drawn.frame },
    )
  return { eye: camera.position, rotation: camera.rotation, shapes, low, high }
}

export type Feeding = GasItem | SourceItem
type Stopping = readonly { id: string; solid: Solid }[]

const unpainted = (what: string, remedy: string): LanternError =>
  new LanternError('gas-painted', what, remedy, { field: 'matte' })

/** Where pieces and things stand at the first frame: what is painted on them is kept in their own space. */
const posesOf = (document: ItemDocument, { inputs }: EffectContext): Map<string, WorldPose> =>
  new Map(
    [...piecesAt(document, undefined, inputs), ...thingsAt(document, undefined, inputs)].map(([id, item]) => [
      id,
      standingPose(item),
    ]),
  )

/** What a matte's brush painted on what stops gas. Throws LanternError 'gas-painted' where that is nothing. */
function paintOf(item: Feeding, solids: Stopping, document: ItemDocument, world: EffectContext): SourceShape {
  const matte = document.items[item.matte]
  if (!isMatte(matte))
    throw unpainted(
      `“${item.name}” comes from what a matte paints, and ${item.matte ? 'that matte is gone' : 'none is chosen'}.`,
      'Choose a painted matte.',
    )
  const poses = posesOf(document, world)
  const strokes = strokesInOrder(matte).flatMap(([, { on, radius, soft, erase, points }]) => {
    const solid = solids.findIndex(({ id }) => id === on)
    const pose = poses.get(on)
    const body = solids[solid]?.solid
    if (!pose || !body) return []
    const own = points.map((point) => inFrameOf(body, add(pose.position, rotate(pose.rotation, point))))
    return [{ solid, radius, soft, erase, points: own }]
  })
  if (strokes.every(({ erase }) => erase))
    throw unpainted(
      `“${item.name}” comes from what “${matte.name}” paints, and it paints nothing that stops gas.`,
      'Paint on the ground, a wall or a thing with the role "stops gas".',
    )
  return { kind: 'painted', strokes }
}

function shapeOf(item: Feeding, solids: Stopping, document: ItemDocument, world: EffectContext): SourceShape {
  const radius = item.diameter / 2
  const list = solids.map(({ solid }) => solid)
  switch (item.shape) {
    case 'sphere':
      return { kind: 'ball', radius }
    case 'box':
      return { kind: 'box', half: [radius, (item.tall || item.diameter) / 2, (item.deep || item.diameter) / 2] }
    case 'disc':
      return { kind: 'disc', radius, thickness: SHEET }
    case 'line':
      if (!item.line || item.line.length < 2)
        throw new LanternError(
          'gas-line',
          `“${item.name}” comes from a line, and none is drawn.`,
          'Draw it in the set, or choose another shape.',
          { field: 'shape' },
        )
      return { kind: 'line', points: item.line, radius, thickness: SHEET }
    case 'piece': {
      const solid = solids.findIndex(({ id }) => id === item.piece)
      if (solid < 0)
        throw new LanternError(
          'gas-piece',
          `“${item.name}” comes from a set piece, and ${item.piece ? 'that piece is hidden or does not stop gas' : 'none is chosen'}.`,
          'Choose a shown piece with the role "stops gas".',
          { field: 'piece' },
        )
      return {
        kind: 'surface',
        solid,
        ...(item.pattern === 'painted' ? { view: viewOf(item.name, item, list, world) } : {}),
      }
    }
    case 'area':
      return { kind: 'area', view: viewOf(item.name, item, list, world) }
    case 'painted':
      return paintOf(item, solids, document, world)
    case 'break':
      if (document.items[item.breaks]?.kind !== 'breaking')
        throw new LanternError(
          'gas-break',
          `“${item.name}” comes from a break, and ${item.breaks ? 'that is gone' : 'none is chosen'}.`,
          'Choose something that breaks, or another shape.',
          { field: 'breaks' },
        )
      return { kind: 'points' }
    case 'points':
      if (!item.points)
        throw new LanternError(
          'gas-points',
          `“${item.name}” comes from points, and no table of them is taken in.`,
          'Take one in, or choose another shape.',
          { field: 'shape' },
        )
      return { kind: 'points' }
  }
}

export function sourceOf(item: Feeding, solids: Stopping, document: ItemDocument, world: EffectContext): GasSource {
  return {
    shape: shapeOf(item, solids, document, world),
    perArea: item.per === 'a square metre',
    stirSize: item.stirSize || item.diameter / STIR_SHARE,
    ...(item.pattern === 'noise' ? { pattern: { size: item.patchSize, share: item.patches / 100 } } : {}),
  }
}

/** Where an item stands and how it is turned at a frame, from its motion; one without is not turned. */
const placeOf = (item: object): { turn?: number; tilt?: number; roll?: number } => item

/** Where a break gives off nothing: a place without any strength. */
const standingPoint = ([x, y, z]: Vec3): number[] => [x, y, z, 0.1]

export function sourceInputs(item: Feeding, frame: number, world: EffectContext): SourceInputs {
  const { turn = 0, tilt = 0, roll = 0 } = placeOf(item)
  const rotation = panTiltRoll(radians(turn), radians(tilt), radians(roll))
  const breaks = item.shape === 'break'
  const points = breaks
    ? standingPoint(item.position)
    : item.shape === 'points' && item.points
      ? (world.points?.(item.points.blob, frame) ?? [])
      : undefined
  return {
    centre: item.position,
    rotation,
    heat: breaks ? 0 : item.heat * 1000,
    smoke: breaks ? 0 : item.smoke / 1000,
    temperature: item.warmth + KELVIN,
    speed: item.speed,
    aim: rotate(rotation, normalise(item.aim)),
    stir: item.stir,
    ...(points ? { points } : {}),
  }
}
