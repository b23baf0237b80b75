import { windAt } from '../../air/index.ts'
import { type BrushStroke, solidBounds } from '../../data/index.ts'
import type { Quaternion, Vec3 } from '../../math/index.ts'
import { isMatte, strokesInOrder } from '../../mattes/index.ts'
import { type DripEdge, edgesOf, type Top } from '../../particles/index.ts'
import { AT_HOME } from '../../picture/index.ts'
import { isBox, isThing, piecesAt, type SmallPicture, standingPose, type ThingItem, turnOf } from '../../set/index.ts'
import { frameRate, type ItemDocument, type SignalInputs } from '../../settings/index.ts'
import { againAt, isReuse, type ReuseItem } from '../again.ts'
import type { EffectInstance } from '../effect.ts'
import type { BitShape } from './bits.ts'
import { particlesAt } from './resolve.ts'
import { isKept, isParticles, type ParticlesItem } from './schema.ts'
import { isTakenAt } from './taken.ts'

/** Rain or snow at a frame: what falls, s since the first frame, how far the air has gone and how it goes. */
export interface FallLook {
  snow: boolean
  intensity: number
  least: number
  near: number
  far: number
  most: number
  flutter: number
  time: number
  drift: Vec3
  wind: Vec3
  /** Only what is before something added is drawn. */
  beforeAdded: boolean
  /** Whether drops splash. */
  splashes: boolean
  /** Edges that drip. */
  edges: readonly DripEdge[]
  /** What of surfaces is under water: strokes, each list in its surface's own space. */
  wet: readonly Wet[]
}
export interface Wet {
  position: Vec3
  rotation: Quaternion
  strokes: readonly BrushStroke[]
}

/** How particles look. */
export interface ParticleLook {
  over: boolean
  colour: readonly [number, number, number]
  brightness: number
  glow: number
  lights: number
  /** Seconds that one lives, and the share of them over which it fades. */
  life: number
  fades: number
  seed: number
  /** Born hot: what no longer glows is not seen where it only gives light. */
  hot: boolean
  /** Flat ones turn as they fall: what is seen of them changes. */
  flat: boolean
  /** How far they bend as they turn, 0 to 1. */
  bends: number
  /** Share of its life over which a rim still glows. */
  afterglow: number
  /** Share of a drop's look that it has from the plate around it. */
  refracts: number
  /** Share of its shadow and contact that it throws on level surfaces. */
  shadow: number
  tops: readonly Top[]
  /** Solid bits that they are drawn as. */
  bits?: BitShape
  /** The taken-in mesh that they are instead. */
  own?: ThingItem
  /** The picture on discs. */
  picture?: SmallPicture
  /** What breaks whose pieces they are, and all that decides their shapes. */
  pieces?: { of: string; by: unknown }
  /** How much faster than when it was computed it is shown: size and pace. */
  speed: number
  fall?: FallLook
}

/** How far the air has gone since the plate's first frame, m: the wind of each frame's middle. */
function driftAt(document: ItemDocument, item: ParticlesItem, frame: number, inputs: SignalInputs): Vec3 {
  const rate = frameRate(document.plate)
  const { first } = document.plate
  const gone: [number, number, number] = [0, 0, 0]
  for (let n = first; n < frame; n++) {
    const wind = windAt(particlesAt(document, item, n, inputs), (n + 0.5 - first) / rate)
    for (let a = 0; a < 3; a++) gone[a] = (gone[a] as number) + (wind[a] as number) / rate
  }
  return gone
}

/** The ground and the tops of boxes that receive, at a frame; or the top of one item alone. */
function topsAt(document: ItemDocument, frame: number, inputs: SignalInputs, only?: string): Top[] {
  return piecesAt(document, frame, inputs).flatMap(([id, item]): Top[] => {
    if (only === undefined ? !item.roles.receives : id !== only) return []
    if (item.kind === 'ground') return [{ centre: item.position, half: [item.size, item.size], turn: turnOf(item) }]
    if (!isBox(item)) return []
    const turn = turnOf(item)
    const { high } = solidBounds({
      kind: 'box',
      centre: item.position,
      half: [0, 0, 0],
      rotation: turn,
    }) ?? { high: item.position }
    return [{ centre: [high[0], high[1] + item.height, high[2]], half: [item.width / 2, item.depth / 2], turn }]
  })
}

/** Where a matte is painted, by surface. */
function wetAt(document: ItemDocument, id: string, frame: number, inputs: SignalInputs): Wet[] {
  const matte = document.items[id]
  if (!isMatte(matte)) return []
  const strokes = strokesInOrder(matte)
  return piecesAt(document, frame, inputs).flatMap(([on, item]): Wet[] => {
    const own = strokes.flatMap(([, { on: of, radius, soft, erase, points }]) =>
      of === on ? [{ radius, soft, erase, points }] : [],
    )
    return own.length > 0 ? [{ ...standingPose(item), strokes: own }] : []
  })
}

/** A kept run shown again. */
function againInstance(
  document: ItemDocument,
  id: string,
  item: ReuseItem,
  frame: number,
  inputs: SignalInputs,
): EffectInstance<ParticleLook>[] {
  const own = document.items[item.of]
  if (!isParticles(own) || !isKept(own)) return []
  const { first, last } = document.plate
  const run = { first, last, pivot: particlesAt(document, own, first, inputs).position }
  const again = againAt(document, item, run, frame, inputs)
  if (!again) return []
  const { frames, place, pace } = again
  const look = {
    ...lookOf(document, particlesAt(document, own, frame, inputs), frame, inputs),
    speed: place.scale * pace,
  }
  return [{ item: id, of: item.of, frames, place, look }]
}

/** Rain is too thin and too fast to darken anything. */
const throwsShadow = ({ lays, shadow, way }: ParticlesItem): boolean => lays === 'over' && shadow > 0 && way !== 'rain'

/** The taken-in mesh that bits are; what it is called, and where it stands, changes nothing. */
function ownOf(
  document: ItemDocument,
  { bits, bitMesh, bitPicture, bitPieces }: ParticlesItem,
): Pick<ParticleLook, 'own' | 'picture' | 'pieces'> {
  if (bits === 'discs') return bitPicture ? { picture: bitPicture } : {}
  if (bits === 'pieces') {
    const { [bitPieces]: breaks } = document.items
    return breaks
      ? { pieces: { of: bitPieces, by: [breaks, document.items[(breaks as { piece?: string }).piece ?? '']] } }
      : {}
  }
  const thing = bits === 'mesh' ? document.items[bitMesh] : undefined
  return isThing(thing) ? { own: { ...thing, name: '', order: 0, position: [0, 0, 0], turn: 0, tilt: 0, roll: 0 } } : {}
}

const lookOf = (document: ItemDocument, now: ParticlesItem, frame: number, inputs: SignalInputs): ParticleLook => ({
  over: now.lays === 'over',
  colour: now.colour,
  brightness: now.brightness,
  glow: now.glow,
  lights: Math.round(now.lights),
  life: now.life,
  fades: now.fades / 100,
  seed: now.seed,
  hot: isKept(now) && now.hot > 0,
  flat: isKept(now) && now.form === 'flake',
  bends: now.bends / 100,
  afterglow: now.afterglow / 100,
  shadow: throwsShadow(now) ? now.shadow / 100 : 0,
  tops: throwsShadow(now) || now.way === 'rain' ? topsAt(document, frame, inputs) : [],
  refracts: now.way === 'rain' ? now.refracts / 100 : 0,
  speed: 1,
  ...(now.bits !== 'points' && isKept(now) ? { bits: now.bits, ...ownOf(document, now) } : {}),
})

/** What particles show at a frame: their kept one; rain and snow without any; or another's kept run again. */
export function particleInstances(
  document: ItemDocument,
  id: string,
  frame: number,
  inputs: SignalInputs,
): EffectInstance<ParticleLook>[] {
  const item = document.items[id]
  if (isReuse(item)) return againInstance(document, id, item, frame, inputs)
  if (!isParticles(item)) return []
  const now = particlesAt(document, item, frame, inputs)
  const { first } = document.plate
  const seconds = (frame - first) / frameRate(document.plate)
  const falls = !isKept(now)
  const fall: FallLook | undefined = falls
    ? {
        snow: now.way === 'snow',
        intensity: now.intensity,
        least: now.least,
        near: now.near,
        far: Math.max(now.near + 0.1, now.far),
        most: Math.round(now.most),
        flutter: now.flutter,
        time: seconds,
        drift: driftAt(document, item, frame, inputs),
        wind: windAt(now, seconds),
        beforeAdded: now.falls === 'before added',
        splashes: now.splashes && now.way === 'rain',
        edges:
          now.way === 'rain' && now.drips
            ? topsAt(document, frame, inputs, now.drips).flatMap((top) => edgesOf(top, now.intensity))
            : [],
        wet: now.way === 'rain' ? wetAt(document, now.puddles, frame, inputs) : [],
      }
    : undefined
  const look: ParticleLook = { ...lookOf(document, now, frame, inputs), ...(fall ? { fall } : {}) }
  if (now.way === 'taken in' && !isTakenAt(now, document, frame)) return []
  return [{ item: id, of: id, frames: falls ? [] : [{ frame, weight: 1, ahead: 0 }], place: AT_HOME, look }]
}
