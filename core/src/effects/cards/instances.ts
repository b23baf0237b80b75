import { hash01 } from '../../base/index.ts'
import { type ClipFrame, clipFrames, clipStep, type Sticking } from '../../cards/index.ts'
import { add, cos, panTiltRoll, pow, type Quaternion, radians, rotate, sin, type Vec3 } from '../../math/index.ts'
import { AT_HOME } from '../../picture/index.ts'
import { frameRate, type ItemDocument, movedAndSettledAt, type SignalInputs } from '../../settings/index.ts'
import type { EffectInstance, OtherFrame } from '../effect.ts'
import { CARD_SETTINGS, type CardItem, type ClipOfCard, isCard } from './schema.ts'

/** How a card looks at a frame, and where it stands. */
export interface CardLook {
  frames: readonly ClipFrame[]
  clip: Omit<OtherFrame, 'frame'>
  /** Width over height of the filmed frame. */
  aspect: number
  there: CardItem['there']
  /** Levels and shares as matte.ts has them. */
  lift: number
  full: number
  key: { colour: readonly [number, number, number]; near: number; far: number; spill: number; edge: number }
  feather: number
  height: number
  foot: number
  faces: CardItem['faces']
  mirror: boolean
  /** m before the set over which it fades out. */
  fade: number
  /** Gain of each channel. */
  gain: readonly [number, number, number]
  /** How strongly it lights what is round it, against how bright it is. */
  light: number
  place: Vec3
  turn: Quaternion
  /** The flat track that it goes with: the frame as which it stands in the set, and how the track moved since. */
  stuck?: Sticking & { frame: number }
  /** So far away that it turns with the camera alone: towards it (unit), its height as it is seen and its roll, radians. */
  sky?: { towards: Vec3; across: number; roll: number }
}

/** How fast a card's clip runs: its own frames a frame of the plate, and against how it was delivered. */
export function cardSpeed(
  { clip, shotAt, pace }: Pick<CardItem, 'clip' | 'shotAt' | 'pace'>,
  plate: number,
): { step: number; delivered: number } | undefined {
  if (!clip) return undefined
  const shot = shotAt || clip.rate
  return { step: clipStep({ shot, plate, pace }), delivered: shot / clip.rate }
}

/** What tells one copy from another; the first stands where the card is, as it is. */
interface Copy {
  /** m to the right and towards the camera, before its turn. */
  x: number
  z: number
  /** Frames by which it begins later. */
  later: number
  scale: number
  stops: number
  mirror: boolean
}

function copiesOf(item: CardItem): Copy[] {
  const { copies, wide, deep, startSpread, every, scaleSpread, exposureSpread, seed } = item
  const dice = (n: number, k: number): number => hash01(Math.round(seed), n, k, 83)
  const round = (n: number, k: number): number => 2 * dice(n, k) - 1
  return Array.from({ length: Math.round(copies) }, (_, n): Copy => {
    if (n === 0) return { x: 0, z: 0, later: 0, scale: 1, stops: 0, mirror: false }
    return {
      x: (round(n, 0) * wide) / 2,
      z: (round(n, 1) * deep) / 2,
      later: every > 0 ? n * every : Math.floor(dice(n, 2) * startSpread),
      scale: 1 + (round(n, 3) * scaleSpread) / 100,
      stops: round(n, 4) * exposureSpread,
      mirror: dice(n, 5) < 0.5,
    }
  })
}

/** The clip's frames that a copy shows at a frame; none before it begins, after it ends, and without a clip. later: frames by which it begins later. */
export function cardFrames(document: ItemDocument, item: CardItem, frame: number, later = 0): ClipFrame[] {
  const { clip, shotAt, pace, reversed, begins, ends, after, crossFade, offset, between } = item
  if (!clip || (ends !== 0 && frame > ends)) return []
  const { first, last, rate } = clip
  const start = begins === 0 ? document.plate.first : begins
  return clipFrames(
    {
      first,
      last,
      shot: shotAt || rate,
      plate: frameRate(document.plate),
      pace: reversed ? -pace : pace,
      after,
      crossFade,
      offset,
      between,
    },
    frame - start - later,
  )
}

/** Clips up to this width are taken whole, px; of larger ones half is as fine as a card needs. */
const WHOLE = 1280
/** Where a clip's frames come from. */
const sourceOf = (
  { asset, encoding, curve, width, alpha }: ClipOfCard,
  there: CardItem['there'],
): Omit<OtherFrame, 'frame'> => ({
  asset,
  encoding,
  curve,
  ...(width <= WHOLE ? { whole: true } : {}),
  ...(alpha && there === 'with alpha' ? { alpha } : {}),
})

type CutSettings = Pick<
  CardItem,
  'there' | 'lift' | 'full' | 'keyColour' | 'near' | 'keeps' | 'spill' | 'edge' | 'feather'
>
/** What decides what is there of a card's frames, as shares. */
const cutOf = (now: CutSettings): Pick<CardLook, 'there' | 'lift' | 'full' | 'key' | 'feather'> => ({
  there: now.there,
  lift: now.lift / 100,
  full: now.full / 100,
  key: {
    colour: now.keyColour,
    near: now.near / 100,
    far: now.keeps / 100,
    spill: now.spill / 100,
    edge: now.edge / 100,
  },
  feather: now.feather / 100,
})

/** What a reading of a card's clip is taken of: its frames, and what of them is there. */
export const clipRead = ({ clip, ...item }: CardItem) => ({
  source: clip ? sourceOf(clip, item.there) : { asset: '', encoding: 'linear' as const, curve: 'clip' as const },
  first: clip?.first ?? 0,
  last: clip?.last ?? -1,
  cut: cutOf(item),
})

/** Where in the sky a card is. */
function skyOf({ azimuth, elevation, degrees, roll }: CardItem): NonNullable<CardLook['sky']> {
  const [a, e] = [radians(azimuth), radians(elevation)]
  return { towards: [sin(a) * cos(e), sin(e), -cos(a) * cos(e)], across: radians(degrees), roll: radians(roll) }
}

/** Frames on both sides over which a track's travel is smoothed, where its jitter alone counts. */
const STEADY = 12
/** How the flat track that a card is stuck to has moved; undefined where it is not known. */
function stickingOf(
  { plate }: ItemDocument,
  { stuck }: CardItem,
  frame: number,
  inputs: SignalInputs,
): CardLook['stuck'] {
  if (!stuck) return undefined
  const { track, way, takes } = stuck
  const corners = (at: number) => {
    const places = inputs.track?.(track, at)
    return places?.length === 4 ? places : undefined
  }
  const to = corners(frame)
  const around = Array.from({ length: 2 * STEADY + 1 }, (_, n) => corners(frame + n - STEADY)).filter(
    (one) => one !== undefined,
  )
  const steady = (n: number, c: 0 | 1): number =>
    around.reduce((sum, one) => sum + (one[n]?.[c] ?? 0), 0) / around.length
  const from =
    takes === 'travel' ? corners(stuck.frame) : [0, 1, 2, 3].map((n): [number, number] => [steady(n, 0), steady(n, 1)])
  if (!to || !from) return undefined
  const { width } = plate as ItemDocument['plate'] & { width: number }
  return { way, from, to, plateWidth: width, frame: takes === 'travel' ? stuck.frame : frame }
}

/** What a card shows at a frame: itself and its copies. */
export function cardInstances(
  document: ItemDocument,
  id: string,
  frame: number,
  inputs: SignalInputs,
): EffectInstance<CardLook>[] {
  const item = document.items[id]
  if (!isCard(item) || !item.clip) return []
  const now = movedAndSettledAt(document, item, CARD_SETTINGS, frame, inputs)
  const clip: ClipOfCard = item.clip
  const turn = panTiltRoll(radians(now.turn), 0, 0)
  const { tint } = now
  const sky = now.far === 'in the sky' ? { sky: skyOf(now) } : {}
  const stuck = stickingOf(document, item, frame, inputs)
  return copiesOf(sky.sky ? { ...now, copies: 1 } : now).flatMap(
    ({ x, z, later, scale, stops, mirror }): EffectInstance<CardLook>[] => {
      const frames = cardFrames(document, item, frame, later)
      if (frames.length === 0) return []
      const gain = pow(2, now.exposure + stops)
      const look: CardLook = {
        frames,
        clip: sourceOf(clip, now.there),
        aspect: clip.width / clip.height,
        ...cutOf(now),
        height: now.height * scale,
        foot: now.foot / 100,
        faces: now.faces,
        mirror: now.mirror !== mirror,
        fade: now.fade,
        gain: [tint[0] * gain, tint[1] * gain, tint[2] * gain],
        light: sky.sky ? 0 : now.light,
        place: add(now.position, rotate(turn, [x, 0, z])),
        turn,
        ...(stuck ? { stuck } : {}),
        ...sky,
      }
      return [{ item: id, of: id, frames: [], place: AT_HOME, look }]
    },
  )
}

/** The filmed frames that a card and its copies need at a frame, each once. */
export function cardClips(document: ItemDocument, id: string, frame: number): OtherFrame[] {
  const item = document.items[id]
  if (!isCard(item) || !item.clip) return []
  const source = sourceOf(item.clip, item.there)
  const frames = copiesOf(item).flatMap(({ later }) => cardFrames(document, item, frame, later))
  return [...new Set(frames.map((one) => one.frame))].map((own) => ({ ...source, frame: own }))
}
