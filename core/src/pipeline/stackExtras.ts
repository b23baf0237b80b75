import { type Camera, type FloatImage, type PlateReport, scaleCamera } from '../data/index.ts'
import type { EffectInstance } from '../effects/index.ts'
import { keptMattes } from '../effects/keptMattes.ts'
import { conjugate, rotate, subtract, type Vec3 } from '../math/index.ts'
import { type Item, type ItemDocument, itemsInOrder, type SignalInputs } from '../settings/index.ts'
import { effectOf, itemAt, type ShotDocument, stackMattes } from '../shot/index.ts'
import { drawMatteOf } from './mattes.ts'
import type { MatteWorld } from './matteWorld.ts'
import type { StackExtras } from './stack.ts'

// What a frame's stack has from beside the document: the plate's drift, how far hot air is, and the mattes that cut layers.

type Seen = Pick<ShotDocument, 'sit' | 'items' | 'plate' | 'signals'>

/** The kept frames of mattes that a frame's stack needs. */
export const stackMatteFrames = (document: Seen, frame: number): EffectInstance<null>[] =>
  stackMattes(document).flatMap((id) => keptMattes(document, id, id, frame))

/** The mattes of a frame's stack, drawn so many px wide. camera: the plate's; world: what they have from beside the document; dataOf: a kept frame. */
export function drawStackMattes(
  document: Seen,
  camera: Camera,
  frame: number,
  width: number,
  world: MatteWorld,
  dataOf: (item: string, frame: number) => unknown,
  inputs: SignalInputs = {},
): Map<string, FloatImage> {
  const seen = scaleCamera(camera, width / camera.width)
  const at = { frame, open: { opening: frame, closing: frame }, world, inputs }
  return new Map(
    stackMattes(document).flatMap((id): [string, FloatImage][] => {
      const drawn = drawMatteOf(document, id, seen, camera.width, at, dataOf)
      return drawn ? [[id, drawn.image]] : []
    }),
  )
}

/** How far along the view what burns at a frame stands, m: the mean of the shown gases; undefined without any before the camera. */
function hotAirDistance(document: ItemDocument, { position, rotation }: Camera, frame: number, inputs: SignalInputs) {
  const away = itemsInOrder(document).flatMap(([, item]) => {
    const kind = effectOf(item as never)?.kind
    if (!item.shown || kind !== 'gas') return []
    const { position: at } = itemAt(document as never, item as never, frame, inputs) as Item & { position?: Vec3 }
    const z = at ? -rotate(conjugate(rotation), subtract(at, position))[2] : 0
    return z > 0 ? [z] : []
  })
  return away.length > 0 ? away.reduce((sum, z) => sum + z, 0) / away.length : undefined
}

/** What a frame's stack has from beside the document, but for its mattes. report: what the plate was measured to be. */
export function stackExtras(
  document: Seen,
  frame: number,
  camera: Camera | undefined,
  report: PlateReport | undefined,
  inputs: SignalInputs = {},
): StackExtras {
  const drift = report?.drift[frame - report.first] ?? undefined
  const distance = camera && hotAirDistance(document, camera, frame, inputs)
  return {
    ...(drift === undefined ? {} : { drift }),
    ...(camera && distance ? { hotAir: { focal: camera.focalPx, distance } } : {}),
  }
}
